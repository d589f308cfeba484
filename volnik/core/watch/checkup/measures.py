"""Figures that a log gives of a rig whether or not anything is wrong, each with between what it lies."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from volnik.core.watch.checkup import capacity, efficiency, zero_offset
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.load_bypass import steepness

LEAST_STEPS = 12
IDLE_AT = 0.85  # of the readings off charge, least drawn last: what is left when all that switches is off
LEAST_QUIET = 50


@dataclass(frozen=True, slots=True)
class Measure:
    """A figure: its key and title, value and between what it lies, NaN or infinite where nothing bounds it,
    its unit and the digits worth showing.
    """

    key: str
    title: str
    value: float
    low: float
    high: float
    unit: str
    digits: int

    def to_dict(self) -> dict[str, object]:
        """As `volnik checkup --json` tells it; null where nothing bounds it."""
        return {
            "measure": self.key,
            "value": round(self.value, 4),
            "low": round(self.low, 4) if math.isfinite(self.low) else None,
            "high": round(self.high, 4) if math.isfinite(self.high) else None,
            "unit": self.unit,
        }


def measures(facts: Facts) -> list[Measure]:
    """What a log gives of a rig.

    Args:
        facts: what the log gives to look at.
    """
    return [] if facts.trouble else list(_measures(facts))


def _measures(facts: Facts) -> Iterator[Measure]:
    held = capacity.measured(facts)
    if held is not None and held.low_ah <= held.high_ah:
        yield Measure("capacity", "Capacity", held.ah, held.low_ah, held.high_ah, "Ah", 0)
    steps = steepness(facts)
    if steps is not None and len(steps.ohm) >= LEAST_STEPS:
        quarter, middle, three = np.quantile(steps.ohm, (0.25, 0.5, 0.75)) * 1000.0 * facts.per_12v
        doubt = 1.645 * 1.25 * float(three - quarter) / 1.35 / math.sqrt(len(steps.ohm))
        yield Measure(
            "resistance",
            "Resistance",
            float(middle),
            float(middle) - doubt,
            float(middle) + doubt,
            "mΩ",
            1,
        )
    zero = zero_offset.by_cycles(facts) if facts.kind == "lfp" else None
    if zero is not None and zero.misfit <= zero_offset.MOST_MISFIT:
        doubt = 1.645 * zero.sd
        yield Measure("zero", "Zero of the shunt", zero.amps, zero.amps - doubt, zero.amps + doubt, "A", 2)
    lost = efficiency.ratio(facts)
    if lost is not None:
        share, doubt = lost
        yield Measure(
            "efficiency", "Out over in", 100.0 * share, 100 * (share - doubt), 100 * (share + doubt), "%", 1
        )
    quiet = facts.bins.amps[(facts.bins.amps < 0.0) & (facts.bins.volts < facts.charging_v)]
    if len(quiet) >= LEAST_QUIET:
        low, value, high = (-float(np.quantile(quiet, at)) for at in (IDLE_AT + 0.1, IDLE_AT, IDLE_AT - 0.1))
        yield Measure("idle", "Idle draw", value, low, high, "A", 2)
