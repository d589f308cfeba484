"""A lithium iron phosphate bank: open-circuit volts, one ohmic part, one slow non-linear pair, hysteresis.

Model and constants: docs/domain/truth.md, section 1. Constants are typical magnitudes, not one maker's.

Everything compiled stands in this one file: the compiler's cache does not see a change in another.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from volnik.core.count.state import Floats

# Open-circuit volts of one cell against charge; above 1 the overcharge cliff. Source: docs/domain/truth.md.
OCV_CHARGE = np.array([
    0.0, 0.01, 0.02, 0.03, 0.05, 0.07, 0.10, 0.14, 0.17, 0.20, 0.25, 0.30, 0.40, 0.50, 0.60, 0.65, 0.70, 0.75, 0.80,
    0.90, 0.95, 0.97, 0.98, 0.985, 0.99, 0.993, 0.996, 0.998, 1.0, 1.002, 1.005, 1.02,
])  # fmt: skip
OCV_VOLTS = np.array([
    2.50, 2.72, 2.83, 2.92, 3.04, 3.11, 3.175, 3.205, 3.218, 3.231, 3.250, 3.264, 3.284, 3.290, 3.295, 3.301, 3.322,
    3.329, 3.331, 3.333, 3.335, 3.337, 3.341, 3.345, 3.354, 3.362, 3.380, 3.405, 3.45, 3.55, 3.80, 5.2,
])  # fmt: skip

# Per 12 V (four cells): ohm x Ah, farad per Ah, joule per mole.
R0A, R0B, RC, MC, CC, RD, MD, CD = 0.30, 0.30, 0.80, 0.10, 1.004, 0.80, 0.05, 1.02
CDL_PER_AH = 25.0
ACTIVATION = 28e3
HYSTERESIS_V, HYSTERESIS_RATE = 0.030, 25.0
STORED_SHARE = 0.998
SELF_DISCHARGE_S = 0.02 / (30 * 86400.0)  # 2 % a month
GAS_CONSTANT = 8.314
CHARGE_CUT_V, CHARGE_BACK_V, LOAD_CUT_V, LOAD_BACK_V = 14.6, 13.9, 11.6, 13.05  # per four cells
OHMS_FLOOR = 1e-4


@njit(cache=True)
def open_circuit_v(charge: float, cells: float) -> float:
    """Volts at rest of `cells` cells in series at a charge 0..1 [V]; straight lines between the table's points."""
    return float(np.interp(charge, OCV_CHARGE, OCV_VOLTS)) * cells


@njit(cache=True)
def terminal_v(
    amps: float, charge: float, slow_v: float, lag: float, capacity_ah: float, cells: float, celsius: float, step_s: float
) -> tuple[float, float, float, float]:  # fmt: skip
    """The bank after one step at a steady current, the slow pair by backward Euler.

    Args:
        amps: positive charges [A]; charge: 0..1; slow_v: volts across the slow pair [V]; lag: hysteresis -1..1.

    Returns:
        (terminal volts, charge, slow volts, lag) at the end of the step.
    """
    per_12v = cells / 4.0
    cold = np.exp(ACTIVATION / GAS_CONSTANT * (1.0 / (celsius + 273.15) - 1.0 / 298.15))
    ohms = (R0A + R0B * cold) / capacity_ah * per_12v
    near = min(charge, CC - 1e-4)
    deep = min(1.0 - charge, CD - 1e-4)
    up = RC * cold * (1.0 + MC * near / (CC - near)) / capacity_ah * per_12v
    down = RD * cold * (1.0 + MD * max(deep, 0.0) / (CD - deep)) / capacity_ah * per_12v
    farad = CDL_PER_AH * capacity_ah / per_12v
    pull = amps + farad * slow_v / step_s
    slow_ohms = up if pull > 0.0 else down
    slow_v = pull / (farad / step_s + 1.0 / slow_ohms)
    main_a = slow_v / slow_ohms
    hours = step_s / 3600.0
    # Charge is booked at the terminals, not at the slow pair: booked there, what relaxes out of the pair after the
    # current stops would drive the steep end of the curve up by itself.
    charge += (amps * (STORED_SHARE if amps > 0.0 else 1.0)) * hours / capacity_ah - SELF_DISCHARGE_S * step_s
    drift = min(1.0, HYSTERESIS_RATE * abs(main_a) * hours / capacity_ah)
    if main_a != 0.0:
        lag += drift * ((1.0 if main_a > 0.0 else -1.0) - lag)
    volts = open_circuit_v(charge, cells) + HYSTERESIS_V * per_12v * lag + slow_v + ohms * amps
    return volts, charge, slow_v, lag


@njit(cache=True)
def run_bank(
    step_s: float, capacity_ah: float, cells: float, charge: float, celsius: Floats, load_a: Floats, load_counted: Floats,
    available: Any, absorption_v: Floats, float_v: Floats, absorption_s: Floats, end_a: Floats, ohms: Floats, counted: Floats,
    volts_out: Floats, bank_out: Floats, shunt_out: Floats, charge_out: Floats, charger_out: Any,
) -> None:  # fmt: skip
    """Step a bank, its chargers and loads through time, into the output arrays; see `simulate.simulate`."""
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


def rest_v(charge: Floats, cells: int) -> Floats:
    """Volts at rest for many charges, shape (n,) [V]."""
    return np.asarray(np.interp(charge, OCV_CHARGE, OCV_VOLTS) * cells)
