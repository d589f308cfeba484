"""A vehicle run forward in time: the bank, its chargers and loads. What a monitor makes of it stands in `meter`."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.count.state import Floats
from volnik.core.truth.cells import BankModel
from volnik.core.truth.chargers import Charger
from volnik.core.truth.stepping import run_bank

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


def simulate(
    time_s: Floats, *, bank: BankModel, charge: float, celsius: Floats, load_a: Floats, chargers: list[Charger],
    load_counted_a: Floats | None = None,
) -> Truth:  # fmt: skip
    """Run a bank forward.

    Args:
        time_s: evenly spaced instants, shape (n,) [s].
        bank: the cells and their size. charge: 0..1 at the start.
        celsius: bank temperature, shape (n,).
        load_a: what all loads draw, shape (n,) [A, positive].
        load_counted_a: the part of it that crosses the shunt; by default all.

    Raises:
        ValueError: when the arrays do not fit together.
    """
    steps = len(time_s)
    if any(len(values) != steps for values in (celsius, load_a, *(charger.available_a for charger in chargers))):
        raise ValueError(f"every series must hold {steps} steps")
    available = np.array([charger.available_a for charger in chargers], dtype=float).reshape(len(chargers), steps)
    columns = [np.array([getattr(charger, name) for charger in chargers], dtype=float) for name in COLUMNS]
    volts, bank_a, shunt_a, true_charge = (np.empty(steps) for _ in range(4))
    given = np.empty((len(chargers), steps))
    run_bank(
        float(time_s[1] - time_s[0]), bank.model.constants(), bank.open_v, bank.capacity_ah, bank.per_12v, float(charge),
        np.asarray(celsius, dtype=float), np.asarray(load_a, dtype=float),
        np.asarray(load_a if load_counted_a is None else load_counted_a, dtype=float), available, *columns,
        volts, bank_a, shunt_a, true_charge, given,
    )  # fmt: skip
    return Truth(time_s, volts, bank_a, shunt_a, true_charge, given)
