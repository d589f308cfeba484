"""What the rig's days leave over or lack by sky, and what frost or heat does to charging.

Source: docs/domain/forecast.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.watch.forecast import Ahead, DailyProfile
from volnik.core.watch.half_hours import SLOT_S, HalfHours

LEAST_DAYS = 6  # from which skies are told apart
TILL_NOON = 24  # half hours of a morning
USUAL_HOT_C = 45.0  # from which lithium takes no charge; source: makers' sheets
FREEZES_C, FREEZES_SOC = -10.0, 0.6  # of lead: below that charge its acid may freeze; source: acid tables
LEAST_FULLS = 3  # charges to full that tell how long absorption lasts
NEAR_TOP_V = 0.1  # under the volts of a charge's end, 12 V bank: absorption
LONGEST_H = 8.0  # of absorption; more is float


@dataclass(frozen=True, slots=True)
class DayBalance:
    """A day's use and what chargers give beyond it, by the sky of the rig's own days [Ah]; minus is short.

    Attributes:
        use: on average.
        grey, sunny: the third of days with the least and the most sun.
        grey_sun: what the panels give on a grey one.
        carried: grey days from full to the reserve, infinite where nothing is short.
    """

    use: float
    grey: float
    sunny: float
    grey_sun: float
    carried: float


def day_balance(profile: DailyProfile, reserve_ah: float) -> DayBalance | None:
    """What grey and sunny days leave over or lack; None with too few days.

    Args:
        profile: the rig's own days.
        reserve_ah: between full and the reserve [Ah].
    """
    if profile.days < LEAST_DAYS:
        return None
    ranked = np.argsort(profile.given_ah)
    third = max(1, profile.days // 3)
    net = profile.gave_ah.sum(axis=1) - profile.load_ah.sum(axis=1)
    grey = float(net[ranked[:third]].mean())
    return DayBalance(
        float(profile.load_ah.sum(axis=1).mean()),
        grey,
        float(net[ranked[-third:]].mean()),
        float(profile.given_ah[ranked[:third]].mean()),
        reserve_ah / -grey if grey < 0.0 else math.inf,
    )


@dataclass(frozen=True, slots=True)
class TurnBack:
    """Where to turn for home: at which charge [0..1], and when it is reached, soonest of nineteen in twenty
    and likeliest [s]; NaN where it is not in the days drawn.
    """

    soc: float
    soonest_s: float
    likeliest_s: float


def turn_back(drawn: Ahead, numbers: Numbers, back_ah: float) -> TurnBack:
    """The charge that holds the reserve and the way back, and when the days to come reach it.

    Args:
        drawn: days to come.
        numbers: the settings it is counted by.
        back_ah: that the way back takes [Ah].
    """
    soc = min(1.0, numbers.reserve_pct / 100.0 + back_ah / numbers.capacity_ah)

    def reached_s(path: Floats) -> float:
        under = np.flatnonzero(path <= soc)
        return float(drawn.time_s[under[0]]) if len(under) else math.nan

    return TurnBack(soc, reached_s(drawn.low), reached_s(drawn.middle))


@dataclass(frozen=True, slots=True)
class AirEffect:
    """What typed weather does to charging: "frost", "freezes" or "heat", the limit [°C], and the Ah of a
    usual morning or day that are at stake.
    """

    kind: str
    limit_c: float
    at_stake_ah: float


def air_effects(
    air_c: tuple[float | None, float | None],
    bank: Bank,
    chemistry: Chemistry,
    profile: DailyProfile,
    soc: float,
) -> list[AirEffect]:
    """What tomorrow's coldest and hottest hour mean for charging.

    Args:
        air_c: coldest and hottest [°C], None where nobody typed it.
        bank: of the rig.
        chemistry: of the bank.
        profile: the rig's own days.
        soc: charge now [0..1].
    """
    low_c, high_c = air_c
    gave = profile.gave_ah.mean(axis=0)
    found = []
    refuse_c = bank.coldest_charge_c(chemistry)
    if low_c is not None and refuse_c is not None and low_c < refuse_c:
        found.append(AirEffect("frost", refuse_c, float(gave[:TILL_NOON].sum())))
    if low_c is not None and chemistry.is_lead and low_c < FREEZES_C and soc < FREEZES_SOC:
        found.append(AirEffect("freezes", FREEZES_C, 0.0))
    hot_c = bank.charge_hot_c or (math.inf if chemistry.is_lead else USUAL_HOT_C)
    if high_c is not None and high_c > hot_c:
        found.append(AirEffect("heat", hot_c, float(gave.sum())))
    return found


def absorption_h(some: HalfHours, charging_v: float, per_12v: float) -> float | None:
    """Hours that a charge takes longer to full than its first amps promise: absorption and its taper.

    Of each charge from its first half hour at absorption volts to full: its hours, less its Ah over the amps
    it began with. The middle of all; None with fewer than three.

    Args:
        some: half hours of the log.
        charging_v: volts above which something charges the bank [V].
        per_12v: volts of this bank over those of a 12 V bank.
    """
    high = some.mean_v > charging_v
    if not high.any():
        return None
    top = float(np.quantile(some.mean_v[high], 0.9)) - NEAR_TOP_V * per_12v
    there = (some.mean_v >= top) & high
    found = [_extra_h(some, first, last) for first, last in _stretches(there, some.start_s)]
    told = [each for each in found if each is not None]
    return float(np.median(told)) if len(told) >= LEAST_FULLS else None


def _stretches(there: np.ndarray, start_s: Floats) -> list[tuple[int, int]]:
    """Runs of neighbouring half hours, as [first, last)."""
    places = np.flatnonzero(there)
    if not len(places):
        return []
    cuts = np.flatnonzero((np.diff(places) > 1) | (np.diff(start_s[places]) > 1.5 * SLOT_S)) + 1
    return [(int(part[0]), int(part[-1]) + 1) for part in np.split(places, cuts)]


def _extra_h(some: HalfHours, first: int, last: int) -> float | None:
    full = np.flatnonzero(some.full_h[first:last] > 0.0)
    if not len(full):
        return None
    until = first + int(full[0]) + 1
    hours = float(some.hours[first:until].sum()) - float(some.full_h[until - 1])
    began_a = float(some.in_ah[first] / max(some.hours[first], 1e-9))
    if began_a <= 0.0 or hours > LONGEST_H:
        return None
    return max(0.0, hours - float(some.in_ah[first:until].sum()) / began_a)
