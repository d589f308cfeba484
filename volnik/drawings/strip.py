"""The paper strip: a lane a pen, one time axis, resets and gaps marked on the paper."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.columns import column
from volnik.core.count.epochs import EVENT_KINDS
from volnik.core.units import System, fahrenheit
from volnik.core.watch.strip import ChartMark, ChartWindow, PenTrace
from volnik.drawings.dates import day_label, has_years
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM, APART = 46.0, 78.0, 32.0, 26.0, 22.0
STEPS_S = (
    60,
    300,
    900,
    1800,
    3600,
    3 * 3600,
    6 * 3600,
    12 * 3600,
    86400,
    2 * 86400,
    7 * 86400,
    14 * 86400,
    30 * 86400,
    91 * 86400,
)
ENTRY_WORDS = {
    **{key: kind.words for key, kind in EVENT_KINDS.items() if key != "gap"},
    "numbers": "numbers",
    "set": "count set",
    "supply_lost": "supply lost",
    "begun": "since here",
    "block_swapped": "battery swapped",
}


def pen_words(pen: str) -> tuple[str, str, float]:
    """What a pen is called, its unit, and the least its lane reaches.

    Args:
        pen: a column of readings, or "charge".
    """
    found = column(pen)
    if found is None:
        return ("charge", "%", 10.0)
    return (found.words, found.of.unit, found.of.reach)


@dataclass(frozen=True, slots=True)
class Lane:
    """One pen's lane: its path, scale, words, and where its extremes stand."""

    pen: str
    name: str
    unit: str
    path: str
    scale: Scale
    grid: list[Line]
    words: list[Word]
    extremes: list[Word]
    band: str = ""


@dataclass(frozen=True, slots=True)
class Chart:
    """The strip as lanes, a time axis and marks."""

    width: float
    height: float
    start_s: float
    end_s: float
    time: Scale
    lanes: list[Lane]
    hours: list[Line]
    hour_words: list[Word]
    gaps: list[Box]
    resets: list[Line]
    entries: list[Line]
    entry_words: list[Word]
    message: str

    @property
    def foot(self) -> float:
        """Where the paper ends and the hours are written."""
        return self.height - BOTTOM


def draw_strip(window: ChartWindow, *, width: float, height: float, zone: str, system: System) -> Chart:
    """Draw a window of the log on paper of a given size."""
    time = Scale(window.start_s, window.end_s, LEFT, width - RIGHT)
    count = max(1, len(window.pens))
    lane_height = (height - TOP - BOTTOM - APART * (count - 1)) / count
    breaks = [mark for mark in window.marks if mark.kind == "gap"]
    lanes = [
        _lane(
            pen, time, TOP + at * (lane_height + APART), lane_height, breaks, system=system, band=window.band
        )
        for at, pen in enumerate(window.pens)
    ]
    foot = height - BOTTOM
    hours, hour_words = _axis(window, time, foot, ZoneInfo(zone))
    gaps = [
        Box(
            time.at(mark.start_s),
            TOP,
            max(1.5, time.at(mark.end_s) - time.at(mark.start_s)),
            foot - TOP,
            "gap",
        )
        for mark in breaks
    ]
    full = [time.at(mark.start_s) for mark in window.marks if mark.kind == "reset"]
    resets = [Line(x, TOP - 6, x, foot, "reset") for x in full]
    named = [(time.at(mark.start_s), mark.kind) for mark in window.marks if mark.kind in ENTRY_WORDS]
    entries = [Line(x, TOP, x, foot, "entry") for x, _ in named]
    entry_words = [Word(x, TOP - 4, ENTRY_WORDS[kind], "middle", "entry") for x, kind in named]
    message = (
        f"Strip from {_moment(window.start_s, zone)} to {_moment(window.end_s, zone)}: "
        f"{', '.join(lane.name for lane in lanes)}; {len(resets)} full resets, {len(gaps)} gaps."
    )
    return Chart(
        width,
        height,
        window.start_s,
        window.end_s,
        time,
        lanes,
        hours,
        hour_words,
        gaps,
        resets,
        entries,
        entry_words,
        message,
    )


def _moment(seconds: float, zone: str) -> str:
    return datetime.fromtimestamp(seconds, ZoneInfo(zone)).strftime("%-d %b %Y %H:%M")


def _lane(
    pen: PenTrace,
    time: Scale,
    top: float,
    height: float,
    breaks: list[ChartMark],
    *,
    system: System,
    band: PenTrace | None = None,
) -> Lane:
    name, unit, _ = pen_words(pen.pen)
    low, high = pen.low, pen.high
    if unit == "°C" and system == "us":
        low, high, unit = np.asarray(fahrenheit(low)), np.asarray(fahrenheit(high)), "°F"  # type: ignore[arg-type]
    bounds = _bounds(pen.pen, low, high)
    scale = Scale(*bounds, top + height, top)
    steps = round_steps(*bounds, max(2, int(height / 34))) if unit else [0.0, 1.0]
    named = {0.0: "off", 1.0: "on"} if not unit else {}
    words = [Word(LEFT - 6, scale.at(step) + 4, named.get(step, f"{step:g}"), "end") for step in steps]
    words.append(Word(4, top - 7, f"{name}, {unit}" if unit else name, "start", "name"))
    around = _around(band, time, scale) if band is not None and pen.pen == "charge" else ""
    return Lane(
        pen.pen,
        name,
        unit,
        _path(pen.time_s, low, high, time, scale, breaks=breaks),
        scale,
        [_grid_line(pen.pen, step, time, scale) for step in steps],
        words,
        _extremes(pen, unit, time, scale),
        around,
    )


def _bounds(pen: str, low: Floats, high: Floats) -> tuple[float, float]:
    """From where to where a lane reaches: what was read with a margin, at least the pen's usual reach."""
    least_reach = pen_words(pen)[2]
    if pen == "charge":
        return 0.0, 100.0
    if not len(low) or not pen_words(pen)[1]:
        return 0.0, least_reach
    bottom, peak = float(low.min()), float(high.max())
    pad = max(0.04 * (peak - bottom), (least_reach - (peak - bottom)) / 2, 0.0)
    if pen_words(pen)[1] == "A":  # zero is always in sight
        return min(bottom - pad, -least_reach / 4), max(peak + pad, least_reach / 4)
    return bottom - pad, peak + pad


def _grid_line(pen: str, step: float, time: Scale, scale: Scale) -> Line:
    kind = "zero" if step == 0 and pen_words(pen)[1] == "A" else "grid"
    return Line(time.start, scale.at(step), time.end, scale.at(step), kind)


def _extremes(pen: PenTrace, unit: str, time: Scale, scale: Scale) -> list[Word]:
    """The highest and lowest values, written where they are; of charge the lowest alone."""
    if not unit or not (pen.lowest and pen.highest):
        return []
    top, bottom = min(scale.start, scale.end), max(scale.start, scale.end)
    shown = [(pen.lowest, 13.0)] if pen.pen == "charge" else [(pen.highest, -5.0), (pen.lowest, 13.0)]
    found = []
    for (at, given), lift in shown:
        value = fahrenheit(given) if unit == "°F" else given
        x, y = time.at(at), scale.at(value)
        anchor = "start" if x < LEFT + 30 else "end" if x > time.end - 30 else "middle"
        found.append(Word(x, min(bottom - 2, max(top + 11, y + lift)), f"{value:.4g}", anchor, "extreme"))
    return found


def _around(band: PenTrace, time: Scale, scale: Scale) -> str:
    """The band as one closed path: along its upper edge and back along the lower."""
    if len(band.time_s) < 2:
        return ""
    x = [time.at(at) for at in band.time_s]
    up = [f"{a:g} {scale.at(v):g}" for a, v in zip(x, band.high, strict=True)]
    down = [f"{a:g} {scale.at(v):g}" for a, v in zip(x, band.low, strict=True)]
    return "M" + "L".join([*up, *down[::-1]]) + "Z"


def _path(
    time_s: np.ndarray,
    low: np.ndarray,
    high: np.ndarray,
    time: Scale,
    scale: Scale,
    *,
    breaks: list[ChartMark],
) -> str:
    """Up one edge of each column and down to the next, so that no spike is lost; lifted over gaps."""
    if not len(time_s):
        return ""
    reach = time.high - time.low
    x = np.round(time.start + (time_s - time.low) / reach * (time.end - time.start), 1)
    span = scale.high - scale.low

    def place(values: np.ndarray) -> np.ndarray:
        return np.asarray(
            np.round(scale.start + np.clip((values - scale.low) / span, 0, 1) * (scale.end - scale.start), 1)
        )

    top, bottom = place(high), place(low)
    lifted = np.zeros(len(x), dtype=bool)
    lifted[0] = True
    for gap in breaks:
        after = int(np.searchsorted(time_s, gap.end_s - 1e-3))
        if after < len(x):
            lifted[after] = True
    parts = []
    for at in range(len(x)):
        parts.append(f"{'M' if lifted[at] else 'L'}{x[at]:g} {bottom[at]:g}")
        if top[at] != bottom[at]:
            parts.append(f"V{top[at]:g}")
    return "".join(parts)


def _axis(window: ChartWindow, time: Scale, foot: float, zone: ZoneInfo) -> tuple[list[Line], list[Word]]:
    reach = window.end_s - window.start_s
    years = has_years(window.start_s, window.end_s, str(zone))
    room = max(2, int((time.end - time.start) / (96 if years else 82)))
    step = next((step for step in STEPS_S if reach / step <= room), 365 * 86400)
    local = datetime.fromtimestamp(window.start_s, zone).replace(minute=0, second=0, microsecond=0)
    if step >= 86400:
        local = local.replace(hour=0)
    elif step >= 3600:
        local = local.replace(hour=local.hour - local.hour % (step // 3600))
    lines, words = [], []
    while (at := local.timestamp()) <= window.end_s:
        if at >= window.start_s:
            x = time.at(at)
            midnight = local.hour == 0 and local.minute == 0
            lines.append(Line(x, TOP, x, foot, "midnight" if midnight else "hour"))
            dated = step >= 86400 or midnight or not lines[:-1]
            text = day_label(local, year=years) if dated else local.strftime("%H:%M")
            if LEFT + 10 < x < time.end - 4:
                words.append(Word(x, foot + 17, text, "middle", "day" if midnight else ""))
        local = (local.replace(tzinfo=None) + timedelta(seconds=step)).replace(tzinfo=zone)
    return lines, words
