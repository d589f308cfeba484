"""What stands in the address of a case: the looks taken, one more, or a conclusion."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class PracticeAsked(BaseModel):
    """As it was sent; what the rig has none of is left out by whoever reads it."""

    model_config = ConfigDict(frozen=True)

    taken: str = ""
    look: str = ""
    answer: str = ""
