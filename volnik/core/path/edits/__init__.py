"""Changes to a drawing, each small enough to be undone: what cannot be meant is refused."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from volnik.core.path.edits.bars import (
    AddBar,
    AddIsolator,
    RemoveBar,
    RemoveIsolator,
    SetGases,
    SetInsulation,
    SetRating,
)
from volnik.core.path.edits.cables import AddCable, MoveEnd, RemoveCable, SetCable, SetFuse
from volnik.core.path.edits.drawing import ChangeRefused, Drawing, block_places
from volnik.core.path.edits.places import MoveRow, PlaceBlock, SetPrecharge, SetStud
from volnik.core.path.edits.shunt import (
    MOST_LUGS,
    FindShunt,
    Overrule,
    SetAuxiliary,
    SetMount,
    SetShunt,
    SetSocket,
    TurnShunt,
)
from volnik.core.path.fitted import fitted
from volnik.core.rig.wiring import Wiring
from volnik.core.values import problems_of

Change = Annotated[
    MoveEnd
    | SetCable
    | SetFuse
    | AddCable
    | RemoveCable
    | AddBar
    | RemoveBar
    | AddIsolator
    | RemoveIsolator
    | SetRating
    | SetInsulation
    | SetGases
    | SetShunt
    | FindShunt
    | TurnShunt
    | SetStud
    | MoveRow
    | PlaceBlock
    | SetMount
    | SetPrecharge
    | SetAuxiliary
    | SetSocket
    | Overrule,
    Field(discriminator="op"),
]


CHANGE: TypeAdapter[Any] = TypeAdapter(Change)


def apply(drawing: Drawing, changes: Iterable[Any]) -> Wiring:
    """The drawing after changes given as plain data, one after the other, fitted to its bank and devices.

    Raises:
        ChangeRefused: with a sentence for each field at fault; then nothing is changed.
    """
    wiring = drawing.wiring
    for body in changes:
        try:
            change = CHANGE.validate_python(body)
        except ValidationError as wrong:
            message = {key.split(".", 1)[-1]: text for key, text in problems_of(wrong).items()}
            raise ChangeRefused(
                {key: f"{key.rsplit('.', 1)[-1]} {text}" for key, text in message.items()}
            ) from None
        here = Drawing(drawing.bank, drawing.devices, drawing.presets, wiring)
        try:
            wiring = fitted(change.done(here), drawing.bank, drawing.devices, drawing.presets)
        except ValidationError as wrong:
            raise ChangeRefused(problems_of(wrong)) from None
    return wiring


__all__ = ["CHANGE", "MOST_LUGS", "ChangeRefused", "Drawing", "apply", "block_places"]
