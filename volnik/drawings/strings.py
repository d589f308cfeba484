"""Second opinions as bars as wide as the Ah each counts, the weighed charge and the shunt's across them, each
with its doubt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.watch.opinions import Reconciled, Weighed
from volnik.drawings.scale import Box, Line, Scale, Word

LEFT, RIGHT, TOP, BOTTOM = 46.0, 120.0, 18.0, 44.0


@dataclass(frozen=True, slots=True)
class StringsDrawing:
    """Bars, their doubts, the two lines across, words."""

    width: float
    height: float
    bars: list[Box]
    doubts: list[Line]
    lines: list[Line]
    bands: list[Box]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_strings(
    found: Reconciled, *, half: float, width: float = 820.0, height: float = 400.0
) -> StringsDrawing:
    """Draw what several counters say."""
    total = sum(opinion.opinion.capacity_ah for opinion in found.each)
    across = Scale(0.0, total, LEFT, width - RIGHT)
    level = Scale(0.0, 100.0, height - BOTTOM, TOP)
    steps = (0, 25, 50, 75, 100)
    grid = [Line(LEFT, level.at(step), width - RIGHT, level.at(step), "grid") for step in steps]
    words = [Word(LEFT - 6, level.at(step) + 4, f"{step}", "end") for step in steps]
    bars, doubts = [], []
    at = 0.0
    for weighed in found.each:
        soc = weighed.opinion.soc_pct
        x, end = across.at(at), across.at(at + weighed.opinion.capacity_ah)
        middle = (x + end) / 2.0
        bars.append(Box(x + 5, level.at(soc), end - x - 10, level.at(0.0) - level.at(soc), "bar"))
        high, low = (min(100.0, soc + 100 * weighed.uncertainty), max(0.0, soc - 100 * weighed.uncertainty))
        doubts.append(Line(middle, level.at(high), middle, level.at(low), "doubt"))
        words += _opinion_words(weighed, middle, level.at(soc), height)
        at += weighed.opinion.capacity_ah
    y = level.at(100 * found.soc)
    lines = [Line(LEFT, y, width - RIGHT, y, "weighed")]
    words.append(Word(width - RIGHT + 8, y + 4, f"weighed {100 * found.soc:.0f} %", "start", "name"))
    message = f"{len(found.each)} counters, weighed {100 * found.soc:.0f} %"
    bands = []
    if not math.isnan(found.off):
        line, band, word = _shunt(found, half, level, width)
        lines.append(line)
        bands.append(band)
        words.append(word)
        message += f", the shunt {100 * (found.soc + found.off):.0f} %"
    return StringsDrawing(width, height, bars, doubts, lines, bands, grid, words, message + ".")


def _opinion_words(weighed: Weighed, middle: float, y: float, height: float) -> list[Word]:
    """A counter's name, its last full, and what it says."""
    opinion = weighed.opinion
    age = "last full unknown" if math.isnan(weighed.days) else f"full {weighed.days:.0f} days ago"
    return [
        Word(middle, height - 26, f"{opinion.name}, {opinion.capacity_ah:g} Ah", "middle", "name"),
        Word(middle, height - 9, age, "middle"),
        Word(middle + 8, y - 6, f"{opinion.soc_pct:g} %", "start", "name"),
    ]


def _shunt(found: Reconciled, half: float, level: Scale, width: float) -> tuple[Line, Box, Word]:
    """What the shunt's own count says, with its band; its word keeps clear of the other."""
    soc = found.soc + found.off
    y, right = level.at(100 * soc), width - RIGHT
    top, foot = level.at(100 * min(1.0, soc + half)), level.at(100 * max(0.0, soc - half))
    lift = 4
    if abs(found.off) < 0.06:
        lift = 22 if found.off <= 0 else -14
    word = Word(right + 8, y + lift, f"shunt {100 * soc:.0f} %", "start", "name")
    return Line(LEFT, y, right, y, "shunt"), Box(LEFT, top, right - LEFT, foot - top, "shunt"), word
