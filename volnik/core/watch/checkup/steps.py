"""Sudden changes of amps or volts in a log, and the noise they must stand out of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Readings


@dataclass(frozen=True, slots=True)
class Steps:
    """Sudden changes between neighbouring readings, off spikes.

    Instant [s], change of amps [A] and volts (12 V bank) [V], volts after; shape (k,).
    """

    time_s: Floats
    amps: Floats
    volts: Floats
    level_v: Floats
    before_a: Floats


def noise_of(values: Floats) -> float:
    """Deviation of a reading, from the middle size of its changes.

    Args:
        values: as read, shape (n,).
    """
    if len(values) < 3:
        return 0.0
    change = np.abs(np.diff(values))
    return float(np.median(change)) / 0.954


def steps_of(readings: Readings, volts: Floats, gap_s: float, noise_a: float) -> Steps:
    """Changes of amps or volts that stand out; the level before and after must hold for a reading each.

    Args:
        readings: in order of time.
        gap_s: longest interval that is counted [s].
        noise_a: of the amps [A].
    """
    count = len(readings)
    none = np.empty(0)
    if count < 6:
        return Steps(none, none, none, none, none)
    amps = readings.amps
    close = np.diff(readings.time_s) <= min(gap_s, 300.0)
    jump_a, jump_v = np.diff(amps), np.diff(volts)
    noise_v = max(noise_of(volts), 0.003)
    stands = close & (
        (np.abs(jump_a) > max(8.0 * noise_a, 0.6)) | (np.abs(jump_v) > max(8.0 * noise_v, 0.04))
    )
    # A ramp over two readings is one step: the larger half stands for it.
    at = np.flatnonzero(stands)
    if len(at) > 400_000:
        at = at[-400_000:]
    at = at[(at > 0) & (at < count - 2)]
    before_a, after_a = amps[at - 1], amps[at + 2]
    before_v, after_v = volts[at - 1], volts[at + 2]
    whole_a = np.where(np.abs(after_a - before_a) > np.abs(jump_a[at]), after_a - before_a, jump_a[at])
    whole_v = np.where(np.abs(after_v - before_v) > np.abs(jump_v[at]), after_v - before_v, jump_v[at])
    keep = np.concatenate(([True], np.diff(at) > 1)) if len(at) else np.empty(0, dtype=bool)
    at, whole_a, whole_v = at[keep], whole_a[keep], whole_v[keep]
    return Steps(readings.time_s[at + 1], whole_a, whole_v, volts[np.minimum(at + 2, count - 1)], amps[at])
