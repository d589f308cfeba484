"""How near an alarm came over a log, and the level and delay at which it would have spoken rightly.

A word of low volts is wrong while the count stands well above the reserve: then it is the sag of a load. The
others are wrong where they come more than once a week, as part of normal use. A longer delay is tried before
another level: it keeps the warning early. Source: docs/domain/alarms.md.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.numbers.alarms import KINDS, LOW_GAP_PCT, Alarm
from volnik.core.watch.alarm_engine import Incident, judge

DELAYS_S = (120.0, 300.0, 600.0, 1200.0)  # tried before another level
A_WEEK = 1.0  # words a week, from which an alarm speaks of normal use
STEPS, MARGIN = 40, 2  # levels tried; steps that the level is set beyond the first that is quiet
OF_LEVEL = {"V": 0.004, "A": 0.03, "°C": 0.02}  # of a level, one step to another
ABOVE_RESERVE = 2.0 * LOW_GAP_PCT  # points of charge over the reserve, from which low volts are a sag
TRIED = ("low_volts", "high_volts", "over_current", "over_charge", "hot")


@dataclass(frozen=True, slots=True)
class Tried:
    """What an alarm looks at over a log.

    Attributes:
        time_s: instants, shape (n,) [s].
        values: as of `alarm_engine.values_for`, shape (n,).
        soc: charge, shape (n,) [0..1], NaN while unknown.
        reserve_pct: as set [%].
        gap_s: a longer silence breaks a delay [s].
        zone: of quiet hours.
    """

    time_s: Floats
    values: Floats
    soc: Floats
    reserve_pct: float
    gap_s: float
    zone: str

    @property
    def weeks(self) -> float:
        """Length of the log, at least one week."""
        return max(1.0, float(self.time_s[-1] - self.time_s[0]) / (7.0 * 86400.0))


@dataclass(frozen=True, slots=True)
class Proposal:
    """Another level and delay: with the alarm so changed, how often it would have spoken, how often wrongly
    before.
    """

    alarm: Alarm
    wrong_before: int
    spoke: int


def nearest(alarm: Alarm, values: Floats) -> float:
    """How near a value came to the level: the lowest, or the greatest; NaN where none is known.

    Args:
        alarm: as set.
        values: what it looks at, shape (n,).
    """
    known = values[np.isfinite(values)]
    if not len(known):
        return math.nan
    return float(known.min() if KINDS[alarm.key].below else known.max())


def proposal(alarm: Alarm, tried: Tried, bound: float) -> Proposal | None:
    """The nearest level and delay at which it would not have spoken wrongly; None where it did not, or where
    there is none.

    Args:
        alarm: as set.
        tried: what it looks at over the log.
        bound: the level beyond which it would come too late, as a cut-off or a fuse.
    """
    if alarm.key not in TRIED or not len(tried.time_s):
        return None
    wrong = _wrong(alarm, tried)
    if not wrong:
        return None
    for probe, changed in _others(alarm, bound):
        if not _wrong(probe, tried):
            spoke = len(_spoken(changed, tried))
            return Proposal(changed, len(wrong), spoke)
    return None


def _others(alarm: Alarm, bound: float) -> Iterator[tuple[Alarm, Alarm]]:
    """Longer delays at its level, then further levels at five minutes, up to the bound; each with the same a
    margin nearer to the old level, at which it must be quiet already.
    """
    for delay_s in DELAYS_S:
        if delay_s > alarm.delay_s:
            longer = alarm.changed(delay_s=delay_s)
            yield longer, longer
    kind = KINDS[alarm.key]
    gap = alarm.release - alarm.level
    step = OF_LEVEL[kind.unit] * abs(alarm.level) * (-1.0 if kind.below else 1.0)
    for at in range(MARGIN, STEPS + 1):
        level = round(alarm.level + at * step, 2 if kind.unit == "V" else 0)
        if (level <= bound) if kind.below else (level >= bound):
            return
        for delay_s in {max(alarm.delay_s, DELAYS_S[1]), max(alarm.delay_s, DELAYS_S[2])}:
            changed = alarm.changed(level=level, release=round(level + gap, 2), delay_s=delay_s)
            nearer = level - MARGIN * step
            yield changed.changed(level=nearer, release=nearer + gap), changed


def _spoken(alarm: Alarm, tried: Tried) -> list[Incident]:
    incidents = judge(alarm, tried.time_s, tried.values, gap_s=tried.gap_s, zone=tried.zone).incidents
    return [each for each in incidents if not math.isnan(each.spoke_s)]


def _wrong(alarm: Alarm, tried: Tried) -> list[Incident]:
    """Words that speak of normal use."""
    spoken = _spoken(alarm, tried)
    if alarm.key != "low_volts":
        return spoken if len(spoken) > A_WEEK * tried.weeks else []
    at = np.searchsorted(tried.time_s, [each.start_s for each in spoken])
    soc = tried.soc[np.minimum(at, len(tried.soc) - 1)] if len(spoken) else np.empty(0)
    high = 100.0 * soc > tried.reserve_pct + ABOVE_RESERVE
    return [each for each, sagged in zip(spoken, high, strict=True) if sagged]
