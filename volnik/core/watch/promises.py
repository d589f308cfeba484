"""What is promised on leaving: when the bank is full again, its charge on the next morning; kept or broken.

Source: the forecast (docs/domain/forecast.md), from the rig's own days or from days simulated by its
Survey.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields, replace
from typing import Any, Literal

import numpy as np

from volnik.core.count.log import LogCounter
from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.simulation.season import Days, season
from volnik.core.simulation.vehicle import Vehicle
from volnik.core.watch.checkup.facts import CHARGING_V
from volnik.core.watch.forecast import Ahead, DailyProfile, profile_of
from volnik.core.watch.half_hours import HalfHours, sum_half_hours

State = Literal["open", "kept", "broken"]
BASED_ON = Literal["log", "survey"]
EXPECTED_RUNS, RUN_DAYS = 8, 4  # simulated from full, to draw days from while there is no log
EMPTY = 0.1  # charge below which a simulated bank may cut off: what it then draws is no habit
SIMULATED_GAP_S = 600.0  # longer than a step of the simulation
DAY_S = 86400.0
SLACK = 0.02  # of charge beyond a range that still keeps a promise: a display shows whole percents
SEASONS_BY_MONTH = ("winter", "spring", "summer", "autumn")  # three months each from December on


@dataclass(frozen=True, slots=True)
class Promise:
    """What was promised.

    Attributes:
        made_s: when [s].
        morning_s: the next 07:00 of the rig's clock [s].
        low, middle, high: charge then, nine cases of ten between low and high [0..1].
        full_low_s, full_s, full_high_s: earliest, likeliest, latest next full [s]; NaN where none is likely.
        based_on: the rig's own log, or its Survey.
    """

    made_s: float
    morning_s: float
    low: float
    middle: float
    high: float
    full_low_s: float
    full_s: float
    full_high_s: float
    based_on: BASED_ON

    def as_body(self) -> dict[str, Any]:
        """As it is kept; what is not known is null."""
        return {
            name: None if isinstance(value, float) and math.isnan(value) else value
            for name, value in asdict(self).items()
        }

    @classmethod
    def from_body(cls, body: dict[str, Any]) -> Promise:
        """As it was kept.

        Args:
            body: made by `as_body`.
        """
        known: dict[str, Any] = {name: math.nan if value is None else value for name, value in body.items()}
        return cls(**known)


def promise_of(forecast: Ahead, *, made_s: float, based_on: BASED_ON) -> Promise:
    """The promise a forecast allows.

    Args:
        forecast: from now on.
        made_s: now [s].
        based_on: what its days are drawn from.
    """
    morning_s = forecast.by_morning[0][0]
    at = int((forecast.time_s >= morning_s - 1.0).argmax())
    return Promise(
        made_s,
        morning_s,
        float(forecast.low[at]),
        float(forecast.middle[at]),
        float(forecast.high[at]),
        *forecast.full_again_s,
        based_on,
    )


def season_of(month: int, *, south: bool) -> str:
    """The season of a month where the rig is.

    Args:
        month: 1 to 12.
        south: whether that is south of the equator.
    """
    return SEASONS_BY_MONTH[(month + (6 if south else 0)) % 12 // 3]


def expected_days(vehicle: Vehicle, numbers: Numbers, *, month: int, zone: str) -> DailyProfile:
    """Days as the Survey has them, simulated and counted, for a rig without a log of its own.

    Args:
        vehicle: the rig as simulated.
        numbers: it is counted by.
        month: 1 to 12, for its sun.
        zone: of the rig's clock.

    Raises:
        ValueError: when the bank holds nothing.
    """
    name = season_of(month, south=vehicle.latitude < 0)
    runs = [
        _run(vehicle, numbers, Days(name, vehicle.use.sky, seed=seed, days=RUN_DAYS))
        for seed in range(1, EXPECTED_RUNS + 1)
    ]
    profile = profile_of(
        _one_after_the_other(runs),
        zone="UTC",
        charging_v=charging_v(vehicle.bank),
        efficiency=numbers.coulombic_efficiency,
    )
    return replace(profile, zone=zone)  # its hours are the rig's own


def _run(vehicle: Vehicle, numbers: Numbers, days: Days) -> HalfHours:
    """Half hours of some simulated days from full on, as far as the bank is not empty."""
    readings = season(vehicle, days).readings()
    counter = LogCounter.opened(replace(numbers, initial_soc=1.0))
    counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=SIMULATED_GAP_S)
    some = sum_half_hours(readings, counted, numbers, gap_s=SIMULATED_GAP_S)
    return some.part(some.end_soc > EMPTY)


def _one_after_the_other(runs: list[HalfHours]) -> HalfHours:
    """Runs set end to end, as if they were one log."""
    shifted = [replace(some, start_s=some.start_s + at * RUN_DAYS * DAY_S) for at, some in enumerate(runs)]
    return HalfHours(
        *(np.concatenate([getattr(some, column.name) for some in shifted]) for column in fields(HalfHours))
    )


def charging_v(bank: Bank) -> float:
    """Volts above which something charges a bank [V].

    Args:
        bank: as described.
    """
    return CHARGING_V[bank.chemistry] * bank.cells / CELLS_12V[bank.chemistry]


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a promise.

    Attributes:
        promise: itself.
        morning, full: how each part stands.
        came: charge on that morning [0..1]; NaN while it is to come or unknown.
        full_came_s: first full after it [s]; NaN while none.
    """

    promise: Promise
    morning: State
    full: State
    came: float
    full_came_s: float

    @property
    def state(self) -> State:
        """How it stands as a whole: broken where a part is, kept once every part is."""
        parts = {self.morning, self.full}
        return "broken" if "broken" in parts else "open" if "open" in parts else "kept"


def outcome(promise: Promise, *, now_s: float, came: float, resets_s: Sequence[float]) -> Outcome:
    """What came of a promise.

    Args:
        promise: itself.
        now_s: the rig's now [s].
        came: charge on that morning [0..1]; NaN while unknown.
        resets_s: instants of full resets [s].
    """
    full_came_s = min((at for at in resets_s if at > promise.made_s), default=math.nan)
    return Outcome(promise, _morning(promise, came), _full(promise, now_s, full_came_s), came, full_came_s)


def _morning(promise: Promise, came: float) -> State:
    if math.isnan(came):
        return "open"
    return "kept" if promise.low - SLACK <= came <= promise.high + SLACK else "broken"


def _full(promise: Promise, now_s: float, came_s: float) -> State:
    if math.isnan(promise.full_high_s):
        return "kept"  # none was promised
    if not math.isnan(came_s):
        return "kept" if came_s <= promise.full_high_s else "broken"
    return "broken" if now_s > promise.full_high_s else "open"
