"""Never resets: the bank was full by its volts, and the count was not reset."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import FULL_LEAST_V, Facts, Full
from volnik.core.watch.checkup.resets import SLACK_S

LEAST_FULLS = 3  # fewer may be days on which the monitor was being set
PLATEAU_BINS, PLATEAU_V = 3, 0.08  # half an hour, and volts alike from day to day; source: trials
OUT_OF_REACH_V = 0.03  # of a 12 V bank, above what the chargers hold
FEW = 0.2  # of the fulls were told: one in five is as good as none
# under the chargers' volts [V of a 12 V bank], least tail [%]; source: docs/domain/checkup.md
MEETS = {"lfp": (0.3, 2.0), "lead": (0.2, 1.0)}


def check(facts: Facts) -> Outcome:
    """Full marks with a reset near them, under a fifth of all.

    Args:
        facts: what the log gives to look at.
    """
    if facts.counted is None or facts.numbers is None:
        return Unsure("never_resets", "Without settings no count can be made.")
    if (beyond := _beyond_reach(facts, facts.numbers)) is not None:
        return beyond
    if len(facts.fulls) >= LEAST_FULLS:
        return _by_fulls(facts, facts.numbers)
    if facts.counted.resets:
        return None
    seldom = f"The battery was full {len(facts.fulls)} times in this log: too seldom to blame the settings."
    return Unsure("never_resets", seldom)


def _beyond_reach(facts: Facts, numbers: Numbers) -> Cause | None:
    """Chargers that hold the battery below what is asked for, and not one reset."""
    plateau = _plateau(facts)
    if plateau is None or facts.counted is None or facts.counted.resets:
        return None
    volts, days = plateau
    if numbers.charged_voltage_v <= (volts + OUT_OF_REACH_V) * facts.per_12v:
        return None
    return _out_of_reach(facts, numbers, volts * facts.per_12v, days)


def _by_fulls(facts: Facts, numbers: Numbers) -> Cause | None:
    """Full marks with a reset near them, under a fifth of all."""
    assert facts.counted is not None
    times = np.array([reset.time_s for reset in facts.counted.resets])
    was_reset = [_near(times, full) for full in facts.fulls]
    share = sum(was_reset) / len(was_reset)
    reached = _reached(facts, numbers)
    # Some resets say that the settings can be met: then only a reason that stands in the readings is named.
    met = not reached.out_of_reach and numbers.tail_current_pct >= reached.tail_pct
    if share >= FEW or (share > 0 and met):
        return None
    return Cause(
        "never_resets",
        0.92 if share == 0 else 0.8,
        f"{len(facts.fulls)} times the battery was full by its volts, and {sum(was_reset)} of them reset "
        f"the count: {reached.describe(numbers)}.",
        "Read the charger's real volts at the posts at the end of a charge, and the amps there.",
        "Volts and amps inside the setting for the whole hold rule it out.",
        _met(facts, numbers, reached),
        tuple(
            Mark(full.start_s, full.end_s, "full, not reset")
            for full, done in zip(facts.fulls, was_reset, strict=True)
            if not done
        )[:12],
        {"fulls": float(len(was_reset)), "reset": float(sum(was_reset))},
    )


def _plateau(facts: Facts) -> tuple[float, int] | None:
    """Where charging ends day after day [V of a 12 V bank], and on how many days; None where it does not."""
    volts = facts.bins.volts
    if len(volts) < PLATEAU_BINS:
        return None
    held = np.min([volts[at : len(volts) - PLATEAU_BINS + at + 1] for at in range(PLATEAU_BINS)], axis=0)
    day = np.floor(facts.bins.start_s[: len(held)] / 86400.0).astype(np.int64)
    top = np.maximum.reduceat(held, np.concatenate(([0], np.flatnonzero(np.diff(day)) + 1)))
    charged = top[top >= FULL_LEAST_V[facts.kind]]
    if len(charged) < LEAST_FULLS:
        return None
    highest = float(np.quantile(charged, 0.9))
    days = int(np.count_nonzero(charged > highest - PLATEAU_V))
    return (highest, days) if days >= LEAST_FULLS else None


def _out_of_reach(facts: Facts, numbers: Numbers, volts: float, days: int) -> Cause:
    """Chargers that end below what is asked for, day after day: no charge however full resets the count."""
    return Cause(
        "never_resets",
        0.9,
        f"On {days} days the chargers held the battery at {volts:.2f} V and went no higher; "
        f"{numbers.charged_voltage_v:.2f} V is asked for, so that no full charge ever resets the count.",
        "Read the charger's real volts at the posts at the end of a charge, and the amps there.",
        "Volts and amps inside the setting for the whole hold rule it out.",
        {"charged_voltage_v": round(volts - MEETS[facts.kind][0] * facts.per_12v, 2)},
        (),
        {"volts": volts, "days": float(days)},
    )


@dataclass(frozen=True, slots=True)
class _Reached:
    """How far full charges come: the chargers' end [V], the tail [% of capacity], whether the volts
    suffice.
    """

    volts: float
    tail_pct: float
    out_of_reach: bool

    def describe(self, numbers: Numbers) -> str:
        """Which of the two conditions is not met, in words.

        Args:
            numbers: the settings it is counted by.
        """
        if self.out_of_reach:
            asked = f"{numbers.charged_voltage_v:.2f} V is asked for"
            return f"the chargers end at {self.volts:.2f} V, and {asked}"
        return (
            f"the amps come down to {self.tail_pct:.1f} % of the capacity, and "
            f"{numbers.tail_current_pct:g} % "
            f"is asked for, held {numbers.hold_s / 60:.0f} min"
        )


def _near(times_s: Floats, full: Full) -> bool:
    """Whether a reset lies in or about a full stretch."""
    inside = (times_s >= full.start_s - SLACK_S) & (times_s <= full.end_s + SLACK_S)
    return bool(inside.any())


def _reached(facts: Facts, numbers: Numbers) -> _Reached:
    per = facts.per_12v
    highest = [facts.bins.volts[full.first : full.last].max() for full in facts.fulls]
    lowest = np.array([facts.bins.amps[full.first : full.last].min() for full in facts.fulls])
    volts = float(np.median(highest)) * per
    tail = float(np.quantile(np.maximum(lowest, 0.0), 0.7)) / numbers.capacity_ah * 100.0
    return _Reached(volts, tail, numbers.charged_voltage_v > volts - 0.02 * per)


def _met(facts: Facts, numbers: Numbers, reached: _Reached) -> dict[str, float]:
    """Settings that these charges would meet."""
    under_v, least_pct = MEETS[facts.kind]
    corrected: dict[str, float] = {}
    if reached.out_of_reach:
        corrected["charged_voltage_v"] = round((facts.full_v - under_v) * facts.per_12v, 2)
    if numbers.tail_current_pct < 1.2 * reached.tail_pct or not reached.out_of_reach:
        wider = round(1.5 * reached.tail_pct + 0.5, 1)
        corrected["tail_current_pct"] = float(np.clip(wider, least_pct, 6.0))
    return corrected
