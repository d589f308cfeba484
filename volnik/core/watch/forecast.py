"""What the bank will hold: past days of the rig drawn whole and summed forward, with what-ifs.

Source: docs/domain/forecast.md.

A day is drawn as it was, with all that belongs together in it; where the bank was full and could take no
more, what its chargers could have given is put back. The level is held between empty and full at each half
hour.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers
from volnik.core.watch.half_hours import SLOT_S, HalfHours

Sky = Literal["as_it_was", "sunny", "mixed", "grey"]
A_DAY = 48  # half hours
LEAST_DAYS, OF_EACH = 3, 8  # whole days needed; of weekdays and week-ends each, before they are told apart
PATHS, AHEAD_DAYS = 400, 7  # drawn days: enough for the lowest and the highest tenth of them
LEAST_ALIKE = 2  # days without a charger at an hour, that tell what is drawn then
DAYS_DIFFER = (
    0.2  # deviation of a path's use and of its charge, as a share; set on trial rigs, docs/domain/forecast.md
)
FULL, LEFT_FULL = 0.999, 0.97  # charge that is full, and below which full was left; source: estimate
LIKE_FULL = 0.985  # charge beyond which chargers hold back
SUN_FROM, SUN_TO = 8, 40  # half hours of the rig's own day in which the sun can give, 4 to 20 h


class TooShort(ValueError):
    """A log too short to know the rig's days from; the sentence says what is needed."""


@dataclass(frozen=True, slots=True)
class DailyProfile:
    """The days of a rig.

    Attributes:
        load_ah: drawn in each half hour of each day, shape (days, 48) [Ah].
        gave_ah: what chargers gave or could have given, same shape [Ah].
        weekend: shape (days,).
        given_ah: charge of each day in sun hours, shape (days,) [Ah], by which skies are told apart.
        zone: by whose clock.
        days: how many.
    """

    load_ah: Floats
    gave_ah: Floats
    weekend: NDArray[np.bool_]
    given_ah: Floats
    zone: str

    @property
    def days(self) -> int:
        """How many whole days."""
        return len(self.weekend)


def profile_of(half_hours: HalfHours, *, zone: str, charging_v: float, efficiency: float) -> DailyProfile:
    """The days of a log, as far as they are whole.

    Args:
        charging_v: volts of this bank above which something charges it [V].
        efficiency: of the count.
        half_hours: of the log.
        zone: the rig's time zone.

    Raises:
        TooShort: with fewer than three whole days.
    """
    tz = ZoneInfo(zone)
    offset = np.array([_offset_s(at, tz) for at in half_hours.start_s])
    local = half_hours.start_s + offset
    day, at = np.floor(local / 86400.0).astype(np.int64), np.floor(local % 86400.0 / SLOT_S).astype(np.int64)
    table: dict[str, Floats] = {}
    days = np.unique(day)
    for name in ("hours", "booked_ah", "mean_v", "end_soc"):
        grid = np.full((len(days), A_DAY), np.nan)
        grid[np.searchsorted(days, day), at] = getattr(half_hours, name)
        table[name] = grid
    whole = np.nansum(table["hours"], axis=1) > 22.0
    if whole.sum() < LEAST_DAYS:
        raise TooShort(
            f"The log holds {int(whole.sum())} whole days; from {LEAST_DAYS} on the rig's own hours "
            "can be drawn."
        )
    net = np.nan_to_num(table["booked_ah"][whole])
    volts = np.nan_to_num(table["mean_v"][whole])
    top = float(np.quantile(volts[volts > charging_v], 0.9)) if (volts > charging_v).any() else math.inf
    # Full by the count, or held at the volts where its chargers end: there they give less than they could.
    full = (np.nan_to_num(table["end_soc"][whole], nan=0.0) > LIKE_FULL) | (
        volts > max(charging_v, 0.992 * top)
    )
    charging = (volts > charging_v) | (net > 0.01)
    weekend = (days[whole] + 3) % 7 >= 5  # 1970-01-01 was a Thursday; 0 is Monday
    usual = _usual_load(np.where(charging, np.nan, np.maximum(-net, 0.0)), weekend)
    load = np.where(charging, usual, np.maximum(-net, 0.0))
    gave = np.where(charging, np.maximum(net + load, 0.0), 0.0)
    gave = _put_back(gave, full & charging)
    return DailyProfile(load, gave, weekend, gave[:, SUN_FROM:SUN_TO].sum(axis=1), zone)


def _usual_load(drawn: Floats, weekend: NDArray[np.bool_]) -> Floats:
    """What is drawn in each half hour of each day where chargers hide it, shape (days, 48) [Ah].

    As on the days of its kind, week-end or not, on which nothing charged at that hour; else as on all days;
    else as at the hours beside it.

    Args:
        drawn: shape (days, 48) [Ah], NaN while something charges.
        weekend: shape (days,).
    """
    all_days = _beside(_mean_of(drawn, LEAST_ALIKE))
    usual = np.empty(drawn.shape)
    for kind in (True, False):
        own = _mean_of(drawn[weekend == kind], LEAST_ALIKE)
        usual[weekend == kind] = np.where(np.isnan(own), all_days, own)
    return usual


def _mean_of(drawn: Floats, least: int) -> Floats:
    """Mean of each half hour over days, NaN with fewer than `least`."""
    seen = np.isfinite(drawn)
    count = seen.sum(axis=0)
    sums = np.where(seen, drawn, 0.0).sum(axis=0)
    return np.asarray(np.where(count >= least, sums / np.maximum(count, 1), math.nan), dtype=np.float64)


def _beside(usual: Floats) -> Floats:
    """Half hours of which nothing is known as those nearest in the day; 0 where none is known."""
    known = np.flatnonzero(np.isfinite(usual))
    if not len(known):
        return np.zeros(len(usual))
    around = np.concatenate((known - len(usual), known, known + len(usual)))
    values = np.tile(usual[known], 3)
    return np.asarray(np.interp(np.arange(len(usual)), around, values), dtype=np.float64)


def _put_back(gave: Floats, held: NDArray[np.bool_]) -> Floats:
    """Where a full bank held its chargers back, what they could have given.

    In sun hours what they gave at that hour on the better of the other days; at night, where only a steady
    charger gives, what it gave before the bank was full.
    """
    free = np.where(held, np.nan, gave)
    could = np.zeros(A_DAY)
    for at in range(A_DAY):
        seen = free[:, at][np.isfinite(free[:, at]) & (free[:, at] > 0)]
        could[at] = float(np.quantile(seen, 0.6)) if len(seen) >= 2 else 0.0
    made = gave.copy()
    steady = 0.0
    for day in range(len(gave)):
        for at in range(A_DAY):
            if not held[day, at]:
                steady = gave[day, at] if gave[day, at] <= 0.0 else max(steady, float(gave[day, at]))
                continue
            night = not SUN_FROM <= at < SUN_TO
            made[day, at] = max(gave[day, at], steady if night else min(could[at], max(steady, could[at])))
    return made


@dataclass(frozen=True, slots=True)
class WhatIf:
    """What is changed against the rig as it is.

    Attributes:
        sky: for all days, or the first `sky_days` of them.
        staying: no engine and no shore power, the sun alone.
        sun_factor: of the sun's charge, 1.5 for half as much panel again.
        less_ah: taken off the load of each half hour, shape (48,) [Ah].
        has_sun: whether the rig has any.
        most_sun_a: largest amps the panels give, or None [A].
    """

    sky: Sky = "as_it_was"
    sky_days: int = AHEAD_DAYS
    staying: bool = False
    sun_factor: float = 1.0
    less_ah: tuple[float, ...] = ()
    has_sun: bool = True
    most_sun_a: float | None = None


@dataclass(frozen=True, slots=True)
class Ahead:
    """Levels to come.

    Attributes:
        time_s: end of each half hour, shape (n,) [s].
        low, middle, high: charge 0..1; nine cases of ten lie between low and high.
        reserve_s, full_s: earliest, likeliest, latest instant at which the reserve, full is reached [s]; NaN
            where fewer than half, or none, reach it.
        full_again_s: the same of full once it was left, for a bank that is full now [s].
        reserve_share: share of paths that reach the reserve.
        days: how many past days it is drawn from.
        weekdays: whether told apart.
        by_morning: of each coming morning at 7, (instant [s], share of paths still above the reserve, middle
            charge).
    """

    time_s: Floats
    low: Floats
    middle: Floats
    high: Floats
    reserve_s: tuple[float, float, float]
    full_s: tuple[float, float, float]
    full_again_s: tuple[float, float, float]
    reserve_share: float
    days: int
    weekdays: bool
    by_morning: tuple[tuple[float, float, float], ...]


def ahead(
    profile: DailyProfile,
    numbers: Numbers,
    *,
    now_s: float,
    soc: float,
    half: float = 0.0,
    what: WhatIf | None = None,
    seed: int = 1,
    days: int = AHEAD_DAYS,
) -> Ahead:
    """Draw days from the habit and sum them forward.

    Args:
        profile: the rig's own days.
        numbers: capacity and reserve.
        now_s: from when on [s].
        soc: charge now [0..1].
        half: half its band, nine cases of ten [0..1].
        what: what is changed.
        seed: of chance.
        days: how far ahead.

    Raises:
        ValueError: when the charge is unknown.
    """
    if math.isnan(soc):
        raise ValueError("from an unknown charge nothing can be said")
    rng = np.random.default_rng(seed)
    split = _split(profile)
    flow = _drawn_flow(rng, profile, what or WhatIf(), now_s, days, split=split)
    level = np.clip(soc + rng.normal(0.0, half / 1.645, PATHS), 0.0, 1.0) * numbers.capacity_ah
    levels = np.empty(flow.shape)
    for at in range(flow.shape[1]):
        level = np.clip(level + flow[:, at], 0.0, numbers.capacity_ah)
        levels[:, at] = level
    charge = levels / numbers.capacity_ah
    begin = math.floor(now_s / SLOT_S) * SLOT_S
    time_s: Floats = np.asarray(begin + SLOT_S * np.arange(1, flow.shape[1] + 1), dtype=np.float64)
    low, middle, high = np.quantile(charge, (0.05, 0.5, 0.95), axis=0)
    reserve = numbers.reserve_pct / 100.0
    below = charge <= reserve + 1e-9
    return Ahead(
        time_s,
        low,
        middle,
        high,
        _when(time_s, below),
        _when(time_s, charge >= FULL),
        _when(time_s, (charge >= FULL) & (np.minimum.accumulate(charge, axis=1) < LEFT_FULL)),
        float(below.any(axis=1).mean()),
        profile.days,
        split,
        _mornings(time_s, charge, middle, reserve, profile.zone),
    )


def _drawn_flow(
    rng: np.random.Generator, profile: DailyProfile, what: WhatIf, now_s: float, days: int, *, split: bool
) -> Floats:
    """Net charge of each half hour from now on, shape (paths, half hours) [Ah]."""
    changed = _changed(profile, what)
    local = datetime.fromtimestamp(now_s, ZoneInfo(profile.zone))
    first = local.hour * 2 + local.minute // 30
    chosen = np.stack(
        [
            _days(rng, changed, profile, what, at, weekend=(local.weekday() + at) % 7 >= 5, split=split)
            for at in range(days + 1)
        ],
        axis=1,
    )
    # Few past days do not know all the days there are: each path uses and gives somewhat more or less
    # throughout.
    more, sunnier = np.exp(rng.normal(0.0, DAYS_DIFFER, (2, PATHS, 1, 1)))
    whole = (changed.gave_ah[chosen] * sunnier - changed.load_ah[chosen] * more).reshape(PATHS, -1)
    flow: Floats = whole[:, first : first + days * A_DAY]
    flow[:, 0] *= 1.0 - (local.minute % 30 * 60 + local.second) / SLOT_S
    return flow


def _mornings(
    time_s: Floats, charge: Floats, middle: Floats, reserve: float, zone: str
) -> tuple[tuple[float, float, float], ...]:
    """At each seven in the morning: instant [s], share of paths never below the reserve till then,
    likely charge.
    """
    tz = ZoneInfo(zone)
    found = []
    for at, when in enumerate(time_s):
        if datetime.fromtimestamp(float(when), tz).strftime("%H:%M") == "07:00":
            kept = charge[:, : at + 1].min(axis=1) > reserve
            found.append((float(when), float(kept.mean()), float(middle[at])))
    return tuple(found)


def _offset_s(at_s: float, tz: ZoneInfo) -> float:
    """Offset of a zone from UTC at an instant [s]."""
    offset = datetime.fromtimestamp(at_s, tz).utcoffset()
    return 0.0 if offset is None else offset.total_seconds()


def _changed(profile: DailyProfile, what: WhatIf) -> DailyProfile:
    load, gave = profile.load_ah, profile.gave_ah
    sun = np.zeros(A_DAY, dtype=bool)
    sun[SUN_FROM:SUN_TO] = what.has_sun
    if what.staying:
        gave = np.where(sun[None, :], gave, 0.0)
        if what.most_sun_a is not None:
            gave = np.minimum(gave, what.most_sun_a * SLOT_S / 3600.0)
    if what.sun_factor != 1.0:
        gave = np.where(sun[None, :], gave * what.sun_factor, gave)
    if what.less_ah:
        load = np.maximum(load - np.asarray(what.less_ah)[None, :], 0.0)
    return replace(profile, load_ah=load, gave_ah=gave)


def _split(profile: DailyProfile) -> bool:
    """Weekdays are told from week-ends only after eight of each."""
    return bool(profile.weekend.sum() >= OF_EACH and (~profile.weekend).sum() >= OF_EACH)


def _days(
    rng: np.random.Generator,
    changed: DailyProfile,
    profile: DailyProfile,
    what: WhatIf,
    at: int,
    *,
    weekend: bool,
    split: bool,
) -> NDArray[np.int64]:
    """Which past day each path takes for its day `at`."""
    pool = np.arange(profile.days)
    if split:
        pool = pool[profile.weekend == weekend]
    if what.sky != "as_it_was" and at <= what.sky_days and what.has_sun and len(pool) >= 3:
        ranked = pool[np.argsort(profile.given_ah[pool])]
        third = max(1, len(ranked) // 3)
        pool = {
            "grey": ranked[:third],
            "mixed": ranked[third : len(ranked) - third] if len(ranked) > 2 * third else ranked,
            "sunny": ranked[-third:],
        }[what.sky]
    return rng.choice(pool, PATHS)


def _when(time_s: Floats, there: NDArray[np.bool_]) -> tuple[float, float, float]:
    """Earliest (one of twenty), likeliest and latest instant at which paths get there.

    NaN for what fewer than that do.
    """
    first = np.where(there.any(axis=1), there.argmax(axis=1), len(time_s))
    found = []
    for share in (0.05, 0.5, 0.95):
        at = int(np.quantile(first, share, method="lower"))
        found.append(float(time_s[at]) if at < len(time_s) else math.nan)
    return found[0], found[1], found[2]


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """A night from a measured evening: mean draw [A], over [h], until [s].

    Charge then, least and greatest [0..1].
    """

    draw_a: float
    over_h: float
    until_s: float
    soc: float
    low: float
    high: float


def rehearse(
    draw_a: float,
    sway_a: float,
    over_h: float,
    numbers: Numbers,
    *,
    now_s: float,
    soc: float,
    half: float,
    until_s: float,
) -> Rehearsal:
    """The morning from the evening's measured draw.

    Args:
        draw_a: mean over the measured stretch, positive out [A].
        sway_a: deviation of its half hours [A].
        over_h: its length [h].
        numbers: the settings it is counted by.
        now_s: the rig's now [s].
        soc: charge, 0..1.
        until_s: end of the night that is rehearsed [s].

    The draw's doubt is its half hours' deviation over the root of how many were measured, and a tenth of
    itself: nights differ.
    """
    hours = (until_s - now_s) / 3600.0
    doubt_a = math.hypot(sway_a / math.sqrt(max(1.0, 2.0 * over_h)), 0.1 * abs(draw_a))
    middle = soc - draw_a * hours / numbers.capacity_ah
    wide = math.hypot(half, 1.645 * doubt_a * hours / numbers.capacity_ah)
    return Rehearsal(
        draw_a,
        over_h,
        until_s,
        min(1.0, max(0.0, middle)),
        min(1.0, max(0.0, middle - wide)),
        min(1.0, max(0.0, middle + wide)),
    )
