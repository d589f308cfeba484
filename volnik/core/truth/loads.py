"""Loads over time, seeded. Source: docs/domain/truth.md, section 2."""

from __future__ import annotations

import numpy as np

from volnik.core.count.state import Floats


def cycling(rng: np.random.Generator, time_s: Floats, *, amps: float, duty: float, period_s: float) -> Floats:
    """A load that switches itself, such as a compressor [A]; the period wanders by a fifth."""
    drawn = np.zeros(len(time_s))
    at = float(time_s[0]) - rng.uniform(0.0, period_s)
    while at < time_s[-1]:
        period = period_s * rng.uniform(0.8, 1.2)
        share = np.clip(duty + rng.normal(0.0, 0.05), 0.05, 0.95)
        first, last = np.searchsorted(time_s, (at, at + share * period))
        drawn[first:last] = amps
        at += period
    return drawn


def hours(rng: np.random.Generator, time_s: Floats, *, amps: float, start_h: float, end_h: float, zone_h: float, chance: float = 1.0, weekdays: tuple[int, ...] = (0, 1, 2, 3, 4, 5, 6), jitter_h: float = 0.4) -> Floats:  # fmt: skip
    """A load or source that runs over the same hours of the day [A].

    Args:
        zone_h: hours east of UTC by which the day is told [h].
        weekdays: 0 is Monday.
        chance: of it running on a given day.
    """
    drawn = np.zeros(len(time_s))
    first_day = int(np.floor((time_s[0] / 3600.0 + zone_h) / 24.0))
    last_day = int(np.floor((time_s[-1] / 3600.0 + zone_h) / 24.0))
    for day in range(first_day, last_day + 1):
        skip, early, late = rng.random(), rng.uniform(-jitter_h, jitter_h), rng.uniform(-jitter_h, jitter_h)
        if skip > chance or (day + 3) % 7 not in weekdays:
            continue
        noon = day * 24.0 - zone_h
        first, last = np.searchsorted(time_s, ((noon + start_h + early) * 3600.0, (noon + end_h + late) * 3600.0))
        drawn[first:last] = amps
    return drawn


def bursts(
    rng: np.random.Generator, time_s: Floats, *, amps: float, length_s: float, a_day: float, when: Floats
) -> Floats:
    """Short heavy draws at chance moments where `when` is true [A]."""
    step_s = float(time_s[1] - time_s[0])
    drawn = np.zeros(len(time_s))
    allowed = np.flatnonzero(when)
    if not len(allowed):
        return drawn
    days = (time_s[-1] - time_s[0]) / 86400.0
    for at in rng.choice(allowed, size=rng.poisson(a_day * days)):
        span = max(1, round(length_s * rng.uniform(0.5, 1.6) / step_s))
        drawn[at : at + span] = amps * rng.uniform(0.8, 1.1)
    return drawn
