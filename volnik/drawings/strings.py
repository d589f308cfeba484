"""Second opinions as bars as wide as the Ah each counts, the weighed charge and the shunt's across them, each
with its doubt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.watch.opinions import Reconciled
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
    grid = [
        Line(LEFT, level.at(step), width - RIGHT, level.at(step), "grid") for step in (0, 25, 50, 75, 100)
    ]
    words = [Word(LEFT - 6, level.at(step) + 4, f"{step}", "end") for step in (0, 25, 50, 75, 100)]
    bars, doubts = [], []
    at = 0.0
    for opinion in found.each:
        x, end = across.at(at), across.at(at + opinion.opinion.capacity_ah)
        soc = opinion.opinion.soc_pct
        bars.append(Box(x + 5, level.at(soc), end - x - 10, level.at(0.0) - level.at(soc), "bar"))
        middle = (x + end) / 2.0
        doubts.append(
            Line(
                middle,
                level.at(min(100.0, soc + 100 * opinion.uncertainty)),
                middle,
                level.at(max(0.0, soc - 100 * opinion.uncertainty)),
                "doubt",
            )
        )
        age = "last full unknown" if math.isnan(opinion.days) else f"full {opinion.days:.0f} days ago"
        words += [
            Word(
                middle,
                height - 26,
                f"{opinion.opinion.name}, {opinion.opinion.capacity_ah:g} Ah",
                "middle",
                "name",
            ),
            Word(middle, height - 9, age, "middle"),
            Word(middle + 8, level.at(soc) - 6, f"{soc:g} %", "start", "name"),
        ]
        at += opinion.opinion.capacity_ah
    lines = [Line(LEFT, level.at(100 * found.soc), width - RIGHT, level.at(100 * found.soc), "weighed")]
    bands = []
    words.append(
        Word(
            width - RIGHT + 8,
            level.at(100 * found.soc) + 4,
            f"weighed {100 * found.soc:.0f} %",
            "start",
            "name",
        )
    )
    message = f"{len(found.each)} counters, weighed {100 * found.soc:.0f} %"
    if not math.isnan(found.off):
        shunt = found.soc + found.off
        lines.append(Line(LEFT, level.at(100 * shunt), width - RIGHT, level.at(100 * shunt), "shunt"))
        bands.append(
            Box(
                LEFT,
                level.at(100 * min(1.0, shunt + half)),
                width - LEFT - RIGHT,
                level.at(100 * max(0.0, shunt - half)) - level.at(100 * min(1.0, shunt + half)),
                "shunt",
            )
        )
        near = abs(found.off) < 0.06
        words.append(
            Word(
                width - RIGHT + 8,
                level.at(100 * shunt) + (22 if near and found.off <= 0 else -14 if near else 4),
                f"shunt {100 * shunt:.0f} %",
                "start",
                "name",
            )
        )
        message += f", the shunt {100 * shunt:.0f} %"
    return StringsDrawing(width, height, bars, doubts, lines, bands, grid, words, message + ".")
