"""A lithium iron phosphate bank: open-circuit volts, one ohmic part, one slow non-linear pair, hysteresis.

Model and constants: docs/domain/truth.md, section 1. Constants are typical magnitudes, not one maker's.
"""

from __future__ import annotations

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


@njit(cache=True)  # type: ignore[misc]
def open_circuit_v(charge: float, cells: float) -> float:
    """Volts at rest of `cells` cells in series at a charge 0..1 [V]; straight lines between the table's points."""
    return float(np.interp(charge, OCV_CHARGE, OCV_VOLTS)) * cells


@njit(cache=True)  # type: ignore[misc]
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
    charge += (main_a * (STORED_SHARE if main_a > 0.0 else 1.0)) * hours / capacity_ah - SELF_DISCHARGE_S * step_s
    drift = min(1.0, HYSTERESIS_RATE * abs(main_a) * hours / capacity_ah)
    if main_a != 0.0:
        lag += drift * ((1.0 if main_a > 0.0 else -1.0) - lag)
    volts = open_circuit_v(charge, cells) + HYSTERESIS_V * per_12v * lag + slow_v + ohms * amps
    return volts, charge, slow_v, lag


def rest_v(charge: Floats, cells: int) -> Floats:
    """Volts at rest for many charges, shape (n,) [V]."""
    return np.interp(charge, OCV_CHARGE, OCV_VOLTS) * cells
