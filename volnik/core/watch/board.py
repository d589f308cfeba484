"""A board of one's own for helm or cab: which figures stand on it, and outside of what they are marked."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field

from volnik.core.columns import column
from volnik.core.readings import COLUMNS
from volnik.core.values import Plain

MOST_TILES = 12
DEMO_FRAMES = 90  # of a made-up day, one a second


@dataclass(frozen=True, slots=True)
class BoardFigure:
    """What can stand on a board.

    Attributes:
        what: name, as a live reading names it.
        words: as it is called.
        unit: of it, "" for on and off.
        digits: after the point.
        times: by which what is heard is multiplied.
    """

    what: str
    words: str
    unit: str
    digits: int
    times: float = 1.0


COUNTED = {
    "soc": BoardFigure("soc", "charge", "%", 0, 100.0),
    "deficit_ah": BoardFigure("deficit_ah", "Ah below full", "Ah", 0),
    "watts": BoardFigure("watts", "watts", "W", 0),
}
DIGITS = {"V": 2, "A": 1, "°C": 0, "W": 0, "%": 0}


class Tile(Plain):
    """A figure on a board.

    Attributes:
        what: which.
        label: what it is called there, "" for its own name.
        low, high: outside of which it is marked, in its unit, or None.
    """

    what: Annotated[str, Field(min_length=1, max_length=40)]
    label: Annotated[str, Field(max_length=24)] = ""
    low: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    high: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None


USUAL = (Tile(what="soc"), Tile(what="amps"), Tile(what="volts"), Tile(what="deficit_ah"))


def figure_of(what: str) -> BoardFigure | None:
    """What can stand on a board by its name, None where there is no such figure.

    Args:
        what: as a live reading names it.
    """
    if what in COUNTED:
        return COUNTED[what]
    found = column(what)
    if found is None:
        return None
    digits = 3 if found.kind == "cell_volts" else DIGITS.get(found.of.unit, 0)
    return BoardFigure(what, found.words, found.of.unit, digits)


def choices(own: Iterable[str]) -> list[BoardFigure]:
    """All that can stand on the board of a rig.

    Args:
        own: columns of the rig's own.
    """
    names = ["soc", "amps", "volts", "deficit_ah", "watts", *COLUMNS[2:], *own]
    return [found for name in dict.fromkeys(names) if (found := figure_of(name)) is not None]


def demo_frames(whats: Iterable[str]) -> list[dict[str, Any]]:
    """A made-up day as live readings, to lay a board out on before the boat is reached.

    Args:
        whats: figures wanted beside volts and amps.
    """
    frames = []
    for at in range(DEMO_FRAMES):
        turn = 2.0 * math.pi * at / DEMO_FRAMES
        amps = 18.0 * math.sin(turn) - 6.0
        soc = 0.62 - 0.25 * math.cos(turn + 0.6)
        frame = {
            "volts": 13.1 + 0.02 * amps,
            "amps": amps,
            "watts": amps * (13.1 + 0.02 * amps),
            "soc": soc,
            "soc_low": soc - 0.04,
            "soc_high": soc + 0.04,
            "deficit_ah": 200.0 * (1.0 - soc),
            "celsius": 17.0 + 4.0 * math.sin(turn),
            "believed": True,
        }
        others = {what: _made_up(what, turn) for what in whats if what not in frame}
        frames.append(
            {name: value if value is True else round(value, 3) for name, value in (frame | others).items()}
        )
    return frames


def _made_up(what: str, turn: float) -> float:
    """A plausible value of a column."""
    found = column(what)
    kind = "" if found is None else found.kind
    middle, swing = {
        "starter_volts": (12.7, 0.3),
        "midpoint_volts": (6.55, 0.1),
        "celsius": (12.0, 6.0),
        "percent": (60.0, 25.0),
        "cell_volts": (3.33, 0.04),
        "charger_volts": (13.9, 0.3),
        "charger_amps": (12.0, 12.0),
        "volts": (12.8, 0.4),
        "amps": (4.0, 4.0),
        "watts": (120.0, 90.0),
        "level": (55.0, 20.0),
    }.get(kind, (0.0, 0.0))
    if kind == "switch":
        return 1.0 if math.sin(2.0 * turn) > 0 else 0.0
    return middle + swing * math.sin(turn)
