"""Who used the charge: devices as rows, each run of the last days on a line of time, its Ah a day as a bar
beside.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from volnik.core.watch.loads import LoadsTold, LoadTold
from volnik.drawings.scale import NARROW_W, WIDE_W, Box, Line, Scale, Word

RIGHT, TOP, BOTTOM = 10.0, 24.0, 24.0
SHOWN_S = 2.0 * 86400.0


@dataclass(frozen=True, slots=True)
class _Layout:
    """Where things of a row stand: height of a row, where its time begins, room of its bar, place of its name
    and of its amps beneath or beside, top of what is drawn, hours between two lines of time.
    """

    each: float
    start: float
    bar: float
    name: tuple[float, float, str]
    amps: tuple[float, float, str]
    lane: float
    hours: int


def _layout(width: float) -> _Layout:
    """On a laptop the name stands before its row, on a phone above it."""
    if width < NARROW_W:
        return _Layout(62.0, 4.0, 96.0, (4.0, 16.0, "start"), (width - RIGHT, 16.0, "end"), 24.0, 12)
    return _Layout(44.0, 150.0, 190.0, (142.0, 18.0, "end"), (142.0, 33.0, "end"), 8.0, 6)


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


def draw_uses(loads: LoadsTold, *, end_s: float, zone: str, width: float = WIDE_W) -> UsesDrawing:
    """Draw the loads seen, the unknown ones last, the idle draw beneath."""
    rows = [*loads.named, *loads.unknown][:9]
    idle = loads.idle
    lay = _layout(width)
    height = TOP + BOTTOM + lay.each * (len(rows) + (idle is not None))
    time = Scale(end_s - SHOWN_S, end_s, lay.start, width - lay.bar - RIGHT)
    most = max([1.0, *(load.ah_day for load in rows), *([] if idle is None else [idle.ah_day])])
    size = Scale(0.0, most, width - lay.bar + 8.0, width - RIGHT - 52.0)
    grid, words = _hours(time, height, zone, lay.hours)
    words += [
        Word(time.start, TOP - 9, "when it ran, the last two days", "start", "name"),
        Word(width - lay.bar + 8.0, TOP - 9, "Ah a day", "start", "name"),
    ]
    runs, bars = [], []
    for at, load in enumerate(rows):
        y = TOP + lay.each * at
        words += _named(load.name or "not named", _amps(load), y, lay, "name" if load.name else "unnamed")
        grid.append(Line(time.start, y + lay.lane + 12, time.end, y + lay.lane + 12, "grid"))
        runs += _runs(load, time, y + lay.lane)
        bar, word = _size_bar(size, load.ah_day, y + lay.lane, "bar")
        bars.append(bar)
        words.append(word)
    if idle is not None:
        y = TOP + lay.each * len(rows)
        words += _named("idle draw", f"{idle.amps:.2f} A", y, lay, "name")
        runs.append(Box(time.start, y + lay.lane + 9, time.end - time.start, 6, "run idle"))
        bar, word = _size_bar(size, idle.ah_day, y + lay.lane, "bar idle")
        bars.append(bar)
        words.append(word)
    return UsesDrawing(width, height, runs, bars, grid, words, _sentence(loads, rows))


def _named(name: str, amps: str, y: float, lay: _Layout, kind: str) -> list[Word]:
    """A row's name and its amps."""
    (x, dy, anchor), (amps_x, amps_dy, amps_anchor) = lay.name, lay.amps
    return [Word(x, y + dy, name, anchor, kind), Word(amps_x, y + amps_dy, amps, amps_anchor)]


def _hours(time: Scale, height: float, zone: str, every: int) -> tuple[list[Line], list[Word]]:
    """A line every so many hours of the rig's own clock, days named at midnight."""
    lines, words = [], []
    local = datetime.fromtimestamp(time.low, ZoneInfo(zone)).replace(minute=0, second=0, microsecond=0)
    local = local.replace(hour=local.hour - local.hour % every) + timedelta(hours=every)
    while local.timestamp() < time.high:
        x = time.at(local.timestamp())
        midnight = local.hour == 0
        lines.append(Line(x, TOP - 4, x, height - BOTTOM, "midnight" if midnight else "hour"))
        text = local.strftime("%-d %b" if midnight else "%H:%M")
        words.append(Word(x, height - 7, text, "middle", "day" if midnight else ""))
        local += timedelta(hours=every)
    return lines, words


def _runs(load: LoadTold, time: Scale, y: float) -> list[Box]:
    """When a load ran, as far as it is shown."""
    kind = "run" if load.name else "run unknown"
    return [
        Box(x, y, max(1.5, time.at(run.end_s) - x), 24, kind)
        for run in load.last
        if run.end_s > time.low and (x := time.at(run.start_s)) is not None
    ]


def _size_bar(size: Scale, ah_day: float, y: float, kind: str) -> tuple[Box, Word]:
    """What a load takes in a day, as a bar and in figures."""
    bar = Box(size.start, y, max(1.0, size.at(ah_day) - size.start), 24, kind)
    return bar, Word(size.at(ah_day) + 6, y + 17, f"{ah_day:.1f}", "start", "name")


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
