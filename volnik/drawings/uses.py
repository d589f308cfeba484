"""Who used the charge: devices as rows, each run of the last days on a line of time, its Ah a day as a bar
beside.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from volnik.core.watch.loads import LoadsTold, LoadTold
from volnik.drawings.scale import Box, Line, Scale, Word

NAME, BAR, RIGHT, TOP, BOTTOM = 150.0, 190.0, 10.0, 24.0, 24.0
SHOWN_S = 2.0 * 86400.0


@dataclass(frozen=True, slots=True)
class UsesDrawing:
    """Rows with runs and bars, words, the line of time."""

    width: float
    height: float
    runs: list[Box]
    bars: list[Box]
    grid: list[Line]
    words: list[Word]
    message: str


def draw_uses(message: LoadsTold, *, end_s: float, zone: str, width: float = 820.0) -> UsesDrawing:
    """Draw the loads seen, the unknown ones last, the idle draw beneath."""
    rows = [*message.message, *message.unknown][:9]
    each = 44.0
    height = TOP + BOTTOM + each * (len(rows) + (message.idle is not None))
    time = Scale(end_s - SHOWN_S, end_s, NAME, width - BAR - RIGHT)
    most = max(
        [load.ah_day for load in rows] + [message.idle.ah_day if message.idle is not None else 0.0, 1.0]
    )
    size = Scale(0.0, most, width - BAR + 8.0, width - RIGHT - 62.0)
    runs, bars, words, grid = [], [], [], []
    local = datetime.fromtimestamp(time.low, ZoneInfo(zone)).replace(minute=0, second=0, microsecond=0)
    local = local.replace(hour=local.hour - local.hour % 6) + timedelta(hours=6)
    while local.timestamp() < end_s:
        x = time.at(local.timestamp())
        grid.append(Line(x, TOP - 4, x, height - BOTTOM, "midnight" if local.hour == 0 else "hour"))
        words.append(
            Word(
                x,
                height - 7,
                local.strftime("%-d %b") if local.hour == 0 else local.strftime("%H:%M"),
                "middle",
                "day" if local.hour == 0 else "",
            )
        )
        local += timedelta(hours=6)
    words += [
        Word(time.start, TOP - 9, "when it ran, the last two days", "start", "name"),
        Word(width - BAR + 8.0, TOP - 9, "Ah a day", "start", "name"),
    ]
    for at, load in enumerate(rows):
        y = TOP + each * at
        words += [
            Word(NAME - 8, y + 18, load.name or "not named", "end", "name" if load.name else "unnamed"),
            Word(NAME - 8, y + 33, _amps(load), "end"),
        ]
        grid.append(Line(NAME, y + 20, time.end, y + 20, "grid"))
        for run in load.last:
            if run.end_s > time.low:
                x = time.at(run.start_s)
                runs.append(
                    Box(x, y + 8, max(1.5, time.at(run.end_s) - x), 24, "run" if load.name else "run unknown")
                )
        bars.append(Box(size.start, y + 8, max(1.0, size.at(load.ah_day) - size.start), 24, "bar"))
        words.append(Word(size.at(load.ah_day) + 6, y + 25, f"{load.ah_day:.1f}", "start", "name"))
    if message.idle is not None:
        y = TOP + each * len(rows)
        words += [
            Word(NAME - 8, y + 18, "idle draw", "end", "name"),
            Word(NAME - 8, y + 33, f"{message.idle.amps:.2f} A", "end"),
        ]
        runs.append(Box(time.start, y + 17, time.end - time.start, 6, "run idle"))
        bars.append(
            Box(size.start, y + 8, max(1.0, size.at(message.idle.ah_day) - size.start), 24, "bar idle")
        )
        words.append(
            Word(size.at(message.idle.ah_day) + 6, y + 25, f"{message.idle.ah_day:.1f}", "start", "name")
        )
    said = (
        (
            f"{len(message.message)} devices seen, {len(message.unknown)} steps without a name; the most by "
            f"{rows[0].name or 'one not named'}, {rows[0].ah_day:.1f} Ah a day."
        )
        if rows
        else "No load was seen to switch."
    )
    return UsesDrawing(width, height, runs, bars, grid, words, said)


def _amps(load: LoadTold) -> str:
    listed = "" if math.isnan(load.listed_a) else f", listed {load.listed_a:.1f}"
    return f"{load.amps:.1f} A{listed}"
