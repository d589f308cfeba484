"""Dead band: a lasting draw that is taken for nothing."""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts

OFF_CHARGE_V = {
    "lfp": 13.42,
    "lead": 13.3,
}  # of a 12 V bank; above it a charger may hold it, and no amps are no draw
LEAST_AH_DAY = 0.8  # hidden: less is not worth a visit; source: estimate
LEAST_SHARE = 0.03  # of all that goes out: within it the band of the count hides it anyway
LEAST_OF_CAPACITY = 0.003  # a day: on a large bank 0.8 Ah is nothing
LEAST_A = 0.05  # a level nearer to zero is the zero's own error


def check(facts: Facts) -> Outcome:
    """Ah a day inside the dead band while nothing charges.

    A day of it against what goes out and against the capacity.

    Args:
        facts: what the log gives to look at.
    """
    if facts.numbers is None:
        return Unsure("dead_band", "Without settings there is no dead band to judge.")
    amps, band = facts.readings.amps, facts.numbers.dead_band_a
    still = (np.abs(amps) < band) & (facts.volts < OFF_CHARGE_V[facts.kind])
    if band <= 0.0 or not still.any():
        return None
    hidden = -float((amps[still] * facts.hours[still]).sum())
    out = float((np.maximum(-amps, 0.0) * facts.hours)[~(np.abs(amps) < band)].sum())
    level = float(np.median(amps[still]))
    day = hidden / max(facts.days_read, 1e-9)
    if (
        day < LEAST_AH_DAY
        or hidden < LEAST_SHARE * out
        or day < LEAST_OF_CAPACITY * facts.capacity_ah
        or level > -LEAST_A
    ):
        return None
    where = np.flatnonzero(still & (facts.hours > 0))
    marks = tuple(
        Mark(float(facts.readings.time_s[at]), float(facts.readings.time_s[at]) + 1800.0, "taken for nothing")
        for at in where[:: max(1, len(where) // 8)]
    )
    return Cause(
        "dead_band",
        0.85,
        f"A draw of about {-level:.2f} A lies inside the dead band of {band:g} A: {day:.1f} Ah a day "
        "go uncounted.",
        "Read the idle draw with a clamp meter.",
        "An idle draw of zero on the clamp points at the shunt's zero instead.",
        {"dead_band_a": round(max(0.02, min(0.1, -level / 3.0)), 2)},
        marks,
        {"hidden_ah_day": day},
    )
