"""Numbers' forms: the settings, each typed in its own unit; alarms; the sheet; how the rig is used."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Self

from fastapi import Depends
from pydantic import BeforeValidator, ValidationInfo, create_model, model_validator

from volnik.core.numbers.alarms import KINDS
from volnik.core.numbers.meanings import MEANINGS, POWER_UP
from volnik.core.numbers.typed import NotRead, as_shown
from volnik.core.settings import LIMITS, Numbers
from volnik.core.shelf.dialects import PARAMETERS
from volnik.web.forms.amounts import amount_in, fault
from volnik.web.forms.posted import (
    Form,
    Line,
    MomentIfAny,
    Needed,
    Number,
    Posted,
    Text,
    Ticked,
    Whole,
    chosen,
    posted,
    system_of,
)


def fields_of(numbers: Numbers, power_up: str) -> dict[str, str]:
    """Numbers as the text of their fields."""
    shown = {}
    for key, value in numbers.as_dict().items():
        shown[key] = "" if value is None else f"{round(value * MEANINGS[key].per_stored, 9):.10g}"
    return {**shown, "power_up": power_up}


class NumbersForm(Form):
    """Every number of the settings, in the unit it is typed in, and what goes with a version.

    The numbers themselves are added below, one for each meaning.
    """

    power_up: Annotated[Line, chosen(POWER_UP, "Choose what the monitor claims after a loss of supply.")]
    what: Line
    sure: Line
    reason: Line
    holds: Line
    holds_date: MomentIfAny

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Each number in the unit of its field, whatever it was typed in."""
        given = dict(sent)
        capacity_ah = _read("capacity_ah", str(sent.get("capacity_ah", "")), math.nan)
        for key in MEANINGS:
            if isinstance(sent.get(key), str):
                given[key] = _Typed(key, sent[key], capacity_ah or math.nan)
        return given

    @property
    def certain(self) -> frozenset[str]:
        """Keys of the numbers that were said to be meant as they are, each with the value it was said of."""
        return frozenset(
            key
            for key, _, text in (each.partition("=") for each in self.sure.split())
            if key in MEANINGS and text == _text(getattr(self, key))
        )

    @property
    def texts(self) -> dict[str, str]:
        """The numbers as the text of their fields."""
        return {key: _text(getattr(self, key)) for key in MEANINGS}

    @property
    def values(self) -> dict[str, float | None]:
        """The numbers in the units they are stored in."""
        found = {}
        for key, meaning in MEANINGS.items():
            typed = getattr(self, key)
            found[key] = None if typed is None else typed / meaning.per_stored
        return found


@dataclass(frozen=True, slots=True)
class _Typed:
    """A number as it was typed, with what it is a share of [Ah]."""

    key: str
    text: str
    capacity_ah: float


def _text(value: float | None) -> str:
    return "" if value is None else f"{round(value, 9):.10g}"


def _read(key: str, text: str, capacity_ah: float) -> float | None:
    try:
        return as_shown(key, text, capacity_ah)
    except NotRead:
        return math.nan


def _in_its_unit(value: object) -> object:
    """What was typed, in the unit of its field."""
    if not isinstance(value, _Typed):
        return value
    try:
        return as_shown(value.key, value.text, value.capacity_ah)
    except NotRead as wrong:
        raise fault(str(wrong)) from None


def _there(value: object) -> object:
    if value is None:
        raise fault("Type a number here.")
    return value


AnyUnit = Annotated[float | None, BeforeValidator(_in_its_unit)]
NeededInAnyUnit = Annotated[float, BeforeValidator(_there), BeforeValidator(_in_its_unit)]
_OWN: dict[str, Any] = {
    key: (AnyUnit if LIMITS[key].may_be_unknown else NeededInAnyUnit, ...) for key in MEANINGS
}
NUMBERS_FORM = create_model("NumbersForm", __base__=NumbersForm, **_OWN)


class BringForm(Form):
    """Numbers brought in: of another rig, or a pasted table."""

    other: Whole
    table: Text


def _level(value: object, about: ValidationInfo) -> float | None:
    """A level, with or without the unit of its kind of alarm."""
    kind = KINDS.get(about.data.get("key", ""))
    return amount_in(value, kind.unit if kind else "", system_of(about))


Level = Annotated[float, BeforeValidator(_there), BeforeValidator(_level)]


class AlarmForm(Form):
    """One alarm or relay set-point."""

    key: Line
    level: Level
    release: Level
    delay_s: Needed
    quiet_from: Number
    quiet_to: Number
    most_a_day: Whole
    again_min: Number
    least_min: Number
    monitor: Ticked
    volnik: Ticked
    on: Ticked

    @model_validator(mode="after")
    def _quiet_has_both_ends(self) -> Self:
        if (self.quiet_from is None) != (self.quiet_to is None):
            raise fault("Quiet hours have a beginning and an end, or neither.", "quiet_to")
        return self

    def values(self) -> dict[str, Any]:
        """The alarm, as it is kept; what is left open stays as it usually is."""
        most = {} if self.most_a_day is None else {"most_a_day": self.most_a_day}
        return {
            "key": self.key,
            "level": self.level,
            "release": self.release,
            "delay_s": self.delay_s,
            "quiet": None if self.quiet_from is None else (self.quiet_from, self.quiet_to),
            "monitor": self.monitor,
            "volnik": self.volnik,
            "on": self.on,
            "again_min": self.again_min,
            "least_min": self.least_min,
            **most,
        }


class GiveOutForm(Form):
    """The sheet for one kind of monitor, given out."""

    dialect: Line


class ReadBackForm(Form):
    """What stands in the monitor: ticked as on the sheet, or typed instead.

    Attributes:
        same: parameters ticked.
        entered: parameters typed, in the monitor's own unit.
    """

    same: frozenset[str]
    entered: dict[str, Number]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """A box is named "same-" and its parameter, a field as its parameter."""
        same = {key for key in PARAMETERS if sent.get(f"same-{key}")}
        entered = {key: sent[key] for key in PARAMETERS if str(sent.get(key, "")).strip()}
        return {"same": same, "entered": entered}

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A parameter under its own name."""
        return str(place[-1]), sentence


class CalledForm(Form):
    """What the monitor at hand calls its numbers.

    Attributes:
        monitor: what is printed on it.
        called: by parameter; "" where it has no such setting.
    """

    monitor: Line
    called: dict[str, Line]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """A field is named "called-" and its parameter."""
        called = {key: sent.get(f"called-{key}", "") for key in PARAMETERS}
        return {"monitor": sent.get("monitor", ""), "called": called}


class UseForm(Form):
    """How a rig is used: what the simulated year is made of."""

    sky: Line
    season: Line
    drive_days: Needed
    drive_h: Needed
    shore_nights: Needed
    summer_c: Number
    winter_c: Number


class OnLogForm(Form):
    """A setting to be counted on the real log, and what it is compared with."""

    v: Needed
    t: Needed
    h: Needed
    b: Line


class CutOffsForm(Form):
    """Where the battery's own protection opens [V a cell, °C]."""

    cell_low_v: Number
    cell_high_v: Number
    charge_cold_c: Number
    charge_hot_c: Number


SentBring = Annotated[Posted[BringForm], Depends(posted(BringForm))]
SentNumbers = Annotated[Posted[NumbersForm], Depends(posted(NUMBERS_FORM))]
SentAlarm = Annotated[Posted[AlarmForm], Depends(posted(AlarmForm))]
SentGiveOut = Annotated[Posted[GiveOutForm], Depends(posted(GiveOutForm))]
SentCalled = Annotated[Posted[CalledForm], Depends(posted(CalledForm))]
SentReadBack = Annotated[Posted[ReadBackForm], Depends(posted(ReadBackForm))]
SentUse = Annotated[Posted[UseForm], Depends(posted(UseForm))]
SentOnLog = Annotated[Posted[OnLogForm], Depends(posted(OnLogForm))]
SentCutOffs = Annotated[Posted[CutOffsForm], Depends(posted(CutOffsForm))]
