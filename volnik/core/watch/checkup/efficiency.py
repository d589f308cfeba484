"""Efficiency as set against what came out over what went in, from full to full."""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts

UNREAD = 1.5  # of the usual amps may have flowed while nothing was read
LEAST_CYCLES = 3
ZERO_A = 0.03  # a zero as good as one is set in practice; source: estimate
MOST_RATIO = 1.06  # more came out than that over what went in: current is unseen, no loss
MOST = {"lfp": 0.999, "lead": 0.98}
TOO_HIGH = {"lfp": 0.05, "lead": 0.13}
TOO_LOW = {"lfp": 0.035, "lead": 0.10}
SURELY_LOW = {"lfp": 0.965, "lead": 0.86}  # as set; above it a small offset of the zero explains as much


def ratio(facts: Facts) -> tuple[float, float] | None:
    """Out over in from full to full, its doubt by the zero and by what was not read; None with too little.

    Args:
        facts: what the log gives to look at.
    """
    if len(facts.whole_cycles) < LEAST_CYCLES or facts.in_ah < 0.3 * facts.capacity_ah:
        return None
    zero, unread = _doubts(facts)
    return facts.out_ah / facts.in_ah, zero + unread


def _doubts(facts: Facts) -> tuple[float, float]:
    """What a zero so far off, and draws while nothing was read, would make of it."""
    usual_a = float(np.sqrt(np.mean(facts.readings.amps**2)))
    unread_ah = UNREAD * usual_a * sum(cycle.unread_h for cycle in facts.whole_cycles)
    return ZERO_A * facts.cycle_h / facts.in_ah, unread_ah / facts.in_ah


def check(facts: Facts) -> Outcome:
    """The setting less out over in; too high or too low by more than the zero's doubt.

    Args:
        facts: what the log gives to look at.
    """
    if facts.numbers is None:
        return Unsure("efficiency", "Without settings there is nothing to compare with.")
    if facts.plan is None:
        return Unsure(
            "efficiency", "Without the rig's plan a scale or a second path looks the same as a loss."
        )
    told = ratio(facts)
    if told is None:
        return Unsure("efficiency", "Too little was cycled between full charges.")
    share, stated = told[0], facts.numbers.coulombic_efficiency
    zero, unread = _doubts(facts)
    low = stated - share < -(TOO_LOW[facts.kind] + 0.5 * zero + unread) and stated < SURELY_LOW[facts.kind]
    high = stated - share > TOO_HIGH[facts.kind] + zero + unread
    if high and facts.kind == "lead":
        return Unsure(
            "efficiency",
            "More goes in than comes out: on a lead battery gassing and a plus of the zero make the "
            "same picture. Read the zero first.",
        )
    if not (low or high) or share > MOST_RATIO:
        return None
    return Cause(
        "efficiency",
        0.75,
        f"From full to full {facts.out_ah:.0f} Ah came out of {facts.in_ah:.0f} Ah that went in, "
        f"{100 * share:.1f} %, and {100 * stated:.0f} % is set: the count creeps {'down' if low else 'up'}.",
        "Read the zero with nothing connected first: an offset makes the same picture.",
        f"An offset of {ZERO_A:.2f} A or less leaves the efficiency as the cause.",
        {"coulombic_efficiency": round(min(MOST[facts.kind], share), 3)},
        (),
        {"measured": share},
    )
