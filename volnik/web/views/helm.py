"""A board as it is shown, and as it is laid out."""

from __future__ import annotations

import json
from dataclasses import dataclass

from volnik.core.watch.board import BoardFigure, Tile, demo_frames, figure_of
from volnik.services.live.now import LiveNow
from volnik.services.watch.board import BoardView
from volnik.web.page import number, tidy_number


@dataclass(frozen=True, slots=True)
class ShownTile:
    """A tile as shown first.

    Attributes:
        what: which figure.
        words, unit, digits: of it.
        times, plus: what is heard times this and plus that is shown.
        low, high: outside of which it is marked, "" for none.
        figure: as it is said first.
    """

    what: str
    words: str
    unit: str
    digits: int
    times: float
    plus: float
    low: str
    high: str
    figure: str


@dataclass(frozen=True, slots=True)
class BoardPage:
    """A board: its tiles, a made-up day as JSON where it is shown on demo signals, whether it is laid out."""

    tiles: list[ShownTile]
    demo: str
    laid_out: bool


def board_page(view: BoardView, now: LiveNow | None, *, demo: bool, system: str) -> BoardPage:
    """A board as it is shown.

    Args:
        view: of the rig.
        now: what the rig says, or None.
        demo: on demo signals.
        system: of units, "metric" or "us".
    """
    frames = json.dumps(demo_frames([tile.what for tile in view.tiles])) if demo else ""
    heard = now.to_dict() if now is not None and now.fresh and not demo else {}
    return BoardPage(
        [_tile(tile, figure, heard, system) for tile in view.tiles if (figure := figure_of(tile.what))],
        frames,
        view.laid_out,
    )


def _tile(tile: Tile, figure: BoardFigure, heard: dict[str, object], system: str) -> ShownTile:
    value = heard.get(tile.what)
    us = system == "us" and figure.unit == "°C"
    known = isinstance(value, int | float) and not isinstance(value, bool)
    times, plus, unit = (1.8, 32.0, "°F") if us else (figure.times, 0.0, figure.unit)
    shown = number(float(value) * times + plus, figure.digits) if known else "–"  # type: ignore[arg-type]
    if not figure.unit and known:
        shown = "on" if value else "off"
    return ShownTile(
        tile.what,
        tile.label or figure.words,
        unit,
        figure.digits,
        times,
        plus,
        _limit(tile.low, us=us),
        _limit(tile.high, us=us),
        shown,
    )


def _limit(value: float | None, *, us: bool) -> str:
    """A limit in the unit that is shown; kept in °C."""
    return tidy_number(value if value is None or not us else value * 1.8 + 32.0)


def rows_of(view: BoardView) -> list[dict[str, str]]:
    """The tiles as rows of the form.

    Args:
        view: of the rig.
    """
    return [
        {
            "what": tile.what,
            "label": tile.label,
            "low": tidy_number(tile.low),
            "high": tidy_number(tile.high),
        }
        for tile in view.tiles
    ]
