"""Devices: all that draws or gives current, and what joins the negative path."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Annotated

from pydantic import Field, model_validator

from volnik.core.rig.bank import nominal_class
from volnik.core.shelf.presets import PRESETS, Hour, Preset
from volnik.core.values import Plain

FIGURES = (
    "power_w",
    "current_a",
    "surge_a",
    "duty",
    "together",
    "efficiency",
    "standby_a",
    "hours",
    "most_a",
    "absorption_v",
    "float_v",
    "absorption_h",
    "end_a",
    "slope_mv_c",
    "panel_w",
    "start_a",
    "start_s",
    "drop_v",
)
SCALED_A = ("current_a", "surge_a", "standby_a", "most_a", "end_a", "start_a")
SCALED_V = ("absorption_v", "float_v")
LOWEST_IN_12V = 12.0  # to which a charger's other side sags while it draws [V]; source: trade practice
CHARGING_V = 14.2  # of a 12 V bank, at which a panel's watts become amps; source: trade practice
SAG = 0.90  # volts of a sagging bank against its nominal: 11.5 of 12.8 V; source: trade practice

Windows = tuple[tuple[float, float], ...]
"""Hours of the day as (from, to) [h]; one that ends before it begins goes over midnight."""


class LearnedUse(Plain):
    """What a log showed of a device's use.

    It stands before what is listed wherever use is reckoned (a day's Ah, forecast, idle draw, simulation),
    and nowhere else: fuses, cables and the check of the scale go by what is listed.

    Attributes:
        amps: while it runs, on average [A]; None for a device of many powers, or one not told apart.
        duty: share of its hours.
        hours: of the day it was in use.
        standby_a: drawn while idle [A].
        days: of log it rests on.
        until: the day the log ended.
    """

    amps: Annotated[float, Field(gt=0, le=5000)] | None = None
    duty: Annotated[float, Field(ge=0, le=1)] | None = None
    hours: Annotated[tuple[tuple[Hour, Hour], ...], Field(max_length=8)] | None = None
    standby_a: Annotated[float, Field(ge=0, le=50)] | None = None
    days: Annotated[float, Field(ge=0, le=4000)]
    until: date


class Device(Plain):
    """One device. A figure that is None is unknown: the preset's stands in, marked.

    Attributes:
        nominal_v, chemistry, capacity_ah, short_ka: of another battery: its volts [V], what it is made of,
            its Ah and its short-circuit current [kA].
        rated_a: what a relay, diode or divider may carry for good [A].
        drop_v: volts lost in a diode or divider [V].
        cut_low_v: at which an inverter switches itself off [V].
        run_s: the longest it ever runs at a stretch [s].
        thermal_cutout: whether a motor switches itself off before its leads get hot.
        external_regulator: whether an alternator can be told to stop.
        safety: must not go dead; None takes the preset's word.
        learned: what a log showed of its use, once the shop took it over.
        others: as of `Preset`, but for this rig's own volts.
    """

    id: Annotated[str, Field(pattern=r"^[a-z0-9_]{1,40}$")]
    kind: Annotated[str, Field(pattern=r"^[a-z0-9_]{1,40}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    power_w: Annotated[float, Field(ge=0, le=100_000)] | None = None
    current_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    surge_a: Annotated[float, Field(ge=0, le=10_000)] | None = None
    duty: Annotated[float, Field(ge=0, le=1)] | None = None
    together: bool | None = None
    efficiency: Annotated[float, Field(gt=0, le=1)] | None = None
    standby_a: Annotated[float, Field(ge=0, le=50)] | None = None
    hours: Annotated[tuple[tuple[Hour, Hour], ...], Field(max_length=8)] | None = None
    most_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    absorption_v: Annotated[float, Field(ge=1, le=200)] | None = None
    float_v: Annotated[float, Field(ge=1, le=200)] | None = None
    absorption_h: Annotated[float, Field(ge=0, le=24)] | None = None
    end_a: Annotated[float, Field(ge=0, le=500)] | None = None
    slope_mv_c: Annotated[float, Field(ge=-10, le=0)] | None = None
    panel_w: Annotated[float, Field(ge=0, le=100_000)] | None = None
    start_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    start_s: Annotated[float, Field(ge=0, le=7200)] | None = None
    nominal_v: Annotated[float, Field(ge=1, le=200)] | None = None
    chemistry: Annotated[str, Field(max_length=40)] = ""
    capacity_ah: Annotated[float, Field(gt=0, le=20_000)] | None = None
    short_ka: Annotated[float, Field(gt=0, le=200)] | None = None
    drop_v: Annotated[float, Field(ge=0, le=3)] | None = None
    rated_a: Annotated[float, Field(gt=0, le=5000)] | None = None
    cut_low_v: Annotated[float, Field(gt=0, le=200)] | None = None
    run_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    thermal_cutout: bool | None = None
    external_regulator: bool | None = None
    safety: bool | None = None
    learned: LearnedUse | None = None
    note: Annotated[str, Field(max_length=400)] = ""

    @model_validator(mode="after")
    def _one_draw(self) -> Device:
        if self.power_w is not None and self.current_a is not None:
            raise ValueError("power and current say the same thing: give one of them")
        return self


class Devices(Plain):
    """The devices section of the rig document."""

    devices: Annotated[tuple[Device, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _unlike(self) -> Devices:
        ids = [device.id for device in self.devices]
        if twice := {ident for ident in ids if ids.count(ident) > 1}:
            raise ValueError(f"the id {min(twice)} is there twice")
        return self


@dataclass(frozen=True, slots=True)
class ResolvedDevice:
    """One device with every figure filled in, in this rig's volts.

    Attributes:
        device, preset: where the figures come from.
        figures: every figure of FIGURES; None where even the preset has none.
        assumed: names of the figures that are only the preset's.
        running_a: amps while it runs, load side [A], from the sagging bank.
        usual_a: the same at the bank's usual volts, or as its log showed it; what use is reckoned with [A].
        quick_a: the same the quick way, watts over nominal volts [A].
        surge_a: largest amps [A], at least running_a.
        gives_a: most amps it gives [A].
        draws_per_given: amps a charger between two batteries draws on its other side for each it gives, at
            that side's lowest volts.
        safety: must not go dead.
        id: the device's own.
        takes, gives: whether it draws current, whether it gives any.
    """

    device: Device
    preset: Preset
    figures: dict[str, object]
    assumed: frozenset[str]
    running_a: float
    usual_a: float
    quick_a: float
    surge_a: float
    gives_a: float
    draws_per_given: float
    safety: bool
    id: str
    takes: bool
    gives: bool

    @property
    def name(self) -> str:
        """What the installer calls it."""
        return self.device.name

    @property
    def is_solar(self) -> bool:
        """Whether it is fed by panels."""
        return self.gives and self.preset.is_source and self.number("panel_w") > 0.0

    @property
    def is_current_free(self) -> bool:
        """Whether its leads carry no working current: a sensing lead, a balancer, whatever draws nothing."""
        idle = self.running_a == 0.0 and self.gives_a == 0.0 and self.number("standby_a") == 0.0
        return "senses" in self.preset.traits or (self.preset.is_plain_load and idle)

    @property
    def is_spare_load(self) -> bool:
        """Whether it may be switched off: draws, gives nothing, and may go dead."""
        return self.takes and not self.gives and self.preset.is_plain_load and not self.safety

    @property
    def stays_fed(self) -> bool:
        """Whether it must not go dead, and is no battery itself."""
        return self.safety and not self.preset.is_battery

    @property
    def windows(self) -> Windows:
        """The hours of the day it is in use, as (from, to); () where they are not told, or all."""
        hours = self.figures["hours"]
        return hours if isinstance(hours, tuple) else ()

    @property
    def round_the_clock(self) -> bool:
        """Whether no hours of the day are left out."""
        return self.windows in ((), ((0.0, 24.0),))

    @property
    def watts(self) -> float | None:
        """What it draws [W], where its draw is given in watts."""
        power = self.figures["power_w"]
        return float(power) if isinstance(power, int | float) else None

    def states(self, name: str) -> bool:
        """Whether a figure was stated, and is not only the preset's.

        Args:
            name: of a figure, of FIGURES.
        """
        return name not in self.assumed and self.figures[name] is not None

    def number(self, name: str) -> float:
        """A figure as a number; 0 where there is none.

        Args:
            name: of a figure, of FIGURES.
        """
        return _number(self.figures[name])


def drawn(device: Device, presets: dict[str, Preset], nominal_v: float) -> ResolvedDevice:
    """A device with its figures filled in from its preset.

    Args:
        nominal_v: nominal volts of the bank it hangs on [V]; presets are for a 12 V system, their watts hold
            at any.
    """
    preset = presets.get(device.kind) or PRESETS.get(device.kind) or PRESETS["load"]
    return _drawn(device, preset, usual_figures(preset, nominal_class(nominal_v)), nominal_v, 12.0)


def usual_figures(preset: Preset, volts: int) -> dict[str, object]:
    """The figures of a preset in a system of a voltage class [V]; None where it has none.

    Args:
        volts: voltage class of the system [V].
    """
    scale = volts / 12.0
    figures: dict[str, object] = {}
    for name in FIGURES:
        value = getattr(preset, name)
        if value == ():
            value = None
        if isinstance(value, int | float) and not isinstance(value, bool):
            value = value / scale if name in SCALED_A else value * scale if name in SCALED_V else value
        figures[name] = value
    return figures


def _stated(device: Device, usual: dict[str, object]) -> dict[str, object]:
    """The figures that are known of a device, by name."""
    given = {name: getattr(device, name) for name in device.model_fields_set if name in usual}
    return {name: value for name, value in given.items() if value is not None}


def _drawn(
    device: Device, preset: Preset, usual: dict[str, object], nominal_v: float, far_v: float
) -> ResolvedDevice:
    stated = _stated(device, usual)
    figures = {**usual, **stated}
    if "power_w" in stated:
        figures["current_a"] = None
    elif "current_a" in stated:
        figures["power_w"] = None
    panel_w = _number(stated.get("panel_w"))
    if panel_w and "most_a" not in stated and preset.is_source:
        figures["most_a"] = panel_w / (CHARGING_V * nominal_class(nominal_v) / 12.0)
    known = {**stated, **_learned(device)}
    assumed = frozenset(name for name, value in figures.items() if value is not None and name not in known)
    figures |= _learned(device)
    power = figures["power_w"]
    usual_share = 1.0
    if isinstance(power, int | float):
        usual_share = SAG
        running = power / (_lowest_v(device, preset, nominal_v) * (_number(figures["efficiency"]) or 1.0))
        quick = power / nominal_class(nominal_v)
    else:
        running = quick = _number(figures["current_a"])
    if preset.closes_with_engine:
        running = quick = 0.0  # it joins two batteries and takes nothing itself
    seen = None if device.learned is None else device.learned.amps
    surge = max(running, _number(figures["surge_a"]), _number(figures["start_a"]))
    safety = preset.safety if device.safety is None else device.safety
    role = preset.role
    return ResolvedDevice(
        device,
        preset,
        figures,
        assumed,
        running,
        usual_share * running if seen is None else seen,
        quick,
        surge,
        _number(figures["most_a"]),
        _draws_per_given(figures, far_v),
        safety,
        device.id,
        role in ("load", "both", "link"),
        role in ("source", "both"),
    )


def _learned(device: Device) -> dict[str, object]:
    """The figures of its use that a log showed, by name."""
    learned = device.learned
    if learned is None:
        return {}
    given = {"duty": learned.duty, "hours": learned.hours, "standby_a": learned.standby_a}
    return {name: value for name, value in given.items() if value is not None}


def _lowest_v(device: Device, preset: Preset, nominal_v: float) -> float:
    """Volts at which a device draws most: a sagging bank's, or where an inverter is read to give up [V]."""
    read = device.cut_low_v if preset.is_inverter else None
    return SAG * nominal_v if read is None else read


def _draws_per_given(figures: dict[str, object], far_v: float) -> float:
    """Amps in for each amp out: watts out over efficiency over the lowest input volts."""
    out_v = _number(figures["absorption_v"])
    efficiency = _number(figures["efficiency"]) or 1.0
    return out_v / efficiency / (far_v * LOWEST_IN_12V / 12.0) if out_v else 1.0 / efficiency


def _number(value: object) -> float:
    return float(value) if isinstance(value, int | float) else 0.0


@dataclass(frozen=True, slots=True)
class BatteryVolts:
    """Nominal volts of the battery a device hangs on, and of the one on its other side [V]."""

    own_v: float
    far_v: float


def all_drawn(
    devices: Iterable[Device],
    presets: dict[str, Preset],
    nominal_v: float,
    *,
    volts: Mapping[str, BatteryVolts] | None = None,
) -> list[ResolvedDevice]:
    """Every device with its figures filled in.

    Args:
        devices: of the rig.
        presets: kinds of devices by key.
        nominal_v: of the bank [V].
        volts: of the batteries of devices that do not hang on the bank alone, by device.
    """
    usual: dict[tuple[str, int], tuple[Preset, dict[str, object]]] = {}
    alone = BatteryVolts(nominal_v, 12.0)
    found = []
    for device in devices:
        sides = (volts or {}).get(device.id, alone)
        key = device.kind, nominal_class(sides.own_v)
        if key not in usual:
            preset = presets.get(device.kind) or PRESETS.get(device.kind) or PRESETS["load"]
            usual[key] = preset, usual_figures(preset, key[1])
        found.append(_drawn(device, *usual[key], sides.own_v, sides.far_v))
    return found
