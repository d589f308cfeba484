"""Cycles from full to full: each hangs from the line of a full battery down to where it was deepest."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.watch.cycles import Cycle
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import WIDE_W, Line, Scale, Word

HEIGHT, LEFT, RIGHT, TOP, FOOT = 420.0, 44.0, 10.0, 34.0, 30.0
MOST = 40  # cycles, the latest
ROOM, DATED_ROOM = 65.0, 105.0  # of a depth, of a date that is written


@dataclass(frozen=True, slots=True)
class Hanging:
    """One cycle as a shape, its days and amp hours as a title; `open` while it is not full again."""

    path: str
    title: str
    kind: str


@dataclass(frozen=True, slots=True)
class CyclesDrawing:
    """The drawing: shapes, grid, words."""

    width: float
    height: float
    shapes: list[Hanging]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_cycles(
    cycles: list[Cycle], *, zone: str, reserve_pct: float, width: float = WIDE_W
) -> CyclesDrawing | None:
    """Draw the latest cycles; None where there are none."""
    shown = cycles[-MOST:]
    if not shown:
        return None
    time = Scale(shown[0].start_s, shown[-1].end_s, LEFT, width - RIGHT)
    level = Scale(0.0, 100.0, HEIGHT - FOOT, TOP)
    grid = [Line(LEFT, level.at(pct), width - RIGHT, level.at(pct), "") for pct in (0, 25, 50, 75)]
    grid.append(Line(LEFT, level.at(100), width - RIGHT, level.at(100), "full"))
    words = [Word(LEFT - 6, level.at(pct) + 4, f"{pct}", "end") for pct in (0, 25, 50, 75, 100)]
    words.append(Word(4, TOP - 16, "charge, %", "start", "name"))
    if reserve_pct > 0:
        at = level.at(reserve_pct)
        grid.append(Line(LEFT, at, width - RIGHT, at, "reserve"))
        words.append(Word(width - RIGHT, at - 5, f"reserve {reserve_pct:g} %", "end", "axis"))
    deepest = sorted(shown, key=lambda cycle: cycle.low)[: int(width / ROOM)]
    words += [
        Word(
            time.at(cycle.low_s), level.at(100 * cycle.low) + 15, f"{100 * cycle.low:.0f}", "middle", "depth"
        )
        for cycle in deepest
    ]
    shapes = [_hanging(cycle, time, level, zone) for cycle in shown]
    deep = 100 * (1 - deepest[0].low)
    message = f"{len(shown)} cycles from full to full, the deepest took out {deep:.0f} %."
    return CyclesDrawing(width, HEIGHT, shapes, grid, [*words, *_dates(shown, time, zone)], message)


def _hanging(cycle: Cycle, time: Scale, level: Scale, zone: str) -> Hanging:
    x0, xl, x1 = (time.at(at) for at in (cycle.start_s, cycle.low_s, cycle.end_s))
    top, low = level.at(100), level.at(100 * cycle.low)
    path = f"M{x0:g} {top:g}Q{x0:g} {low:g} {xl:g} {low:g}Q{x1:g} {low:g} {x1:g} {top:g}z"
    day = day_label(local_of(cycle.start_s, zone), year=True)
    until = "not full again yet" if cycle.is_open else f"full again after {cycle.days:.1f} days"
    title = f"From {day}: down to {100 * cycle.low:.0f} %, {cycle.out_ah:.0f} Ah out, {until}."
    return Hanging(path, title, "open" if cycle.is_open else "closed")


def _dates(shown: list[Cycle], time: Scale, zone: str) -> list[Word]:
    first, last = shown[0].start_s, shown[-1].end_s
    years = has_years(first, last, zone)
    found = []
    dates = max(2, int((time.end - time.start) / DATED_ROOM) + 1)
    for at in range(dates):
        instant = first + (last - first) * at / (dates - 1)
        day = day_label(local_of(instant, zone), year=years)
        anchor = "start" if at == 0 else "end" if at == dates - 1 else "middle"
        found.append(Word(time.at(instant), HEIGHT - 8, day, anchor, "day"))
    return found
