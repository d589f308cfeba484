"""Dry run of the alarms: a row each over the log, where it was on, where it would have spoken, where it held
its tongue.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.numbers.alarms import KINDS
from volnik.core.watch.alarm_engine import DryRun
from volnik.core.watch.formatting import times_words
from volnik.drawings.evidence import _days as day_lines
from volnik.drawings.scale import NARROW_W, WIDE_W, Box, Line, Scale, Word

TOP, BOTTOM = 22.0, 26.0


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
    runs: list[DryRun], *, start_s: float, end_s: float, zone: str, width: float = WIDE_W
) -> DryDrawing:
    """Draw the dry run."""
    # On a laptop the name stands before its row, on a phone above it.
    narrow = width < NARROW_W
    each, lane, left, right = (64.0, 24.0, 4.0, 8.0) if narrow else (40.0, 0.0, 180.0, 120.0)
    height = max(260.0, TOP + BOTTOM + each * max(1, len(runs)))
    time = Scale(start_s, end_s, left, width - right)
    lines, words = day_lines(time, height, zone)
    boxes, spoke = [], []
    for at, run in enumerate(runs):
        words += _words(run, TOP + each * at, width, narrow=narrow)
        y = TOP + each * at + lane
        lines.append(Line(left, y + 18, width - right, y + 18, "grid"))
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
        "; ".join(f"{KINDS[run.alarm.key].name} {times_words(run.spoke)}" for run in runs)
        or "No alarm that a log can be judged by is in use."
    )
    return DryDrawing(width, height, boxes, spoke, lines, words, f"Dry run over the log: {said}.")


def _words(run: DryRun, y: float, width: float, *, narrow: bool) -> list[Word]:
    """A row's name, its level, and how often it would have spoken."""
    kind = KINDS[run.alarm.key]
    level = f"{'under' if kind.below else 'over'} {run.alarm.level:g} {kind.unit}"
    often = times_words(run.spoke)
    if narrow:
        return [
            Word(4.0, y + 16, f"{kind.name}, {level}", "start", "name"),
            Word(width - 8.0, y + 16, often, "end", "name"),
        ]
    return [
        Word(170.0, y + 17, kind.name, "end", "name"),
        Word(170.0, y + 31, level, "end"),
        Word(width - 112.0, y + 22, often, "start", "name"),
    ]
