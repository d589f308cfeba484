"""Changes of the shunt and what goes with it: its leads, screws, and decisions against a proposal."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from volnik.core.path.edits.drawing import ChangeRefused, Drawing, moved, thickest
from volnik.core.rig.bank import Bank
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, block_names, highest_post
from volnik.core.rig.wiring import Bar, Cable, Fuse, Mount, Overruling, Wiring, other_end
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.fuses import thin_fuse
from volnik.core.shelf.shunts import Shunt
from volnik.core.values import Plain, unique_name

BANK_SIDE, RIG_SIDE = StudRef("shunt.bank"), StudRef("shunt.rig")
SENSE, AUXILIARY = StudRef("monitor.sense"), StudRef("monitor.aux")
MOST_LUGS = 4  # lugs on one stud; source: trade practice


class SetShunt(Plain):
    """Choose the shunt, or take it out; taken out, its two sides are joined."""

    op: Literal["set_shunt"]
    shunt: Shunt | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with that shunt in the place of the one before."""
        wiring = drawing.wiring
        if self.shunt is None:
            return _without_shunt(wiring)
        return fit_shunt(drawing, self.shunt) if wiring.shunt is None else wiring.changed(shunt=self.shunt)


class FindShunt(Plain):
    """Draw a shunt that somebody else fitted: its link and supply lead with it; nothing else is moved."""

    op: Literal["find_shunt"]
    shunt: Shunt
    link: StudRef | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with that shunt, its link on a post of the bank, the lowest where none is told."""
        wiring, bank = drawing.wiring, drawing.bank
        if wiring.shunt is not None:
            raise ChangeRefused({"shunt": "A shunt is drawn already."})
        rows = block_names(bank)
        lowest = rows[-1][-1] if bank.takeoff == "diagonal" else rows[0][-1]
        post = self.link or StudRef.of(lowest, "minus")
        if drawing.stud(post).pole != "minus":
            raise ChangeRefused({"link": f"The {drawing.stud(post).name} is no negative."})
        ids = {cable.id for cable in wiring.cables}
        link = Cable(id=unique_name("shunt_link", ids), a=post, b=BANK_SIDE)
        lead = Cable(id=unique_name("sense", ids), a=SENSE, b=StudRef(highest_post(bank)))
        return wiring.changed(shunt=self.shunt).with_cable(link).with_cable(lead)


def _without_shunt(wiring: Wiring) -> Wiring:
    """The drawing with both sides of the shunt joined, and the monitor's leads gone."""
    ends = (BANK_SIDE, RIG_SIDE)
    link = next(iter(wiring.at(BANK_SIDE)), None)
    cables = [cable for cable in wiring.cables if link is None or cable.id != link.id]
    if link is not None:
        onto = other_end(link, BANK_SIDE)
        cables = [moved(cable, dict.fromkeys(ends, onto)) for cable in cables]
    kept = [cable for cable in cables if not cable.a.of_monitor and not {cable.a, cable.b} & set(ends)]
    return wiring.changed(shunt=None, cables=tuple(kept))


def fit_shunt(drawing: Drawing, shunt: Shunt) -> Wiring:
    """A drawing with a shunt put in by the rule of the trade.

    One link from the lowest post, all else to the rig side. More than four lugs would crowd the rig-side
    stud: then a busbar takes them. The supply lead goes to the highest post.
    """
    wiring, bank, studs = drawing.wiring, drawing.bank, drawing.studs
    rows = block_names(bank)
    lowest = rows[-1][-1] if bank.takeoff == "diagonal" else rows[0][-1]
    posts = {StudRef.of(name, "minus") for row in rows for name in row}
    moving = [cable for cable in wiring.cables if _leaves_bank(cable, posts, studs)]
    ids = {cable.id for cable in wiring.cables}
    size = thickest(moving)
    feeds = [cable for cable in moving if "bar" in (studs[cable.a].place, studs[cable.b].place)]
    wiring, onto = _gathered(wiring.changed(shunt=shunt), moving, feeds, studs)
    for cable in moving:
        to = RIG_SIDE if cable in feeds else onto
        wiring = wiring.with_cable(cable.changed(**{"a" if cable.a in posts else "b": to}))
    post = StudRef.of(lowest, "minus")
    link = Cable(id=unique_name("shunt_link", ids), a=post, b=BANK_SIDE, length_m=0.3, size=size)
    return _with_supply_lead(wiring.with_cable(link), bank, ids)


def _gathered(
    wiring: Wiring, moving: list[Cable], feeds: list[Cable], studs: dict[str, Stud]
) -> tuple[Wiring, StudRef]:
    """Where what leaves the bank lands now: a busbar that is there, a new one, or the rig-side stud."""
    if feeds:  # a busbar is there already: it is fed from the rig side, the rest joins it
        return wiring, feeds[0].a if studs[feeds[0].a].place == "bar" else feeds[0].b
    if len(moving) < MOST_LUGS:
        return wiring, RIG_SIDE
    onto = StudRef.of(unique_name("minus_busbar", {bar.id for bar in wiring.bars}))
    bar = Bar(id=onto, kind="busbar", pole="minus", name="Negative busbar")
    name = unique_name("rig_link", {cable.id for cable in wiring.cables})
    link = Cable(id=name, a=RIG_SIDE, b=onto, length_m=0.3, size=thickest(moving))
    return wiring.changed(bars=(*wiring.bars, bar)).with_cable(link), onto


def _leaves_bank(cable: Cable, posts: set[StudRef], studs: dict[str, Stud]) -> bool:
    """Whether a cable leads from a minus post of the bank to something that is none, thin leads excepted."""
    if (cable.a in posts) == (cable.b in posts) or studs[cable.a].place == "monitor":
        return False
    return studs[cable.a].pole == studs[cable.b].pole == "minus"


def _with_supply_lead(wiring: Wiring, bank: Bank, ids: set[str]) -> Wiring:
    if any(cable.a == SENSE for cable in wiring.cables):
        return wiring
    return wiring.with_cable(
        Cable(
            id=unique_name("sense", ids),
            a=SENSE,
            b=StudRef(highest_post(bank)),
            size="0.75 mm²",
            fuse=_thin_fuse(bank),
        )
    )


def _thin_fuse(bank: Bank) -> Fuse:
    chemistry = CHEMISTRIES.get(bank.chemistry)
    nominal_v = 12.0 if chemistry is None else bank.nominal_v(chemistry)
    return Fuse.model_validate(thin_fuse(nominal_v))


class TurnShunt(Plain):
    """Turn the shunt round: what is on one stud goes to the other."""

    op: Literal["turn_shunt"]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the cables of both studs exchanged."""
        swap = {BANK_SIDE: RIG_SIDE, RIG_SIDE: BANK_SIDE}
        return drawing.wiring.changed(cables=tuple(moved(cable, swap) for cable in drawing.wiring.cables))


class SetMount(Plain):
    """State how the shunt is fixed."""

    op: Literal["set_mount"]
    mount: Mount

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the mounting stated."""
        return drawing.wiring.changed(mount=self.mount)


class SetAuxiliary(Plain):
    """Choose what the spare input is used for; its lead follows."""

    op: Literal["set_auxiliary"]
    use: Literal["none", "temperature", "starter", "midpoint"]

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the spare input's lead where that use wants it."""
        wiring = drawing.wiring
        cables = tuple(cable for cable in wiring.cables if cable.a != AUXILIARY)
        wiring = wiring.changed(cables=cables, auxiliary=self.use)
        if self.use == "none":
            return wiring
        if wiring.shunt is None:
            raise ChangeRefused({"use": "Fit a shunt first."})
        made = unique_name("aux", {cable.id for cable in cables})
        fuse = None if self.use == "temperature" else _thin_fuse(drawing.bank)
        return wiring.with_cable(
            Cable(id=made, a=AUXILIARY, b=self._landing(drawing), size="0.75 mm²", fuse=fuse)
        )

    def _landing(self, drawing: Drawing) -> StudRef:
        """Where that use wants the lead."""
        rows = block_names(drawing.bank)
        if self.use == "temperature":
            return StudRef.of(rows[-1][-1], "minus")
        if self.use == "midpoint":
            if drawing.bank.series < 2:
                raise ChangeRefused({"use": "A midpoint needs two batteries in a string."})
            return StudRef.of(rows[0][drawing.bank.series // 2], "plus")
        starters = [device for device in drawing.devices if drawing.preset(device).is_starter_battery]
        if not starters:
            raise ChangeRefused({"use": "No starter battery is listed at Survey; enter it there first."})
        return StudRef.of(starters[0].id, "plus")


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
        kept = tuple(overruling for overruling in drawing.wiring.overrulings if overruling.what != self.what)
        if self.reason or self.chosen:
            if len(self.reason.strip()) < 3:
                raise ChangeRefused({"reason": "Say why, so that the next person knows."})
            kept = (
                *kept,
                Overruling(what=self.what, chosen=self.chosen or "as drawn", reason=self.reason.strip()),
            )
        return drawing.wiring.changed(overrulings=kept)
