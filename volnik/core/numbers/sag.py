"""How far a bank's volts sag under a heavy load that lasts, as its own log shows it.

Source: docs/domain/alarms.md.
"""

from __future__ import annotations

import numpy as np

from volnik.core.arrays import Floats

HEAVY, QUIET = 0.05, 0.02  # of the Ah in amps: a heavy draw, and what goes before it
LEAST_S, BEFORE_S = 120.0, 600.0  # that a draw lasts, and before it that volts at rest are looked for in
LATE_S = 600.0  # into a draw: later the volts fall with the charge, which is no sag
LEAST_DRAWS = 5
USUAL = 0.9  # of the draws sag no more


def sag_ohm(time_s: Floats, volts: Floats, amps: Floats, capacity_ah: float) -> float | None:
    """Volts that each amp of a lasting draw takes off [Ω]; None with fewer than five such draws.

    Args:
        time_s: instants, shape (n,) [s].
        volts: at them, shape (n,) [V].
        amps: at them, positive charging, shape (n,) [A].
        capacity_ah: of the bank [Ah].
    """
    heavy = amps < -HEAVY * capacity_ah
    edges = np.flatnonzero(np.diff(np.concatenate(([False], heavy, [False])).astype(int)))
    found = []
    for begin, end in zip(edges[::2], edges[1::2], strict=True):
        if time_s[end - 1] - time_s[begin] < LEAST_S:
            continue
        first = int(np.searchsorted(time_s, time_s[begin] - BEFORE_S))
        quiet = np.flatnonzero(np.abs(amps[first:begin]) < QUIET * capacity_ah) + first
        if not len(quiet):
            continue
        last = min(end, int(np.searchsorted(time_s, time_s[begin] + LATE_S, side="right")))
        late = slice((begin + last) // 2, last)
        more_a = float(np.median(amps[quiet[-1:]]) - np.median(amps[late]))
        found.append(float(volts[quiet[-1]] - np.median(volts[late])) / more_a)
    if len(found) < LEAST_DRAWS:
        return None
    return max(0.0, float(np.quantile(found, USUAL)))
