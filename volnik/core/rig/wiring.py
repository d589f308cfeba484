"""Wiring: one drawing of the conductors of a rig, as found or as planned. Every cable ends on a stud.

A stud is named by what it sits on: `A1.minus` (post of block A1), `shunt.bank`, `shunt.rig`, `heater.plus`,
`heater.minus`, `dcdc.far` (its positive on another battery), `iso1.a`, `iso1.b`, `monitor.sense`,
`monitor.aux`, or a bar by its own id.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from volnik.core.rig.stud_ref import PATTERN, StudRef
from volnik.core.shelf.conductors import check_hole, read_size
from volnik.core.shelf.shunts import Shunt
from volnik.core.values import Plain

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_]{1,40}$")]
Pole = Literal["minus", "plus"]
FuseKind = Literal["", "blade", "glass", "bolted", "block", "cylinder", "breaker"]


class Fuse(Plain):
    """A fuse or breaker near one end of a cable; None is not known.

    Attributes:
        amps: it carries for good [A].
        volts: it may break [V DC].
        breaks_ka: it can interrupt [kA].
        from_post_mm: distance along the cable from the end it stands at [mm].
        kind: how it is built, "" where nobody looked.
        at: the end it stands at, "" for the one that feeds the cable.
        sheathed: whether the cable before it runs in a sheath or conduit.
        ignition_proof: whether it may stand among petrol fumes or gas.
        thread: of its holder's studs, "" where nobody read it.
    """

    amps: Annotated[float, Field(gt=0, le=2000)]
    volts: Annotated[float, Field(gt=0, le=2000)] | None = None
    breaks_ka: Annotated[float, Field(gt=0, le=200)] | None = None
    from_post_mm: Annotated[float, Field(ge=0, le=60_000)] | None = None
    kind: FuseKind = ""
    at: Literal["", "a", "b"] = ""
    sheathed: bool = False
    ignition_proof: bool | None = None
    thread: str = ""

    _thread = field_validator("thread")(check_hole)


class Cable(Plain):
    """One cable from stud to stud.

    Attributes:
        id: stays the same in found and planned.
        a, b: the studs. The `a` end is the device's own where there is one.
        length_m: one way [m]; None is not measured.
        size: cross-section as designated, "35 mm²", "2/0 AWG"; "" is not known.
        mm2: the same [mm²]; follows from `size`.
        lug_a, lug_b: lug holes as designated; "" is not known.
        fuse: at the end nearer the battery's plus unless it says otherwise; of a thin lead at its source.
        far_fuse: a second one at the other end.
        engine_space: runs through an engine space.
        insulation_c: what its insulation stands [°C]: 105, 90, 70 (PVC) or 60; None is not known.
        bundle: how many loaded cables run together with it, itself among them; None is not stated.
        parallel: how many such cables lie side by side as one.
        ambient_c: of the air about it [°C]; None follows the space it runs through.
    """

    id: Id
    a: StudRef
    b: StudRef
    length_m: Annotated[float, Field(gt=0, le=100)] | None = None
    size: Annotated[str, Field(max_length=20)] = ""
    mm2: Annotated[float, Field(gt=0, le=500)] | None = None
    lug_a: str = ""
    lug_b: str = ""
    fuse: Fuse | None = None
    far_fuse: Fuse | None = None
    engine_space: bool = False
    insulation_c: Literal[60, 70, 90, 105] | None = None
    bundle: Annotated[int, Field(ge=1, le=200)] | None = None
    parallel: Annotated[int, Field(ge=1, le=8)] = 1
    ambient_c: Annotated[float, Field(ge=-40, le=100)] | None = None

    _lugs = field_validator("lug_a", "lug_b")(check_hole)

    @model_validator(mode="before")
    @classmethod
    def _area(cls, body: object) -> object:
        if isinstance(body, dict):
            size = body.get("size") or ""
            found = read_size(size) if isinstance(size, str) and size else None
            if size and found is None:
                raise ValueError("the size is written such as 35 mm² or 2/0 AWG")
            if found is not None:
                return {**body, "mm2": found[0], "size": found[1]}
            if body.get("mm2") is not None and isinstance(body["mm2"], int | float):
                return {**body, "size": f"{body['mm2']:g} mm²"}
        return body

    @model_validator(mode="after")
    def _two_ends(self) -> Cable:
        if self.a == self.b:
            raise ValueError("both ends of a cable are on the same stud")
        if self.fuse is not None and self.far_fuse is not None and self.fuse.at == self.far_fuse.at != "":
            raise ValueError("two fuses are at the same end of a cable")
        return self

    @property
    def fuses(self) -> tuple[Fuse, ...]:
        """Its fuses: none, one or two."""
        return tuple(fuse for fuse in (self.fuse, self.far_fuse) if fuse is not None)


class Bar(Plain):
    """A busbar, a junction stud, the chassis or a metal hull: one stud for the network.

    Attributes: carries_a, what it may carry [A]; studs, how many lug places; None is not known.
    """

    id: Id
    kind: Literal["busbar", "fuse_block", "post", "chassis", "hull"]
    pole: Pole = "minus"
    name: Annotated[str, Field(min_length=1, max_length=40)]
    carries_a: Annotated[float, Field(gt=0, le=5000)] | None = None

    @property
    def is_ground(self) -> bool:
        """Whether it is the chassis or a hull."""
        return self.kind in ("chassis", "hull")


class Isolator(Plain):
    """A switch in a positive or negative: two studs, `id.a` and `id.b`.

    Attributes: carries_a, what it may carry for good [A]; ignition_proof, whether it may stand among petrol
    fumes or gas; None is not known.
    """

    id: Id
    name: Annotated[str, Field(min_length=1, max_length=40)]
    pole: Pole
    carries_a: Annotated[float, Field(gt=0, le=5000)] | None = None
    ignition_proof: bool | None = None


class Mount(Plain):
    """How the shunt is fixed [mm]: screw, its base, the panel, and what is free behind the panel."""

    screw_mm: Annotated[float, Field(ge=0, le=500)] | None = None
    base_mm: Annotated[float, Field(ge=0, le=500)] | None = None
    panel_mm: Annotated[float, Field(ge=0, le=500)] | None = None
    behind_mm: Annotated[float, Field(ge=0, le=5000)] | None = None


class StudFacts(Plain):
    """What is known of one stud: its thread, its torque [N·m], and its lugs from the face up where they were
    looked at.
    """

    thread: str = ""
    torque_nm: Annotated[float, Field(gt=0, le=200)] | None = None
    stack: Annotated[tuple[Id, ...], Field(max_length=40)] = ()

    _thread = field_validator("thread")(check_hole)


class Overruling(Plain):
    """A proposal the installer decided against, and why."""

    what: Literal["shunt", "link", "lugs", "sense_fuse", "auxiliary"]
    chosen: Annotated[str, Field(min_length=1, max_length=80)]
    reason: Annotated[str, Field(min_length=3, max_length=400)]


class Wiring(Plain):
    """One drawing. Order matters: of cables on a stud nothing, of `rows` the order they are shown in.

    Attributes:
        shunt: the shunt, or None while none is fitted.
        bars, isolators, cables: what there is.
        studs: facts about studs.
        places: (column, row) of blocks that do not sit in the usual order.
        rows: devices from the top.
        auxiliary: what the spare input is used for.
        sense_socket: whether the supply lead is in the socket meant for it.
        precharge: devices whose capacitors are charged first.
        overrulings: decisions against a proposal.
        mount: of the shunt.
        insulation_c: of cables whose own is not stated [°C]; None is not known.
        gases: whether petrol or gas may gather where the bank and its fuses stand.
    """

    shunt: Shunt | None = None
    bars: Annotated[tuple[Bar, ...], Field(max_length=60)] = ()
    isolators: Annotated[tuple[Isolator, ...], Field(max_length=20)] = ()
    cables: Annotated[tuple[Cable, ...], Field(max_length=800)] = ()
    studs: dict[Annotated[str, Field(pattern=PATTERN)], StudFacts] = {}
    places: dict[Id, tuple[Annotated[int, Field(ge=0, le=30)], Annotated[int, Field(ge=0, le=30)]]] = {}
    rows: Annotated[tuple[Id, ...], Field(max_length=200)] = ()
    auxiliary: Literal["none", "temperature", "starter", "midpoint"] = "none"
    sense_socket: Literal["unknown", "right", "wrong"] = "unknown"
    precharge: Annotated[tuple[Id, ...], Field(max_length=40)] = ()
    overrulings: Annotated[tuple[Overruling, ...], Field(max_length=20)] = ()
    mount: Mount = Mount()
    insulation_c: Literal[60, 70, 90, 105] | None = None
    gases: bool = False

    @model_validator(mode="after")
    def _unlike(self) -> Wiring:
        for group in (self.bars, self.isolators, self.cables):
            ids = [other.id for other in group]
            if len(set(ids)) < len(ids):
                twice = next(ident for ident in ids if ids.count(ident) > 1)
                raise ValueError(f"the id {twice} is there twice")
        return self

    def cable(self, cable_id: str) -> Cable | None:
        """A cable by its id.

        Args:
            cable_id: of the cable.
        """
        return next((cable for cable in self.cables if cable.id == cable_id), None)

    def at(self, stud: str) -> list[Cable]:
        """The cables that end on a stud."""
        return [cable for cable in self.cables if stud in (cable.a, cable.b)]

    def with_cable(self, cable: Cable) -> Wiring:
        """The same with one cable put in, or put in the place of the one of its id."""
        if self.cable(cable.id) is None:
            return self.changed(cables=(*self.cables, cable))
        return self.changed(cables=tuple(cable if other.id == cable.id else other for other in self.cables))


def other_end(cable: Cable, stud: str) -> StudRef:
    """The stud at the other end of a cable."""
    return cable.b if cable.a == stud else cable.a
