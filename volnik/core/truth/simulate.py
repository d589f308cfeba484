"""A vehicle run forward in time: the bank, its chargers and loads, and the meter on its shunt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit

from volnik.core.count.state import Floats
from volnik.core.readings import Readings
from volnik.core.truth.cells import open_circuit_v, terminal_v
from volnik.core.truth.chargers import Charger

CHARGE_CUT_V, CHARGE_BACK_V, LOAD_CUT_V, LOAD_BACK_V = 14.6, 13.9, 11.6, 13.05  # per four cells
NOISE_V, NOISE_A, STEP_V, STEP_A = 0.006, 0.020, 0.01, 0.01
OHMS_FLOOR = 1e-4


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


@njit(cache=True)  # type: ignore[misc]
def _run(
    step_s: float, capacity_ah: float, cells: float, charge: float, celsius: Floats, load_a: Floats, load_counted: Floats,
    available: Any, absorption_v: Floats, float_v: Floats, absorption_s: Floats, end_a: Floats, ohms: Floats, counted: Floats,
    volts_out: Floats, bank_out: Floats, shunt_out: Floats, charge_out: Floats, charger_out: Any,
) -> None:  # fmt: skip
    chargers = available.shape[0]
    slow_v = 0.0
    lag = 0.0
    per_12v = cells / 4.0
    stage = np.zeros(chargers)  # 0 bulk, 1 absorption, 2 float
    timer = np.zeros(chargers)
    tapered = np.zeros(chargers)
    low = np.zeros(chargers)
    dark = np.zeros(chargers)
    given = np.zeros(chargers)
    charge_ok = True
    load_ok = True
    volts = open_circuit_v(charge, cells)
    for i in range(load_a.shape[0]):
        drawn = load_a[i] if load_ok else 0.0
        most = 0.0
        for c in range(chargers):
            most += available[c, i]
        # The current at which bank and chargers agree on the volts: terminal volts rise with current, chargers fall.
        left, right = -drawn, most - drawn
        if not charge_ok:
            right = min(right, 0.0)
        for _ in range(40):
            middle = 0.5 * (left + right)
            v, _q, _s, _l = terminal_v(middle, charge, slow_v, lag, capacity_ah, cells, celsius[i], step_s)
            offer = 0.0
            for c in range(chargers):
                goal = float_v[c] if stage[c] == 2.0 else absorption_v[c]
                offer += min(max((goal - v) / max(ohms[c], OHMS_FLOOR), 0.0), available[c, i])
            if offer - drawn > middle:
                left = middle
            else:
                right = middle
            if right - left < 1e-4:
                break
        amps = 0.5 * (left + right)
        volts, charge, slow_v, lag = terminal_v(amps, charge, slow_v, lag, capacity_ah, cells, celsius[i], step_s)
        total = 0.0
        for c in range(chargers):
            goal = float_v[c] if stage[c] == 2.0 else absorption_v[c]
            given[c] = min(max((goal - volts) / max(ohms[c], OHMS_FLOOR), 0.0), available[c, i])
            total += given[c]
        # The rounding of the last halving goes to the chargers, so that currents add up exactly.
        wanted = amps + drawn
        seen = 0.0
        for c in range(chargers):
            if total > 1e-9:
                given[c] *= max(wanted, 0.0) / total
            charger_out[c, i] = given[c]
            seen += counted[c] * given[c]
        volts_out[i], bank_out[i], charge_out[i] = volts, amps, charge
        shunt_out[i] = seen - (load_counted[i] if load_ok else 0.0) + (amps - (wanted - drawn))
        for c in range(chargers):
            if available[c, i] <= 0.05:
                dark[c] += step_s
                if dark[c] >= 3 * 3600.0:
                    stage[c], timer[c], tapered[c] = 0.0, 0.0, 0.0
                continue
            dark[c] = 0.0
            at_charger_v = volts + given[c] * ohms[c]
            if stage[c] < 2.0:
                if at_charger_v >= absorption_v[c] - 0.1 * per_12v:
                    stage[c] = 1.0
                    timer[c] += step_s
                    tapered[c] = tapered[c] + step_s if given[c] < end_a[c] and available[c, i] > end_a[c] else 0.0
                    if timer[c] >= absorption_s[c] or tapered[c] >= 120.0:
                        stage[c], low[c] = 2.0, 0.0
            else:
                low[c] = low[c] + step_s if at_charger_v < float_v[c] - 0.2 * per_12v else 0.0
                if low[c] >= 60.0:
                    stage[c], timer[c], tapered[c] = 0.0, 0.0, 0.0
        if volts > CHARGE_CUT_V * per_12v:
            charge_ok = False
        elif volts < CHARGE_BACK_V * per_12v:
            charge_ok = True
        if volts < LOAD_CUT_V * per_12v:
            load_ok = False
        elif volts > LOAD_BACK_V * per_12v:
            load_ok = True


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
    _run(
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
