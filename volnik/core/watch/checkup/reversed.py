"""Reversed shunt: where a load comes on, volts fall; a reversed shunt then shows amps that rise."""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts

AGAINST = -0.3  # correlation of steps in volts and amps: a shunt the right way round gives a positive one
LEAST_STEPS = 6  # large ones: fewer may be chance


def check(facts: Facts) -> Outcome:
    """Correlation of volts and amps over their steps, below -0.3.

    Args:
        facts: what the log gives to look at.
    """
    steps = facts.steps
    big = np.abs(steps.amps) > max(8.0 * facts.noise_a, 0.006 * facts.capacity_ah, 0.5)
    if big.sum() < LEAST_STEPS:
        return Unsure(
            "reversed",
            f"Sudden changes of the amps found: {int(big.sum())}; too few to compare with the volts.",
        )
    found = (
        float(np.corrcoef(steps.amps[big], steps.volts[big])[0, 1]) if np.ptp(steps.volts[big]) > 0 else 0.0
    )
    # One reading cannot carry the sign: most of the larger steps must say the same.
    against = float(np.mean(np.sign(steps.amps[big]) == -np.sign(steps.volts[big])))
    if not (found < AGAINST and against > 0.6):
        return None
    chosen = np.argsort(-np.abs(steps.amps * big))[:6]
    marks = tuple(
        Mark(float(steps.time_s[at]) - 300.0, float(steps.time_s[at]) + 300.0, "amps rise, volts fall")
        for at in chosen
    )
    return Cause(
        "reversed",
        min(0.99, 0.6 + 0.4 * -found),
        f"Over {int(big.sum())} sudden changes the volts go the other way than the amps (correlation "
        f"{found:.2f}): what is shown as charge is discharge.",
        "Switch on one known load: do the amps go down? Look which stud the battery's negative sits on.",
        "A load that shows minus rules it out.",
        {"amps_factor": -1.0},
        marks,
        {"correlation": found, "steps": float(big.sum())},
    )
