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
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import WIDE_W, Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM = 46.0, 12.0, 22.0, 24.0
COLUMNS = 900
ROOM, DATED_ROOM = 74.0, 108.0  # of a day that is named, without and with its year


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
    width: float = WIDE_W,
    height: float = 430.0,
) -> EvidenceDrawing:
    """Draw what a cause rests on between two instants [s].

    Args:
        cuts: instants at which wiring was mended.
        reference_log: a charger's own log: name, instants, amps.
    """
    time = Scale(start_s, end_s, LEFT, width - RIGHT)
    middle = TOP + 0.47 * (height - TOP - BOTTOM)
    log = facts.readings
    inside = slice(int(np.searchsorted(log.time_s, start_s)), int(np.searchsorted(log.time_s, end_s)))
    at, v_low, v_high = _columns(log.time_s[inside], log.volts[inside], start_s, end_s)
    _, a_low, a_high = _columns(log.time_s[inside], log.amps[inside], start_s, end_s)
    hidden = _bins(unseen, start_s, end_s)
    most = float(max(a_high.max(initial=1.0), hidden[1].max(initial=1.0)))
    low_v, high_v = (float(v_low.min()), float(v_high.max())) if len(v_low) else (12.0, 14.0)
    volts = Scale(low_v - 0.1, high_v + 0.1, middle - 12, TOP)
    amps = Scale(float(min(a_low.min(initial=-1.0), -1.0)) * 1.05, most * 1.05, height - BOTTOM, middle + 18)
    grid, words = _grid(time, volts, amps)
    days, day_words = _days(time, height, zone)
    shown = [mark for mark in marks if mark.end_s >= start_s and mark.start_s <= end_s]
    boxes = [
        _box(time, mark.start_s, mark.end_s, (TOP - 4, height - TOP - BOTTOM + 8, 4.0), "mark")
        for mark in shown
    ]
    shape = (TOP - 6, 5.0, 2.0)
    fulls = [full for full in facts.fulls if full.end_s >= start_s and full.start_s <= end_s]
    line = "" if reference_log is None else _reference(reference_log, start_s, end_s, (time, amps))
    message = f"Volts and amps from {_day(start_s, zone)} to {_day(end_s, zone)}"
    return EvidenceDrawing(
        width,
        height,
        _trace(at, v_low, v_high, time, volts),
        _trace(at, a_low, a_high, time, amps),
        _area(*hidden, time, amps),
        line,
        [_box(time, full.start_s, full.end_s, shape, "full") for full in fulls],
        boxes,
        [_mark_word(boxes[0].x, shown[0], width)] if boxes else [],
        [*grid, *days],
        [*words, *day_words],
        _cut_lines(cuts, time, height - BOTTOM),
        message + _shown_words(shown, unseen),
    )


def _cut_lines(cuts: tuple[float, ...], time: Scale, foot: float) -> list[Line]:
    """A line down the paper at each instant the wiring was mended."""
    places = [time.at(cut) for cut in cuts if time.low < cut < time.high]
    return [Line(x, TOP - 4, x, foot, "cut") for x in places]


def _mark_word(x: float, mark: Mark, width: float) -> Word:
    """What the marked places show, written at the first of them, clear of the edges."""
    return Word(min(max(x, LEFT + 90), width - 120), TOP + 8, mark.word, "middle", "mark")


def _shown_words(shown: list[Mark], unseen: Unseen | None) -> str:
    """How often the cause shows, and what the hatched bars are."""
    said = f"; {len(shown)} places show it: {shown[0].word}." if shown else "."
    if unseen is not None:
        said += f" Hatched: about {unseen.ah_day:.0f} Ah a day that came in unseen, estimated."
    return said


def _grid(time: Scale, volts: Scale, amps: Scale) -> tuple[list[Line], list[Word]]:
    """Lines across the paper at round volts and amps, with their words."""
    lines = []
    words = [
        Word(4, volts.end - 8, "volts, V", "start", "name"),
        Word(4, amps.end - 10, "amps, A", "start", "name"),
    ]
    for scale in (volts, amps):
        for step in round_steps(scale.low, scale.high, 5):
            kind = "zero" if step == 0 else "grid"
            lines.append(Line(time.start, scale.at(step), time.end, scale.at(step), kind))
            words.append(Word(LEFT - 6, scale.at(step) + 4, f"{step:g}", "end"))
    return lines, words


def _box(time: Scale, start_s: float, end_s: float, shape: tuple[float, float, float], kind: str) -> Box:
    """A box over a span of time; `shape` is its top, height and least width."""
    top, height, least = shape
    return Box(time.at(start_s), top, max(least, time.at(end_s) - time.at(start_s)), height, kind)


def _reference(
    log: tuple[str, Floats, Floats], start_s: float, end_s: float, scales: tuple[Scale, Scale]
) -> str:
    """The line of a charger's own log between two instants, on scales of time and amps."""
    _, time_s, amps = log
    within = (time_s >= start_s) & (time_s <= end_s)
    at, _, high = _columns(time_s[within], amps[within], start_s, end_s)
    return _trace(at, high, high, *scales)


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
    return day_label(local_of(at_s, zone), year=False)


def _days(time: Scale, height: float, zone: str) -> tuple[list[Line], list[Word]]:
    tz = ZoneInfo(zone)
    local = datetime.fromtimestamp(time.low, tz).replace(
        hour=0, minute=0, second=0, microsecond=0
    ) + timedelta(days=1)
    count = max(1.0, (time.high - time.low) / 86400.0)
    years = has_years(time.low, time.high, zone)
    every = max(1, math.ceil(count * (DATED_ROOM if years else ROOM) / (time.end - time.start)))
    lines, words = [], []
    while local.timestamp() < time.high:
        x = time.at(local.timestamp())
        lines.append(Line(x, TOP, x, height - BOTTOM, "midnight"))
        if LEFT + 12 < x < time.end - 14:
            words.append(Word(x, height - 8, day_label(local, year=years), "middle", "day"))
        local += timedelta(days=every)
    return lines, words
