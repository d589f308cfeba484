"""Dry run of the alarms: a row each over the log, where it was on, where it would have spoken, where it held
its tongue.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.numbers.alarms import KINDS
from volnik.core.watch.alarm_engine import DryRun
from volnik.drawings.evidence import _days as day_lines
from volnik.drawings.scale import Box, Line, Scale, Word

NAME, RIGHT, TOP, BOTTOM, EACH = 180.0, 120.0, 22.0, 26.0, 40.0


@dataclass(frozen=True, slots=True)
class DryDrawing:
    """Rows of stretches and marks, words, the line of time."""

    width: float
    height: float
    boxes: list[Box]
    spoke: list[Line]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_dry(
    runs: list[DryRun], *, start_s: float, end_s: float, zone: str, width: float = 820.0
) -> DryDrawing:
    """Draw the dry run."""
    height = max(260.0, TOP + BOTTOM + EACH * max(1, len(runs)))
    time = Scale(start_s, end_s, NAME, width - RIGHT)
    lines, words = day_lines(time, height, zone)
    boxes, spoke = [], []
    for at, run in enumerate(runs):
        y = TOP + EACH * at
        kind = KINDS[run.alarm.key]
        words += [
            Word(NAME - 10, y + 17, kind.name, "end", "name"),
            Word(
                NAME - 10,
                y + 31,
                f"{'under' if kind.below else 'over'} {run.alarm.level:g} {kind.unit}",
                "end",
            ),
            Word(
                width - RIGHT + 8, y + 22, f"{run.spoke} times" if run.spoke != 1 else "once", "start", "name"
            ),
        ]
        lines.append(Line(NAME, y + 18, width - RIGHT, y + 18, "grid"))
        for incident in run.incidents:
            x = time.at(incident.start_s)
            boxes.append(
                Box(
                    x,
                    y + 10,
                    max(2.0, time.at(end_s if incident.is_open else incident.end_s) - x),
                    16,
                    "on" if not math.isnan(incident.spoke_s) else "on held",
                )
            )
            if not math.isnan(incident.spoke_s):
                spoke.append(
                    Line(time.at(incident.spoke_s), y + 4, time.at(incident.spoke_s), y + 32, "spoke")
                )
    said = (
        "; ".join(f"{KINDS[run.alarm.key].name} {run.spoke} times" for run in runs)
        or "No alarm that a log can be judged by is in use."
    )
    return DryDrawing(width, height, boxes, spoke, lines, words, f"Dry run over the log: {said}.")
