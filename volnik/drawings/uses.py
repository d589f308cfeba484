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


def draw_uses(loads: LoadsTold, *, end_s: float, zone: str, width: float = 820.0) -> UsesDrawing:
    """Draw the loads seen, the unknown ones last, the idle draw beneath."""
    rows = [*loads.named, *loads.unknown][:9]
    idle = loads.idle
    height = TOP + BOTTOM + EACH * (len(rows) + (idle is not None))
    time = Scale(end_s - SHOWN_S, end_s, NAME, width - BAR - RIGHT)
    most = max([1.0, *(load.ah_day for load in rows), *([] if idle is None else [idle.ah_day])])
    size = Scale(0.0, most, width - BAR + 8.0, width - RIGHT - 62.0)
    grid, words = _hours(time, height, zone)
    words += [
        Word(time.start, TOP - 9, "when it ran, the last two days", "start", "name"),
        Word(width - BAR + 8.0, TOP - 9, "Ah a day", "start", "name"),
    ]
    runs, bars = [], []
    for at, load in enumerate(rows):
        y = TOP + EACH * at
        words += [
            Word(NAME - 8, y + 18, load.name or "not named", "end", "name" if load.name else "unnamed"),
            Word(NAME - 8, y + 33, _amps(load), "end"),
        ]
        grid.append(Line(NAME, y + 20, time.end, y + 20, "grid"))
        runs += _runs(load, time, y)
        bar, word = _size_bar(size, load.ah_day, y, "bar")
        bars.append(bar)
        words.append(word)
    if idle is not None:
        y = TOP + EACH * len(rows)
        words += [
            Word(NAME - 8, y + 18, "idle draw", "end", "name"),
            Word(NAME - 8, y + 33, f"{idle.amps:.2f} A", "end"),
        ]
        runs.append(Box(time.start, y + 17, time.end - time.start, 6, "run idle"))
        bar, word = _size_bar(size, idle.ah_day, y, "bar idle")
        bars.append(bar)
        words.append(word)
    return UsesDrawing(width, height, runs, bars, grid, words, _sentence(loads, rows))


EACH = 44.0  # height of a row


def _hours(time: Scale, height: float, zone: str) -> tuple[list[Line], list[Word]]:
    """A line every six hours of the rig's own clock, days named at midnight."""
    lines, words = [], []
    local = datetime.fromtimestamp(time.low, ZoneInfo(zone)).replace(minute=0, second=0, microsecond=0)
    local = local.replace(hour=local.hour - local.hour % 6) + timedelta(hours=6)
    while local.timestamp() < time.high:
        x = time.at(local.timestamp())
        midnight = local.hour == 0
        lines.append(Line(x, TOP - 4, x, height - BOTTOM, "midnight" if midnight else "hour"))
        text = local.strftime("%-d %b" if midnight else "%H:%M")
        words.append(Word(x, height - 7, text, "middle", "day" if midnight else ""))
        local += timedelta(hours=6)
    return lines, words


def _runs(load: LoadTold, time: Scale, y: float) -> list[Box]:
    """When a load ran, as far as it is shown."""
    kind = "run" if load.name else "run unknown"
    return [
        Box(x, y + 8, max(1.5, time.at(run.end_s) - x), 24, kind)
        for run in load.last
        if run.end_s > time.low and (x := time.at(run.start_s)) is not None
    ]


def _size_bar(size: Scale, ah_day: float, y: float, kind: str) -> tuple[Box, Word]:
    """What a load takes in a day, as a bar and in figures."""
    bar = Box(size.start, y + 8, max(1.0, size.at(ah_day) - size.start), 24, kind)
    return bar, Word(size.at(ah_day) + 6, y + 25, f"{ah_day:.1f}", "start", "name")


def _sentence(loads: LoadsTold, rows: list[LoadTold]) -> str:
    if not rows:
        return "No load was seen to switch."
    return (
        f"{len(loads.named)} devices seen, {len(loads.unknown)} steps without a name; the most by "
        f"{rows[0].name or 'one not named'}, {rows[0].ah_day:.1f} Ah a day."
    )


def _amps(load: LoadTold) -> str:
    if load.many:
        low, high = load.spread_a
        return f"{low:.0f} to {high:.0f} A, at most {load.listed_a:.0f}"
    listed = "" if math.isnan(load.listed_a) else f", listed {load.listed_a:.1f}"
    return f"{load.amps:.1f} A{listed}"
