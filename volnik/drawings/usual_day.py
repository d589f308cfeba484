"""A usual day as one drawing: what comes in above the line, what goes out below, load upon load, and beneath
it the charge from midnight to midnight.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.survey.day_energy import DayEnergy, SeasonDay
from volnik.drawings.scale import NARROW_W, WIDE_W, Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM = 46.0, 10.0, 22.0, 26.0
SLOT_H = 0.5
MOST_LOADS = 5  # told apart; the rest together
CHARGE_H = 110.0


@dataclass(frozen=True, slots=True)
class UsualDayDrawing:
    """Columns of what comes in, bands of what goes out, the charge as a line, scales, words.

    Attributes:
        bands: a closed path for each load: (path, its place in the order of colours, name).
    """

    width: float
    height: float
    columns: list[Box]
    bands: list[tuple[str, int, str]]
    charge: str
    grid: list[Line]
    words: list[Word]
    message: str


def draw_usual_day(
    day: DayEnergy, season: SeasonDay, *, capacity_ah: float, width: float = WIDE_W, height: float = 430.0
) -> UsualDayDrawing:
    """Draw a usual day.

    Args:
        day: the loads.
        season: what sun and wind give.
        capacity_ah: of the bank [Ah].
        width, height: of the paper.
    """
    time = Scale(0.0, 24.0, LEFT, width - RIGHT)
    loads = _stacked(day)
    out = np.sum([slots for _, slots in loads], axis=0) / SLOT_H if loads else np.zeros(48)
    came = season.by_slot / SLOT_H
    split = height - BOTTOM - CHARGE_H
    amps = Scale(-1.08 * max(1.0, float(out.max())), 1.08 * max(1.0, float(came.max())), split - 16.0, TOP)
    level = Scale(0.0, 100.0, height - BOTTOM, split + 18.0)
    grid, words = _grid(amps, level, time, width)
    step = (width - LEFT - RIGHT) / 48.0
    columns = [
        Box(LEFT + at * step, amps.at(value), step - 0.6, amps.at(0.0) - amps.at(value), "sun")
        for at, value in enumerate(came.tolist())
        if value > 0.0
    ]
    return UsualDayDrawing(
        width,
        height,
        columns,
        _bands(loads, time, amps),
        _charge(season.by_slot, out * SLOT_H, capacity_ah, time, level),
        grid,
        words,
        f"A usual day by the list: {day.listed_ah:.0f} Ah out, {season.given_ah:.0f} Ah of sun and wind in.",
    )


def _stacked(day: DayEnergy) -> list[tuple[str, Floats]]:
    """The loads that weigh most, and the others together."""
    shown = [(load.name, load.by_slot) for load in day.loads[:MOST_LOADS]]
    others = [load.by_slot for load in day.loads[MOST_LOADS:]]
    return [*shown, ("all others", np.asarray(np.sum(others, axis=0)))] if others else shown


def _bands(loads: list[tuple[str, Floats]], time: Scale, amps: Scale) -> list[tuple[str, int, str]]:
    base = np.zeros(48)
    found = []
    for order, (name, slots) in enumerate(loads):
        foot = base + slots / SLOT_H
        if float(slots.sum()) > 0.0:
            down = _steps(foot, time, amps)
            back = _steps(base, time, amps)
            path = "M" + "L".join(f"{x:g} {y:g}" for x, y in [*down, *reversed(back)]) + "Z"
            found.append((path, order, name))
        base = foot
    return found


def _steps(values: Floats, time: Scale, amps: Scale) -> list[tuple[float, float]]:
    points = []
    for at, value in enumerate(values.tolist()):
        y = amps.at(-value)
        points += [(time.at(at * SLOT_H), y), (time.at((at + 1) * SLOT_H), y)]
    return points


def _charge(came: Floats, went: Floats, capacity_ah: float, time: Scale, level: Scale) -> str:
    """The charge over the day, from full on."""
    held, line = capacity_ah, [(time.at(0.0), level.at(100.0))]
    for at in range(48):
        held = min(capacity_ah, max(0.0, held + float(came[at]) - float(went[at])))
        line.append((time.at((at + 1) * SLOT_H), level.at(100.0 * held / capacity_ah)))
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in line)


def _grid(amps: Scale, level: Scale, time: Scale, width: float) -> tuple[list[Line], list[Word]]:
    lines, words = [], []
    for step in round_steps(amps.low, amps.high, 6):
        y = amps.at(step)
        lines.append(Line(LEFT, y, width - RIGHT, y, "zero" if step == 0 else "grid"))
        words.append(Word(LEFT - 6, y + 4, f"{abs(step):g}", "end"))
    for pct in (0, 50, 100):
        lines.append(Line(LEFT, level.at(pct), width - RIGHT, level.at(pct), "grid"))
        words.append(Word(LEFT - 6, level.at(pct) + 4, f"{pct}", "end"))
    for hour in range(0, 25, 6 if width < NARROW_W else 3):
        anchor = "start" if hour == 0 else "end" if hour == 24 else "middle"
        words.append(Word(time.at(hour), level.start + 18, f"{hour:02d}:00", anchor, "day"))
        lines.append(Line(time.at(hour), TOP, time.at(hour), level.start, "hour"))
    words += [
        Word(4, TOP - 8, "A in from sun and wind; A out below the line", "start", "name"),
        Word(4, level.end - 6, "charge, %, from full, by the list", "start", "name"),
    ]
    return lines, words
