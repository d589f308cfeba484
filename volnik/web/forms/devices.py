"""Survey's forms beside the bank: a device's figures, the monitor with the old gauge, a photo."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Self

from fastapi import Depends
from pydantic import model_validator

from volnik.core.rig.devices import Device, ResolvedDevice
from volnik.web.forms.amounts import fault
from volnik.web.forms.posted import (
    File,
    Form,
    Hours,
    Line,
    Number,
    Percent,
    Posted,
    Truth,
    posted,
)

LOAD = [
    ("power_w", "Power", "W"),
    ("current_a", "or current", "A"),
    ("surge_a", "Peak", "A"),
    ("start_a", "Start phase", "A"),
    ("start_s", "for", "s"),
    ("duty", "Share of its hours", "%"),
    ("hours", "Hours of the day", ""),
    ("efficiency", "Efficiency", "%"),
    ("standby_a", "Standby", "A"),
]
SOURCE = [
    ("most_a", "Gives at most", "A"),
    ("absorption_v", "Absorption", "V"),
    ("float_v", "Float", "V"),
    ("absorption_h", "Absorption lasts", "h"),
    ("end_a", "Ends at", "A"),
    ("slope_mv_c", "Temperature slope", "mV/°C a cell"),
    ("panel_w", "Panels", "W"),
]
BATTERY = [
    ("nominal_v", "Nominal", "V"),
    ("capacity_ah", "Capacity", "Ah"),
    ("short_ka", "Short circuit, by its maker", "kA"),
]
JOIN = [("rated_a", "Rated for", "A"), ("drop_v", "Takes off", "V")]
INVERTER = [("cut_low_v", "Switches off below", "V")]
MOTOR = [("run_s", "Longest run", "s")]
PERCENT = ("duty", "efficiency")
LAMPS = tuple(f"lamp{at}" for at in range(8))


def figures_for(device: ResolvedDevice) -> list[tuple[str, str, str]]:
    """The figures asked for of a device: (name, words, unit)."""
    preset = device.preset
    if preset.is_battery:
        return BATTERY
    if preset.joins_positives:
        return JOIN if preset.closes_with_engine else [*JOIN, *LOAD]
    asked = [*(LOAD if device.takes else []), *(SOURCE if device.gives else [])]
    own = [] if device.takes else [("efficiency", "Efficiency", "%"), ("standby_a", "Standby", "A")]
    beside = [*(INVERTER if preset.is_inverter else []), *(MOTOR if "bursts" in preset.traits else [])]
    return [*asked, *own, *beside]


def truths_for(device: ResolvedDevice) -> list[TruthField]:
    """What is asked of a device with yes, no, or what is usual."""
    preset = device.preset
    asked = [
        ("together", "Runs with others", preset.together),
        ("safety", "Must not go dead", preset.safety),
    ]
    if "bursts" in preset.traits:
        asked.append(("thermal_cutout", "Cuts itself out when hot", False))
    if preset.is_alternator:
        asked.append(("external_regulator", "Its regulator takes a signal to stop", False))
    return [TruthField(name, words, "yes" if usual else "no") for name, words, usual in asked]


@dataclass(frozen=True, slots=True)
class TruthField:
    """Something answered by yes or no, and what is usual."""

    name: str
    words: str
    usual: str

    def typed(self, given: Mapping[str, str], device: Device) -> str:
        """What its field holds: as typed, else as kept; "" is as usual."""
        kept = getattr(device, self.name)
        return given.get(self.name, "" if kept is None else "1" if kept else "0")


def figure_text(device: Device, name: str) -> str:
    """A stated figure as the text of its field; empty when it is not known."""
    return shown_figure(name, getattr(device, name))


def figure_usual(device: ResolvedDevice, name: str) -> str:
    """The usual figure that stands in for one that is not known."""
    return shown_figure(name, device.figures[name]) if name in device.assumed else ""


def learned_words(device: Device) -> str:
    """What its log showed of its use and counts for days, "" where nothing was taken over."""
    learned = device.learned
    if learned is None:
        return ""
    said = []
    if learned.amps is not None:
        said.append(f"{learned.amps:g} A while it runs")
    if learned.duty is not None:
        hours = shown_figure("hours", learned.hours or ((0.0, 24.0),))
        said.append(f"{100 * learned.duty:.0f} % of {hours} h")
    if learned.standby_a is not None:
        said.append(f"{learned.standby_a:g} A standby")
    days = f"{learned.days:.0f} days to {learned.until:%-d %B %Y}"
    return (
        f"Measured in its log ({days}): {', '.join(said)}. It counts for a day's use before what is listed."
    )


def shown_figure(name: str, value: Any) -> str:
    """A figure of a device as the text of its field."""
    if value is None or value == ():
        return ""
    if name == "hours":
        return " ".join(f"{a:g}-{b:g}" for a, b in value)
    return f"{round(value * 100 if name in PERCENT else value, 4):.10g}"


class KindForm(Form):
    """What a device is after all, and the devices just typed, whose reading is shown again."""

    kind: Line
    added: Line


class DeviceForm(Form):
    """A device's figures; what is left empty is unknown, and the usual figure stands in."""

    name: Line
    kind: Line
    power_w: Number
    current_a: Number
    surge_a: Number
    start_a: Number
    start_s: Number
    duty: Percent
    hours: Hours
    efficiency: Percent
    standby_a: Number
    most_a: Number
    absorption_v: Number
    float_v: Number
    absorption_h: Number
    end_a: Number
    slope_mv_c: Number
    panel_w: Number
    nominal_v: Number
    capacity_ah: Number
    short_ka: Number
    drop_v: Number
    rated_a: Number
    cut_low_v: Number
    run_s: Number
    chemistry: Line
    thermal_cutout: Truth
    external_regulator: Truth
    together: Truth
    safety: Truth

    @model_validator(mode="after")
    def _said_once(self) -> Self:
        if self.power_w is not None and self.current_a is not None:
            raise fault("Power and current say the same thing; give one of them.", "current_a")
        return self


class MonitorForm(Form):
    """The monitor, its shunt, and the lamps of the old gauge.

    Attributes:
        lamps: volts of each lamp that was typed, by its field [V].
    """

    kind: Line
    dialect: Line
    shunt_a: Number
    shunt_mv: Number
    step_a: Number
    smallest_a: Number
    reporting_s: Number
    lamps: dict[str, Number]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Lamps are named "lamp0" and so on."""
        return {**sent, "lamps": {name: sent[name] for name in LAMPS if str(sent.get(name, "")).strip()}}

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A lamp under its own name."""
        return str(place[-1]), sentence

    def monitor(self) -> dict[str, Any]:
        """The monitor, as it is kept."""
        given = self.model_dump(exclude={"lamps"})
        return {**given, "lamps_v": tuple(self.lamps.values())}

    def field_of(self, place: str) -> str:
        """The field that a place of the monitor was typed in: a lamp by its place among those typed."""
        name, _, rest = place.partition(".")
        return list(self.lamps)[int(rest.split(".")[0])] if name == "lamps_v" and rest else name


class PhotoForm(Form):
    """A photo, and what it shows."""

    photo: File
    caption: Line


class PinForm(Form):
    """A pin: where on the photo [%], and what it says; a lug's is named "lug:" and its device."""

    x: Number
    y: Number
    what: Line
    words: Line

    def given(self, photo_id: int) -> dict[str, Any]:
        """The pin as its service takes it."""
        what, _, about = self.what.partition(":")
        x, y = (None if value is None else value / 100.0 for value in (self.x, self.y))
        return {"photo": photo_id, "x": x, "y": y, "what": what, "about": about, "words": self.words}


SentPin = Annotated[Posted[PinForm], Depends(posted(PinForm))]
SentKind = Annotated[Posted[KindForm], Depends(posted(KindForm))]
SentDevice = Annotated[Posted[DeviceForm], Depends(posted(DeviceForm))]
SentMonitor = Annotated[Posted[MonitorForm], Depends(posted(MonitorForm))]
SentPhoto = Annotated[Posted[PhotoForm], Depends(posted(PhotoForm))]
