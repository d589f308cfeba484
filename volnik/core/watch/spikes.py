"""Readings that cannot be: volts or amps of no battery, and lone jumps between two readings that agree."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.readings import Readings
from volnik.core.watch.checkup.facts import MOST_A, SPIKE_V
from volnik.core.watch.checkup.steps import noise_of

JUMP_SHARE = 0.5  # of capacity, there and back within one reading; a start of an engine lasts longer
JUMP_NOISE = 50.0  # times the noise
AGREE_SHARE = 0.1  # of the jump: so near the readings before and after it lie


@dataclass(frozen=True, slots=True)
class Spike:
    """A reading that cannot be: when [s], what it says [V, A]."""

    time_s: float
    volts: float
    amps: float


def spikes(readings: Readings, *, per_12v: float, capacity_ah: float) -> list[Spike]:
    """The readings of a log that cannot be, in order of time.

    Args:
        readings: in order of time.
        per_12v: how many 12 V the bank is.
        capacity_ah: of the bank [Ah].
    """
    if not len(readings):
        return []
    volts_12, amps = readings.volts / per_12v, readings.amps
    with np.errstate(invalid="ignore"):
        odd = (volts_12 <= SPIKE_V[0]) | (volts_12 >= SPIKE_V[1]) | (np.abs(amps) >= MOST_A)
    if len(amps) >= 3:
        least = max(JUMP_SHARE * capacity_ah, JUMP_NOISE * noise_of(amps))
        before, after = amps[1:-1] - amps[:-2], amps[1:-1] - amps[2:]
        apart = np.minimum(np.abs(before), np.abs(after))
        alike = np.abs(amps[2:] - amps[:-2]) <= AGREE_SHARE * apart
        odd[1:-1] |= (before * after > 0.0) & (apart > least) & alike
    return [
        Spike(float(readings.time_s[at]), float(readings.volts[at]), float(amps[at]))
        for at in np.flatnonzero(odd)
    ]
