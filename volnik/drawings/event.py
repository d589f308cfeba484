"""The charge over a stretch of a log, small enough for a paper; stands alone, without a stylesheet."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.arrays import Floats
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import Line, Scale, Word

HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 200.0, 54.0, 12.0, 12.0, 26.0
PAPER_W = 720.0
DATED_ROOM = 150.0  # of a date and time that is written


@dataclass(frozen=True, slots=True)
class EventDrawing:
    """The charge as lines of points, the reserve, grid and words."""

    width: float
    height: float
    lines: list[str]
    reserve: Line
    grid: list[Line]
    words: list[Word]
    message: str


def draw_event(
    time_s: Floats, soc: Floats, *, reserve_pct: float, zone: str, message: str, width: float = PAPER_W
) -> EventDrawing:
    """Draw the charge over a stretch.

    Args:
        time_s, soc: instants [s] and charge [0..1], NaN while unknown; shape (n,).
        reserve_pct: as set [%].
        zone: of the rig's clock.
        message: what the drawing says.
        width: of the paper.
    """
    time = Scale(float(time_s[0]), max(float(time_s[-1]), float(time_s[0]) + 60.0), LEFT, width - RIGHT)
    level = Scale(0.0, 100.0, HEIGHT - BOTTOM, TOP)
    lines: list[list[str]] = [[]]
    for at_s, charge in zip(time_s.tolist(), soc.tolist(), strict=True):
        if math.isnan(charge):
            lines.append([])
        else:
            lines[-1].append(f"{time.at(at_s):g},{level.at(100.0 * charge):g}")
    grid = [Line(LEFT, level.at(pct), width - RIGHT, level.at(pct), "grid") for pct in (0, 25, 50, 75, 100)]
    words = [Word(LEFT - 6, level.at(pct) + 4, f"{pct} %", "end") for pct in (0, 50, 100)]
    years = has_years(time.low, time.high, zone)
    dates = int((width - LEFT - RIGHT) / DATED_ROOM) + 1
    for at in range(dates):
        instant = time.low + (time.high - time.low) * at / (dates - 1)
        local = local_of(instant, zone)
        anchor = "start" if at == 0 else "end" if at == dates - 1 else "middle"
        words.append(
            Word(time.at(instant), HEIGHT - 6, f"{day_label(local, year=years)} {local:%H:%M}", anchor)
        )
    reserve = Line(LEFT, level.at(reserve_pct), width - RIGHT, level.at(reserve_pct), "reserve")
    drawn = [" ".join(line) for line in lines if len(line) > 1]
    return EventDrawing(width, HEIGHT, drawn, reserve, grid, words, message)
