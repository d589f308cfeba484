"""Dialects: how one kind of monitor names, rounds and limits the parameters.

Every one that ships is made up.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from volnik.core.errors import InvalidInput
from volnik.core.values import Plain

Unit = Literal["Ah", "V", "V/cell", "%", "A", "mA", "min", "s", "h", "-"]


@dataclass(frozen=True, slots=True)
class Parameter:
    """A parameter that monitors have.

    Attributes:
        units: those it is given in, the usual first.
        rounds: which way a value is brought onto a monitor's steps: 1 up, -1 down, 0 to the nearest. Towards
            a
            count that reads low rather than high, and volts that a charger reaches.
    """

    units: tuple[Unit, ...]
    rounds: Literal[-1, 0, 1]


PARAMETERS: dict[str, Parameter] = {
    "capacity_ah": Parameter(("Ah",), -1),
    "rated_hours": Parameter(("h",), 0),
    "peukert_exponent": Parameter(("-",), 1),
    "charged_voltage_v": Parameter(("V", "V/cell"), -1),
    "tail_current_pct": Parameter(("%", "A"), -1),
    "hold_s": Parameter(("min", "s"), 1),
    "dead_band_a": Parameter(("A", "mA"), -1),
    "coulombic_efficiency": Parameter(("%",), -1),
    "reserve_pct": Parameter(("%",), 1),
    "runtime_window_s": Parameter(("min", "s"), 0),
    "initial_soc": Parameter(("%",), -1),
    "low_alarm_pct": Parameter(("%",), 1),
    "low_alarm_v": Parameter(("V", "V/cell"), 1),
    "high_alarm_v": Parameter(("V", "V/cell"), 1),
    "relay_on_pct": Parameter(("%",), 1),
    "relay_off_pct": Parameter(("%",), 1),
    "relay_least_s": Parameter(("min", "s"), 1),
}
POWER_UPS = ("blank", "last", "full", "half")
Figure = Annotated[float, Field(ge=-100_000, le=100_000)]


class DialectField(Plain):
    """One parameter as a monitor has it.

    Its own label, unit, range, step and factory value, all in that unit.
    """

    key: str
    label: Annotated[str, Field(min_length=1, max_length=60)]
    unit: Unit
    low: Figure
    high: Figure
    step: Annotated[float, Field(gt=0, le=1000)]
    factory: Figure | None = None

    @model_validator(mode="after")
    def _sound(self) -> DialectField:
        if self.key not in PARAMETERS:
            raise ValueError(f"{self.key} is no parameter; one of {', '.join(PARAMETERS)}")
        units = PARAMETERS[self.key].units
        if self.unit not in units:
            raise ValueError(f"{self.key} is given in {' or '.join(units)}, not in {self.unit}")
        if self.low >= self.high:
            raise ValueError(f"the range of {self.label} ends at {self.high:g}, below where it begins")
        if self.factory is not None and not self.low <= self.factory <= self.high:
            raise ValueError(f"the factory value of {self.label} lies outside its own range")
        return self


class Dialect(Plain):
    """One kind of monitor.

    Attributes:
        floor_pct: lowest current it still takes for tapered, 0 or slightly negative [% of C].
        power_up: states it can have after a loss of supply, the factory's first.
        full_button: whether full can be pressed by hand.
        cannot: what it cannot do, in sentences.
    """

    key: Annotated[str, Field(pattern=r"^[a-z0-9_.-]{1,40}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    what: Annotated[str, Field(max_length=200)] = ""
    fields: Annotated[tuple[DialectField, ...], Field(max_length=40)]
    floor_pct: Annotated[float, Field(ge=-1, le=0)] = 0.0
    power_up: Annotated[
        tuple[Literal["blank", "last", "full", "half"], ...], Field(min_length=1, max_length=4)
    ] = ("last",)
    full_button: bool = False
    cannot: Annotated[tuple[Annotated[str, Field(max_length=200)], ...], Field(max_length=12)] = ()
    source: Annotated[str, Field(max_length=80)] = "made up"

    @property
    def finds_full(self) -> bool:
        """Whether it resets its count by itself, by volts or amps."""
        judged_by = ("charged_voltage_v", "tail_current_pct")
        return any(self.field_of(key) is not None for key in judged_by)

    @model_validator(mode="after")
    def _whole(self) -> Dialect:
        keys = [item.key for item in self.fields]
        if "capacity_ah" not in keys:
            raise ValueError("a monitor that counts needs the capacity: the parameter capacity_ah is missing")
        if len(set(keys)) < len(keys):
            raise ValueError(f"{next(key for key in keys if keys.count(key) > 1)} is there twice")
        return self

    def field_of(self, key: str) -> DialectField | None:
        """Its field for a parameter, or None where it has none.

        Args:
            key: of the number.
        """
        return next((item for item in self.fields if item.key == key), None)


def _f(
    key: str, label: str, unit: Unit, low: float, high: float, *, step: float, factory: float | None = None
) -> DialectField:
    return DialectField(key=key, label=label, unit=unit, low=low, high=high, step=step, factory=factory)


PLAIN = Dialect(
    key="plain",
    name="The monitor at hand",
    what="in plain words",
    power_up=("blank", "last", "full", "half"),
    full_button=True,
    fields=(
        _f("capacity_ah", "Battery capacity", "Ah", 1, 20000, step=1),
        _f("rated_hours", "Capacity is rated over", "h", 1, 200, step=1),
        _f("peukert_exponent", "Peukert exponent", "-", 1, 1.6, step=0.01),
        _f("charged_voltage_v", "Volts at which it may be full", "V", 5, 120, step=0.1),
        _f("tail_current_pct", "Charge amps down to", "%", 0.5, 50, step=0.1),
        _f("hold_s", "Both for so long, then it is full", "min", 1, 120, step=1),
        _f("dead_band_a", "Amps below this are nothing", "A", 0, 5, step=0.01),
        _f("coulombic_efficiency", "Share of each charge that is kept", "%", 50, 100, step=1),
        _f("reserve_pct", "Never below", "%", 0, 99, step=1),
        _f("runtime_window_s", "Hours averaged over", "min", 1, 120, step=1),
        _f("initial_soc", "Charge it starts from", "%", 0, 100, step=1),
        _f("low_alarm_pct", "Warn at", "%", 0, 99, step=1),
        _f("low_alarm_v", "Warn below", "V", 0, 120, step=0.1),
        _f("high_alarm_v", "Warn above", "V", 0, 120, step=0.1),
        _f("relay_on_pct", "Relay closes at", "%", 0, 99, step=1),
        _f("relay_off_pct", "Relay opens at", "%", 0, 100, step=1),
        _f("relay_least_s", "Relay stays as it is at least", "min", 0, 1440, step=1),
    ),
    cannot=("What your monitor has no setting for is left out.",),
    source="trade words",
)
"""For a monitor nobody described yet: every number in plain words, on fine steps."""


def described_by(name: str, called: Mapping[str, str]) -> dict[str, Any]:
    """A dialect made on the spot: the plain one's numbers under the words a monitor really shows.

    Args:
        name: of the monitor.
        called: what each number is called on it, by key; "" where it has no such setting.

    Raises:
        InvalidInput: naming what is missing.
    """
    words = {key: said.strip() for key, said in called.items() if said.strip()}
    problems = {}
    key = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:40]
    if not key or key == PLAIN.key:
        problems["monitor"] = "Type what is printed on the monitor."
    if "capacity_ah" not in words:
        problems["called-capacity_ah"] = "Type what the battery's capacity is called on it."
    if problems:
        raise InvalidInput(problems)
    fields = [field.changed(label=words[field.key][:60]) for field in PLAIN.fields if field.key in words]
    return {
        "key": key,
        "name": name.strip()[:60],
        "what": "words read from the monitor",
        "fields": [field.model_dump() for field in fields],
        "power_up": PLAIN.power_up,
        "full_button": True,
    }


DIALECTS: tuple[Dialect, ...] = (
    Dialect(
        key="phone",
        name="Tidepool P",
        what="full-featured, set by phone",
        floor_pct=-0.25,
        power_up=("last", "blank", "full"),
        full_button=True,
        fields=(
            _f("capacity_ah", "Battery size", "Ah", 1, 9999, step=1, factory=100),
            _f("rated_hours", "Size holds over", "h", 5, 100, step=5, factory=20),
            _f("peukert_exponent", "Rate bend", "-", 1, 1.5, step=0.01, factory=1.25),
            _f("charged_voltage_v", "Full above", "V", 6, 95, step=0.1, factory=13.2),
            _f("tail_current_pct", "Full below", "%", 0.5, 10, step=0.5, factory=4),
            _f("hold_s", "Full after", "min", 1, 60, step=1, factory=3),
            _f("dead_band_a", "Ignore under", "A", 0, 2, step=0.01, factory=0.1),
            _f("coulombic_efficiency", "Kept of what goes in", "%", 50, 100, step=1, factory=95),
            _f("reserve_pct", "Keep back", "%", 0, 99, step=1, factory=50),
            _f("runtime_window_s", "Hours look back over", "min", 1, 30, step=1, factory=3),
            _f("initial_soc", "Now at", "%", 0, 100, step=1),
            _f("low_alarm_pct", "Warn at", "%", 0, 99, step=1),
            _f("low_alarm_v", "Warn under", "V", 0, 95, step=0.1),
            _f("high_alarm_v", "Warn over", "V", 0, 95, step=0.1),
            _f("relay_on_pct", "Contact closes at", "%", 0, 99, step=1),
            _f("relay_off_pct", "Contact opens at", "%", 0, 100, step=1),
        ),
    ),
    Dialect(
        key="wall",
        name="Bulkhead W2",
        what="wall display with a relay",
        power_up=("full", "last"),
        full_button=True,
        fields=(
            _f("capacity_ah", "AH TOTAL", "Ah", 20, 2000, step=5, factory=200),
            _f("charged_voltage_v", "V DONE", "V/cell", 2, 4, step=0.01),
            _f("tail_current_pct", "A DONE", "A", 0.5, 50, step=0.5, factory=4),
            _f("hold_s", "T DONE", "s", 30, 600, step=30, factory=120),
            _f("coulombic_efficiency", "RETURN", "%", 70, 100, step=1, factory=90),
            _f("reserve_pct", "EMPTY IS", "%", 0, 80, step=5, factory=50),
            _f("low_alarm_pct", "BUZZ AT", "%", 0, 90, step=5, factory=20),
            _f("relay_on_pct", "RLY ON", "%", 0, 90, step=5),
            _f("relay_off_pct", "RLY OFF", "%", 10, 100, step=5),
            _f("relay_least_s", "RLY MIN", "min", 0, 240, step=5),
        ),
        cannot=("It has no blank state: after a fuse pull check its figure before believing it.",),
    ),
    Dialect(
        key="simple",
        name="Pocket Meter 3",
        what="capacity, two alarms and a button for full",
        power_up=("full",),
        full_button=True,
        fields=(
            _f("capacity_ah", "CAP", "Ah", 10, 990, step=10, factory=100),
            _f("low_alarm_pct", "LOW %", "%", 0, 90, step=10, factory=20),
            _f("low_alarm_v", "LOW V", "V", 8, 60, step=0.5, factory=11),
        ),
        cannot=(
            "It never finds full by itself.",
            "It forgets everything with its supply and then claims 100 %.",
        ),
    ),
    Dialect(
        key="charger",
        name="Harbour Charger counter",
        what="counter inside a charger, ends on amps",
        floor_pct=-0.5,
        power_up=("half", "last"),
        fields=(
            _f("capacity_ah", "Battery", "Ah", 50, 1500, step=50, factory=200),
            _f("tail_current_pct", "End amps", "A", 1, 40, step=1, factory=10),
            _f("coulombic_efficiency", "Charge factor", "%", 80, 100, step=5, factory=90),
            _f("low_alarm_v", "Cut-out", "V/cell", 1.7, 3.2, step=0.05),
        ),
        cannot=(
            "Its volts for full are the charger's own absorption.",
            "It only counts what passes the charger's own shunt.",
        ),
    ),
)
