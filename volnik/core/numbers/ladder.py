"""The ladder of volts: every voltage that matters on one bank, a cell, in its order.

And the window the charged voltage must lie in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import MODELS, rest_v
from volnik.core.simulation.vehicle import Source, Vehicle

CELL_LIMITS = {
    "lfp": (2.90, 3.65),
    "nmc": (3.00, 4.25),
    "flooded": (1.75, None),
    "agm": (1.75, None),
    "gel": (1.75, None),
}
"""Where a battery's own protection opens, (low, high) a cell [V]; lead has none above.

Source: estimate; the maker's sheet first.
"""
MARGIN_V = 0.05  # a 12 V bank: what a meter may be off
CUT_OFF_ROOM_V = 0.05  # a cell, between absorption and the cell cut-off; source: trade practice
BAY_C = 8.0  # a bank in its bay above the mean air of a hot spell; source: estimate
INVERTER_OFF_12V = 10.5  # at which inverters usually switch off, 12 V; source: trade practice
BALANCE_V = {"lfp": 3.45, "nmc": 4.05}
"""A cell of lithium, where its balancing begins. Source: estimate; the maker's sheet first."""
OVER_V = 0.02  # a cell, by which the alarm stays clear of the chargers; source: estimate
ABSORPTION = 4  # the chargers' place in the order
LOW_ALARM = 0.97  # of rest volts at the reserve: under load the bank sags; source: estimate
FILLING = 0.90  # charge at which a bank is still clearly filling


@dataclass(frozen=True, slots=True)
class Rung:
    """One voltage of the ladder, a cell [V]; a span where it moves with the season. order.

    Place in the right order, None is beside it.
    """

    key: str
    name: str
    low_v: float
    high_v: float
    order: int | None
    message: str = ""


@dataclass(frozen=True, slots=True)
class Reach:
    """What one charger really brings to the bank, for the whole bank [V].

    Cold, warm and at 25 °C, its cable's drop at the tail off.
    """

    source: Source
    cold_v: float
    mild_v: float
    warm_v: float
    float_low_v: float
    float_high_v: float


@dataclass(frozen=True, slots=True)
class Ladder:
    """The rungs, the window of the charged voltage a cell [V], what each charger reaches, and pairs out of
    order.

    low_v is what a bank still filling shows at the tail; high_v what the best charger brings in the hottest
    weeks, both as the monitor reads them where its supply lead lands. cold_c, warm_c: [°C]. refuse_c, hot_c:
    below and above which the bank must take no charge, as read or as usual for its chemistry; None where
    there is no such limit or nobody knows it [°C].
    """

    rungs: list[Rung]
    low_v: float
    high_v: float | None
    reaches: list[Reach]
    cold_c: float
    warm_c: float
    wrong: list[tuple[Rung, Rung]]
    refuse_c: float | None = None
    hot_c: float | None = None


def reaches(vehicle: Vehicle, tail_a: float) -> tuple[list[Reach], float, float]:
    """What each charger brings to the bank over the year, with the coldest and the warmest weeks
    [degrees C].

    Args:
        vehicle: the rig as simulated.
        tail_a: tail current [A].
    """
    cold = vehicle.use.mean_c("winter", vehicle.latitude)
    if not vehicle.chemistry.is_lead:
        cold = max(cold, 1.0)
    warm = vehicle.use.mean_c("summer", vehicle.latitude) + BAY_C
    found = []
    for source in vehicle.sources:
        amps = min(tail_a, source.most_a)
        floats = [source.at_bank_v(celsius, floating=True) for celsius in (warm, cold)]
        found.append(
            Reach(
                source,
                source.at_bank_v(cold, amps=amps),
                source.at_bank_v(25.0, amps=amps),
                source.at_bank_v(warm, amps=amps),
                min(floats),
                max(floats),
            )
        )
    return found, cold, warm


def still_filling_v(vehicle: Vehicle, tail_pct: float) -> float:
    """Volts a cell of a bank nine tenths full that takes just the tail current [V].

    Rest + hysteresis + its resistances x tail.

    Args:
        vehicle: the rig as simulated.
        tail_pct: tail current [% of C].
    """
    model = MODELS[vehicle.chemistry.key]
    rest = (
        float(rest_v(vehicle.chemistry.key, np.array([FILLING]), vehicle.bank.cells)[0]) / vehicle.bank.cells
    )
    ohm_ah = model.r0a + model.r0b + model.rc * (1.0 + model.mc * FILLING / (model.cc - FILLING))
    return rest + (model.hysteresis_v + ohm_ah * tail_pct / 100.0) / vehicle.chemistry.cells_12v


def limits(vehicle: Vehicle) -> tuple[float, float | None]:
    """Where the battery's own protection opens, a cell [V].

    As typed on the bank, else the chemistry's starting figures.

    Args:
        vehicle: the rig as simulated.
    """
    return cell_limits(vehicle.chemistry.key, vehicle.bank)


def cell_limits(chemistry: str, bank: Bank) -> tuple[float, float | None]:
    """The same, of a bank whose use is not known (low, high) [V a cell].

    Args:
        chemistry: by its key.
        bank: as described.
    """
    low, high = CELL_LIMITS[chemistry]
    return bank.cell_low_v or low, bank.cell_high_v or high


def ladder(vehicle: Vehicle, numbers: Numbers) -> Ladder:
    """The ladder of one rig with its numbers.

    Args:
        vehicle: the rig as simulated.
    """
    cells = vehicle.bank.cells
    found, cold, warm = reaches(vehicle, numbers.tail_a)
    rungs = _bank_rungs(vehicle, numbers, found)
    for reach in found:
        rungs += _charger_rungs(reach, cells)
    high = max((min(reach.cold_v, reach.warm_v) for reach in found), default=None)
    seen_v = vehicle.sense_ohm * numbers.tail_a  # by the monitor above the bank's own, at the tail
    high_cell = None if high is None else (high + seen_v - MARGIN_V * vehicle.per_12v) / cells
    rungs.sort(key=lambda rung: (rung.low_v, rung.order if rung.order is not None else 9))
    low_cell = still_filling_v(vehicle, numbers.tail_current_pct) + max(0.0, seen_v) / cells
    refuse = vehicle.bank.coldest_charge_c(vehicle.chemistry)
    hot = vehicle.bank.charge_hot_c
    return Ladder(rungs, low_cell, high_cell, found, cold, warm, _wrong(rungs), refuse, hot)


def _bank_rungs(vehicle: Vehicle, numbers: Numbers, found: list[Reach]) -> list[Rung]:
    """What the bank, its protection and the numbers put on the ladder [V a cell]."""
    chemistry = vehicle.chemistry
    cut_low, cut_high = limits(vehicle)
    charges, volts = ([pair[place] for pair in chemistry.rest_v] for place in (0, 1))
    at_reserve = float(np.interp(numbers.reserve_pct / 100.0, charges, volts))
    full = chemistry.rest_v[-1][1]
    charged = numbers.charged_voltage_v / vehicle.bank.cells
    low, over = LOW_ALARM * at_reserve, _over_alarm(vehicle, found, cut_high)
    rungs = [
        Rung("cut_low", "battery's low cut-off", cut_low, cut_low, 0, "protection: opens the discharge"),
        Rung("low_alarm", "low-volts alarm", low, low, 1, "where to start it"),
        Rung("rest_reserve", f"rest at the reserve, {numbers.reserve_pct:g} %", at_reserve, at_reserve, 2),
        Rung("rest_full", "rest when full", full, full, None),
        Rung("charged", "charged voltage", charged, charged, 3),
        Rung("over", "over-volts alarm", over, over, 5, "where to start it"),
    ]
    if cut_high is not None:
        note = "protection: opens the charge; never an end of charge"
        rungs.append(Rung("cut_high", "cell cut-off", cut_high, cut_high, 6, note))
    else:
        harm = limit_v(vehicle, found, None)
        cold = " in the cold" if harm > chemistry.harm_v + 1e-6 else ""
        rungs.append(Rung("harm", f"volts that harm{cold}", harm, harm, 6, "no cut-off stops a charger here"))
    rungs += _inverter_rungs(vehicle)
    if chemistry.key in BALANCE_V:
        begins = BALANCE_V[chemistry.key]
        rungs.append(Rung("balance", "balancing begins, usual", begins, begins, None))
    return rungs


def _inverter_rungs(vehicle: Vehicle) -> list[Rung]:
    """Where each inverter switches itself off, a cell [V]; the usual volts where nobody read them."""
    cells, found = vehicle.bank.cells, []
    for device in vehicle.loads:
        if device.preset.is_inverter:
            stated = device.device.cut_low_v
            volts = INVERTER_OFF_12V / vehicle.chemistry.cells_12v if stated is None else stated / cells
            name = f"{device.name}'s low cut-off{'' if stated else ', usual'}"
            note = "it goes dark before the battery does, or drags it down"
            found.append(Rung(f"off {device.id}", name, volts, volts, None, note))
    return found


def _charger_rungs(reach: Reach, cells: int) -> list[Rung]:
    """Absorption of a charger over its year, and its float where it has one of its own."""
    source = reach.source
    low, high = sorted((reach.cold_v, reach.warm_v))
    key, name = source.drawn.id, source.name
    rungs = [Rung(f"abs {key}", f"absorption, {name}", low / cells, high / cells, ABSORPTION)]
    if source.float_v < source.absorption_v:
        span = (reach.float_low_v / cells, reach.float_high_v / cells)
        rungs.append(Rung(f"float {key}", f"float, {name}", *span, None))
    return rungs


def _over_alarm(vehicle: Vehicle, found: list[Reach], cut_high: float | None) -> float:
    """Between the highest volts a charger brings and the volts that harm, never above these [V a cell]."""
    cells = vehicle.bank.cells
    brought = [max(reach.cold_v, reach.warm_v) / cells for reach in found]
    top = max(brought, default=vehicle.chemistry.absorption_high_v)
    limit = limit_v(vehicle, found, cut_high)
    return min(limit, max(top + OVER_V, top + 0.5 * (limit - top)))


def limit_v(vehicle: Vehicle, found: list[Reach], cut_high: float | None) -> float:
    """Volts a cell that must not be passed: the cut-off, or what harms; in the cold lead stands more [V].

    Args:
        vehicle: the rig as simulated.
        found: what each charger brings.
        cut_high: where the battery's own protection opens [V a cell], or None.
    """
    if cut_high is not None:
        return cut_high
    rise = max((reach.cold_v - reach.mild_v for reach in found), default=0.0) / vehicle.bank.cells
    return vehicle.chemistry.harm_v + max(0.0, rise)


def _wrong(rungs: list[Rung]) -> list[tuple[Rung, Rung]]:
    """Pairs of rungs that stand in the wrong order, or absorption too close under the cell cut-off."""
    ordered = [(rung.order, rung) for rung in rungs if rung.order is not None]
    best = max((rung.low_v for order, rung in ordered if order == ABSORPTION), default=None)
    return [
        (below, above)
        for low, below in ordered
        for high, above in ordered
        if low < high and _crossed(below, above, best)
    ]


def _crossed(below: Rung, above: Rung, best_absorption_v: float | None) -> bool:
    if below.key == "charged" and above.order == ABSORPTION:
        # One charger that reaches it is enough; those that fall short are told of apart.
        return above.low_v == best_absorption_v and below.low_v >= above.low_v
    room = CUT_OFF_ROOM_V if below.order == ABSORPTION and above.key == "cut_high" else 0.0
    return below.high_v > above.low_v - room + 1e-9
