"""The ladder of volts drawn: low at the foot, every rung named, the window of the charged voltage as
a band.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.numbers.ladder import Ladder, Rung
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

WIDTH, HEIGHT = 860.0, 560.0
LEFT, RIGHT, TOP, BOTTOM = 150.0, 330.0, 18.0, 536.0
NAMES_X, ROOM = 400.0, 25.0
RAILS = {
    "cut_low": "protection",
    "cut_high": "protection",
    "charged": "charged",
    "over": "alarm",
    "low_alarm": "alarm",
    "rest_reserve": "rest",
    "rest_full": "rest",
    "schools": "schools",
}
BARS = {"float": (190.0, 100.0), "schools": (150.0, 14.0)}
"""Where a kind's bar begins and how wide it is, where it does not cross the whole ladder."""


@dataclass(frozen=True, slots=True)
class RungDrawing:
    """A rung: its span on the ladder, its name beside it, the leader between."""

    key: str
    kind: str
    x: float
    width: float
    top: float
    height: float
    middle: float
    name_y: float
    name: str
    volts: str
    wrong: bool


@dataclass(frozen=True, slots=True)
class LadderDrawing:
    """The ladder as boxes, lines and words. scale: volts a cell."""

    width: float
    height: float
    rungs: list[RungDrawing]
    window: Box | None
    grid: list[Line]
    words: list[Word]
    scale: Scale
    message: str


def _scaled_by(found: Ladder) -> Sequence[Rung]:
    """The rungs that set the scale: what is far below would squeeze the others."""
    return [rung for rung in found.rungs if rung.key not in ("cut_low", "low_alarm")] or found.rungs


def draw_ladder(found: Ladder, cells: int, beside: Rung | None = None) -> LadderDrawing:
    """Draw a ladder; left the volts of the whole bank, right the names.

    Args:
        beside: drawn with the rungs, though it is none, as what practitioners set.
    """
    shown = _scaled_by(found)
    low = min(rung.low_v for rung in shown) - 0.02
    high = max(rung.high_v for rung in shown) + 0.02
    scale = Scale(low, high, BOTTOM, TOP)
    steps = round_steps(low * cells, high * cells, 10)
    grid = [Line(LEFT - 8, scale.at(at / cells), RIGHT, scale.at(at / cells), "grid") for at in steps]
    words = [Word(LEFT - 14, scale.at(at / cells) + 4, f"{at:.4g} V", "end", "axis") for at in steps]
    wrong = {rung.key for pair in found.wrong for rung in pair}
    rungs = _named(found.rungs + ([beside] if beside else []), scale, cells, wrong)
    named = ", ".join(f"{rung.name} {rung.low_v * cells:.2f} V" for rung in found.rungs)
    message = f"Ladder of volts, low to high: {named}."
    return LadderDrawing(WIDTH, HEIGHT, rungs, _window(found, scale), grid, words, scale, message)


def _window(found: Ladder, scale: Scale) -> Box | None:
    """Where the charged voltage may lie, None where it may lie nowhere."""
    if found.high_v is None or found.high_v <= found.low_v:
        return None
    top, bottom = scale.at(found.high_v), scale.at(found.low_v)
    return Box(LEFT, top, RIGHT - LEFT, round(bottom - top, 2), "window")


def _named(rungs: list[Rung], scale: Scale, cells: int, wrong: set[str]) -> list[RungDrawing]:
    """Rungs with their names spread so that none lies on another.

    From the top down, then pushed up from the foot.
    """
    ordered = sorted(rungs, key=lambda rung: -(rung.low_v + rung.high_v))
    places = [scale.at((rung.low_v + rung.high_v) / 2) for rung in ordered]
    for at in range(1, len(places)):
        places[at] = max(places[at], places[at - 1] + ROOM)
    if places and places[-1] > BOTTOM + 8:
        places[-1] = BOTTOM + 8
        for at in range(len(places) - 2, -1, -1):
            places[at] = min(places[at], places[at + 1] - ROOM)
    drawn = []
    for rung, y in zip(ordered, places, strict=True):
        top, bottom = scale.at(rung.high_v), scale.at(rung.low_v)
        kind = RAILS.get(rung.key, "charger" if rung.key.startswith("abs") else "float")
        span = (
            f"{rung.low_v * cells:.2f} V"
            if rung.high_v - rung.low_v < 0.002
            else f"{rung.low_v * cells:.2f} to {rung.high_v * cells:.2f} V"
        )
        drawn.append(
            RungDrawing(
                rung.key,
                kind,
                *BARS.get(kind, (LEFT, RIGHT - LEFT)),
                top,
                max(3.0, round(bottom - top, 2)),
                (top + bottom) / 2,
                y - 4.0,
                rung.name,
                f"{span}, {rung.low_v:.3f} a cell",
                rung.key in wrong,
            )
        )
    return drawn
