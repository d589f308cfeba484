"""Never resets: the bank was full by its volts, and the count was not reset."""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Look, Mark, Unsure
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.resets import SLACK_S

LEAST_FULLS, FEW = 3, 0.2


def look(facts: Facts) -> Look:
    """Full marks with a reset near them, under a fifth of all."""
    if facts.counted is None or facts.numbers is None:
        return Unsure("never_resets", "Without settings no count can be made.")
    if len(facts.fulls) < LEAST_FULLS:
        if not facts.counted.resets:
            return Unsure(
                "never_resets",
                f"The bank was full {len(facts.fulls)} times in this log: too seldom to blame the settings.",
            )
        return None
    times = np.array([reset.time_s for reset in facts.counted.resets])
    reset = [
        bool(((times >= full.start_s - SLACK_S) & (times <= full.end_s + SLACK_S)).any())
        for full in facts.fulls
    ]
    share = sum(reset) / len(reset)
    numbers, per = facts.numbers, facts.per_12v
    volts = np.array([facts.bins.volts[full.first : full.last].max() for full in facts.fulls])
    low = np.array([facts.bins.amps[full.first : full.last].min() for full in facts.fulls])
    reaches = float(np.median(volts)) * per
    out_of_reach = numbers.charged_voltage_v > reaches - 0.02 * per
    tail = float(np.quantile(np.maximum(low, 0.0), 0.7)) / numbers.capacity_ah * 100.0
    # Some resets say that the settings can be met: then only a reason that stands in the readings is named.
    if share >= FEW or (share > 0 and not out_of_reach and numbers.tail_current_pct >= tail):
        return None
    corrected: dict[str, float] = {}
    if out_of_reach:
        corrected["charged_voltage_v"] = round(
            (facts.full_v - (0.3 if facts.kind == "lfp" else 0.2)) * per, 2
        )
    if numbers.tail_current_pct < 1.2 * tail or not out_of_reach:
        corrected["tail_current_pct"] = float(
            np.clip(round(1.5 * tail + 0.5, 1), 2.0 if facts.kind == "lfp" else 1.0, 6.0)
        )
    message = (
        f"the chargers end at {reaches:.2f} V, and {numbers.charged_voltage_v:.2f} V is asked for"
        if out_of_reach
        else (
            f"the amps come down to {tail:.1f} % of the capacity, and {numbers.tail_current_pct:g} % is "
            f"asked for, held {numbers.hold_s / 60:.0f} min"
        )
    )
    return Cause(
        "never_resets",
        0.92 if share == 0 else 0.8,
        f"{len(facts.fulls)} times the bank was full by its volts, and {sum(reset)} of them reset "
        f"the count: {message}.",
        "Read the charger's real volts at the posts at the end of a charge, and the amps there.",
        "Volts and amps inside the setting for the whole hold rule it out.",
        corrected,
        tuple(
            Mark(full.start_s, full.end_s, "full, not reset")
            for full, done in zip(facts.fulls, reset, strict=True)
            if not done
        )[:12],
        {"fulls": float(len(reset)), "reset": float(sum(reset))},
    )
