"""Efficiency as set against what came out over what went in, from full to full."""

from __future__ import annotations

from volnik.core.watch.checkup.cause import Cause, Look, Unsure
from volnik.core.watch.checkup.facts import Facts

TOO_HIGH = {"lfp": 0.05, "lead": 0.13}
TOO_LOW = {"lfp": 0.035, "lead": 0.10}
SURELY_LOW = {"lfp": 0.965, "lead": 0.86}  # as set; above it a small offset of the zero explains as much


def look(facts: Facts) -> Look:
    """The setting less out over in; too high or too low by more than the zero's doubt."""
    if facts.numbers is None:
        return Unsure("efficiency", "Without settings there is nothing to compare with.")
    if facts.plan is None:
        return Unsure(
            "efficiency", "Without the rig's plan a scale or a second path cannot be told from a loss."
        )
    if len(facts.cycles) < 3 or facts.in_ah < 0.3 * facts.capacity_ah:
        return Unsure("efficiency", "Too little was cycled between full charges.")
    ratio = facts.out_ah / facts.in_ah
    off = facts.numbers.coulombic_efficiency - ratio
    uncertainty = 0.03 * facts.cycle_h / facts.in_ah  # what a zero 0.03 A off would make of it
    low = (
        off < -(TOO_LOW[facts.kind] + 0.5 * uncertainty)
        and facts.numbers.coulombic_efficiency < SURELY_LOW[facts.kind]
    )
    high = off > TOO_HIGH[facts.kind] + uncertainty
    if high and facts.kind == "lead":
        return Unsure(
            "efficiency",
            "More goes in than comes out: on a lead bank gassing and a plus of the zero make the "
            "same picture. Read the zero first.",
        )
    if not (low or high) or ratio > 1.06:
        return None
    value = min(0.999 if facts.kind == "lfp" else 0.98, ratio)
    return Cause(
        "efficiency",
        0.75,
        (
            f"From full to full {facts.out_ah:.0f} Ah came out of {facts.in_ah:.0f} Ah that went in, "
            f"{100 * ratio:.1f} %, and {100 * facts.numbers.coulombic_efficiency:.0f} % is set: "
        )
        + ("the count creeps down." if low else "the count creeps up."),
        "Read the zero with nothing connected first: an offset makes the same picture.",
        f"An offset of {0.03:.2f} A or less leaves the efficiency as the cause.",
        {"coulombic_efficiency": round(value, 3)},
        (),
        {"measured": ratio},
    )
