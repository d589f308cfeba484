"""Banks drawn at random for the trials: near the constants of `cells`, or apart from them.

Spans: estimates.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.shelf.cells import (
    GRID_LOW,
    GRID_POINTS,
    GRID_STEP,
    MODELS,
    BankModel,
    _monotone,
    open_circuit,
)

# Another lithium curve: a later knee, the two plateaus lower and further apart. Source: estimate, for the
# family "apart".
_OTHER_CHARGE = np.array(
    [
        0.0,
        0.01,
        0.03,
        0.06,
        0.10,
        0.15,
        0.20,
        0.28,
        0.36,
        0.45,
        0.55,
        0.60,
        0.64,
        0.70,
        0.80,
        0.90,
        0.95,
        0.975,
        0.985,
        0.992,
        0.996,
        1.0,
        1.003,
        1.006,
        1.02,
    ]
)
_OTHER_VOLTS = np.array(
    [
        2.45,
        2.68,
        2.90,
        3.07,
        3.18,
        3.21,
        3.235,
        3.262,
        3.280,
        3.286,
        3.289,
        3.292,
        3.305,
        3.325,
        3.327,
        3.329,
        3.332,
        3.338,
        3.346,
        3.365,
        3.39,
        3.44,
        3.56,
        3.85,
        5.2,
    ]
)


@dataclass(frozen=True, slots=True)
class TrialBank(BankModel):
    """A bank with a curve of its own: `curve` as in `open_circuit`."""

    curve: Floats = field(default_factory=lambda: np.empty(0))

    @property
    def open_v(self) -> Floats:
        """Its open-circuit volts."""
        return self.curve


def drawn_bank(
    rng: np.random.Generator,
    chemistry: str,
    *,
    capacity_ah: float,
    cells: int,
    apart: bool,
    worse: float = 1.0,
) -> TrialBank:
    """A bank drawn at random.

    Args:
        apart: with another curve and wider spans.
        worse: its resistances times so much.
    """
    lead, wide = chemistry != "lfp", 0.30 if apart else 0.15
    model = MODELS[chemistry]
    names = ("r0a", "r0b", "rc", "rd", "cdl", "exchange", "gas_a")
    model = replace(
        model, **{name: getattr(model, name) * float(np.exp(rng.normal(0.0, wide))) for name in names}
    )
    charge: Floats = np.asarray(GRID_LOW + GRID_STEP * np.arange(GRID_POINTS), dtype=np.float64)
    curve = np.array(open_circuit(chemistry))
    if apart:
        hysteresis, gassing = rng.uniform(0.4, 1.5), rng.uniform(0.85, 1.15)
        model = replace(
            model, hysteresis_v=model.hysteresis_v * hysteresis, gas_volts=model.gas_volts * gassing
        )
        if lead:  # a curve that bends, and another height
            curve = curve + rng.normal(0.0, 0.04) + rng.uniform(-0.15, 0.15) * charge * (1.0 - charge)
            near, active, rise = rng.uniform(0.5, 0.75), rng.uniform(1.02, 1.06), rng.uniform(0.7, 1.4)
            model = replace(model, near_share=float(near), active=float(active), mc=model.mc * float(rise))
        else:
            curve = 4.0 * _monotone(_OTHER_CHARGE, _OTHER_VOLTS, charge) + rng.normal(0.0, 0.006)
            model = replace(model, stored_share=float(rng.uniform(0.994, 1.0)))
    else:
        curve = curve + rng.normal(0.0, 0.02 if lead else 0.004)
    worn = float(rng.uniform(0.95, 1.02))
    if worse != 1.0:
        model = replace(model, **{name: worse * getattr(model, name) for name in ("r0a", "r0b", "rc", "rd")})
    return TrialBank(chemistry, model, capacity_ah * worn, cells, np.asarray(curve))
