"""Wire-up's forms: ticks as a browser sends them, a photo of a step."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from volnik.core.errors import InvalidInput
from volnik.web.forms.posted import File, Form, Line, Posted, posted
from volnik.web.security import guarded_json

MOST_TICKS = 500


class TickBatch(BaseModel):
    """Ticks in the order they were made; each is read, and answered, on its own."""

    ticks: list[dict[str, Any]] = Field(max_length=MOST_TICKS)

    model_config = ConfigDict(
        json_schema_extra={
            "example": {
                "ticks": [
                    {"mark": "a1", "step": "before.tools", "kind": "done", "time_s": 1790000000.0, "body": {}}
                ]
            }
        }
    )


TICKS_BODY: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {"application/json": {"schema": TickBatch.model_json_schema()}},
    }
}
"""What the route of ticks takes, as OpenAPI says it."""


class StepPhotoForm(Form):
    """A photo of a step; `mark` keeps it from being kept twice."""

    file: File
    step: Line
    mark: Line


class CloseForm(Form):
    """Closing Wire-up; `in_spite` says why, where the plan has something to stop for."""

    in_spite: Line


async def _ticks(body: Annotated[Any, Depends(guarded_json)]) -> TickBatch:
    try:
        return TickBatch.model_validate(body)
    except ValidationError:
        raise InvalidInput({"ticks": f"Ticks are a list of at most {MOST_TICKS} objects."}) from None


SentTicks = Annotated[TickBatch, Depends(_ticks)]
SentClose = Annotated[Posted[CloseForm], Depends(posted(CloseForm))]
SentStepPhoto = Annotated[Posted[StepPhotoForm], Depends(posted(StepPhotoForm))]
