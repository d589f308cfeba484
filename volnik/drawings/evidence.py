"""The evidence of a check-up on the log.

Volts above, amps below, where it shows shaded, unseen charge hatched.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Mark
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.unseen import Unseen
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM = 46.0, 12.0, 22.0, 24.0
COLUMNS = 900


@dataclass(frozen=True, slots=True)
class EvidenceDrawing:
    """Two lanes as paths, the scales' words, shaded marks, the hatched unseen charge as points of a polygon,
    or "", and its words.
    """

    width: float
    height: float
    volts: str
    amps: str
    unseen: str
    reference_log: str
    full: list[Box]
    marks: list[Box]
    mark_words: list[Word]
    grid: list[Line]
    words: list[Word]
    cuts: list[Line]
    message: str


def draw_evidence(
    facts: Facts,
    marks: tuple[Mark, ...],
    unseen: Unseen | None,
    *,
    zone: str,
    start_s: float,
    end_s: float,
    cuts: tuple[float, ...] = (),
    reference_log: tuple[str, Floats, Floats] | None = None,
    width: float = 820.0,
    height: float = 430.0,
) -> EvidenceDrawing:
    """Draw what a cause rests on between two instants [s].

    Args:
        cuts: instants at which wiring was mended.
        beside: a charger's own log: name, instants, amps.
    """
    time = Scale(start_s, end_s, LEFT, width - RIGHT)
    middle = TOP + 0.47 * (height - TOP - BOTTOM)
    log = facts.readings
    inside = slice(int(np.searchsorted(log.time_s, start_s)), int(np.searchsorted(log.time_s, end_s)))
    at, v_low, v_high = _columns(log.time_s[inside], log.volts[inside], start_s, end_s)
    _, a_low, a_high = _columns(log.time_s[inside], log.amps[inside], start_s, end_s)
    most = float(max(a_high.max(initial=1.0), 1.0))
    hidden = _bins(unseen, start_s, end_s)
    if len(hidden[0]):
        most = max(most, float(hidden[1].max()))
    low_v, high_v = (float(v_low.min()), float(v_high.max())) if len(v_low) else (12.0, 14.0)
    volts = Scale(low_v - 0.1, high_v + 0.1, middle - 12, TOP)
    amps = Scale(float(min(a_low.min(initial=-1.0), -1.0)) * 1.05, most * 1.05, height - BOTTOM, middle + 18)
    grid, words = (
        [],
        [Word(4, TOP - 8, "volts, V", "start", "name"), Word(4, middle + 8, "amps, A", "start", "name")],
    )
    for scale in (volts, amps):
        for step in round_steps(scale.low, scale.high, 5):
            grid.append(
                Line(time.start, scale.at(step), time.end, scale.at(step), "zero" if step == 0 else "grid")
            )
            words.append(Word(LEFT - 6, scale.at(step) + 4, f"{step:g}", "end"))
    days, day_words = _days(time, height, zone)
    shown = [mark for mark in marks if mark.end_s >= start_s and mark.start_s <= end_s]
    boxes = [
        Box(
            time.at(mark.start_s),
            TOP - 4,
            max(4.0, time.at(mark.end_s) - time.at(mark.start_s)),
            height - TOP - BOTTOM + 8,
            "mark",
        )
        for mark in shown
    ]
    full = [
        Box(time.at(full.start_s), TOP - 6, max(2.0, time.at(full.end_s) - time.at(full.start_s)), 5, "full")
        for full in facts.fulls
        if full.end_s >= start_s and full.start_s <= end_s
    ]
    mark_words = []
    if boxes:
        x = min(max(boxes[0].x, LEFT + 90), width - 120)
        mark_words.append(Word(x, TOP + 8, shown[0].word, "middle", "mark"))
    message = f"Volts and amps from {_day(start_s, zone)} to {_day(end_s, zone)}"
    message += f"; {len(shown)} places show it: {shown[0].word}." if shown else "."
    if unseen is not None:
        message += f" Hatched: about {unseen.ah_day:.0f} Ah a day that came in unseen, estimated."
    line = ""
    if reference_log is not None:
        _, b_time_s, b_amps = reference_log
        within = (b_time_s >= start_s) & (b_time_s <= end_s)
        b_at, _, b_high = _columns(b_time_s[within], b_amps[within], start_s, end_s)
        line = _trace(b_at, b_high, b_high, time, amps)
    return EvidenceDrawing(
        width,
        height,
        _trace(at, v_low, v_high, time, volts),
        _trace(at, a_low, a_high, time, amps),
        _area(*hidden, time, amps),
        line,
        full,
        boxes,
        mark_words,
        [*grid, *days],
        [*words, *day_words],
        [
            Line(time.at(cut), TOP - 4, time.at(cut), height - BOTTOM, "cut")
            for cut in cuts
            if start_s < cut < end_s
        ],
        message,
    )


def _columns(time_s: Floats, values: Floats, start_s: float, end_s: float) -> tuple[Floats, Floats, Floats]:
    if not len(time_s):
        return np.empty(0), np.empty(0), np.empty(0)
    width = max(1e-9, (end_s - start_s) / COLUMNS)
    place = np.floor((time_s - start_s) / width)
    starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
    return (
        start_s + (place[starts] + 0.5) * width,
        np.minimum.reduceat(values, starts),
        np.maximum.reduceat(values, starts),
    )


def _trace(at: Floats, low: Floats, high: Floats, time: Scale, scale: Scale) -> str:
    parts = []
    last = -math.inf
    apart = 6.0 * (time.high - time.low) / COLUMNS
    for when, a, b in zip(at.tolist(), low.tolist(), high.tolist(), strict=True):
        parts.append(
            f"{'M' if when - last > apart else 'L'}{time.at(when):g} {scale.at(a):g}"
            + (f"V{scale.at(b):g}" if b != a else "")
        )
        last = when
    return "".join(parts)


def _bins(unseen: Unseen | None, start_s: float, end_s: float) -> tuple[Floats, Floats]:
    if unseen is None:
        return np.empty(0), np.empty(0)
    chosen = (unseen.start_s >= start_s) & (unseen.start_s <= end_s)
    step = max(1, int(chosen.sum() / COLUMNS) + 1)
    at, amps = unseen.start_s[chosen], unseen.amps[chosen]
    count = len(at) // step * step
    return at[:count:step], amps[:count].reshape(-1, step).mean(axis=1)


def _area(at: Floats, amps: Floats, time: Scale, scale: Scale) -> str:
    if not len(at) or float(amps.max()) <= 0.0:
        return ""
    base = scale.at(0.0)
    points = [
        f"{time.at(when):g},{scale.at(value):g}"
        for when, value in zip(at.tolist(), amps.tolist(), strict=True)
    ]
    return " ".join([f"{time.at(float(at[0])):g},{base:g}", *points, f"{time.at(float(at[-1])):g},{base:g}"])


def _day(at_s: float, zone: str) -> str:
    return datetime.fromtimestamp(at_s, ZoneInfo(zone)).strftime("%-d %b")


def _days(time: Scale, height: float, zone: str) -> tuple[list[Line], list[Word]]:
    tz = ZoneInfo(zone)
    local = datetime.fromtimestamp(time.low, tz).replace(
        hour=0, minute=0, second=0, microsecond=0
    ) + timedelta(days=1)
    count = max(1.0, (time.high - time.low) / 86400.0)
    every = max(1, math.ceil(count / 10.0))
    lines, words = [], []
    while local.timestamp() < time.high:
        x = time.at(local.timestamp())
        lines.append(Line(x, TOP, x, height - BOTTOM, "midnight"))
        if LEFT + 12 < x < time.end - 14:
            words.append(Word(x, height - 8, local.strftime("%-d %b"), "middle", "day"))
        local += timedelta(days=every)
    return lines, words
