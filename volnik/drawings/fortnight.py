"""A simulated fortnight: the true charge, what each of two settings would tell, and their resets, right or
early.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.numbers.compared import SHOWN_DAYS, Compared, Side
from volnik.drawings.scale import Line, Scale, Word

WIDTH, HEIGHT = 560.0, 262.0
LEFT, RIGHT, TOP, BOTTOM = 52.0, 552.0, 10.0, 182.0
LANES = (204.0, 230.0)


@dataclass(frozen=True, slots=True)
class ResetMark:
    """A reset on the paper; kind is right, heals or lasts."""

    x: float
    y: float
    kind: str
    message: str


@dataclass(frozen=True, slots=True)
class FortnightDrawing:
    """Lines as paths, resets as marks."""

    width: float
    height: float
    truth: str
    first: str
    second: str
    grid: list[Line]
    words: list[Word]
    marks: list[ResetMark]
    message: str


def draw_fortnight(found: Compared) -> FortnightDrawing:
    """Draw two settings on the same days."""
    time = Scale(float(found.day), float(found.day + SHOWN_DAYS), LEFT, RIGHT)
    low = min(0.5, float(min(found.truth.min(), found.first.charge.min(), found.second.charge.min())))
    level = Scale(100.0 * (0.25 * int(low / 0.25)), 100.0, BOTTOM, TOP)
    steps = [pct for pct in (0, 25, 50, 75, 100) if pct >= level.low]
    grid = [Line(LEFT, level.at(pct), RIGHT, level.at(pct), "grid") for pct in steps]
    grid += [
        Line(time.at(found.day + at), TOP, time.at(found.day + at), BOTTOM, "grid")
        for at in range(SHOWN_DAYS + 1)
    ]
    words = [Word(LEFT - 6, level.at(pct) + 4, f"{pct} %", "end", "axis") for pct in steps]
    words += [
        Word(time.at(found.day + at + 0.5), HEIGHT - 3, f"day {found.day + at + 1}", "middle", "axis")
        for at in range(0, SHOWN_DAYS, 3)
    ]
    words += [
        Word(LEFT - 6, lane + 4, name, "end", kind)
        for lane, name, kind in zip(LANES, ("this", "other"), ("first", "second"), strict=True)
    ]
    marks = [
        mark
        for side, lane in zip((found.first, found.second), LANES, strict=True)
        for mark in _marks(side, time, lane)
    ]
    message = (
        f"Days {found.day + 1} to {found.day + SHOWN_DAYS}: {found.first.setting.name} resets "
        f"{len(found.first.marks)} times, "
        f"{found.second.setting.name} {len(found.second.marks)} times."
    )
    return FortnightDrawing(
        WIDTH,
        HEIGHT,
        _line(found.at_day, found.truth, time, level),
        _line(found.at_day, found.first.charge, time, level),
        _line(found.at_day, found.second.charge, time, level),
        grid,
        words,
        marks,
        message,
    )


def _line(at_day: Floats, charge: Floats, time: Scale, level: Scale) -> str:
    if not len(at_day):
        return ""
    x = time.start + (at_day - time.low) / (time.high - time.low) * (time.end - time.start)
    y = level.start + (100.0 * charge - level.low) / (level.high - level.low) * (level.end - level.start)
    points = zip(np.rint(10 * x).astype(int).tolist(), np.rint(10 * y).astype(int).tolist(), strict=True)
    return "M" + "L".join([f"{a / 10} {b / 10}" for a, b in points])


def _marks(side: Side, time: Scale, lane: float) -> list[ResetMark]:
    marks: list[ResetMark] = []
    for day, reset in side.marks:
        kind = "right" if reset.right else "heals" if reset.heals else "lasts"
        word = {"right": "right", "heals": "early, healed", "lasts": "early, and it lasted"}[kind]
        x = time.at(day)
        if marks and marks[-1].kind == kind and x - marks[-1].x < 5.0:
            continue  # one mark for resets that lie on each other
        marks.append(ResetMark(x, lane, kind, f"{word}: true charge {100 * reset.charge:.0f} %"))
    return marks
