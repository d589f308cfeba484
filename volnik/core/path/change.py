"""Changes to a drawing, each small enough to be undone: what cannot be meant is refused."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from volnik.core.path.fitted import fitted
from volnik.core.path.studs import Stud, block_names, highest_post, may_join, studs_of
from volnik.core.plain import Plain, problems_of, unlike
from volnik.core.refused import Refused
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.wiring import (
    Bar,
    Cable,
    Fuse,
    Id,
    Isolator,
    Mount,
    Overruling,
    Pole,
    Shunt,
    StudFacts,
    StudId,
    Wiring,
)
from volnik.core.shelf.presets import Preset

MOST_LUGS = 4  # lugs on one stud; source: trade practice


class ChangeRefused(Refused):
    """A change that cannot be meant. `problems` maps each field to a sentence."""


@dataclass(frozen=True)
class Drawing:
    """A drawing with what it is drawn for."""

    bank: Bank
    devices: tuple[Device, ...]
    presets: dict[str, Preset]
    wiring: Wiring

    @property
    def studs(self) -> dict[str, Stud]:
        """Every stud by id."""
        return studs_of(self.bank, self.devices, self.wiring, self.presets)

    def cable(self, cable_id: str) -> Cable:
        """A cable of the drawing.

        Raises:
            ChangeRefused: when it is gone.
        """
        found = self.wiring.cable(cable_id)
        if found is None:
            raise ChangeRefused({"cable": "That cable is no longer there; the drawing has changed."})
        return found

    def stud(self, stud_id: str) -> Stud:
        """A stud of the drawing.

        Raises:
            ChangeRefused: when there is none of that name.
        """
        found = self.studs.get(stud_id)
        if found is None:
            raise ChangeRefused({"to": f"There is no stud “{stud_id}” to put a cable on."})
        return found

    def landings(self, cable: Cable, end: Literal["a", "b"]) -> list[Stud]:
        """The studs one end of a cable may be put on, in steady order."""
        fixed = self.stud(cable.b if end == "a" else cable.a)
        return [stud for stud in self.studs.values() if may_join(fixed, stud)]


class MoveEnd(Plain):
    """Put one end of a cable on another stud."""

    op: Literal["move_end"]
    cable: Id
    end: Literal["a", "b"]
    to: StudId

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the end moved; a lug that no longer fits is left to be chosen."""
        cable = drawing.cable(self.cable)
        target, fixed = drawing.stud(self.to), drawing.stud(cable.b if self.end == "a" else cable.a)
        if not may_join(fixed, target):
            raise ChangeRefused({"to": f"A cable from the {fixed.name} cannot end on the {target.name}."})
        return drawing.wiring.with_cable(cable.changed(**{self.end: self.to}))


class SetCable(Plain):
    """State a cable's length, size and lugs; an empty value forgets it."""

    op: Literal["set_cable"]
    cable: Id
    length_m: Annotated[float, Field(gt=0, le=100)] | None = None
    size: Annotated[str, Field(max_length=20)] = ""
    lug_a: str = ""
    lug_b: str = ""
    engine_space: bool = False

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cable restated."""
        stated = {name: getattr(self, name) for name in ("length_m", "size", "lug_a", "lug_b", "engine_space")}
        try:
            return drawing.wiring.with_cable(drawing.cable(self.cable).changed(**stated, mm2=None))
        except ValidationError as wrong:
            raise ChangeRefused({"size": " ".join(problems_of(wrong).values())}) from None


class SetFuse(Plain):
    """State a cable's fuse, or that there is none."""

    op: Literal["set_fuse"]
    cable: Id
    fuse: Fuse | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the fuse stated."""
        return drawing.wiring.with_cable(drawing.cable(self.cable).changed(fuse=self.fuse))


class AddCable(Plain):
    """Join two studs by one more cable."""

    op: Literal["add_cable"]
    a: StudId
    b: StudId
    size: Annotated[str, Field(max_length=20)] = ""
    length_m: Annotated[float, Field(gt=0, le=100)] | None = None
    fuse: Fuse | None = None
    id: Id | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cable added."""
        one, other = drawing.stud(self.a), drawing.stud(self.b)
        if other.place == "device" and one.place != "device":  # a device's own end comes first
            one, other = other, one
        if not may_join(one, other):
            raise ChangeRefused({"b": f"A cable from the {one.name} cannot end on the {other.name}."})
        name = self.id or unlike(one.id.replace(".", "_"), (cable.id for cable in drawing.wiring.cables))
        try:
            cable = Cable(id=name, a=one.id, b=other.id, size=self.size, length_m=self.length_m, fuse=self.fuse)
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
        return drawing.wiring.changed(cables=tuple(one for one in drawing.wiring.cables if one.id != gone.id))


class AddBar(Plain):
    """Put in a busbar, a junction stud, the chassis or a hull; `feed` joins it to a stud."""

    op: Literal["add_bar"]
    kind: Literal["busbar", "post", "chassis", "hull"]
    pole: Pole = "minus"
    name: Annotated[str, Field(max_length=40)] = ""
    feed: StudId | None = None
    take: Annotated[tuple[Id, ...], Field(max_length=200)] = ()

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the bar, fed from `feed`, and the cables named in `take` moved from there onto it."""
        wiring = drawing.wiring
        if self.kind in ("chassis", "hull") and any(bar.kind == self.kind for bar in wiring.bars):
            raise ChangeRefused({"kind": f"The {self.kind} is already drawn."})
        word = {"busbar": "Busbar", "post": "Junction stud", "chassis": "Chassis", "hull": "Hull"}[self.kind]
        side = "" if self.kind in ("chassis", "hull") else "Negative " if self.pole == "minus" else "Positive "
        name = self.name or f"{side}{word.lower() if side else word}"
        taken = {bar.name for bar in wiring.bars}
        count = 1
        while name in taken:
            count += 1
            name = f"{self.name or f'{side}{word.lower() if side else word}'} {count}"
        bar_id = (
            self.kind
            if self.kind in ("chassis", "hull")
            else unlike(f"{self.pole}_{self.kind}", {bar.id for bar in wiring.bars})
        )
        pole: Pole = "minus" if self.kind in ("chassis", "hull") else self.pole
        wiring = wiring.changed(bars=(*wiring.bars, Bar(id=bar_id, kind=self.kind, pole=pole, name=name)))
        if self.feed is not None:
            if drawing.stud(self.feed).pole != pole:
                raise ChangeRefused(
                    {
                        "feed": f"The {drawing.stud(self.feed).name} cannot feed a {'negative' if pole == 'minus' else 'positive'} bar."
                    }
                )
            for cable_id in self.take:
                cable = drawing.cable(cable_id)
                end = "b" if cable.b == self.feed else "a"
                wiring = wiring.with_cable(cable.changed(**{end: bar_id}))
            thick = max(
                (cable for cable in wiring.at(bar_id) if cable.mm2), key=lambda one: one.mm2 or 0.0, default=None
            )
            name_of = unlike(f"feed_{bar_id}", {cable.id for cable in wiring.cables})
            wiring = wiring.with_cable(
                Cable(id=name_of, a=self.feed, b=bar_id, length_m=0.3, size="" if thick is None else thick.size)
            )
        return wiring


class RemoveBar(Plain):
    """Take a bar out; what hung on it goes to where it was fed from."""

    op: Literal["remove_bar"]
    bar: Id

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing without the bar."""
        wiring = drawing.wiring
        if not any(bar.id == self.bar for bar in wiring.bars):
            raise ChangeRefused({"bar": "That bar is no longer there; the drawing has changed."})
        studs = drawing.studs
        feeds = [
            cable
            for cable in wiring.at(self.bar)
            if studs[cable.a if cable.b == self.bar else cable.b].place != "device"
        ]
        if wiring.at(self.bar) and not feeds:
            raise ChangeRefused({"bar": "Move its cables elsewhere first: nothing else feeds it."})
        onto = None if not feeds else feeds[0].a if feeds[0].b == self.bar else feeds[0].b
        cables = []
        for cable in wiring.cables:
            if feeds and cable.id == feeds[0].id:
                continue
            if self.bar in (cable.a, cable.b):
                cable = cable.changed(**{"b" if cable.b == self.bar else "a": onto})
            cables.append(cable)
        facts = {key: value for key, value in wiring.studs.items() if key != self.bar}
        return wiring.changed(
            cables=tuple(cables), bars=tuple(bar for bar in wiring.bars if bar.id != self.bar), studs=facts
        )


class AddIsolator(Plain):
    """Put an isolator into a cable."""

    op: Literal["add_isolator"]
    cable: Id
    name: Annotated[str, Field(min_length=1, max_length=40)] = "Isolator"

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cable cut in two by the isolator, its bank end first."""
        cable, wiring = drawing.cable(self.cable), drawing.wiring
        studs = drawing.studs
        if studs[cable.a].pole != studs[cable.b].pole:
            raise ChangeRefused({"cable": "An isolator does not go into a link between blocks or a thin lead."})
        made = unlike("iso", {one.id for one in wiring.isolators})
        second = unlike(f"{cable.id}_on", {one.id for one in wiring.cables})
        pole: Pole = "minus" if studs[cable.a].pole == "minus" else "plus"
        wiring = wiring.changed(isolators=(*wiring.isolators, Isolator(id=made, name=self.name, pole=pole)))
        if _from_bank(studs[cable.a]) <= _from_bank(studs[cable.b]):
            wiring = wiring.with_cable(cable.changed(b=f"{made}.a"))
            return wiring.with_cable(cable.changed(id=second, a=f"{made}.b", fuse=None))
        wiring = wiring.with_cable(cable.changed(b=f"{made}.b", fuse=None))
        return wiring.with_cable(cable.changed(id=second, a=f"{made}.a"))


def _from_bank(stud: Stud) -> int:
    """How far from the bank a stud usually sits."""
    if stud.id == "shunt.rig":
        return 2
    return {"block": 0, "shunt": 1, "isolator": 3, "battery": 4, "bar": 4, "ground": 5, "device": 6, "monitor": 7}[
        stud.place
    ]


class RemoveIsolator(Plain):
    """Take an isolator out and join its cables."""

    op: Literal["remove_isolator"]
    isolator: Id

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing without the isolator: what was on its rig end goes to the stud before it."""
        wiring = drawing.wiring
        if not any(one.id == self.isolator for one in wiring.isolators):
            raise ChangeRefused({"isolator": "That isolator is no longer there; the drawing has changed."})
        near, far = f"{self.isolator}.a", f"{self.isolator}.b"
        rest = tuple(one for one in wiring.isolators if one.id != self.isolator)
        if (
            len(wiring.at(near)) == len(wiring.at(far)) == 1
        ):  # one cable each side: they are one cable again, under the older id
            kept, gone = sorted((wiring.at(near)[0], wiring.at(far)[0]), key=lambda cable: len(cable.id))
            end = "a" if kept.a in (near, far) else "b"
            joined = kept.changed(**{end: gone.b if gone.a in (near, far) else gone.a}, fuse=kept.fuse or gone.fuse)
            return wiring.changed(
                cables=tuple(one for one in wiring.cables if one.id != gone.id), isolators=rest
            ).with_cable(joined)
        feeds = wiring.at(near)
        if not feeds:
            near, far = far, near
            feeds = wiring.at(near)
        onto = None
        cables = []
        for cable in wiring.cables:
            if feeds and cable.id == feeds[0].id and onto is None:
                onto = cable.a if cable.b == near else cable.b
                continue
            cables.append(cable)
        if onto is None and wiring.at(far):
            raise ChangeRefused({"isolator": "Move its cables elsewhere first: nothing feeds it."})
        moved = tuple(
            cable.changed(**{end: onto for end in ("a", "b") if getattr(cable, end) in (near, far)}) if {near, far} & {cable.a, cable.b} else cable
            for cable in cables
        )  # fmt: skip
        return wiring.changed(cables=moved, isolators=tuple(one for one in wiring.isolators if one.id != self.isolator))


class SetShunt(Plain):
    """Choose the shunt, or take it out; taken out, its two sides are joined."""

    op: Literal["set_shunt"]
    shunt: Shunt | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with that shunt in the place of the one before."""
        wiring = drawing.wiring
        if self.shunt is not None and wiring.shunt is None:
            return fit_shunt(drawing, self.shunt)
        if self.shunt is None:
            ends = ("shunt.bank", "shunt.rig")
            link = next((cable for cable in wiring.at("shunt.bank")), None)
            onto = None if link is None else link.a if link.b == "shunt.bank" else link.b
            cables = [cable for cable in wiring.cables if link is None or cable.id != link.id]
            if onto is not None:
                cables = [
                    cable.changed(**{end: onto for end in ("a", "b") if getattr(cable, end) in ends}) if set(ends) & {cable.a, cable.b} else cable
                    for cable in cables
                ]  # fmt: skip
            cables = [
                cable for cable in cables if not cable.a.startswith("monitor.") and not {cable.a, cable.b} & set(ends)
            ]
            return wiring.changed(shunt=None, cables=tuple(cables))
        return wiring.changed(shunt=self.shunt)


def fit_shunt(drawing: Drawing, shunt: Shunt) -> Wiring:
    """A drawing with a shunt put in by the rule of the trade: one link from the lowest post, all else to the rig side.

    More than four lugs would crowd the rig-side stud: then a busbar takes them. The supply lead goes to the highest post.
    """
    wiring, bank = drawing.wiring, drawing.bank
    rows = block_names(bank)
    post = f"{(rows[-1] if bank.takeoff == 'diagonal' else rows[0])[-1]}.minus"
    posts = {f"{name}.minus" for row in rows for name in row}
    studs = drawing.studs
    moving = [
        cable for cable in wiring.cables
        if (cable.a in posts) != (cable.b in posts) and studs[cable.a].place != "monitor" and studs[cable.a].pole == studs[cable.b].pole == "minus"
    ]  # fmt: skip
    bars = [cable for cable in moving if studs[cable.a].place == "bar" or studs[cable.b].place == "bar"]
    onto = "shunt.rig"
    wiring = wiring.changed(shunt=shunt)
    ids = {cable.id for cable in wiring.cables}
    thick = max((cable for cable in moving if cable.mm2), key=lambda one: one.mm2 or 0.0, default=None)
    size = "" if thick is None else thick.size
    if len(moving) > MOST_LUGS - 1 and not bars:
        onto = unlike("minus_busbar", {bar.id for bar in wiring.bars})
        wiring = wiring.changed(bars=(*wiring.bars, Bar(id=onto, kind="busbar", pole="minus", name="Negative busbar")))
        wiring = wiring.with_cable(Cable(id=unlike("rig_link", ids), a="shunt.rig", b=onto, length_m=0.3, size=size))
    for cable in moving:
        target = onto
        if bars and cable.id not in {
            bar.id for bar in bars
        }:  # there is a busbar already: it is fed from the rig side, the rest joins it
            bar_end = bars[0].a if studs[bars[0].a].place == "bar" else bars[0].b
            target = bar_end
        elif bars:
            target = "shunt.rig"
        wiring = wiring.with_cable(cable.changed(**{"a" if cable.a in posts else "b": target}))
    wiring = wiring.with_cable(Cable(id=unlike("shunt_link", ids), a=post, b="shunt.bank", length_m=0.3, size=size))
    if not any(cable.a == "monitor.sense" for cable in wiring.cables):
        lead = Cable(
            id=unlike("sense", ids),
            a="monitor.sense",
            b=highest_post(bank),
            size="0.75 mm²",
            fuse=Fuse(amps=1.0, from_post_mm=50),
        )
        wiring = wiring.with_cable(lead)
    return wiring


class TurnShunt(Plain):
    """Turn the shunt round: what is on one stud goes to the other."""

    op: Literal["turn_shunt"]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cables of both studs exchanged."""
        swap = {"shunt.bank": "shunt.rig", "shunt.rig": "shunt.bank"}
        cables = tuple(
            cable.changed(a=swap.get(cable.a, cable.a), b=swap.get(cable.b, cable.b)) for cable in drawing.wiring.cables
        )
        return drawing.wiring.changed(cables=cables)


class SetStud(Plain):
    """State a stud's thread, torque, or the lugs on it from the face up."""

    op: Literal["set_stud"]
    stud: StudId
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
            raise ChangeRefused({"block": "There is no such block."})
        was, wanted = places[self.block], (self.column, self.row)
        for name, place in places.items():
            if place == wanted:
                places[name] = was
        places[self.block] = wanted
        return drawing.wiring.changed(places=places)


def block_places(bank: Bank, wiring: Wiring) -> dict[str, tuple[int, int]]:
    """(column, row) of every block: as placed, else a string along each row, or a column where strings are long."""
    along = bank.series <= 2
    usual = {name: (s, p) if along else (p, s) for p, row in enumerate(block_names(bank)) for s, name in enumerate(row)}
    return {**usual, **wiring.places}


class SetMount(Plain):
    """State how the shunt is fixed."""

    op: Literal["set_mount"]
    mount: Mount

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the mounting stated."""
        return drawing.wiring.changed(mount=self.mount)


class SetPrecharge(Plain):
    """State whether a device's capacitors are charged first."""

    op: Literal["set_precharge"]
    device: Id
    fitted: bool

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the pre-charge stated."""
        kept = tuple(one for one in drawing.wiring.precharge if one != self.device)
        return drawing.wiring.changed(precharge=(*kept, self.device) if self.fitted else kept)


class SetAuxiliary(Plain):
    """Choose what the spare input is used for; its lead follows."""

    op: Literal["set_auxiliary"]
    use: Literal["none", "temperature", "starter", "midpoint"]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the spare input's lead where that use wants it."""
        wiring = drawing.wiring
        cables = tuple(cable for cable in wiring.cables if cable.a != "monitor.aux")
        wiring = wiring.changed(cables=cables, auxiliary=self.use)
        if self.use == "none":
            return wiring
        if wiring.shunt is None:
            raise ChangeRefused({"use": "Fit a shunt first."})
        fuse: Fuse | None = Fuse(amps=1.0, from_post_mm=50)
        if self.use == "starter":
            starter = next((one for one in drawing.devices if one.kind == "starter"), None)
            if starter is None:
                raise ChangeRefused({"use": "No starter battery stands in the Survey; enter it there first."})
            to = f"{starter.id}.plus"
        elif self.use == "midpoint":
            if drawing.bank.series < 2:
                raise ChangeRefused({"use": "A midpoint needs two blocks in a string."})
            row = block_names(drawing.bank)[0]
            to = f"{row[drawing.bank.series // 2]}.plus"
        else:
            to, fuse = f"{block_names(drawing.bank)[-1][-1]}.minus", None
        made = unlike("aux", {cable.id for cable in cables})
        return wiring.with_cable(Cable(id=made, a="monitor.aux", b=to, size="0.75 mm²", fuse=fuse))


class SetSocket(Plain):
    """State whether the supply lead sits in the socket meant for it."""

    op: Literal["set_socket"]
    socket: Literal["unknown", "right", "wrong"]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the socket stated."""
        return drawing.wiring.changed(sense_socket=self.socket)


class Overrule(Plain):
    """Decide against a proposal, with the reason that stays on record; no reason takes the decision back."""

    op: Literal["overrule"]
    what: Literal["shunt", "link", "lugs", "sense_fuse", "auxiliary"]
    chosen: Annotated[str, Field(max_length=80)] = ""
    reason: Annotated[str, Field(max_length=400)] = ""

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the decision on record."""
        kept = tuple(one for one in drawing.wiring.overrulings if one.what != self.what)
        if self.reason or self.chosen:
            if len(self.reason.strip()) < 3:
                raise ChangeRefused({"reason": "Say why, so that the next person knows."})
            kept = (*kept, Overruling(what=self.what, chosen=self.chosen or "as drawn", reason=self.reason.strip()))
        return drawing.wiring.changed(overrulings=kept)


Change = Annotated[
    MoveEnd | SetCable | SetFuse | AddCable | RemoveCable | AddBar | RemoveBar | AddIsolator | RemoveIsolator | SetShunt | TurnShunt
    | SetStud | MoveRow | PlaceBlock | SetMount | SetPrecharge | SetAuxiliary | SetSocket | Overrule,
    Field(discriminator="op"),
]  # fmt: skip
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
            told = {key.split(".", 1)[-1]: text for key, text in problems_of(wrong).items()}
            raise ChangeRefused({key: f"{key.rsplit('.', 1)[-1]} {text}" for key, text in told.items()}) from None
        here = Drawing(drawing.bank, drawing.devices, drawing.presets, wiring)
        try:
            wiring = fitted(change.done(here), drawing.bank, drawing.devices, drawing.presets)
        except ValidationError as wrong:
            raise ChangeRefused(problems_of(wrong)) from None
    return wiring
