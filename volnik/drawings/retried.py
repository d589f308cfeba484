"""A log counted twice: as it stands and as corrected."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.retried import Retried
from volnik.drawings.evidence import COLUMNS, _days
from volnik.drawings.scale import Line, Scale, Word

LEFT, RIGHT, TOP, BOTTOM = 46.0, 12.0, 20.0, 24.0


@dataclass(frozen=True, slots=True)
class RetriedDrawing:
    """Two lines of charge, a scale, days."""

    width: float
    height: float
    before: str
    after: str
    grid: list[Line]
    words: list[Word]
    message: str


def draw_retried(made: Retried, *, zone: str, width: float = 1240.0, height: float = 420.0) -> RetriedDrawing:
    """Draw both counts."""
    time = Scale(float(made.time_s[0]), float(made.time_s[-1]), LEFT, width - RIGHT)
    level = Scale(0.0, 100.0, height - BOTTOM, TOP)
    grid, words = _days(time, height, zone)
    for step in (0, 25, 50, 75, 100):
        grid.append(Line(LEFT, level.at(step), width - RIGHT, level.at(step), "grid"))
        words.append(Word(LEFT - 6, level.at(step) + 4, f"{step}", "end"))
    words.append(Word(4, TOP - 7, "charge, %", "start", "name"))

    def line(charge: Floats) -> str:
        step = max(1, len(charge) // COLUMNS)
        parts = []
        pen = False
        for at, value in zip(made.time_s[::step].tolist(), np.asarray(charge)[::step].tolist(), strict=True):
            if math.isnan(value):
                pen = False
                continue
            parts.append(f"{'L' if pen else 'M'}{time.at(at):g} {level.at(100 * value):g}")
            pen = True
        return "".join(parts)

    message = (
        f"The log counted as it is, {made.resets_before} resets, and as corrected, "
        f"{made.resets_after} resets."
    )
    return RetriedDrawing(width, height, line(made.before), line(made.after), grid, words, message)
