"""What each lamp of an old gauge means at rest: a span of charge a lamp, the reserve hatched below."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.survey.gauge import Lamp
from volnik.drawings.scale import Box, Line, Scale, Word

WIDTH, LEFT, RIGHT, TOP, ROW = 760.0, 200.0, 720.0, 34.0, 62.0
NARROWEST = 4.0


@dataclass(frozen=True, slots=True)
class LampRow:
    """One lamp: the height of its row, whether it lights below the reserve, its span of charge and words."""

    y: float
    below_reserve: bool
    span: Box
    at: Line
    words: list[Word]


@dataclass(frozen=True, slots=True)
class LampsDrawing:
    """The lamps, the highest volts on top, over a scale of charge."""

    width: float
    height: float
    reserve: Box
    rows: list[LampRow]
    ticks: list[Line]
    tick_words: list[Word]


def draw_lamps(lamps: list[Lamp], *, reserve: float, cells: int) -> LampsDrawing:
    """Draw the lamps of a gauge.

    Args:
        lamps: the lowest volts first.
        reserve: of the charge [0..1].
        cells: in one string of the bank.
    """
    scale = Scale(0.0, 1.0, LEFT, RIGHT)
    foot = TOP + ROW * len(lamps)
    rows = [_row(lamp, TOP + ROW * at, scale, cells) for at, lamp in enumerate(reversed(lamps))]
    ticks = [Line(scale.at(share), foot, scale.at(share), foot + 8, "axis") for share in SHARES]
    words = [Word(scale.at(share), foot + 24, f"{100 * share:g} %", "middle", "axis") for share in SHARES]
    kept = Box(LEFT, 20.0, scale.at(reserve) - LEFT, foot - 14.0)
    return LampsDrawing(WIDTH, foot + 36.0, kept, rows, ticks, words)


SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)


def _row(lamp: Lamp, y: float, scale: Scale, cells: int) -> LampRow:
    low, at = scale.at(lamp.low), scale.at(lamp.charge)
    span = Box(low, y + 6, max(NARROWEST, scale.at(lamp.high) - low), 16.0)
    is_low = lamp.charge < 0.5
    words = [
        Word(54.0, y + 18, f"from {lamp.volts:.2f} V", "start", "name"),
        Word(54.0, y + 34, f"{lamp.volts / cells:.3f} V a cell", "start", "axis"),
        Word(LEFT if is_low else RIGHT, y + 42, lamp.sentence, "start" if is_low else "end"),
    ]
    return LampRow(y, lamp.below_reserve, span, Line(at, y + 2, at, y + 26), words)
