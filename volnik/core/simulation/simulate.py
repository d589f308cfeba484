"""A vehicle run forward in time: the bank, its chargers and loads.

What a monitor makes of it stands in `meter`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.shelf.cells import BankModel
from volnik.core.simulation.chargers import Charger
from volnik.core.simulation.stepping import BankFigures, Given, Results, run_bank

COLUMNS = ("absorption_v", "float_v", "absorption_s", "end_a", "slope_v", "restart_s", "cable_ohm", "counted")


@dataclass(frozen=True, slots=True)
class Truth:
    """What really happened.

    Attributes:
        time_s: instants, shape (n,) [s].
        volts, bank_a: at the bank [V, A].
        shunt_a: what crossed the shunt [A].
        charge: true charge 0..1 of the bank's real capacity.
        charger_a: current of each charger, shape (chargers, n) [A].
    """

    time_s: Floats
    volts: Floats
    bank_a: Floats
    shunt_a: Floats
    charge: Floats
    charger_a: Floats


@dataclass(frozen=True, slots=True)
class SimulationState:
    """Where a bank and its chargers stand between two runs; arrays that a run leaves changed.

    Attributes:
        kept: slow pair, hysteresis, wells, protection open, shape (6,); kept[2] NaN before the first run.
        stages: stage, its timers, shape (5, chargers).
    """

    kept: Floats
    stages: Floats

    @classmethod
    def begun(cls, chargers: int) -> SimulationState:
        """A bank that was never run.

        Args:
            chargers: of the rig.
        """
        return cls(np.array([0.0, 0.0, np.nan, 0.0, 0.0, 0.0]), np.zeros((5, chargers)))


def simulate(
    time_s: Floats,
    *,
    bank: BankModel,
    charge: float,
    celsius: Floats,
    load_a: Floats,
    chargers: list[Charger],
    load_counted_a: Floats | None = None,
    stands: SimulationState | None = None,
    step_s: float = 1.0,
) -> Truth:
    """Run a bank forward.

    Args:
        time_s: evenly spaced instants, shape (n,) [s].
        bank: the cells and their size.
        charge: 0..1 at the start.
        celsius: bank temperature, shape (n,).
        load_a: what all loads draw, shape (n,) [A, positive].
        load_counted_a: the part of it that crosses the shunt; by default all.
        step_s: length of a step where only one is given [s].
        stands: where an earlier run ended, to be carried on and left where this one ends; `charge` then
            counts for nothing.
        chargers: of the rig.

    Raises:
        ValueError: when the arrays do not fit together.
    """
    steps = len(time_s)
    if any(
        len(values) != steps for values in (celsius, load_a, *(charger.available_a for charger in chargers))
    ):
        raise ValueError(f"every series must hold {steps} steps")
    stands = SimulationState.begun(len(chargers)) if stands is None else stands
    volts, bank_a, shunt_a, true_charge = (np.empty(steps) for _ in range(4))
    out = Results(volts, bank_a, shunt_a, true_charge, np.empty((len(chargers), steps)))
    run_bank(
        float(time_s[1] - time_s[0]) if steps > 1 else step_s,
        BankFigures(bank.model.constants(), bank.open_v, bank.capacity_ah, bank.per_12v, float(charge)),
        _given(celsius, load_a, load_a if load_counted_a is None else load_counted_a, chargers),
        out,
        (stands.kept, stands.stages),
    )
    return Truth(time_s, out.volts, out.bank_a, out.shunt_a, out.charge, out.chargers)


def _given(celsius: Floats, load_a: Floats, counted_a: Floats, chargers: list[Charger]) -> Given:
    available = np.array([charger.available_a for charger in chargers], dtype=float)
    figures = (np.array([getattr(charger, name) for charger in chargers], dtype=float) for name in COLUMNS)
    return Given(
        np.asarray(celsius, dtype=float),
        np.asarray(load_a, dtype=float),
        np.asarray(counted_a, dtype=float),
        available.reshape(len(chargers), len(load_a)),
        *figures,
    )
