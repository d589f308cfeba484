"""Days, weeks or months of a log: what went in above the line, out below, how low it stood, where it was
reset.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.arrays import Floats
from volnik.core.watch.half_hours import HalfHours
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM = 44.0, 10.0, 20.0, 26.0
MOST = 62


@dataclass(frozen=True, slots=True)
class DaysDrawing:
    """Columns in and out, the lowest charge as a stepped line, resets as marks, scales."""

    width: float
    height: float
    columns: list[Box]
    lowest: str
    resets: list[Word]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_days(
    rows: HalfHours, resets: Floats, *, zone: str, by: str, width: float = 820.0, height: float = 420.0
) -> DaysDrawing:
    """Draw the latest rows."""
    rows, resets = rows.part(slice(max(0, len(rows) - MOST), None)), resets[max(0, len(resets) - MOST) :]
    count = max(1, len(rows))
    most_in, most_out = float(rows.in_ah.max(initial=1.0)), float(rows.out_ah.max(initial=1.0))
    split = height - BOTTOM - 90.0
    flow = Scale(-1.08 * most_out, 1.08 * most_in, split, TOP)
    low = Scale(0.0, 100.0, height - BOTTOM, split + 26.0)
    step = (width - LEFT - RIGHT) / count
    columns, marks = [], []
    grid, words = _grid(flow, low, width)
    words += [
        Word(4, TOP - 8, "Ah in", "start", "name"),
        Word(4, split - 2, "Ah out", "start", "name"),
        Word(LEFT + 4, split + 20, "lowest charge, %", "start", "name"),
    ]
    path: list[str] = []
    years = count > 0 and has_years(float(rows.start_s[0]), float(rows.start_s[-1]), zone)
    every = max(1, math.ceil(count / (7 if years else 9 if by == "day" else 11)))
    for at in range(len(rows)):
        x = LEFT + at * step
        thick = max(1.5, 0.72 * step)
        zero = flow.at(0.0)
        top, foot = flow.at(float(rows.in_ah[at])), flow.at(-float(rows.out_ah[at]))
        columns.append(Box(x + 0.14 * step, top, thick, max(0.0, zero - top), "in"))
        columns.append(Box(x + 0.14 * step, zero, thick, max(0.0, foot - zero), "out"))
        if resets[at] > 0:
            marks.append(
                Word(
                    x + 0.5 * step, TOP - 2, f"{resets[at]:.0f}" if resets[at] > 1 else "", "middle", "reset"
                )
            )
        value = float(rows.low_soc[at])
        if not math.isnan(value):
            path.append(f"{'L' if path else 'M'}{x:g} {low.at(100 * value):g}H{x + step:g}")
        if at % every == 0:
            local = local_of(float(rows.start_s[at]), zone)
            day = local.strftime("%b %Y") if by == "month" else day_label(local, year=years)
            words.append(Word(x + 0.5 * step, height - 8, day, "start" if at == 0 else "middle", "day"))
    message = (
        f"The last {len(rows)} {by}s: {rows.in_ah.sum():.0f} Ah in, {rows.out_ah.sum():.0f} Ah out, "
        f"{resets.sum():.0f} full resets."
    )
    return DaysDrawing(width, height, columns, "".join(path), marks, grid, words, message)


def _grid(flow: Scale, low: Scale, width: float) -> tuple[list[Line], list[Word]]:
    """Lines across the paper at round Ah and at 0, 50 and 100 %, with their words."""
    grid, words = [], []
    for value in round_steps(flow.low, flow.high, 6):
        kind = "zero" if value == 0 else "grid"
        grid.append(Line(LEFT, flow.at(value), width - RIGHT, flow.at(value), kind))
        words.append(Word(LEFT - 6, flow.at(value) + 4, f"{abs(value):g}", "end"))
    for value in (0, 50, 100):
        grid.append(Line(LEFT, low.at(value), width - RIGHT, low.at(value), "grid"))
        words.append(Word(LEFT - 6, low.at(value) + 4, f"{value}", "end"))
    return grid, words
