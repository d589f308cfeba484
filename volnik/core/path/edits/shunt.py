"""Changes of the shunt and what goes with it: its leads, screws, and decisions against a proposal."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from volnik.core.path.edits.drawing import ChangeRefused, Drawing
from volnik.core.path.studs import block_names, highest_post
from volnik.core.rig.wiring import Bar, Cable, Fuse, Mount, Overruling, Wiring
from volnik.core.shelf.shunts import Shunt
from volnik.core.values import Plain, unlike

MOST_LUGS = 4  # lugs on one stud; source: trade practice


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
                    cable.changed(**{end: onto for end in ("a", "b") if getattr(cable, end) in ends})
                    if set(ends) & {cable.a, cable.b}
                    else cable
                    for cable in cables
                ]
            cables = [
                cable
                for cable in cables
                if not cable.a.startswith("monitor.") and not {cable.a, cable.b} & set(ends)
            ]
            return wiring.changed(shunt=None, cables=tuple(cables))
        return wiring.changed(shunt=self.shunt)


def fit_shunt(drawing: Drawing, shunt: Shunt) -> Wiring:
    """A drawing with a shunt put in by the rule of the trade.

    One link from the lowest post, all else to the rig side.

    More than four lugs would crowd the rig-side stud: then a busbar takes them. The supply lead goes to the
    highest post.
    """
    wiring, bank = drawing.wiring, drawing.bank
    rows = block_names(bank)
    post = f"{(rows[-1] if bank.takeoff == 'diagonal' else rows[0])[-1]}.minus"
    posts = {f"{name}.minus" for row in rows for name in row}
    studs = drawing.studs
    moving = [
        cable
        for cable in wiring.cables
        if (cable.a in posts) != (cable.b in posts)
        and studs[cable.a].place != "monitor"
        and studs[cable.a].pole == studs[cable.b].pole == "minus"
    ]
    bars = [cable for cable in moving if studs[cable.a].place == "bar" or studs[cable.b].place == "bar"]
    onto = "shunt.rig"
    wiring = wiring.changed(shunt=shunt)
    ids = {cable.id for cable in wiring.cables}
    thick = max((cable for cable in moving if cable.mm2), key=lambda item: item.mm2 or 0.0, default=None)
    size = "" if thick is None else thick.size
    if len(moving) > MOST_LUGS - 1 and not bars:
        onto = unlike("minus_busbar", {bar.id for bar in wiring.bars})
        wiring = wiring.changed(
            bars=(*wiring.bars, Bar(id=onto, kind="busbar", pole="minus", name="Negative busbar"))
        )
        wiring = wiring.with_cable(
            Cable(id=unlike("rig_link", ids), a="shunt.rig", b=onto, length_m=0.3, size=size)
        )
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
    wiring = wiring.with_cable(
        Cable(id=unlike("shunt_link", ids), a=post, b="shunt.bank", length_m=0.3, size=size)
    )
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
            cable.changed(a=swap.get(cable.a, cable.a), b=swap.get(cable.b, cable.b))
            for cable in drawing.wiring.cables
        )
        return drawing.wiring.changed(cables=cables)


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
        cables = tuple(cable for cable in wiring.cables if cable.a != "monitor.aux")
        wiring = wiring.changed(cables=cables, auxiliary=self.use)
        if self.use == "none":
            return wiring
        if wiring.shunt is None:
            raise ChangeRefused({"use": "Fit a shunt first."})
        fuse: Fuse | None = Fuse(amps=1.0, from_post_mm=50)
        if self.use == "starter":
            starter = next((device for device in drawing.devices if device.kind == "starter"), None)
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
        kept = tuple(overruling for overruling in drawing.wiring.overrulings if overruling.what != self.what)
        if self.reason or self.chosen:
            if len(self.reason.strip()) < 3:
                raise ChangeRefused({"reason": "Say why, so that the next person knows."})
            kept = (
                *kept,
                Overruling(what=self.what, chosen=self.chosen or "as drawn", reason=self.reason.strip()),
            )
        return drawing.wiring.changed(overrulings=kept)
