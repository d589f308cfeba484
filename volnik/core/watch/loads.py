"""Loads told apart: steps of the amps paired into runs, matched to the Survey's devices; idle draw.

Days to the reserve in storage.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import Facts, KnownLoad

ALIKE = 0.14  # an off step belongs to an on step, and a run to a device, within so much (of logarithm)
LONGEST_H = 18.0  # a run that lasts longer was two, with the step between them missed
MOSTLY = 0.6  # of its own amps must show while it runs: else another device switched meanwhile
CLUSTER = 0.08  # of the logarithm: runs this near in size are one device's; source: trials


@dataclass(frozen=True, slots=True)
class Run:
    """Something that was on: from, to [s], amps [A]."""

    start_s: float
    end_s: float
    amps: float


@dataclass(frozen=True, slots=True)
class LoadTold:
    """What one device, or one unknown size of step, was seen to do.

    Attributes:
        name: device, or "" for an unknown one.
        amps: seen [A].
        listed_a: of the Survey [A], NaN for an unknown one.
        runs: how often.
        hours_day, ah_day: on average.
        duty: share of the time it runs.
        last: some of its runs, latest first.
    """

    name: str
    amps: float
    listed_a: float
    runs: int
    hours_day: float
    ah_day: float
    duty: float
    last: tuple[Run, ...]


@dataclass(frozen=True, slots=True)
class Idle:
    """The idle draw: amps [A]; of these known by the Survey, by name; what is left; Ah a day.

    Days to the reserve in storage from a full bank.
    """

    amps: float
    known: tuple[tuple[str, float], ...]
    unknown_a: float
    ah_day: float
    storage_days: float


@dataclass(frozen=True, slots=True)
class LoadsTold:
    """All of it: devices seen, unknown steps offered for naming, listed devices never seen, the idle draw or
    None, out in all [Ah a day].
    """

    named: list[LoadTold]
    unknown: list[LoadTold]
    unseen: list[str]
    idle: Idle | None
    out_ah_day: float


def runs_of(facts: Facts) -> list[Run]:
    """On and off paired: an off step ends the latest open run of like size.

    A charger that goes off looks like a load that comes on, but for where the amps stand: most of a load's
    step lies below zero.

    Args:
        facts: what the log gives to look at.
    """
    steps = facts.steps
    clear = np.abs(steps.amps) > max(8.0 * facts.noise_a, 0.5)
    lower = np.minimum(steps.before_a, steps.before_a + steps.amps)
    clear &= lower < -MOSTLY * np.abs(steps.amps)
    open_runs: list[tuple[float, float]] = []
    found = []
    for at, change in zip(steps.time_s[clear].tolist(), steps.amps[clear].tolist(), strict=True):
        size = abs(change)
        like = [open_run for open_run in open_runs if abs(math.log(size / open_run[1])) < ALIKE]
        if change < 0.0:  # like one already open: that one's end was not seen
            open_runs = [
                open_run
                for open_run in open_runs
                if open_run not in like and at - open_run[0] < LONGEST_H * 3600.0
            ]
            open_runs.append((at, size))
        elif like:
            begun, amps = like[-1]
            found.append(Run(begun, at, (size + amps) / 2.0))
            open_runs.remove(like[-1])
    return found


def tell_apart(
    facts: Facts, known: tuple[KnownLoad, ...], standing: tuple[tuple[str, float], ...], *, reserve_ah: float
) -> LoadsTold:
    """What each device did over the log.

    Args:
        known: devices with their amps.
        standing: what always draws, by name [A].
        reserve_ah: between full and the reserve [Ah].
        facts: what the log gives to look at.
    """
    runs = runs_of(facts)
    days = max(facts.days, 1e-9)
    belongs: dict[int, list[Run]] = {}
    left = []
    for run in runs:
        place = min(range(len(known)), key=lambda at: abs(math.log(run.amps / known[at].amps)), default=None)  # noqa: B023
        if place is not None and abs(math.log(run.amps / known[place].amps)) < 1.6 * ALIKE:
            belongs.setdefault(place, []).append(run)
        else:
            left.append(run)
    named = [_told(known[place].name, known[place].amps, some, days) for place, some in belongs.items()]
    unknown = [
        _told("", math.nan, some, days) for some in _clusters(left) if len(some) >= max(4.0, 0.2 * days)
    ]
    unseen = [load.name for place, load in enumerate(known) if place not in belongs]
    out = float((np.maximum(-facts.readings.amps, 0.0) * facts.hours).sum()) / days
    return LoadsTold(
        sorted(named, key=lambda load: -load.ah_day),
        sorted(unknown, key=lambda load: -load.ah_day)[:6],
        unseen,
        idle_of(facts, standing, reserve_ah),
        out,
    )


def _told(name: str, listed_a: float, some: list[Run], days: float) -> LoadTold:
    hours = sum(run.end_s - run.start_s for run in some) / 3600.0
    ah = sum((run.end_s - run.start_s) * run.amps for run in some) / 3600.0
    amps = float(np.median([run.amps for run in some]))
    return LoadTold(
        name,
        amps,
        listed_a,
        len(some),
        hours / days,
        ah / days,
        hours / days / 24.0,
        tuple(some[-120:][::-1]),
    )


def _clusters(runs: list[Run]) -> list[list[Run]]:
    """Runs of like size together."""
    found: list[list[Run]] = []
    for run in sorted(runs, key=lambda item: item.amps):
        if found and math.log(run.amps / found[-1][0].amps) < 2.0 * CLUSTER:
            found[-1].append(run)
        else:
            found.append([run])
    return found


def quiet_amps(facts: Facts) -> Floats:
    """Amps of the ten minutes in which nothing charges and nothing switches [A].

    Args:
        facts: what the log gives to look at.
    """
    bins = facts.bins
    calm = (
        (bins.sway_a < max(min(3.0 * facts.noise_a, 0.5), 0.12))
        & (bins.volts < facts.charging_v - 0.1)
        & (bins.amps < 0.0)
    )
    return np.asarray(bins.amps[calm])


def idle_of(facts: Facts, standing: tuple[tuple[str, float], ...], reserve_ah: float) -> Idle | None:
    """The least draw that lasts: where nine of ten quiet stretches draw more.

    None where the log is never quiet.

    Args:
        facts: what the log gives to look at.
        standing: loads of the Survey that are always on, with their amps.
        reserve_ah: what may be drawn until the reserve [Ah].
    """
    quiet = quiet_amps(facts)
    if len(quiet) < 12:
        return None
    amps = -float(np.quantile(quiet, 0.9))
    if amps < 0.005:
        return None
    known = tuple((name, float(value)) for name, value in standing)
    return Idle(amps, known, amps - sum(value for _, value in known), 24.0 * amps, reserve_ah / (24.0 * amps))


def storage_days(numbers: Numbers, idle: Idle, soc: float) -> float:
    """Days until the reserve if only the idle draw is left on, from a charge [days].

    Args:
        numbers: the settings it is counted by.
        soc: charge now, 0..1.
    """
    return max(0.0, numbers.reserve_ah - (1.0 - soc) * numbers.capacity_ah) / idle.ah_day
