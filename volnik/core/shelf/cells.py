"""Cells: one scheme for every chemistry, an ohmic part, one slow non-linear pair, gassing, and two charge
wells for lead.

Equations and where their constants come from: docs/domain/truth.md, section 1. Constants are typical
magnitudes, not one maker's. The compiled stepping of these values stands in `stepping`.
"""

from __future__ import annotations

from dataclasses import astuple, dataclass, replace
from functools import lru_cache

import numpy as np

from volnik.core.arrays import Floats

GRID_LOW, GRID_STEP, GRID_POINTS = (
    -0.02,
    0.001,
    1061,
)  # charge of the wells on which open-circuit volts are laid out

# Open-circuit volts of one lithium cell against charge; above 1 the overcharge cliff. Source:
# docs/domain/truth.md.
LFP_CHARGE = np.array(
    [
        0.0,
        0.01,
        0.02,
        0.03,
        0.05,
        0.07,
        0.10,
        0.14,
        0.17,
        0.20,
        0.25,
        0.30,
        0.40,
        0.50,
        0.60,
        0.65,
        0.70,
        0.75,
        0.80,
        0.85,
        0.90,
        0.95,
        0.97,
        0.98,
        0.985,
        0.99,
        0.993,
        0.996,
        0.998,
        1.0,
        1.002,
        1.005,
        1.02,
    ]
)
LFP_VOLTS = np.array(
    [
        2.50,
        2.72,
        2.83,
        2.92,
        3.04,
        3.11,
        3.175,
        3.205,
        3.218,
        3.231,
        3.250,
        3.264,
        3.284,
        3.290,
        3.295,
        3.301,
        3.322,
        3.329,
        3.331,
        3.332,
        3.333,
        3.335,
        3.337,
        3.341,
        3.345,
        3.354,
        3.362,
        3.380,
        3.405,
        3.45,
        3.55,
        3.80,
        5.2,
    ]
)
# The same of one nickel lithium cell, which has no plateau. Source: docs/domain/truth.md.
NMC_CHARGE = np.array(
    [0.0, 0.02, 0.05, 0.10, 0.15, 0.20, 0.30, 0.40, 0.50, 0.60, 0.70, 0.80, 0.90, 0.95, 1.0, 1.005, 1.02]
)
NMC_VOLTS = np.array(
    [3.0, 3.22, 3.38, 3.48, 3.53, 3.57, 3.62, 3.66, 3.72, 3.80, 3.88, 3.97, 4.06, 4.10, 4.15, 4.17, 4.30]
)


@dataclass(frozen=True, slots=True)
class CellModel:
    """Constants of one chemistry; volts and ohms for a 12 V bank (six lead cells, four of lithium iron
    phosphate, three and a half of nickel lithium: half a 24 V bank).

    Attributes:
        r0a, r0b: ohmic part, warm-independent and cold-dependent [ohm Ah].
        rc, mc, cc: slow pair on charge [ohm Ah, -, charge].
        rd, md, cd: the same on discharge.
        cdl: its capacitance [F/Ah].
        activation: of the cold-dependent parts [J/mol].
        near_share: part of the charge in the near well; 1 is one well.
        exchange: between wells [1/h].
        active: active charge over rated capacity.
        stored_share: of the main reaction's charge that is kept.
        gas_a, gas_volts, gas_warm: gassing at 2.23 V a cell and 20 °C [A per 100 Ah], its slopes [1/V, 1/K].
        hysteresis_v, hysteresis_rate: its size [V] and how fast it turns [per unit of charge].
        warm_v: open-circuit volts a degree above 25 °C [V/K].
        self_share: lost each second [1/s].
        charge_cut_v, charge_back_v, load_cut_v, load_back_v: protection [V];
        refuse_c: no charge is taken below it [°C].
        cut_charge: charge at which its protection opens the discharge, below 0 for none [0..1].
    """

    r0a: float
    r0b: float
    rc: float
    mc: float
    cc: float
    rd: float
    md: float
    cd: float
    cdl: float
    activation: float
    near_share: float
    exchange: float
    active: float
    stored_share: float
    gas_a: float
    gas_volts: float
    gas_warm: float
    hysteresis_v: float
    hysteresis_rate: float
    warm_v: float
    self_share: float
    charge_cut_v: float
    charge_back_v: float
    load_cut_v: float
    load_back_v: float
    refuse_c: float
    cut_charge: float = -1.0

    def constants(self) -> Floats:
        """The constants in their order, for the compiled stepping, shape (27,)."""
        return np.array(astuple(self), dtype=float)


_NEVER = 1e9
LITHIUM_BACK_V = 0.7  # below its opening, where a protection takes charge again, 12 V; source: estimate
CELLS_12V = {"lfp": 4.0, "nmc": 3.5, "flooded": 6.0, "agm": 6.0, "gel": 6.0}
_MONTH_S = 30 * 86400.0
_LFP = CellModel(
    0.30,
    0.30,
    0.80,
    0.10,
    1.004,
    0.80,
    0.05,
    1.02,
    25.0,
    28e3,
    1.0,
    0.0,
    1.0,
    0.998,
    0.0,
    0.0,
    0.0,
    0.030,
    25.0,
    0.0,
    0.02 / _MONTH_S,
    14.6,
    13.9,
    11.6,
    13.05,
    0.0,
)
_NMC = replace(
    _LFP,
    hysteresis_v=0.010,
    hysteresis_rate=25.0,
    self_share=0.02 / _MONTH_S,
    charge_cut_v=14.88,
    charge_back_v=14.3,
    load_cut_v=10.5,
    load_back_v=12.0,
)
_FLOODED = CellModel(
    0.25,
    0.75,
    2.0,
    0.60,
    1.002,
    0.90,
    0.10,
    1.01,
    9.0,
    16e3,
    0.62,
    0.25,
    1.046,
    1.0,
    0.030,
    11.0,
    0.06,
    0.0,
    0.0,
    0.0012,
    0.0,
    _NEVER,
    _NEVER,
    11.4,
    12.6,
    -_NEVER,
)
_AGM = CellModel(
    0.25,
    0.40,
    1.35,
    0.60,
    1.002,
    0.75,
    0.10,
    1.01,
    9.0,
    16e3,
    0.68,
    0.30,
    1.033,
    1.0,
    0.018,
    11.0,
    0.06,
    0.0,
    0.0,
    0.0012,
    0.0,
    _NEVER,
    _NEVER,
    11.4,
    12.6,
    -_NEVER,
)
_GEL = replace(_AGM, **{name: 1.2 * getattr(_AGM, name) for name in ("r0a", "r0b", "rc", "rd")})
MODELS: dict[str, CellModel] = {
    "lfp": _LFP,
    "flooded": _FLOODED,
    "agm": _AGM,
    "gel": _GEL,
    "nmc": _NMC,
}
AGED_AH, AGED_OHMS, AGED_GAS = 0.85, 1.6, 2.5  # of a worn bank over a new one; source: estimate
LEAD_OPEN = {
    "flooded": (12.72, 0.92),
    "agm": (12.90, 1.05),
    "gel": (12.90, 1.05),
}  # volts at full, fall to empty; 12 V


@dataclass(frozen=True, slots=True)
class BankModel:
    """A bank to be run: its constants, its open-circuit volts on the grid (of a 12 V bank), its size.

    Attributes:
        chemistry: key.
        capacity_ah: as it really is [Ah].
        cells: in series.
    """

    chemistry: str
    model: CellModel
    capacity_ah: float
    cells: int

    @property
    def per_12v(self) -> float:
        """Volts of this bank over those of a 12 V bank of its chemistry."""
        return self.cells / CELLS_12V[self.chemistry]

    @property
    def open_v(self) -> Floats:
        """Open-circuit volts of a 12 V bank over the grid, shape (1061,) [V]."""
        return open_circuit(self.chemistry)


@dataclass(frozen=True, slots=True)
class Protection:
    """Where a battery's own protection opens, as somebody read it; None is the chemistry's usual.

    Attributes:
        low_v, high_v: opens the discharge, the charge [V a cell].
        cut_out_pct: charge at which it opens the discharge [%].
        cold_c: no charge is taken below it [°C].
    """

    low_v: float | None = None
    high_v: float | None = None
    cut_out_pct: float | None = None
    cold_c: float | None = None

    def put_into(self, model: CellModel, cells_12v: float) -> CellModel:
        """The model with these in the place of the usual ones; both go back as far away as they usually do.

        Args:
            model: of the chemistry.
            cells_12v: in a 12 V bank of it.
        """
        changed: dict[str, float] = {}
        if self.low_v is not None:
            opens = self.low_v * cells_12v
            changed |= {"load_cut_v": opens, "load_back_v": opens + model.load_back_v - model.load_cut_v}
        if self.high_v is not None:
            opens = self.high_v * cells_12v
            room = (
                LITHIUM_BACK_V if model.charge_cut_v == _NEVER else model.charge_cut_v - model.charge_back_v
            )
            changed |= {"charge_cut_v": opens, "charge_back_v": opens - room}
        if self.cut_out_pct is not None:
            changed["cut_charge"] = self.cut_out_pct / 100.0
        if self.cold_c is not None:
            changed["refuse_c"] = self.cold_c
        return replace(model, **changed)


USUAL_PROTECTION = Protection()


def bank_model(
    chemistry: str,
    *,
    capacity_ah: float,
    cells: int,
    aged: bool = False,
    protection: Protection = USUAL_PROTECTION,
) -> BankModel:
    """A bank of a chemistry.

    Args:
        aged: capacity x 0.85, resistances x 1.6, gassing x 2.5 (source: estimate).
        capacity_ah: of the bank [Ah].
        cells: of the bank in series.
        protection: where its own protection opens.

    Raises:
        KeyError: for a chemistry without a model.
        ValueError: for a capacity that is not above 0.
    """
    if not capacity_ah > 0.0 or cells < 1:
        raise ValueError(
            f"a battery has more than 0 Ah and at least one cell, got {capacity_ah:g} Ah and {cells}"
        )
    model = protection.put_into(MODELS[chemistry], CELLS_12V[chemistry])
    if aged:
        # The constants are ohm x Ah and A a 100 Ah: those of the smaller bank, so that ohms and gassing
        # themselves grow.
        worn = {name: AGED_OHMS * AGED_AH * getattr(model, name) for name in ("r0a", "r0b", "rc", "rd")}
        model = replace(model, gas_a=AGED_GAS / AGED_AH * model.gas_a, **worn)
        capacity_ah *= AGED_AH
    return BankModel(chemistry, model, capacity_ah, cells)


CELL_CURVES = {"lfp": (LFP_CHARGE, LFP_VOLTS), "nmc": (NMC_CHARGE, NMC_VOLTS)}


@lru_cache(maxsize=8)
def open_circuit(chemistry: str) -> Floats:
    """Open-circuit volts of a 12 V bank at 25 °C over the near well's charge, shape (1061,) [V].

    Lithium: its table, by a monotone cubic (Fritsch and Carlson's limits on the slopes); lead: a straight
    fall with a knee.

    Args:
        chemistry: key of the chemistry.
    """
    charge: Floats = np.asarray(GRID_LOW + GRID_STEP * np.arange(GRID_POINTS), dtype=np.float64)
    if chemistry in CELL_CURVES:
        volts = CELLS_12V[chemistry] * _monotone(*CELL_CURVES[chemistry], charge)
    else:
        full, fall = LEAD_OPEN[chemistry]
        volts = full - fall * (1.0 - charge) - 2.5 * np.exp(-np.maximum(charge, -0.01) / 0.012)
    volts.setflags(write=False)
    return volts


def _monotone(x: Floats, y: Floats, at: Floats) -> Floats:
    """A monotone cubic through points; beyond the ends it goes on straight."""
    step, rise = np.diff(x), np.diff(y) / np.diff(x)
    slope = np.concatenate([[rise[0]], np.zeros(len(x) - 2), [rise[-1]]])
    before, after = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    slope[1:-1] = (before + after) / (
        before / rise[:-1] + after / rise[1:]
    )  # the harmonic mean keeps it monotone
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(step) - 1)
    t = (at - x[k]) / step[k]
    inside = (
        y[k] * (1 + 2 * t) * (1 - t) ** 2
        + step[k] * slope[k] * t * (1 - t) ** 2
        + y[k + 1] * t**2 * (3 - 2 * t)
        + step[k] * slope[k + 1] * t**2 * (t - 1)
    )
    inside = np.where(at < x[0], y[0] + slope[0] * (at - x[0]), inside)
    return np.asarray(np.where(at > x[-1], y[-1] + slope[-1] * (at - x[-1]), inside))


def rest_v(chemistry: str, charge: Floats | float, cells: int) -> Floats:
    """Volts at rest, wells even, at 25 °C [V]. Charge is that of the rated capacity, 0..1, any shape.

    Args:
        chemistry: key of the chemistry.
        charge: 0..1.
        cells: of the bank in series.
    """
    model = MODELS[chemistry]
    near = 1.0 - (1.0 - np.asarray(charge)) / model.active
    grid = GRID_LOW + GRID_STEP * np.arange(GRID_POINTS)
    return np.asarray(np.interp(near, grid, open_circuit(chemistry))) * cells / CELLS_12V[chemistry]
