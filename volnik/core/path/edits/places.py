"""Changes of studs, rows and places, and of what is charged first."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from volnik.core.path.edits.drawing import ChangeRefused, Drawing, block_places
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Id, StudFacts, Wiring
from volnik.core.values import Plain, problems_of


class SetStud(Plain):
    """State a stud's thread, torque, or the lugs on it from the face up."""

    op: Literal["set_stud"]
    stud: StudRef
    thread: str | None = None
    torque_nm: Annotated[float, Field(gt=0, le=200)] | None = None
    stack: Annotated[tuple[Id, ...], Field(max_length=40)] | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with what is known of that stud."""
        drawing.stud(self.stud)
        facts = drawing.wiring.studs.get(self.stud, StudFacts())
        stated: dict[str, Any] = {}
        if self.thread is not None:
            stated = {"thread": self.thread, "torque_nm": self.torque_nm}
        if self.stack is not None:
            stated["stack"] = self.stack
        try:
            facts = facts.changed(**stated)
        except ValidationError as wrong:
            raise ChangeRefused({"thread": " ".join(problems_of(wrong).values())}) from None
        wiring = drawing.wiring
        if self.stud.startswith("shunt.") and self.thread and wiring.shunt is not None:
            wiring = wiring.changed(shunt=wiring.shunt.changed(stud=self.thread, torque_nm=self.torque_nm))
        return wiring.changed(studs={**wiring.studs, self.stud: facts})


class MoveRow(Plain):
    """Move a device's row up or down."""

    op: Literal["move_row"]
    device: Id
    by: Annotated[int, Field(ge=-200, le=200)]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the row moved, kept within the rows."""
        rows = list(drawing.wiring.rows)
        if self.device not in rows:
            raise ChangeRefused({"device": "That device is no longer there."})
        at = rows.index(self.device)
        rows.insert(max(0, min(len(rows) - 1, at + self.by)), rows.pop(at))
        return drawing.wiring.changed(rows=tuple(rows))


class PlaceBlock(Plain):
    """Put a block where it sits in the bay; a block already there changes places with it."""

    op: Literal["place_block"]
    block: Id
    column: Annotated[int, Field(ge=0, le=12)]
    row: Annotated[int, Field(ge=0, le=20)]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the block moved."""
        places = block_places(drawing.bank, drawing.wiring)
        if self.block not in places:
            raise ChangeRefused({"block": "There is no such battery."})
        was, wanted = places[self.block], (self.column, self.row)
        for name, place in places.items():
            if place == wanted:
                places[name] = was
        places[self.block] = wanted
        return drawing.wiring.changed(places=places)


class SetPrecharge(Plain):
    """State whether a device's capacitors are charged first."""

    op: Literal["set_precharge"]
    device: Id
    fitted: bool

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the pre-charge stated."""
        kept = tuple(name for name in drawing.wiring.precharge if name != self.device)
        return drawing.wiring.changed(precharge=(*kept, self.device) if self.fitted else kept)
