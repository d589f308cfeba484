"""What the full resets did against the full marks by volts alone."""

from __future__ import annotations

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.facts import Facts

SLACK_S = 2.0 * 3600.0  # a reset may come after its hold time, or when the charger has just gone


def short_of_full(facts: Facts) -> list[tuple[float, float]]:
    """For each first reset after a full mark.

    Its instant, and what still went in until the next full mark [s, Ah].

    Args:
        facts: what the log gives to look at.
    """
    if facts.counted is None or not facts.fulls:
        return []
    readings, resets = facts.readings, np.array([reset.time_s for reset in facts.counted.resets])
    net: Floats = np.concatenate(
        ([0.0], np.cumsum(np.where(readings.amps > 0, 0.99, 1.0) * readings.amps * facts.hours))
    )
    # What goes in beyond what comes out at all times, gassing or a zero that is off, is no sign of a reset
    # that came early.
    always_a = max(0.0, 0.99 * facts.in_ah - facts.out_ah) / facts.cycle_h if facts.cycle_h > 0 else 0.0
    found = []
    last_s = -np.inf
    for full in facts.fulls:
        between = resets[(resets > last_s) & (resets < full.start_s)]
        if len(between):
            # The lowest the bank stood at any of these resets counts: every one of them claimed a full bank.
            at = np.searchsorted(readings.time_s, between, side="right")
            end = int(np.searchsorted(readings.time_s, full.end_s))
            short = net[end] - net[at] - always_a * (full.end_s - between) / 3600.0
            worst = int(np.argmax(short))
            found.append((float(between[worst]), float(short[worst])))
        else:
            found.append((full.start_s, 0.0))
        last_s = full.end_s
    return found
