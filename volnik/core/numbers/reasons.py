"""A value for every parameter of one rig: why, from where, what others set, what speaks against it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.numbers.advice import hidden_ah_a_day
from volnik.core.numbers.defaults import default_numbers
from volnik.core.numbers.ladder import Ladder, ladder
from volnik.core.numbers.recommended import GASSING_FROM, Recommended
from volnik.core.numbers.schools import SchoolPoint, school_of
from volnik.core.rig.studs import lower
from volnik.core.settings import Numbers
from volnik.core.simulation.loads import CYCLE_S
from volnik.core.simulation.vehicle import Vehicle, ah_a_day

MOST_HIDDEN = 0.005  # of the bank a day that a dead band may hide; source: estimate
USUAL_NOISE_A = 0.02  # where no log tells the monitor's own; source: estimate


@dataclass(frozen=True, slots=True)
class Reason:
    """One recommended value, in stored units.

    Attributes:
        key: as in SETTINGS.json, or "power_up".
        value: None where it is better left open.
        why, source, others, against: in words; `others` are the schools and their range.
    """

    key: str
    value: float | str | None
    why: str
    source: str
    others: str
    against: str


def noise_of(amps: Floats) -> float | None:
    """The noise of a log's current, standard deviation [A]; None where it is too short.

    From steps between neighbours, by stretches of 120 readings: the median step of a stretch is not moved by
    what switches in it, and a quarter of the stretches are taken to be quiet. The median step of normal noise
    is 0.6745 sqrt(2) sigma.

    Args:
        amps: of the readings, shape (n,), positive charging [A].
    """
    if len(amps) < 600:
        return None
    steps = np.abs(np.diff(amps))
    stretches = np.median(steps[: len(steps) // 120 * 120].reshape(-1, 120), axis=1)
    return float(np.percentile(stretches, 25)) / (0.6745 * math.sqrt(2.0))


def reasons(
    vehicle: Vehicle,
    recommended: Recommended | None,
    points: list[SchoolPoint],
    *,
    noise_a: float | None = None,
    step_a: float | None = None,
    power_ups: tuple[str, ...] = ("blank", "last", "full"),
) -> dict[str, Reason]:
    """A value for every parameter.

    Args:
        noise_a: measured in the rig's log [A].
        step_a: one count of the monitor [A].
        power_ups: states the monitor offers.
        vehicle: the rig as simulated.
        recommended: the point found by simulation, or None.
        points: of the schools.
    """
    start = default_numbers(vehicle.bank, vehicle.chemistry)
    found = [
        _capacity(vehicle, start),
        _hours(),
        *_full(vehicle, start, recommended, points),
        _peukert(vehicle, start),
        _efficiency(vehicle, start, recommended),
        _dead_band(vehicle, noise_a, step_a),
        _window(vehicle),
        _reserve(vehicle, start),
        _power_up(power_ups),
        _start(),
    ]
    return {reason.key: reason for reason in found}


def recommended_numbers(vehicle: Vehicle, why: dict[str, Reason]) -> Numbers:
    """The recommended values as numbers.

    Args:
        vehicle: the rig as simulated.
        why: a reason by number.
    """
    start = default_numbers(vehicle.bank, vehicle.chemistry)
    values = {
        key: reason.value
        for key, reason in why.items()
        if key != "power_up" and isinstance(reason.value, int | float)
    }
    return replace(start, **values)


def _capacity(vehicle: Vehicle, start: Numbers) -> Reason:
    bank = vehicle.bank
    sums = bank.capacity(vehicle.chemistry).sums
    message = "; ".join(sums)
    source = "the strings as measured" if bank.string_ah else "the label, brought to the 20-hour rate"
    against = (
        "Batteries age: measure it between a full reset and a known low rest."
        if not bank.string_ah
        else "Holds for the day it was measured."
    )
    return Reason(
        "capacity_ah",
        start.capacity_ah,
        message,
        source,
        "nameplate times strings; after ageing the measured one",
        against,
    )


def _hours() -> Reason:
    return Reason(
        "rated_hours",
        20.0,
        "The capacity above holds at the 20-hour rate, and Peukert is anchored there.",
        "trade practice",
        "20 h nearly everywhere",
        "A label at another rate must be converted, not typed.",
    )


FLOOR = Reason(
    "tail_floor_pct",
    0.0,
    "Charge current must not be below zero for full.",
    "trade practice",
    "0, or slightly below on monitors that allow it",
    "On float the current is zero within noise and may never qualify.",
)


def _full(
    vehicle: Vehicle, start: Numbers, found: Recommended | None, points: list[SchoolPoint]
) -> list[Reason]:
    """Reasons for the charged voltage, the tail, the hold and the floor."""
    rungs = ladder(vehicle, start)
    window = _volts_window(rungs, vehicle.bank.cells)
    if found is None or not found.stands:
        return _customary(rungs, vehicle.bank.cells, start, found, points, window=window)
    return _simulated(vehicle, found, points, window)


def _volts_window(rungs: Ladder, cells: int) -> str:
    low = f"Between {rungs.low_v * cells:.2f} V, which a battery still filling shows, "
    if not rungs.high_v:
        return low + "and what a charger would bring; none is listed."
    return (
        low + f"and {rungs.high_v * cells:.2f} V, which the best charger still brings in the hottest weeks."
    )


def _others(points: list[SchoolPoint], name: str, unit: str, per: float = 1.0) -> str:
    """The range of the schools for one number."""
    if not points:
        return "no school on the Shelf for this chemistry"
    values = [getattr(point, name) for point in points]
    return f"the schools set {min(values) / per:.4g} to {max(values) / per:.4g} {unit}"


def _customary(
    rungs: Ladder,
    cells: int,
    start: Numbers,
    found: Recommended | None,
    points: list[SchoolPoint],
    *,
    window: str,
) -> list[Reason]:
    """What is set where no simulation stands behind it."""
    volts = start.charged_voltage_v
    if rungs.high_v is not None:
        volts = round(min(max(volts, rungs.low_v * cells), rungs.high_v * cells), 2)
    if found is None:
        why = "Not simulated yet: customary for the chemistry, kept inside the window."
        against = "Untried on this rig."
    else:
        why = found.sentence
        against = (
            "No setting tells full rightly here; this one is only where it would be if the battery were "
            "filled."
        )
    rows = (
        ("charged_voltage_v", volts, f"{why} {window}", _others(points, "charged_voltage_v", "V")),
        ("tail_current_pct", start.tail_current_pct, why, _others(points, "tail_current_pct", "%")),
        ("hold_s", start.hold_s, why, _others(points, "hold_s", "min", 60)),
    )
    return [
        *(Reason(key, value, text, "trade practice", other, against) for key, value, text, other in rows),
        FLOOR,
    ]


def _simulated(vehicle: Vehicle, found: Recommended, points: list[SchoolPoint], window: str) -> list[Reason]:
    """What the simulated days of this rig say."""
    assert found.charged_voltage_v is not None
    same = school_of(points, "charged_voltage_v", found.charged_voltage_v)
    little = min(found.up_v, found.down_v) < 0.05 * vehicle.per_12v
    stops = ", ".join(f"{hold / 60:g} min {100 * regret:.1f} %" for hold, regret in found.hold_regret.items())
    rows = (
        (
            "charged_voltage_v",
            found.charged_voltage_v,
            f"May slip {found.down_v:.2f} V down, {found.up_v:.2f} V up before it matters. {window}"
            + (f" {same} says the same." if same else ""),
            _others(points, "charged_voltage_v", "V"),
            "Little room: check it at the first full charges."
            if little
            else "Simulated, not measured: the first full charges decide.",
        ),
        (
            "tail_current_pct",
            found.tail_current_pct,
            f"May be {found.narrower_pct:.1f} % smaller or {found.wider_pct:.1f} % larger before it matters.",
            _others(points, "tail_current_pct", "%"),
            "A larger tail resets earlier, it does not wait for weak sun; a smaller one is kept from "
            "ever resetting by a load.",
        ),
        (
            "hold_s",
            found.hold_s,
            f"Worst error beyond the best possible, at each stop: {stops}.",
            _others(points, "hold_s", "min", 60),
            "Longer is broken by clouds and outlasted by a lithium taper; shorter takes a cloud for full.",
        ),
    )
    return [
        *(
            Reason(key, value, why, "simulated on this rig", other, against)
            for key, value, why, other, against in rows
        ),
        FLOOR,
    ]


def _peukert(vehicle: Vehicle, start: Numbers) -> Reason:
    chemistry = vehicle.chemistry
    rated = start.rated_a
    heavy = max((load for load in vehicle.loads), key=lambda load: load.running_a, default=None)
    why = f"Usual for {lower(chemistry.name)}."
    if heavy is not None and heavy.running_a > rated:
        bent = rated * (heavy.running_a / rated) ** start.peukert_exponent
        why += f" {heavy.device.name} at {heavy.running_a:.0f} A is then booked as {bent:.0f} A."
    else:
        why += f" No load on record passes {rated:.1f} A, above which alone it matters."
    against = (
        "A lead value on lithium overcounts every heavy load."
        if not chemistry.is_lead
        else (
            "A high rate delays lead's charge rather than losing it: the count then reads low until the "
            "battery has rested."
        )
    )
    return Reason(
        "peukert_exponent",
        start.peukert_exponent,
        why,
        chemistry.source,
        f"{chemistry.peukert_low:g} to {chemistry.peukert_high:g}; 1 disables it",
        against,
    )


def _efficiency(vehicle: Vehicle, start: Numbers, found: Recommended | None) -> Reason:
    chemistry = vehicle.chemistry
    shift = 100.0 * vehicle.loads_a_day / vehicle.capacity_ah * 0.01
    why = f"Usual for {lower(chemistry.name)}, until the log of the rig itself says better."
    if found is not None and chemistry.is_lead and not math.isnan(found.kept):
        why += (
            f" Below {100 * GASSING_FROM:.0f} % charge the simulated battery keeps {100 * found.kept:.1f} % "
            "of what goes in; what is lost near full, the reset takes away."
        )
    why += (
        f" One point wrong shifts the count by {shift:.2g} points a day at this rig's "
        f"{vehicle.loads_a_day:.0f} Ah a day."
    )
    against = "Factory values of 90 to 95 % suit lead, not lithium."
    if chemistry.is_lead:
        against = (
            (
                "Over whole cycles with gassing flooded cells keep only 85 to 90 %: lower where the "
                "count reads high before its resets."
            )
            if chemistry.key == "flooded"
            else "Less in heat and age."
        )
    return Reason(
        "coulombic_efficiency",
        start.coulombic_efficiency,
        why,
        chemistry.source,
        f"{100 * chemistry.efficiency_low:g} to {100 * chemistry.efficiency_high:g} %",
        against,
    )


def _dead_band(vehicle: Vehicle, noise_a: float | None, step_a: float | None) -> Reason:
    seen = USUAL_NOISE_A if noise_a is None else noise_a
    wanted = max(3.0 * seen, 2.0 * (step_a or 0.01))
    most = MOST_HIDDEN * vehicle.capacity_ah / 24.0
    value = round(max(0.01, min(wanted, most, 0.1)), 2)
    hidden = hidden_ah_a_day(value)
    measured = (
        f"The log's noise is {1000 * seen:.0f} mA"
        if noise_a is not None
        else f"Noise is not measured yet, {1000 * seen:.0f} mA is usual"
    )
    held = "three times that, and two counts of the monitor, lie within it."
    if value < round(wanted, 2):
        held = f"three times that would be {wanted:.2f} A, which would hide too much of this battery."
    why = (
        f"{measured}; {held} {value:g} A can hide {hidden:.1f} Ah a day, "
        f"{100 * hidden / vehicle.capacity_ah:.1f} % of the battery."
    )
    return Reason(
        "dead_band_a",
        value,
        why,
        "measured" if noise_a is not None else "estimate",
        "0.1 A as delivered, mostly left alone",
        "Too small, and noise is counted; zero the shunt first.",
    )


def _window(vehicle: Vehicle) -> Reason:
    cycling = [device for device in vehicle.loads if 0.15 <= device.number("duty") < 0.98]
    part = sum(ah_a_day(device) for device in cycling) / vehicle.loads_a_day if vehicle.loads_a_day else 0.0
    if part > 0.25:
        name = max(cycling, key=ah_a_day).device.name
        minutes = round(CYCLE_S / 60.0 * 0.75)
        return Reason(
            "runtime_window_s",
            60.0 * minutes,
            f"{name} and its like cycle about every {CYCLE_S / 60:.0f} minutes and draw "
            f"{100 * part:.0f} % of the day: a window near one cycle keeps the hours from jumping.",
            "from the Survey",
            "3 min as delivered; longer for cycling loads",
            "The hours follow what is switched only after that time; monitors with less take their most.",
        )
    return Reason(
        "runtime_window_s",
        180.0,
        "Loads here run steadily, so a short window follows them soon.",
        "from the Survey",
        "3 min; shorter for smooth loads",
        "Surges make the hours jump.",
    )


def _reserve(vehicle: Vehicle, start: Numbers) -> Reason:
    kept = sum(ah_a_day(device) for device in vehicle.loads if device.safety)
    share = 100.0 * kept / vehicle.capacity_ah
    least = max(
        start.reserve_pct,
        share if not vehicle.chemistry.is_lead else 0.0,
        vehicle.bank.least_reserve_pct,
    )
    value = float(min(80.0, 5.0 * math.ceil(least / 5.0 - 1e-9)))
    why = f"Customary for {lower(vehicle.chemistry.name)}."
    if kept > 0.0:
        why += f" What must not go dead draws {kept:.1f} Ah a day, {share:.0f} % of the battery."
    if vehicle.bank.cut_out_pct is not None:
        why += f" Its own protection opens at {vehicle.bank.cut_out_pct:g} %."
    others = (
        "50 %"
        if vehicle.chemistry.is_lead
        else "0 (the full figure), 10, 15, 20 (an early warning, or essentials kept back)"
    )
    return Reason(
        "reserve_pct",
        value,
        why,
        "the Survey and trade practice",
        others,
        "It alters the hours only: the percentage does not stop there.",
    )


def _power_up(offered: tuple[str, ...]) -> Reason:
    value = next((name for name in ("blank", "last") if name in offered), offered[0] if offered else "full")
    against = (
        "Nothing is shown until it is set or the battery is full."
        if value == "blank"
        else "Right only when nothing flowed meanwhile."
        if value == "last"
        else "A fuse pulled for a minute looks like a full charge: check it after every outage."
    )
    return Reason(
        "power_up",
        value,
        "After a loss of supply nobody knows the charge."
        if value == "blank"
        else "The most honest state this monitor offers.",
        "trade practice",
        "100 %, last value, or blank",
        against,
    )


def _start() -> Reason:
    return Reason(
        "initial_soc",
        None,
        "Nobody knows before the first full reset: fill the battery before wiring, and let the first "
        "full set it.",
        "trade practice",
        "full taken for granted; an estimate typed; left open",
        "Until then the monitor shows nothing.",
    )
