"""A rig's usual day before there is a log, choices compared, and what is answered about a load's use."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import Rig
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.simulation.vehicle import Vehicle, in_use_h
from volnik.core.survey.day_energy import DayEnergy, Usable, day_energy, usable
from volnik.core.survey.enquiry import Enquiry
from volnik.services.context import AppContext
from volnik.services.numbers.study import Inputs, inputs
from volnik.services.path.read import RigPath
from volnik.services.survey.devices import change_device
from volnik.services.survey.enquiry import enquiry_of
from volnik.services.watch.ahead import own_use_ah

MOST_HOURS = 24.0
LONG_DAYS = 30.0  # beyond a month a number of days is no promise
COLD_C = 5.0  # of a bank on a winter's morning in its bay; source: estimate


@dataclass(frozen=True, slots=True)
class Choice:
    """What might be built otherwise: another bank's Ah, its chemistry, "" for the same, its weight [kg] and
    price; more panel [W].
    """

    bank_ah: float | None = None
    chemistry: str = ""
    more_panel_w: float = 0.0
    weight_kg: float | None = None
    price: float | None = None

    @property
    def is_one(self) -> bool:
        """Whether anything is otherwise."""
        return self != Choice()


@dataclass(frozen=True, slots=True)
class DayView:
    """The day page.

    Attributes:
        energy: the usual day.
        cold: what may be used of a bank as cold as on a winter's morning.
        other: the day as chosen otherwise, or None.
        asked: why the job exists.
    """

    rig: Rig
    given: Inputs
    energy: DayEnergy
    cold: Usable
    other: DayEnergy | None
    asked: Enquiry


def day_view(context: AppContext, rig_id: int, choice: Choice | None = None) -> DayView:
    """A rig's usual day.

    Raises:
        NoBank: while no bank is described.
        InvalidInput: where a charger cannot be as the Survey says.
    """
    given = inputs(context, rig_id)
    # A log whose percentage is not believed does not say what a day takes either.
    own_ah = None if given.rig.summary.believed == "not" else own_use_ah(context, rig_id)
    other = None
    if choice is not None and choice.is_one:
        other = replace(_otherwise(given, choice), own_ah=own_ah)
    energy = replace(_usual(context, rig_id, given), own_ah=own_ah)
    return DayView(given.rig, given, energy, _cold(given), other, enquiry_of(context, rig_id))


def _usual(context: AppContext, rig_id: int, given: Inputs) -> DayEnergy:
    """The day as it is, by the list; remembered until the Survey or the numbers change."""
    key = f"day:{rig_id}"
    rests_on = (given.key, given.numbers.reserve_pct, given.numbers.coulombic_efficiency)
    found = context.recalled(key)
    if found is not None and found[0] == rests_on:
        return found[1]  # type: ignore[no-any-return]
    made = _reckoned(given, given.vehicle)
    context.remember(key, (rests_on, made))
    return made


def _reckoned(given: Inputs, vehicle: Vehicle) -> DayEnergy:
    numbers = given.numbers
    return day_energy(vehicle, reserve_pct=numbers.reserve_pct, efficiency=numbers.coulombic_efficiency)


def _cold(given: Inputs) -> Usable:
    return usable(
        given.vehicle.capacity_ah,
        reserve_pct=given.numbers.reserve_pct,
        cut_out_pct=given.vehicle.bank.cut_out_pct,
        is_lead=given.vehicle.chemistry.is_lead,
        celsius=COLD_C,
    )


def motor_w(view: DayView) -> tuple[float, float]:
    """The most watts of what drives the rig, 0 without, and the nominal volts of its bank [W, V]."""
    path = view.given.path
    nominal_v = path.bank.nominal_v(path.chemistry)
    motors = [load for load in view.given.vehicle.loads if "regenerates" in load.preset.traits]
    watts = [each.running_a * nominal_v if each.watts is None else each.watts for each in motors]
    return max(watts, default=0.0), nominal_v


def nights_words(nights: float) -> str:
    """Nights in words."""
    return f"{nights:g} night{'' if nights == 1.0 else 's'}"


def wanted_words(view: DayView, *, whole: bool = False) -> str:
    """What was wanted, and what the bank has: by its log's days where there are enough, else by the list; for
    paper in whole nights, so that no day of log more supersedes it.
    """
    nights = view.asked.nights
    if nights is None:
        return ""
    days = view.energy.days
    basis = "by the list" if view.energy.own_ah is None else "by its own days"
    figure = f"{days:.1f}" if not whole else f"{math.floor(days)}" if days >= 1.0 else "less than one"
    has = f"it has {'' if days >= nights else 'only '}{figure} {basis}"
    has = "it has more than a month" if days >= LONG_DAYS else has
    return f"Wanted: {nights_words(nights)} without sun or plug; {has}."


def wanted(context: AppContext, rig_id: int, *, whole: bool = False) -> str:
    """As `wanted_words`, "" where nothing was wanted or nothing is known."""
    if enquiry_of(context, rig_id).nights is None:
        return ""
    try:
        return wanted_words(day_view(context, rig_id), whole=whole)
    except InvalidInput:
        return ""


def _otherwise(given: Inputs, choice: Choice) -> DayEnergy:
    """The day with what is chosen; another chemistry with its customary reserve and efficiency.

    Raises:
        InvalidInput: for more panel where none is listed.
    """
    vehicle = _chosen(given.vehicle, choice)
    other = CHEMISTRIES.get(choice.chemistry)
    if other is None:
        return _reckoned(given, vehicle)
    bank = replace(vehicle.bank, cut_out_pct=None)
    return day_energy(replace(vehicle, bank=bank), reserve_pct=other.reserve_pct, efficiency=other.efficiency)


def _chosen(vehicle: Vehicle, choice: Choice) -> Vehicle:
    """The rig with another bank or more panel."""
    fitted = sum(source.panel_w for source in vehicle.sources if source.kind == "solar")
    if choice.more_panel_w and fitted <= 0.0:
        raise InvalidInput({"panel": "No panel is listed to add to: type it as a line under Devices."})
    more = 1.0 if fitted <= 0.0 else (fitted + choice.more_panel_w) / fitted
    sources = tuple(
        replace(source, panel_w=source.panel_w * more, most_a=source.most_a * more)
        if source.kind == "solar"
        else source
        for source in vehicle.sources
    )
    ah = vehicle.capacity_ah if choice.bank_ah is None else choice.bank_ah
    return replace(vehicle, sources=sources, capacity_ah=ah)


def say_use(context: AppContext, rig_id: int, device_id: str, hours: float) -> None:
    """Put down how many hours of a day a device runs.

    Raises:
        InvalidInput: for hours there are not, or a device that is gone.
    """
    if not 0.0 <= hours <= MOST_HOURS:
        raise InvalidInput({f"hours-{device_id}": f"A day has 24 hours, got {hours:g}."})
    path = inputs(context, rig_id).path
    device = next((device for device in path.devices if device.id == device_id), None)
    if device is None:
        raise InvalidInput({f"hours-{device_id}": "That device is no longer on the list."})
    told = device.model_dump(exclude={"id", "learned"})
    change_device(context, rig_id, device_id, {**told, **_use(path, device_id, hours)})


def _use(path: RigPath, device_id: str, hours: float) -> dict[str, Any]:
    """The share of its time and the hours of the day that so many running hours are: within those it is in
    use anyway where they fit, else round the clock.
    """
    drawn = next(each for each in path.analysis("found").devices if each.id == device_id)
    within_h = in_use_h(drawn)
    if hours <= within_h:
        return {"duty": round(hours / within_h, 6), "hours": drawn.windows or None}
    return {"duty": round(hours / 24.0, 6), "hours": ((0.0, 24.0),)}
