"""Current the shunt never saw, estimated for the eye: drawn apart, never entered in the ledger.

Source: docs/domain/checkup.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.load_bypass import resistance


@dataclass(frozen=True, slots=True)
class Unseen:
    """What came in unseen.

    Attributes:
        start_s: of ten-minute bins, shape (n,) [s].
        amps: estimated, shape (n,) [A].
        each: of each way from full to full: (from, to [s], Ah).
        ah_day: mean [Ah a day];
        uncertainty: of it, as a share.
    """

    start_s: Floats
    amps: Floats
    each: tuple[tuple[float, float, float], ...]
    ah_day: float
    uncertainty: float


def unseen_charge(facts: Facts) -> Unseen | None:
    """Charge missing from one full to the next, laid where the volts stand above what rest and the seen amps
    explain; None without two fulls.

    Missing = out − efficiency × in between fulls. Its place within is a guess by the volts: the sum is sound,
    its shape is not.

    Args:
        facts: what the log gives to look at.
    """
    if not facts.cycles:
        return None
    eta = 0.995 if facts.kind == "lfp" else 0.95
    bins = facts.bins
    ohm = resistance(facts)
    ohm = 1.5 / facts.capacity_ah if np.isnan(ohm) else ohm
    still = bins.volts - ohm * bins.amps
    amps = np.zeros(len(bins.start_s))
    each = []
    for cycle in facts.cycles:
        missing = max(0.0, cycle.out_ah - eta * cycle.in_ah)
        inside = (bins.start_s >= cycle.start_s) & (bins.start_s < cycle.end_s)
        each.append((cycle.start_s, cycle.end_s, missing))
        if not inside.any() or missing <= 0.0:
            continue
        base = float(np.quantile(still[inside], 0.35))
        weight = np.where(inside, np.maximum(0.0, still - base - 0.03), 0.0)
        # At the absorption volts the bank takes little: there the seen draw itself is what is replaced, and
        # some taper.
        weight = np.where(bins.volts > facts.full_v - 0.1, np.minimum(weight, 0.35), weight)
        weight += np.where(inside & (bins.volts > facts.charging_v), np.maximum(0.0, -bins.amps) * 0.02, 0.0)
        if weight.sum() > 0.0:
            amps += missing * weight / weight.sum() * 6.0  # a bin is a sixth of an hour
    # Where a full was told early one stretch lacks too much and the next too little: the sum over all is the
    # sound one.
    hours = facts.cycle_h
    total = max(0.0, sum(cycle.out_ah - eta * cycle.in_ah for cycle in facts.cycles))
    share = total / max(sum(ah for _, _, ah in each), 1e-9)
    each = [(start_s, end_s, share * ah) for start_s, end_s, ah in each]
    amps *= share
    uncertainty = (0.03 * facts.in_ah + 0.02 * facts.capacity_ah + 0.03 * hours) / max(total, 1.0)
    return Unseen(bins.start_s, amps, tuple(each), total / max(hours, 1.0) * 24.0, min(1.0, uncertainty))
