"""The monitor, apart from the truth.

It sees what crosses the shunt, with noise, offset and gain, in steps of its own.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Readings
from volnik.core.simulation.simulate import Truth


@dataclass(frozen=True, slots=True)
class Meter:
    """What a monitor adds to what it measures. Starting figures: docs/domain/truth.md, section 2.

    Attributes:
        noise_v, noise_a: standard deviation [V, A].
        step_v, step_a: one count [V, A].
        offset_v, offset_a, gain: systematic errors [V, A, -].
    """

    noise_v: float = 0.006
    noise_a: float = 0.020
    step_v: float = 0.01
    step_a: float = 0.01
    offset_v: float = 0.0
    offset_a: float = 0.0
    gain: float = 1.0


def metered(rng: np.random.Generator, truth: Truth, celsius: Floats, meter: Meter | None = None) -> Readings:
    """What a monitor writes down at each instant.

    Args:
        rng: where chance comes from.
        truth: what really flowed.
        celsius: of the bank, shape (n,) [°C].
        meter: how the shunt reads, or None for a true one.
    """
    meter = meter or Meter()
    steps = len(truth.time_s)
    volts = truth.volts + meter.offset_v + rng.normal(0.0, meter.noise_v, steps)
    amps = truth.shunt_a * meter.gain + meter.offset_a + rng.normal(0.0, meter.noise_a, steps)
    volts = np.round(np.round(volts / meter.step_v) * meter.step_v, 3)
    amps = np.round(np.round(amps / meter.step_a) * meter.step_a, 3) + 0.0
    return Readings(truth.time_s, volts, amps, {"celsius": np.round(celsius * 2) / 2})
