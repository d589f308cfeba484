"""Posted forms: each a Pydantic model; a fault is told beside its field, and what was typed stays.

FastAPI's own form models answer a fault with an error of their own. Here the page is shown again with
what was typed, so a form is read into `Posted`, which holds both what was typed and what it means.
"""

from __future__ import annotations

import re
from collections.abc import Awaitable, Callable, Container, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Generic, TypeVar
from zoneinfo import ZoneInfo

from fastapi import Depends, Request
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, ValidationError, ValidationInfo
from starlette.datastructures import FormData, UploadFile

from volnik.core.errors import InvalidInput
from volnik.web.forms.amounts import amount_in, fault, number_in, trimmed, unit_of
from volnik.web.security import guarded_form
from volnik.web.us_units import system_in

SPAN = re.compile(r"(?<!\d)(\d+(?:[.,]\d+)?)\s*[-–]\s*(\d+(?:[.,]\d+)?)")


def _amount(value: object, about: ValidationInfo) -> float | None:
    """A number, with or without the unit that its field's name ends in."""
    return amount_in(value, unit_of(about.field_name or ""), system_of(about))


def system_of(about: ValidationInfo) -> str:
    """The system of units of the browser that posted a form."""
    context: dict[str, str] = about.context or {}
    return context.get("system", "metric")


def _whole(value: object) -> int | None:
    number = number_in(value)
    if number is not None and number != int(number):
        raise fault(f"A whole number, got {number:g}.")
    return None if number is None else int(number)


def _percent(value: object) -> float | None:
    number = amount_in(value, "%")
    return None if number is None else number / 100.0


def _hours(value: object) -> tuple[tuple[float, float], ...] | None:
    """Hours of the day such as "7-9 17-23", or None where nothing was typed."""
    typed = trimmed(value)
    spans = [tuple(float(hour.replace(",", ".")) for hour in span) for span in SPAN.findall(typed)]
    if SPAN.sub("", typed).strip(" ,;h"):
        raise fault(f"“{typed[:30]}” cannot be read; write it such as 7-9 17-23.")
    return tuple((start, end) for start, end in spans) or None


def _needed(value: object) -> object:
    if not trimmed(value):
        raise fault("Type a number here.")
    return value


def _local(value: object) -> datetime:
    try:
        return datetime.fromisoformat(trimmed(value))
    except ValueError:
        raise fault("Give the date and time.") from None


def _local_if_any(value: object) -> datetime | None:
    return _local(value) if trimmed(value) else None


def _file(value: object) -> UploadFile | None:
    return value if isinstance(value, UploadFile) and value.filename else None


def _truth(value: object) -> bool | None:
    return {"1": True, "0": False}.get(str(value))


Truth = Annotated[bool | None, BeforeValidator(_truth)]
"""Yes, no, or as is usual."""

Line = Annotated[str, BeforeValidator(trimmed)]
"""A line of text without the blanks around it."""

Text = Annotated[str, BeforeValidator(lambda value: value if isinstance(value, str) else "")]
"""Text as it was typed."""

Number = Annotated[float | None, BeforeValidator(_amount)]
"""A number, with or without its unit, or None where nothing was typed."""

Amps = Annotated[float | None, BeforeValidator(lambda value: amount_in(value, "A"))]
"""Amps, with or without their unit, or None where nothing was typed."""

NeededAmps = Annotated[float, BeforeValidator(lambda value: amount_in(value, "A")), BeforeValidator(_needed)]
"""Amps that must be there."""

Needed = Annotated[float, BeforeValidator(_amount), BeforeValidator(_needed)]
"""A number that must be there."""

Percent = Annotated[float | None, BeforeValidator(_percent)]
"""A share, typed in percent, as 0..1; None where nothing was typed."""

Hours = Annotated[tuple[tuple[float, float], ...] | None, BeforeValidator(_hours)]
"""Hours of the day as (from, to), typed such as 7-9 17-23; None where nothing was typed."""

Whole = Annotated[int | None, BeforeValidator(_whole)]
"""A whole number, or None where nothing was typed."""

NeededWhole = Annotated[int, BeforeValidator(_whole), BeforeValidator(_needed)]
"""A whole number that must be there."""

Moment = Annotated[datetime, BeforeValidator(_local)]
"""A date and time on the rig's own clock; `at_s` puts it on the world's."""

MomentIfAny = Annotated[datetime | None, BeforeValidator(_local_if_any)]
"""The same, or None where nothing was typed."""

Ticked = Annotated[bool, BeforeValidator(bool)]
"""A box; one that is not ticked is not sent."""

File = Annotated[UploadFile | None, BeforeValidator(_file)]
"""A file, or None where none was chosen."""


def chosen(words: Container[str], sentence: str) -> AfterValidator:
    """Beside `Line` in its annotation: one of these words, or the sentence is told."""

    def check(value: str) -> str:
        if value not in words:
            raise fault(sentence)
        return value

    return AfterValidator(check)


def at_s(moment: datetime, zone: str) -> float:
    """A moment on a rig's own clock as an instant [s since 1970]."""
    return moment.replace(tzinfo=ZoneInfo(zone)).timestamp()


class Form(BaseModel):
    """What is posted. A field that was not sent is an empty one."""

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True)

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """What was sent as the model takes it; a form of rows or of free names gathers them here."""
        return dict(sent)

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """Where a fault is shown: the field a place of the model was shaped from, and the sentence."""
        return str(place[0]), sentence


Some = TypeVar("Some", bound=Form)


@dataclass(frozen=True, slots=True)
class Posted(Generic[Some]):
    """What was posted.

    Attributes:
        typed: each field as text, to be shown again.
        form: what it means, or None where a field cannot be read.
        problems: a sentence for each field that cannot.
    """

    typed: dict[str, str]
    form: Some | None
    problems: dict[str, str]

    def read(self) -> Some:
        """What it means.

        Raises:
            InvalidInput: with a sentence for each field that cannot be read.
        """
        if self.form is None:
            raise InvalidInput(self.problems)
        return self.form

    def pressed(self, name: str = "what") -> str:
        """The button it was sent with, known even where a field cannot be read."""
        return self.typed.get(name, "").strip()


def read_form(model: type[Some], sent: Mapping[str, Any], system: str = "metric") -> Posted[Some]:
    """What was sent, read into its model; bare figures are in the units of the browser."""
    empty = dict.fromkeys((field.alias or name for name, field in model.model_fields.items()), "")
    typed = empty | {name: value for name, value in sent.items() if isinstance(value, str)}
    given: dict[str, Any] = empty | model.shape(sent)
    try:
        return Posted(typed, model.model_validate(given, context={"system": system}), {})
    except ValidationError as wrong:
        problems: dict[str, str] = {}
        for error in wrong.errors(include_url=False):
            named = error.get("ctx", {}).get("field")
            field, sentence = (named, error["msg"]) if named else model.fault_at(error["loc"], error["msg"])
            problems.setdefault(field, sentence)
        return Posted(typed, None, problems)


def posted(model: type[Some]) -> Callable[..., Awaitable[Posted[Some]]]:
    """The FastAPI dependency that reads a form into its model, once its token was found right."""

    async def read(request: Request, sent: Annotated[FormData, Depends(guarded_form)]) -> Posted[Some]:
        return read_form(model, sent, system_in(request))

    return read


guarded = Depends(guarded_form)
"""For a route of a mere button: the token is looked at, and no field is read."""
