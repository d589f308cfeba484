"""Prove's forms: the roll call's presses, a device from what the display showed, a measurement."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import Depends
from pydantic import Field
from pydantic_core import PydanticCustomError

from volnik.core.errors import InvalidInput
from volnik.web.forms.amounts import amount_in
from volnik.web.forms.posted import (
    Amps,
    File,
    Form,
    Line,
    NeededAmps,
    Number,
    Posted,
    Text,
    posted,
)

LONGEST_WAIT_S = 30 * 86400.0  # what claims to have waited longer comes from a clock that was set


class CallForm(Form):
    """A press of the roll call: a device called, said to be on or off, or the call stopped."""

    what: Line
    device: Line
    clamp: Amps
    display: Amps


class MeasuredForm(Form):
    """What every entry of the record is sent with.

    Attributes:
        corrects: the entry it replaces, or "".
        mark: keeps it from being kept twice.
        age_s: how long ago it was typed, where it waited for the link [s].
    """

    corrects: Line
    mark: Line
    age_s: Number

    @property
    def corrected_id(self) -> int | None:
        """The entry it replaces."""
        return int(self.corrects) if self.corrects.isdigit() else None

    @property
    def waited_s(self) -> float:
        """How long ago it was typed, as far as that can be [s]."""
        return min(max(0.0, self.age_s or 0.0), LONGEST_WAIT_S)

    @property
    def idempotency_key(self) -> str:
        """The mark it was sent with, or a new one."""
        return self.mark or secrets.token_urlsafe(12)


class ProofPhotoForm(Form):
    """A photo put to an entry."""

    photo: File


class TypedStepForm(MeasuredForm):
    """Amps as the display showed them before, with and after a device, and what it and the clamp said [A]."""

    device: Line
    before: NeededAmps
    with_device: NeededAmps = Field(alias="with")
    after: Amps
    display: Amps
    clamp: Amps


class CheckForm(MeasuredForm):
    """A measurement: its figures by name, whatever the check asks for."""

    check: Line
    about: Line
    values: dict[str, Text]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Every field that is not the form's own is a figure."""
        own = {name: value for name, value in sent.items() if name in cls.model_fields}
        figures = {name: value for name, value in sent.items() if name not in own and name != "_token"}
        return {**own, "values": figures}

    def figures(self, units: Mapping[str, str]) -> dict[str, float]:
        """The figures that were typed, each in the unit it is asked in.

        Raises:
            InvalidInput: naming each that is none.
        """
        found, problems = {}, {}
        for name, unit in units.items():
            try:
                value = amount_in(self.values.get(name, ""), unit)
            except PydanticCustomError as wrong:
                problems[name] = wrong.message()
                continue
            if value is not None:
                found[name] = value
        if problems:
            raise InvalidInput(problems)
        return found

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A figure is shown under its own name."""
        return str(place[-1]), sentence


SentCall = Annotated[Posted[CallForm], Depends(posted(CallForm))]
SentTypedStep = Annotated[Posted[TypedStepForm], Depends(posted(TypedStepForm))]
SentProofPhoto = Annotated[Posted[ProofPhotoForm], Depends(posted(ProofPhotoForm))]
SentCheck = Annotated[Posted[CheckForm], Depends(posted(CheckForm))]
