"""Path's forms: a change, a mend, a step back, a proposal taken; what is looked at goes along."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import Depends
from pydantic import BeforeValidator

from volnik.services.path.read import Which
from volnik.web.forms.amounts import fault
from volnik.web.forms.posted import (
    Form,
    Line,
    Posted,
    Text,
    posted,
)

SHOWN = ("pick", "case", "show", "positives")


def which_of(word: str) -> Which:
    """The drawing an address or a form asks for."""
    return "found" if word == "found" else "planned"


class BoardForm(Form):
    """What the board is sent with: the drawing, the page it is on, and what is looked at on it."""

    drawing: Line
    page: Line
    pick: Line
    case: Line
    show: Line
    positives: Line

    @property
    def which(self) -> Which:
        """The drawing it is about."""
        return which_of(self.drawing)

    @property
    def shown(self) -> dict[str, str]:
        """What is looked at, as far as it was said."""
        said = {name: getattr(self, name)[:80] for name in SHOWN}
        return {name: value for name, value in said.items() if value}


def _changes(value: object) -> list[Any]:
    try:
        given = json.loads(value if isinstance(value, str) else "")
    except (ValueError, RecursionError):
        raise fault("That change cannot be read; reload the page and try again.") from None
    return given if isinstance(given, list) else [given]


class ChangeForm(BoardForm):
    """Changes of the drawing, as JSON."""

    ops: Annotated[list[Any], BeforeValidator(_changes)]


class MendForm(BoardForm):
    """A finding to be mended, and where; "all" for all that can be."""

    finding: Line
    at: Line


class StepForm(BoardForm):
    """One step back ("undo") or forth."""

    way: Line


class UseForm(BoardForm):
    """A proposal of the sizing to be taken into the plan."""

    what: Line


class LinesForm(Form):
    """Devices typed or pasted, one a line."""

    lines: Text


SentChange = Annotated[Posted[ChangeForm], Depends(posted(ChangeForm))]
SentMend = Annotated[Posted[MendForm], Depends(posted(MendForm))]
SentStep = Annotated[Posted[StepForm], Depends(posted(StepForm))]
SentUse = Annotated[Posted[UseForm], Depends(posted(UseForm))]
SentLines = Annotated[Posted[LinesForm], Depends(posted(LinesForm))]
