"""Loads that go off while no charger is in play: the one kind of step whose amps are the load's own.

A load that comes on surges; one that goes off beside a charger moves what the charger gives. Source: trials.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.facts import Facts

CLEAR, LEAST_A = 8.0, 0.6  # times the noise, and amps, a step must stand out by
STILL_A = 0.3  # more than that going in afterwards is a charger
UNDER_V = 0.05  # under the volts above which something charges
WINDOW = 0.06  # of the logarithm: sizes this near are one load's
BESIDE_S = 6.0 * 86_400.0  # before and after a change: within it temperature and charge are alike
LEAST_EACH = 8  # steps before and after, from which a mean rise is told


@dataclass(frozen=True, slots=True)
class OffSteps:
    """Steps of loads that went off: when [s], their size [A], what the volts rose by [V]; shape (k,)."""

    time_s: Floats
    amps: Floats
    volts: Floats


def off_steps(facts: Facts) -> OffSteps:
    """The steps at which a load went off and nothing charged.

    Args:
        facts: what the log gives to look at.
    """
    if "off_steps" not in facts.memo:
        steps, limit = facts.steps, facts.charging_v - UNDER_V
        after_a = steps.before_a + steps.amps
        chosen = (
            (steps.amps > max(CLEAR * facts.noise_a, LEAST_A))
            & (steps.before_a < 0.0)
            & (after_a < STILL_A)
            & (steps.level_v < limit)
            & (steps.level_v - steps.volts < limit)
        )
        facts.memo["off_steps"] = OffSteps(steps.time_s[chosen], steps.amps[chosen], steps.volts[chosen])
    return facts.memo["off_steps"]  # type: ignore[return-value]


def density(sizes: Floats, at: Floats) -> Floats:
    """How many steps lie within 6 % of each size.

    Args:
        sizes: of the steps [A].
        at: where the density is wanted [A].
    """
    ordered = np.sort(np.log(sizes))
    place = np.log(at)
    return np.asarray(
        np.searchsorted(ordered, place + WINDOW) - np.searchsorted(ordered, place - WINDOW), dtype=float
    )


def near(sizes: Floats, amps: float) -> int:
    """How many steps lie within 6 % of one size.

    Args:
        sizes: of the steps [A].
        amps: the size [A].
    """
    return int(np.count_nonzero(np.abs(np.log(sizes / amps)) < WINDOW)) if amps > 0.0 else 0


@dataclass(frozen=True, slots=True)
class Followed:
    """How far the volts followed a change of amps: 1 where the load itself changed, 0 where only its reading
    did; and one deviation of that.
    """

    share: float
    sd: float

    @property
    def is_reading(self) -> bool:
        """Whether the amps are read otherwise, and no load changed."""
        return self.share + SURE * self.sd < HALF

    @property
    def is_load(self) -> bool:
        """Whether a load changed."""
        return self.share - SURE * self.sd > HALF


HALF, SURE = 0.5, 1.0  # between the two, and deviations from it; source: trials


def followed(facts: Facts, before_a: float, after_a: float) -> Followed | None:
    """Whether steps of one size that gave way to another raised the volts otherwise too.

    A load that draws half again as much raises the volts by half again as much when it goes off; a scale
    that changed leaves the volts alone.

    Args:
        facts: what the log gives to look at.
        before_a: size of the steps before the change [A].
        after_a: after it [A].
    """
    seen = off_steps(facts)
    was = np.abs(np.log(seen.amps / before_a)) < WINDOW
    now = np.abs(np.log(seen.amps / after_a)) < WINDOW
    if not was.any() or not now.any():
        return None
    # The cut that leaves most of the old before it and most of the new after it.
    score = np.cumsum(was.astype(int) - now.astype(int))
    at_s = float(seen.time_s[int(np.argmax(score))])
    early = seen.volts[was & (seen.time_s <= at_s) & (seen.time_s > at_s - BESIDE_S)]
    late = seen.volts[now & (seen.time_s > at_s) & (seen.time_s < at_s + BESIDE_S)]
    if min(len(early), len(late)) < LEAST_EACH or min(early.mean(), late.mean()) <= 0.0:
        return None
    moved = np.log(after_a / before_a)
    doubt = np.hypot(_doubt(early), _doubt(late))
    return Followed(float(np.log(late.mean() / early.mean()) / moved), float(doubt / abs(moved)))


def _doubt(values: Floats) -> float:
    """One deviation of the logarithm of a mean."""
    return float(values.std() / np.sqrt(len(values)) / values.mean())
