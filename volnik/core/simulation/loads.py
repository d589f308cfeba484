"""Loads over time, seeded. Source: docs/domain/truth.md, section 2."""

from __future__ import annotations

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.rig.devices import ResolvedDevice

CYCLE_S, BURST_S = (
    2400.0,
    300.0,
)  # one cycle of a compressor or blower; one use of what runs seldom; source: estimate
SELDOM = 0.15  # duty below which a device is used now and then rather than cycling by itself


def cycling(rng: np.random.Generator, time_s: Floats, *, amps: float, duty: float, period_s: float) -> Floats:
    """A load that switches itself, such as a compressor [A]; the period wanders by a fifth.

    Args:
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
        amps: while it runs [A].
        duty: share of its time it draws, 0..1.
        period_s: of a cycle [s].
    """
    drawn = np.zeros(len(time_s))
    at = float(time_s[0]) - rng.uniform(0.0, period_s)
    while at < time_s[-1]:
        period = period_s * rng.uniform(0.8, 1.2)
        share = np.clip(duty + rng.normal(0.0, 0.05), 0.05, 0.95)
        first, last = np.searchsorted(time_s, (at, at + share * period))
        drawn[first:last] = amps
        at += period
    return drawn


def hours(
    rng: np.random.Generator,
    time_s: Floats,
    *,
    amps: float,
    start_h: float,
    end_h: float,
    zone_h: float,
    chance: float = 1.0,
    weekdays: tuple[int, ...] = (0, 1, 2, 3, 4, 5, 6),
    jitter_h: float = 0.4,
) -> Floats:
    """A load or source that runs over the same hours of the day [A].

    Args:
        zone_h: hours east of UTC by which the day is told [h].
        weekdays: 0 is Monday.
        chance: of it running on a given day.
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
        amps: while it runs [A].
        start_h: hour of the day it begins [h].
        end_h: hour of the day it ends [h].
        jitter_h: how much an hour varies from day to day [h].
    """
    drawn = np.zeros(len(time_s))
    first_day = int(np.floor((time_s[0] / 3600.0 + zone_h) / 24.0))
    last_day = int(np.floor((time_s[-1] / 3600.0 + zone_h) / 24.0))
    for day in range(first_day, last_day + 1):
        skip, early, late = rng.random(), rng.uniform(-jitter_h, jitter_h), rng.uniform(-jitter_h, jitter_h)
        if skip > chance or (day + 3) % 7 not in weekdays:
            continue
        noon = day * 24.0 - zone_h
        first, last = np.searchsorted(
            time_s, ((noon + start_h + early) * 3600.0, (noon + end_h + late) * 3600.0)
        )
        drawn[first:last] = amps
    return drawn


def bursts(
    rng: np.random.Generator, time_s: Floats, *, amps: float, length_s: float, a_day: float, when: Floats
) -> Floats:
    """Short heavy draws at chance moments where `when` is true [A].

    Args:
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
        amps: while it runs [A].
        length_s: of a burst [s].
        a_day: bursts a day.
    """
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


def switched(rng: np.random.Generator, time_s: Floats, *, duty: float, period_s: float) -> Floats:
    """On and off by turns, 1 and 0, on for `duty` of each period; the period wanders by a fifth.

    Args:
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
        period_s: of a cycle [s].
    """
    count = int((time_s[-1] - time_s[0]) / (0.8 * period_s)) + 3
    periods = period_s * rng.uniform(0.8, 1.2, count)
    begins = time_s[0] - rng.uniform(0.0, period_s) + np.concatenate([[0.0], np.cumsum(periods[:-1])])
    ends = begins + periods * np.clip(duty * rng.uniform(0.85, 1.15, count), 0.0, 0.98)
    turns = np.zeros(len(time_s) + 1)
    np.add.at(turns, np.searchsorted(time_s, begins), 1.0)
    np.add.at(turns, np.searchsorted(time_s, ends), -1.0)
    return np.asarray(np.clip(np.cumsum(turns)[:-1], 0.0, 1.0))


def in_use(
    rng: np.random.Generator, time_s: Floats, windows: object, *, chance: float = 1.0, jitter_h: float = 0.3
) -> Floats:
    """1 during the hours of use, else 0. `windows` are (from, to) hours of the day.

    One that ends before it begins runs past midnight; none is always.

    Args:
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
        chance: of a day on which it runs, 0..1.
        jitter_h: how much an hour varies from day to day [h].
    """
    if not isinstance(windows, tuple) or not windows or windows == ((0, 24),):
        return np.ones(len(time_s)) if chance >= 1.0 else _days(rng, time_s, chance)
    total = np.zeros(len(time_s))
    for start, end in windows:
        end = end if end > start else end + 24.0
        total += hours(
            rng, time_s, amps=1.0, start_h=start, end_h=end, zone_h=0.0, chance=chance, jitter_h=jitter_h
        )
    return np.minimum(total, 1.0)


def _days(rng: np.random.Generator, time_s: Floats, chance: float) -> Floats:
    day = np.floor(time_s / 86400.0).astype(int)
    return np.asarray((rng.random(day[-1] - day[0] + 1) < chance)[day - day[0]], dtype=float)


def device_load(rng: np.random.Generator, time_s: Floats, device: ResolvedDevice) -> Floats:
    """What one device draws over time, from the Survey's duty, hours, standby and start-up [A, positive],
    shape (n,).

    A device of watts draws at the bank's usual volts, not at its sagging ones.

    Args:
        rng: where chance comes from.
        time_s: instants of the readings, rising, shape (n,) [s].
    """
    amps = device.usual_a
    duty = device.number("duty")
    used = in_use(rng, time_s, device.windows)
    if duty >= 0.98:
        on = used
    elif duty > 0.0:
        period = CYCLE_S if duty >= SELDOM else BURST_S / duty
        on = used * switched(rng, time_s, duty=duty, period_s=period)
    else:
        on = np.zeros(len(time_s))
    drawn = np.maximum(amps * on, device.number("standby_a"))
    if device.number("start_a") > amps and device.number("start_s") > 0.0:
        step_s = float(time_s[1] - time_s[0])
        begins = np.flatnonzero(np.diff(used, prepend=0.0) > 0.0)
        length = max(1, round(device.number("start_s") / step_s))
        for at in begins:
            drawn[at : at + length] = np.maximum(drawn[at : at + length], device.number("start_a"))
    return np.asarray(drawn)
