"""Survey's first pages: why the job exists, a usual day."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Self

from fastapi import Depends
from pydantic import Field, model_validator

from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.survey.enquiry import FUNCTIONS, GAUGES
from volnik.web.forms.amounts import fault
from volnik.web.forms.posted import (
    Form,
    Line,
    Needed,
    Number,
    Posted,
    Ticked,
    posted,
)

MOST_AH, MOST_PANEL_W = 20_000.0, 20_000.0


class EnquiryForm(Form):
    """Why the job exists. Boxes of what is wanted and of what is on board come one by one."""

    reason: Line
    other: Line
    complaint: Line
    nights: Number
    matters: Line
    keeps_for: Line
    survived_days: Number
    own_counter: Line
    past_gauge: Line
    critical: Line
    reads: Line
    read_by: Line
    makers: Line
    access: Line
    mount: Line
    hole_mm: Number
    cable_m: Number
    trial: Ticked
    review: Line
    wants: tuple[str, ...] = ()
    gauges: tuple[str, ...] = ()

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Gather the boxes."""
        return {
            **sent,
            "wants": tuple(key for key in FUNCTIONS if sent.get(f"want-{key}")),
            "gauges": tuple(key for key in GAUGES if sent.get(f"gauge-{key}")),
        }

    def answers(self) -> dict[str, Any]:
        """What is kept: the reason as chosen or typed, no empty date."""
        told = self.model_dump(exclude={"other"})
        return {**told, "reason": self.other or self.reason, "review": self.review or None}


class HoursForm(Form):
    """Hours of a day that a load runs."""

    device: Line
    hours: Needed


class ChoiceForm(Form):
    """What might be built otherwise; asked in the address."""

    bank_ah: Number = Field(alias="ah")
    chemistry: Line
    more_panel_w: Number = Field(alias="panel")
    weight_kg: Number = Field(alias="kg")
    price: Number

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        for name, value, most in (("ah", self.bank_ah, MOST_AH), ("panel", self.more_panel_w, MOST_PANEL_W)):
            if value is not None and not 0.0 <= value <= most:
                raise fault(f"From 0 to {most:.0f}, got {value:g}.", name)
        if self.chemistry and self.chemistry not in CHEMISTRIES:
            raise fault("There is no such chemistry.", "chemistry")
        if self.bank_ah == 0.0:
            raise fault("A bank holds more than 0 Ah.", "ah")
        return self


class SpeedsForm(Form):
    """Speeds under motor at a quarter, half, three quarters and all of its amps; asked in the address."""

    v100: Number
    v75: Number
    v50: Number
    v25: Number


SentEnquiry = Annotated[Posted[EnquiryForm], Depends(posted(EnquiryForm))]
SentHours = Annotated[Posted[HoursForm], Depends(posted(HoursForm))]
