"""A vehicle run forward in time: the bank, its chargers and loads, and the meter on its shunt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.count.state import Floats
from volnik.core.readings import Readings
from volnik.core.truth.cells import run_bank
from volnik.core.truth.chargers import Charger

NOISE_V, NOISE_A, STEP_V, STEP_A = 0.006, 0.020, 0.01, 0.01


@dataclass(frozen=True, slots=True)
class Truth:
    """What really happened.

    Attributes:
        time_s: instants, shape (n,) [s].
        volts, bank_a: at the bank [V, A].
        shunt_a: what crossed the shunt [A].
        charge: true charge 0..1.
        charger_a: current of each charger, shape (chargers, n) [A].
    """

    time_s: Floats
    volts: Floats
    bank_a: Floats
    shunt_a: Floats
    charge: Floats
    charger_a: Floats


def simulate(
    time_s: Floats, *, capacity_ah: float, cells: int, charge: float, celsius: Floats, load_a: Floats,
    chargers: list[Charger], load_counted_a: Floats | None = None,
) -> Truth:  # fmt: skip
    """Run a lithium bank forward.

    Args:
        time_s: evenly spaced instants, shape (n,) [s].
        capacity_ah, cells, charge: the bank and its charge 0..1 at the start.
        celsius: bank temperature, shape (n,).
        load_a: what all loads draw, shape (n,) [A, positive].
        load_counted_a: the part of it that crosses the shunt; by default all.

    Raises:
        ValueError: when the arrays do not fit together.
    """
    steps = len(time_s)
    if any(len(values) != steps for values in (celsius, load_a, *(charger.available_a for charger in chargers))):
        raise ValueError(f"every series must hold {steps} steps")
    available = np.array([charger.available_a for charger in chargers]).reshape(len(chargers), steps)
    columns = [np.array([getattr(charger, name) for charger in chargers], dtype=float) for name in (
        "absorption_v", "float_v", "absorption_s", "end_a", "cable_ohm", "counted",
    )]  # fmt: skip
    outputs = [np.empty(steps) for _ in range(4)]
    given = np.empty((len(chargers), steps))
    counted = load_a if load_counted_a is None else load_counted_a
    run_bank(
        float(time_s[1] - time_s[0]), float(capacity_ah), float(cells), float(charge), celsius, load_a, counted,
        available, *columns, *outputs, given,
    )  # fmt: skip
    volts, bank_a, shunt_a, true_charge = outputs
    return Truth(time_s, volts, bank_a, shunt_a, true_charge, given)


def metered(
    rng: np.random.Generator, truth: Truth, celsius: Floats, *, offset_a: float = 0.0, gain: float = 1.0
) -> Readings:
    """What a monitor writes down: noise, offset and gain, in its own steps."""
    steps = len(truth.time_s)
    volts = np.round((truth.volts + rng.normal(0.0, NOISE_V, steps)) / STEP_V) * STEP_V
    amps = np.round((truth.shunt_a * gain + offset_a + rng.normal(0.0, NOISE_A, steps)) / STEP_A) * STEP_A
    return Readings(truth.time_s, np.round(volts, 2), np.round(amps, 2) + 0.0, {"celsius": np.round(celsius * 2) / 2})
