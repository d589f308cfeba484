"""The forecast as a fan: nine cases of ten, the likeliest, the reserve; a what-if laid over it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers
from volnik.core.watch.forecast import Ahead
from volnik.drawings.scale import WIDE_W, Box, Line, Scale, Word

LEFT, RIGHT, TOP, BOTTOM = 44.0, 16.0, 16.0, 40.0
ROOM = 80.0  # of a day, in which it is named whole
HARDLY = 0.1  # of the weeks drawn: below it the reserve is told as hardly reached


@dataclass(frozen=True, slots=True)
class FanDrawing:
    """Closed paths of the spread and lines of the middle, as things are and as asked; nights shaded.

    The reserve; mornings named.
    """

    width: float
    height: float
    spread: str
    middle: str
    asked_spread: str
    asked_middle: str
    nights: list[Box]
    reserve: Box
    grid: list[Line]
    words: list[Word]
    marks: list[Word]
    message: str


def draw_fan(
    plain: Ahead,
    changed: Ahead | None,
    *,
    now_s: float,
    soc: float,
    reserve_pct: float,
    zone: str,
    days: float,
    width: float = WIDE_W,
    height: float = 400.0,
) -> FanDrawing:
    """Draw the days to come."""
    end_s = now_s + days * 86400.0
    time = Scale(now_s, end_s, LEFT, width - RIGHT)
    level = Scale(0.0, 100.0, height - BOTTOM, TOP)
    tz = ZoneInfo(zone)
    words, grid = [], []
    for step in (0, 25, 50, 75, 100):
        grid.append(Line(LEFT, level.at(step), width - RIGHT, level.at(step), "grid"))
        words.append(Word(LEFT - 6, level.at(step) + 4, f"{step}", "end"))
    words.append(Word(4, TOP - 4, "charge, %", "start", "name"))
    nights, day_words = _days(time, tz, height)
    words += day_words
    foot = height - 6
    o_clock = "07:00 " if (width - LEFT - RIGHT) / days >= ROOM else ""
    marks = [
        Word(time.at(at), foot, f"{o_clock}{100 * middle:.0f} %", "middle", "bad" if share < 0.5 else "")
        for at, share, middle in plain.by_morning
        if at <= end_s
    ]
    spread = _closed(plain.time_s, plain.low, plain.high, time, level, soc=soc)
    message = f"Charge over {days:.0f} days as the rig's own days have it: {100 * soc:.0f} % now"
    message += (
        "".join(
            f", {100 * middle:.0f} % on {datetime.fromtimestamp(at, tz).strftime('%a')} morning"
            for at, _, middle in plain.by_morning[:3]
        )
        + "."
    )
    return FanDrawing(
        width,
        height,
        spread,
        _line(plain.time_s, plain.middle, time, level, soc),
        "" if changed is None else _closed(changed.time_s, changed.low, changed.high, time, level, soc=soc),
        "" if changed is None else _line(changed.time_s, changed.middle, time, level, soc),
        nights,
        Box(
            LEFT,
            level.at(reserve_pct),
            width - LEFT - RIGHT,
            level.at(0.0) - level.at(reserve_pct),
            "reserve",
        ),
        grid,
        words,
        marks,
        message,
    )


def _days(time: Scale, tz: ZoneInfo, height: float) -> tuple[list[Box], list[Word]]:
    """The nights, and each day named at its noon."""
    nights, words = [], []
    local = datetime.fromtimestamp(time.low, tz).replace(hour=0, minute=0, second=0, microsecond=0)
    whole = 86400.0 * (time.end - time.start) / (time.high - time.low) >= ROOM
    while local.timestamp() < time.high:
        dusk, dawn = local.replace(hour=21), local.replace(hour=7) + timedelta(days=1)
        begin_s, end_s = max(dusk.timestamp(), time.low), min(dawn.timestamp(), time.high)
        if end_s > begin_s:
            x = time.at(begin_s)
            nights.append(Box(x, TOP, time.at(end_s) - x, height - TOP - BOTTOM, "night"))
        noon_s = local.replace(hour=12).timestamp()
        if time.low < noon_s < time.high:
            words.append(
                Word(
                    time.at(noon_s),
                    height - 22,
                    local.strftime("%a %-d %b" if whole else "%a"),
                    "middle",
                    "day",
                )
            )
        local += timedelta(days=1)
    return nights, words


def _line(time_s: Floats, values: Floats, time: Scale, level: Scale, soc: float) -> str:
    points = [f"M{time.at(time.low):g} {level.at(100 * soc):g}"]
    points += [
        f"L{time.at(at):g} {level.at(100 * value):g}"
        for at, value in zip(time_s.tolist(), values.tolist(), strict=True)
        if at <= time.high
    ]
    return "".join(points)


def _closed(time_s: Floats, low: Floats, high: Floats, time: Scale, level: Scale, *, soc: float) -> str:
    kept = [
        (time.at(at), level.at(100 * a), level.at(100 * b))
        for at, a, b in zip(time_s.tolist(), low.tolist(), high.tolist(), strict=True)
        if at <= time.high
    ]
    if not kept:
        return ""
    up = "".join(f"L{x:g} {b:g}" for x, _, b in kept)
    down = "".join(f"L{x:g} {a:g}" for x, a, _ in reversed(kept))
    return f"M{time.at(time.low):g} {level.at(100 * soc):g}{up}{down}Z"


def clock(at_s: float, zone: str, now_s: float) -> str:
    """An instant to come as one says it: "07:30 today", "Sun 07:30".

    "not within these days" when it is NaN.
    """
    if math.isnan(at_s):
        return "not within these days"
    local, today = (datetime.fromtimestamp(value, ZoneInfo(zone)) for value in (at_s, now_s))
    days = (local.date() - today.date()).days
    return local.strftime("%H:%M") + (
        " today" if days == 0 else local.strftime(" on %a" if days < 7 else " on %a %-d %b")
    )


def describe_ahead(forecast: Ahead, numbers: Numbers, zone: str, now_s: float) -> str:
    """When a forecast comes to the reserve and to full, in words without a full stop."""
    first, likely, last = forecast.reserve_s
    to = f"the reserve of {numbers.reserve_pct:g} %" if numbers.reserve_pct else "empty"
    if math.isnan(first) or forecast.reserve_share < HARDLY:
        message = f"{to} is hardly reached within a week"
    elif math.isnan(likely):
        message = (
            f"{to} may be reached from {clock(first, zone, now_s)} on, in {100 * forecast.reserve_share:.0f} "
            "of 100 such weeks"
        )
    else:
        message = (
            f"{to} at about {clock(likely, zone, now_s)}, between {clock(first, zone, now_s)} and "
            f"{clock(last, zone, now_s)}"
        )
    full = forecast.full_s[1]
    if math.isnan(full):
        return f"{message}; full is not likely within a week"
    return f"{message}; full again by about {clock(full, zone, now_s)}"
