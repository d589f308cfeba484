"""A load that bypasses the shunt: volts fall in steps that no amps explain, or more goes in than ever comes
out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup import zero_offset
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Facts

UNEXPLAINED = 0.40  # of the falls in volts come with no amps; wires and warmth explain fewer; source: trials
LEAST_EVENTS = 8  # such falls: fewer may be chance
LITTLE_OUT = {"lfp": 0.90, "lead": 0.76}
GASSES_V = (
    14.2  # of a 12 V lead bank: what goes in below it stays in; source: trade practice, 2.35 to 2.40 V a cell
)


@dataclass(frozen=True, slots=True)
class Steepness:
    """Volts of a 12 V bank an amp, step by step: when [s], how much [ohm], and the step's own amps [A]; shape
    (k,) each.
    """

    time_s: Floats
    ohm: Floats
    weight: Floats


def steepness(facts: Facts) -> Steepness | None:
    """The steps off charge that tell a resistance, None with too few.

    Args:
        facts: what the log gives to look at.
    """
    steps = facts.steps
    good = (np.abs(steps.amps) > max(10.0 * facts.noise_a, 0.01 * facts.capacity_ah, 1.0)) & (
        steps.level_v < facts.charging_v
    )
    good &= np.sign(steps.amps) == np.sign(steps.volts)
    if good.sum() < 6:
        return None
    return Steepness(steps.time_s[good], steps.volts[good] / steps.amps[good], np.abs(steps.amps[good]))


def resistance(facts: Facts) -> float:
    """Volts of a 12 V bank an amp over steps off charge [ohm]; NaN with too few.

    Args:
        facts: what the log gives to look at.
    """
    found = steepness(facts)
    if found is None:
        return float("nan")
    order = np.argsort(found.ohm)
    running = np.cumsum(found.weight[order])
    return float(found.ohm[order][np.searchsorted(running, running[-1] / 2.0)])


def unexplained(facts: Facts) -> tuple[Bools, float]:
    """Steps of volts off charge without their amps, and their share by size of all such steps.

    Args:
        facts: what the log gives to look at.
    """
    steps, ohm = facts.steps, resistance(facts)
    strong = (
        (np.abs(steps.volts) > max(9.0 * facts.noise_v, 0.05))
        & (np.maximum(steps.level_v, steps.level_v - steps.volts) < facts.charging_v - 0.15)
        & (steps.level_v > 11.0)
    )
    if np.isnan(ohm):  # then no amps were ever seen to move the volts
        ohm = 1.5 / facts.capacity_ah
    alone = strong & (np.abs(steps.amps) < 0.2 * np.abs(steps.volts) / max(ohm, 1e-5))
    whole = float(np.abs(steps.volts[strong]).sum())
    return alone, float(np.abs(steps.volts[alone]).sum()) / whole if whole > 0 else 0.0


def could_come_out(facts: Facts) -> float:
    """What went in from the first full to the last and can come out again [Ah].

    For lead only below the volts at which it gasses, and not while full.

    Args:
        facts: what the log gives to look at.
    """
    if facts.kind == "lfp" or len(facts.fulls) < 2:
        return facts.in_ah
    bins = facts.bins
    chosen = (
        (bins.start_s >= facts.fulls[0].end_s)
        & (bins.start_s <= facts.fulls[-1].end_s)
        & (bins.volts < GASSES_V)
    )
    for full in facts.fulls:
        chosen[full.first + 3 : full.last] = False  # the first half hour still fills
    return float(np.maximum(bins.amps[chosen], 0.0).sum()) / 6.0


def check(facts: Facts) -> Outcome:
    """Share of volts steps without amps; charge that goes in and never comes out.

    The second only where no shift of the zero explains it.

    Args:
        facts: what the log gives to look at.
    """
    alone, share = unexplained(facts)
    went_in = could_come_out(facts)
    ratio = facts.out_ah / went_in if went_in > 0 else 1.0
    excess_a = (0.99 * went_in - facts.out_ah) / facts.cycle_h if facts.cycle_h > 0 else 0.0
    enough = went_in > 0.15 * facts.capacity_ah and len(facts.cycles) >= 2
    by_balance = (
        enough and ratio < LITTLE_OUT[facts.kind] and excess_a > 0.15 and not _like_shift(facts, excess_a)
    )
    # A balance that holds from full to full speaks against a load that is not seen, whatever the volts do.
    holds = enough and ratio > LITTLE_OUT[facts.kind] + 0.03
    by_steps = share > UNEXPLAINED and alone.sum() >= LEAST_EVENTS and not holds
    if not (by_balance or by_steps):
        unsure = "The log does not lead from one full charge to another, and no step of the volts is alone."
        return Unsure("load_bypass", unsure) if not enough and len(facts.fulls) < 2 else None
    message = _evidence(facts, went_in, excess_a, share, by_balance=by_balance, by_steps=by_steps)
    return Cause(
        "load_bypass",
        min(0.97, 0.62 + 0.2 * by_balance + 0.2 * by_steps),
        message,
        "Switch on each load in turn: does the shunt see its amps? Begin with whatever was fitted last.",
        "A load whose amps the shunt sees is cleared.",
        {},
        _marks(facts, alone),
        {"unseen_ah_day": max(0.0, excess_a) * 24.0, "steps_share": share},
    )


def _like_shift(facts: Facts, excess_a: float) -> bool:
    """Whether a shift of the zero would make the same excess."""
    shift, steady = zero_offset.held_current(facts)
    return zero_offset.resting_plus(facts) > 0.0 or (
        steady and abs(shift - excess_a) < max(0.20, 0.4 * excess_a)
    )


def _evidence(
    facts: Facts, went_in: float, excess_a: float, share: float, *, by_balance: bool, by_steps: bool
) -> str:
    parts = []
    if by_balance:
        usable = "" if facts.kind == "lfp" else " that could come out again"
        parts.append(
            f"from full to full {went_in:.0f} Ah went in{usable} and {facts.out_ah:.0f} "
            f"Ah were seen to come out, about {24 * excess_a:.0f} Ah a day more in than out"
        )
    if by_steps:
        parts.append(f"{100 * share:.0f} % of the steps of the volts, by size, have no amps beside them")
    text = ", and ".join(parts)
    return text[0].upper() + text[1:] + "."


def _marks(facts: Facts, alone: Bools) -> tuple[Mark, ...]:
    """The dozen largest lone steps."""
    largest = np.argsort(-np.abs(facts.steps.volts[alone]))[:12]
    places = sorted(float(at) for at in facts.steps.time_s[alone][largest])
    return tuple(Mark(at - 300.0, at + 300.0, "volts fall, amps do not") for at in places)
