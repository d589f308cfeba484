"""Changes of bars and isolators."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from volnik.core.path.edits.drawing import ChangeRefused, Drawing
from volnik.core.path.studs import Stud
from volnik.core.rig.wiring import (
    Bar,
    Cable,
    Id,
    Isolator,
    Pole,
    StudId,
    Wiring,
)
from volnik.core.values import Plain, unlike


class AddBar(Plain):
    """Put in a busbar, a junction stud, the chassis or a hull; `feed` joins it to a stud."""

    op: Literal["add_bar"]
    kind: Literal["busbar", "post", "chassis", "hull"]
    pole: Pole = "minus"
    name: Annotated[str, Field(max_length=40)] = ""
    feed: StudId | None = None
    take: Annotated[tuple[Id, ...], Field(max_length=200)] = ()

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the bar, fed from `feed`, and the cables named in `take` moved from there
        onto it.
        """
        wiring = drawing.wiring
        if self.kind in ("chassis", "hull") and any(bar.kind == self.kind for bar in wiring.bars):
            raise ChangeRefused({"kind": f"The {self.kind} is already drawn."})
        word = {"busbar": "Busbar", "post": "Junction stud", "chassis": "Chassis", "hull": "Hull"}[self.kind]
        side = (
            "" if self.kind in ("chassis", "hull") else "Negative " if self.pole == "minus" else "Positive "
        )
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
                        "feed": (
                            f"The {drawing.stud(self.feed).name} cannot feed a "
                            f"{'negative' if pole == 'minus' else 'positive'} bar."
                        )
                    }
                )
            for cable_id in self.take:
                cable = drawing.cable(cable_id)
                end = "b" if cable.b == self.feed else "a"
                wiring = wiring.with_cable(cable.changed(**{end: bar_id}))
            thick = max(
                (cable for cable in wiring.at(bar_id) if cable.mm2),
                key=lambda item: item.mm2 or 0.0,
                default=None,
            )
            name_of = unlike(f"feed_{bar_id}", {cable.id for cable in wiring.cables})
            wiring = wiring.with_cable(
                Cable(
                    id=name_of, a=self.feed, b=bar_id, length_m=0.3, size="" if thick is None else thick.size
                )
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
            raise ChangeRefused(
                {"cable": "An isolator does not go into a link between blocks or a thin lead."}
            )
        made = unlike("iso", {isolator.id for isolator in wiring.isolators})
        second = unlike(f"{cable.id}_on", {cable.id for cable in wiring.cables})
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
    return {
        "block": 0,
        "shunt": 1,
        "isolator": 3,
        "battery": 4,
        "bar": 4,
        "ground": 5,
        "device": 6,
        "monitor": 7,
    }[stud.place]


class RemoveIsolator(Plain):
    """Take an isolator out and join its cables."""

    op: Literal["remove_isolator"]
    isolator: Id

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing without the isolator: what was on its rig end goes to the stud before it."""
        wiring = drawing.wiring
        if not any(isolator.id == self.isolator for isolator in wiring.isolators):
            raise ChangeRefused({"isolator": "That isolator is no longer there; the drawing has changed."})
        near, far = f"{self.isolator}.a", f"{self.isolator}.b"
        rest = tuple(isolator for isolator in wiring.isolators if isolator.id != self.isolator)
        if (
            len(wiring.at(near)) == len(wiring.at(far)) == 1
        ):  # one cable each side: they are one cable again, under the older id
            kept, gone = sorted((wiring.at(near)[0], wiring.at(far)[0]), key=lambda cable: len(cable.id))
            end = "a" if kept.a in (near, far) else "b"
            joined = kept.changed(
                **{end: gone.b if gone.a in (near, far) else gone.a}, fuse=kept.fuse or gone.fuse
            )
            return wiring.changed(
                cables=tuple(cable for cable in wiring.cables if cable.id != gone.id), isolators=rest
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
            cable.changed(**{end: onto for end in ("a", "b") if getattr(cable, end) in (near, far)})
            if {near, far} & {cable.a, cable.b}
            else cable
            for cable in cables
        )
        return wiring.changed(
            cables=moved,
            isolators=tuple(isolator for isolator in wiring.isolators if isolator.id != self.isolator),
        )
