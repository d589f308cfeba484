"""Changes of cables: their ends, what they are, their fuses."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, ValidationError

from volnik.core.path.edits.drawing import ChangeRefused, Drawing
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import may_join
from volnik.core.rig.wiring import Cable, Fuse, Id, Wiring
from volnik.core.values import Plain, problems_of, unique_name


class MoveEnd(Plain):
    """Put one end of a cable on another stud."""

    op: Literal["move_end"]
    cable: Id
    end: Literal["a", "b"]
    to: StudRef

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the end moved; a lug that no longer fits is left to be chosen."""
        cable = drawing.cable(self.cable)
        target, fixed = drawing.stud(self.to), drawing.stud(cable.b if self.end == "a" else cable.a)
        if not may_join(fixed, target):
            raise ChangeRefused({"to": f"A cable from the {fixed.name} cannot end on the {target.name}."})
        return drawing.wiring.with_cable(cable.changed(**{self.end: self.to}))


class SetCable(Plain):
    """State a cable's length, size and lugs; an empty value forgets it. The rest stays unless it is told."""

    op: Literal["set_cable"]
    cable: Id
    length_m: Annotated[float, Field(gt=0, le=100)] | None = None
    size: Annotated[str, Field(max_length=20)] = ""
    lug_a: str = ""
    lug_b: str = ""
    engine_space: bool = False
    insulation_c: Literal[60, 70, 90, 105] | None = None
    bundle: Annotated[int, Field(ge=1, le=200)] | None = None
    parallel: Annotated[int, Field(ge=1, le=8)] | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cable restated."""
        stated = {
            name: getattr(self, name) for name in ("length_m", "size", "lug_a", "lug_b", "engine_space")
        }
        told = self.model_fields_set & {"insulation_c", "bundle", "parallel"}
        stated |= {name: getattr(self, name) for name in told}
        if "parallel" in told:
            stated["parallel"] = self.parallel or 1
        try:
            return drawing.wiring.with_cable(drawing.cable(self.cable).changed(**stated, mm2=None))
        except ValidationError as wrong:
            raise ChangeRefused({"size": " ".join(problems_of(wrong).values())}) from None


class SetFuse(Plain):
    """State a cable's fuse, or that there is none; with `far` the second one, at its other end."""

    op: Literal["set_fuse"]
    cable: Id
    fuse: Fuse | None = None
    far: bool = False

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the fuse stated."""
        which, fuse = "far_fuse" if self.far else "fuse", self.fuse
        if fuse is not None and fuse.ignition_proof is False:
            fuse = fuse.changed(ignition_proof=None)  # a box left unticked is nothing read
        return drawing.wiring.with_cable(drawing.cable(self.cable).changed(**{which: fuse}))


class AddCable(Plain):
    """Join two studs by one more cable."""

    op: Literal["add_cable"]
    a: StudRef
    b: StudRef
    size: Annotated[str, Field(max_length=20)] = ""
    length_m: Annotated[float, Field(gt=0, le=100)] | None = None
    fuse: Fuse | None = None
    id: Id | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cable added."""
        stud, other = drawing.stud(self.a), drawing.stud(self.b)
        if other.place == "device" and stud.place != "device":  # a device's own end comes first
            stud, other = other, stud
        if not may_join(stud, other):
            raise ChangeRefused({"b": f"A cable from the {stud.name} cannot end on the {other.name}."})
        name = self.id or unique_name(
            stud.id.replace(".", "_"), (cable.id for cable in drawing.wiring.cables)
        )
        try:
            cable = Cable(
                id=name, a=stud.id, b=other.id, size=self.size, length_m=self.length_m, fuse=self.fuse
            )
        except ValidationError as wrong:
            raise ChangeRefused({"size": " ".join(problems_of(wrong).values())}) from None
        return drawing.wiring.with_cable(cable)


class RemoveCable(Plain):
    """Take a cable out."""

    op: Literal["remove_cable"]
    cable: Id

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing without the cable."""
        gone = drawing.cable(self.cable)
        return drawing.wiring.changed(
            cables=tuple(cable for cable in drawing.wiring.cables if cable.id != gone.id)
        )
