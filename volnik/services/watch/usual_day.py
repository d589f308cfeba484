"""A rig's usual day before there is a log, choices compared, and what is answered about a load's use."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import Rig
from volnik.core.simulation.vehicle import Vehicle
from volnik.core.survey.day_energy import DayEnergy, day_energy
from volnik.core.survey.enquiry import Enquiry
from volnik.services.context import AppContext
from volnik.services.numbers.study import Inputs, inputs
from volnik.services.survey.devices import change_device
from volnik.services.survey.enquiry import enquiry_of
from volnik.services.watch.ahead import own_use_ah

MOST_HOURS = 24.0
LONG_DAYS = 30.0  # beyond a month a number of days is no promise
COLD_C = 5.0  # of a bank on a winter's morning in its bay; source: estimate


@dataclass(frozen=True, slots=True)
class Choice:
    """What might be built otherwise: Ah of another bank, its weight [kg] and price, more panel [W]."""

    bank_ah: float | None = None
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
        energy, cold: the usual day, and with the bank as cold as on a winter's morning.
        other: the day as chosen otherwise, or None.
        own_ah: what the log's own days take [Ah], or None without enough of a log.
        asked: why the job exists.
    """

    rig: Rig
    given: Inputs
    energy: DayEnergy
    cold: DayEnergy
    other: DayEnergy | None
    own_ah: float | None
    asked: Enquiry


def day_view(context: AppContext, rig_id: int, choice: Choice | None = None) -> DayView:
    """A rig's usual day.

    Raises:
        NoBank: while no bank is described.
        InvalidInput: where a charger cannot be as the Survey says.
    """
    given = inputs(context, rig_id)
    numbers = given.numbers
    rests_on = (given.key, numbers.reserve_pct, numbers.coulombic_efficiency)
    energy, cold = _usual(context, rig_id, given, rests_on)
    other = None
    if choice is not None and choice.is_one:
        other = day_energy(
            _chosen(given.vehicle, choice),
            reserve_pct=numbers.reserve_pct,
            efficiency=numbers.coulombic_efficiency,
        )
    # A log whose percentage is not believed does not say what a day takes either.
    own_ah = None if given.rig.summary.believed == "not" else own_use_ah(context, rig_id)
    return DayView(given.rig, given, energy, cold, other, own_ah, enquiry_of(context, rig_id))


def days_of(view: DayView) -> float:
    """Days without sun from full to the reserve; infinite where nothing is used."""
    use = view.energy.use_ah if view.own_ah is None else view.own_ah
    return view.energy.usable.left / use if use > 0.0 else math.inf


def nights_words(nights: float) -> str:
    """Nights in words."""
    return f"{nights:g} night{'' if nights == 1.0 else 's'}"


def wanted_words(view: DayView) -> str:
    """What was wanted, and what the bank has: by its log's days where there are enough, else by the list."""
    nights = view.asked.nights
    if nights is None:
        return ""
    days = days_of(view)
    basis = "by the list" if view.own_ah is None else "by its own days"
    has = f"it has {'' if days >= nights else 'only '}{days:.1f} {basis}"
    has = "it has more than a month" if days >= LONG_DAYS else has
    return f"Wanted: {nights_words(nights)} without sun or plug; {has}."


def wanted(context: AppContext, rig_id: int) -> str:
    """What was wanted and what the bank has, "" where nothing was wanted or nothing is known."""
    if enquiry_of(context, rig_id).nights is None:
        return ""
    try:
        return wanted_words(day_view(context, rig_id))
    except InvalidInput:
        return ""


def _usual(
    context: AppContext, rig_id: int, given: Inputs, rests_on: tuple[str, float, float]
) -> tuple[DayEnergy, DayEnergy]:
    """The day as it is, warm and cold; remembered until the Survey or the numbers change."""
    key = f"day:{rig_id}"
    found = context.recalled(key)
    if found is not None and found[0] == rests_on:
        return found[1]  # type: ignore[no-any-return]
    reserve, efficiency = given.numbers.reserve_pct, given.numbers.coulombic_efficiency
    warm = day_energy(given.vehicle, reserve_pct=reserve, efficiency=efficiency)
    cold = day_energy(given.vehicle, reserve_pct=reserve, efficiency=efficiency, celsius=COLD_C)
    context.remember(key, (rests_on, (warm, cold)))
    return warm, cold


def _chosen(vehicle: Vehicle, choice: Choice) -> Vehicle:
    """The rig with another bank or more panel."""
    fitted = sum(source.panel_w for source in vehicle.sources if source.kind == "solar")
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
    change_device(
        context, rig_id, device_id, {**told, "duty": round(hours / 24.0, 6), "hours": ((0.0, 24.0),)}
    )
