"""The forms of Doors: keys for bridges and feeds, a phone's code."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends

from volnik.core.roles import ROLES, Role
from volnik.web.forms.posted import Form, Line, Needed, Number, Posted, posted

OF_A_RIG = ("bridge", "bench")
"""Kinds of key that open one rig."""


class KeyForm(Form):
    """A key to be made; rig and interval are asked for those of a rig alone."""

    kind: Line
    rig_id: Line
    name: Line
    interval_s: Number

    @property
    def rig(self) -> int | None:
        """The rig it opens, or None."""
        return int(self.rig_id) if self.rig_id.isdigit() and self.kind in OF_A_RIG else None


class IntervalForm(Form):
    """How often a bridge reports [s]."""

    interval_s: Needed


class CodeForm(Form):
    """A new code: as what it lets in, and of which rig."""

    role: Line
    rig_id: Line

    @property
    def of(self) -> tuple[Role, int | None]:
        """Role and rig; an installer where none was chosen."""
        role: Role = next((role for role in ROLES if role == self.role), "installer")
        return role, int(self.rig_id) if role == "owner" and self.rig_id.isdigit() else None


class PairForm(Form):
    """The code a laptop shows, and whose phone this is."""

    code: Line
    name: Line


SentKey = Annotated[Posted[KeyForm], Depends(posted(KeyForm))]
SentInterval = Annotated[Posted[IntervalForm], Depends(posted(IntervalForm))]
SentCode = Annotated[Posted[CodeForm], Depends(posted(CodeForm))]
SentPair = Annotated[Posted[PairForm], Depends(posted(PairForm))]
