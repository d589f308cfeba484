"""Loads told apart: steps of the amps paired into runs, matched to the Survey's devices; idle draw.

Days to the reserve in storage.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import Facts, KnownLoad

ALIKE = 0.14  # an off step belongs to an on step, and a run to a device, within so much (of logarithm)
LONGEST_H = 18.0  # a run that lasts longer was two, with the step between them missed
MOSTLY = 0.6  # of its own amps must show while it runs: else another device switched meanwhile
ZERO_A = 0.03  # that a sound shunt's zero may be off [A]; source: trade practice
STILL_A = 0.3  # amps in, above which something charges and steps are not a load's alone
LEAST_CLEAR = 0.2  # of the days without a charger at an hour, from which the others are taken to be like it
HALF_HOUR_S, HALF_HOURS, BIN_S = 1800.0, 48, 600.0
LEAST_USUAL, MOST_TIMES = 6, 10.0  # runs that tell a usual length; times that, over which an end was missed
SHOWN = 120  # runs of a device that are drawn
OWN_SIZE, OVER_LARGEST = 1.25, 1.15  # times the next load, and its own most amps: an inverter's steps between
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
        hours_day, ah_day: on average; of what switches itself also beside chargers.
        beside_ah_day: of these beside chargers, where its steps cannot be told from theirs: it is taken to
            run there as it does elsewhere.
        duty: share of the time it runs.
        all_runs: every run that was seen, in order of time.
        key: of the listed device, "" for an unknown one.
        many: whether it is one load at many powers; `amps` is then their middle.
        hidden: half hours of the day (UTC) at which a charger nearly always works, so that its steps are not
            told apart; () for what switches itself.
    """

    name: str
    amps: float
    listed_a: float
    runs: int
    hours_day: float
    ah_day: float
    duty: float
    all_runs: tuple[Run, ...]
    beside_ah_day: float = 0.0
    key: str = ""
    many: bool = False
    hidden: tuple[bool, ...] = ()

    @property
    def last(self) -> tuple[Run, ...]:
        """Some of its runs, latest first."""
        return self.all_runs[-SHOWN:][::-1]

    @property
    def spread_a(self) -> tuple[float, float]:
        """Between what eight of ten of its runs lay [A]."""
        low, high = np.quantile([run.amps for run in self.all_runs], (0.1, 0.9))
        return float(low), float(high)


@dataclass(frozen=True, slots=True)
class Idle:
    """The idle draw: amps and their doubt [A]; of these known by the Survey, by name; what is left; Ah a day.

    Days to the reserve in storage from a full bank.
    """

    amps: float
    doubt_a: float
    known: tuple[tuple[str, float], ...]
    unknown_a: float
    ah_day: float
    storage_days: float


@dataclass(frozen=True, slots=True)
class LoadsTold:
    """All of it: devices seen, unknown steps offered for naming, listed devices never seen, the idle draw or
    None, out in all [Ah a day]; drawn while nothing charges, and of that what is told of nothing, by half
    hour of the day (UTC), shape (48,) [A].
    """

    named: list[LoadTold]
    unknown: list[LoadTold]
    unseen: list[str]
    idle: Idle | None
    out_ah_day: float
    drawn_a: tuple[float, ...]
    untold_a: tuple[float, ...]

    @property
    def untold_share(self) -> float:
        """Share of what is drawn while nothing charges that no device is told by [0..1]."""
        drawn = math.fsum(self.drawn_a)
        return math.fsum(self.untold_a) / drawn if drawn > 0.0 else 0.0


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
    facts: Facts,
    known: tuple[KnownLoad, ...],
    standing: tuple[tuple[str, float], ...],
    *,
    reserve_ah: float,
    inverter: KnownLoad | None = None,
) -> LoadsTold:
    """What each device did over the log.

    Args:
        known: devices with their amps.
        standing: what always draws, by name [A].
        reserve_ah: between full and the reserve [Ah].
        inverter: the rig's one inverter with its most amps: its are the steps too large for any other listed
            load.
        facts: what the log gives to look at.
    """
    days = max(facts.days_read, 1e-9)
    belongs, inverted, left = _shared_out(runs_of(facts), known, inverter)
    clear = _clear_share(facts)
    named = [_told(known[place], some, days, clear) for place, some in belongs.items()]
    unseen = [load.name for place, load in enumerate(known) if place not in belongs]
    if inverter is not None and inverted:
        named.append(replace(_told(inverter, inverted, days, clear), many=True))
    elif inverter is not None:
        unseen.append(inverter.name)
    unknown = [
        _told(NOT_KNOWN, some, days, clear) for some in _clusters(left) if len(some) >= max(4.0, 0.2 * days)
    ]
    out = float((np.maximum(-facts.readings.amps, 0.0) * facts.hours).sum()) / days
    idle = idle_of(facts, standing, reserve_ah)
    every = [run for load in (*named, *unknown) for run in load.all_runs]
    drawn, untold = _untold(facts, every, 0.0 if idle is None else idle.amps)
    return LoadsTold(
        sorted(named, key=lambda load: -load.ah_day),
        sorted(unknown, key=lambda load: -load.ah_day)[:6],
        unseen,
        idle,
        out,
        drawn,
        untold,
    )


def _shared_out(
    runs: list[Run], known: tuple[KnownLoad, ...], inverter: KnownLoad | None
) -> tuple[dict[int, list[Run]], list[Run], list[Run]]:
    """Runs by the listed device they are nearest to, those of the inverter, and the rest."""
    belongs: dict[int, list[Run]] = {}
    inverted, left = [], []
    own_from = OWN_SIZE * max((load.amps for load in known if load.key), default=0.0)
    listed = np.log([load.amps for load in known])
    for run in runs:
        apart = np.abs(listed - math.log(run.amps))
        if len(apart) and apart.min() < 1.6 * ALIKE:
            belongs.setdefault(int(apart.argmin()), []).append(run)
        elif inverter is not None and own_from < run.amps < OVER_LARGEST * inverter.amps:
            inverted.append(run)
        else:
            left.append(run)
    return belongs, inverted, left


def _untold(facts: Facts, runs: list[Run], idle_a: float) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """What is drawn while nothing charges, and of that what neither a run nor the idle draw tells; by half
    hour of the day (UTC) [A].
    """
    bins = facts.bins
    told = np.full(len(bins.start_s), idle_a)
    for run in runs:
        first = max(0, int(np.searchsorted(bins.start_s, run.start_s, side="right")) - 1)
        last = int(np.searchsorted(bins.start_s, run.end_s))
        begin = np.maximum(bins.start_s[first:last], run.start_s)
        end = np.minimum(bins.start_s[first:last] + BIN_S, run.end_s)
        told[first:last] += run.amps * np.maximum(0.0, end - begin) / BIN_S
    clear = (bins.high_a < STILL_A) & (bins.amps < 0.0)
    place = ((bins.start_s[clear] % 86400.0) // HALF_HOUR_S).astype(np.int64)
    count = np.maximum(1, np.bincount(place, minlength=HALF_HOURS))
    drawn = np.bincount(place, weights=-bins.amps[clear], minlength=HALF_HOURS) / count
    rest = np.bincount(place, weights=-bins.amps[clear] - told[clear], minlength=HALF_HOURS) / count
    return tuple(drawn.tolist()), tuple(np.maximum(rest, 0.0).tolist())


def _clear_share(facts: Facts) -> Floats:
    """Share of the log in which nothing charges, by half hour of the day (UTC), shape (48,)."""
    bins = facts.bins
    place = ((bins.start_s % 86400.0) // HALF_HOUR_S).astype(np.int64)
    read = np.bincount(place, minlength=HALF_HOURS)
    clear = np.bincount(place[bins.high_a < STILL_A], minlength=HALF_HOURS)
    return np.asarray(clear / np.maximum(1, read), dtype=np.float64)


NOT_KNOWN = KnownLoad("", math.nan)


def by_half_hour(runs: Iterable[Run]) -> Floats:
    """Seconds something ran in each half hour of the day (UTC), shape (48,).

    Args:
        runs: of it.
    """
    used = np.zeros(HALF_HOURS)
    for run in runs:
        at = run.start_s % 86400.0
        end = at + run.end_s - run.start_s
        while at < end:
            upto = min(end, (math.floor(at / HALF_HOUR_S) + 1) * HALF_HOUR_S)
            used[int(at / HALF_HOUR_S) % HALF_HOURS] += upto - at
            at = upto
    return used


def _whole(runs: list[Run]) -> list[Run]:
    """Runs without those whose end was missed: one many times as long as the others is taken as they are."""
    lengths = np.array([run.end_s - run.start_s for run in runs])
    usual = float(np.median(lengths))
    most = max(MOST_TIMES * usual, 3600.0)
    return [
        replace(run, end_s=run.start_s + usual) if run.end_s - run.start_s > most else run for run in runs
    ]


def _told(load: KnownLoad, some: list[Run], days: float, clear: Floats) -> LoadTold:
    """What a load did. Half hours beside chargers are told from the days on which nothing charged then; where
    there are hardly any, a load that switches itself is taken to run there as it does elsewhere.
    """
    runs = _whole(some) if len(some) >= LEAST_USUAL else some
    used = by_half_hour(runs) / (days * HALF_HOUR_S)
    known = clear >= LEAST_CLEAR
    rate = np.where(known, np.minimum(1.0, used / np.maximum(clear, LEAST_CLEAR)), used)
    if load.cycles and known.any():
        rate = np.where(known, rate, np.maximum(used, rate[known].mean()))
    hours_day = 24.0 * float(rate.mean())
    seen_s = sum(run.end_s - run.start_s for run in runs)
    seen_ah = sum((run.end_s - run.start_s) * run.amps for run in runs) / 3600.0
    ah_day = hours_day * seen_ah * 3600.0 / max(1e-9, seen_s)
    return LoadTold(
        load.name,
        float(np.median([run.amps for run in runs])),
        load.amps,
        len(runs),
        hours_day,
        ah_day,
        hours_day / 24.0,
        tuple(runs),
        max(0.0, ah_day - seen_ah / days),
        load.id,
        hidden=() if load.cycles else tuple(bool(each) for each in ~known),
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
    # Between the quietest twentieth and the quietest fifth, and what the zero of a shunt may be off.
    loud, low = np.quantile(quiet, (0.8, 0.95))
    doubt_a = math.hypot(0.5 * float(low - loud), ZERO_A)
    known = tuple((name, float(value)) for name, value in standing)
    return Idle(
        amps, doubt_a, known, amps - sum(value for _, value in known), 24.0 * amps, reserve_ah / (24.0 * amps)
    )


def storage_days(numbers: Numbers, idle: Idle, soc: float) -> float:
    """Days until the reserve if only the idle draw is left on, from a charge [days].

    Args:
        numbers: the settings it is counted by.
        soc: charge now, 0..1.
    """
    return max(0.0, numbers.reserve_ah - (1.0 - soc) * numbers.capacity_ah) / idle.ah_day
