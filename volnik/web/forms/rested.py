"""Volts read at rest, to be looked up: asked in the address, nothing is kept."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from volnik.web.forms.posted import Form, Needed


class RestAsked(BaseModel):
    """What stands in the address, as it was typed."""

    model_config = ConfigDict(frozen=True)

    volts: str = ""
    hours: str = ""
    after: str = "draw"
    saved: str = ""

    @property
    def is_asked(self) -> bool:
        """Whether anything was typed."""
        return bool(self.volts.strip() or self.hours.strip())


class RestFigures(Form):
    """The same, read."""

    volts: Needed
    hours: Needed


NOTHING_ASKED = RestAsked()
