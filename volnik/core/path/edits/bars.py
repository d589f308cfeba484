"""Changes of bars and isolators."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

from pydantic import Field

from volnik.core.path.edits.drawing import ChangeRefused, Drawing, moved, thickest
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud
from volnik.core.rig.wiring import Bar, Cable, Id, Isolator, Pole, Wiring, other_end
from volnik.core.values import Plain, unique_name


class AddBar(Plain):
    """Put in a busbar, a junction stud, the chassis or a hull; `feed` joins it to a stud."""

    op: Literal["add_bar"]
    kind: Literal["busbar", "fuse_block", "post", "chassis", "hull"]
    pole: Pole = "minus"
    name: Annotated[str, Field(max_length=40)] = ""
    feed: StudRef | None = None
    take: Annotated[tuple[Id, ...], Field(max_length=200)] = ()

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the bar, fed from `feed`, and the cables named in `take` moved onto it
        from there.
        """
        wiring = drawing.wiring
        ground = self.kind in ("chassis", "hull")
        if ground and any(bar.kind == self.kind for bar in wiring.bars):
            raise ChangeRefused({"kind": f"The {self.kind} is already drawn."})
        bar = Bar(
            id=self.kind
            if ground
            else unique_name(f"{self.pole}_{self.kind}", {bar.id for bar in wiring.bars}),
            kind=self.kind,
            pole="minus" if ground else self.pole,
            name=self._free_name(wiring, ground=ground),
        )
        wiring = wiring.changed(bars=(*wiring.bars, bar))
        return wiring if self.feed is None else self._fed(drawing, wiring, bar, self.feed)

    def _free_name(self, wiring: Wiring, *, ground: bool) -> str:
        """The name given, or one by kind and pole, with a number where it is taken."""
        words = {
            "busbar": "Busbar",
            "fuse_block": "Fuse block",
            "post": "Junction stud",
            "chassis": "Chassis",
            "hull": "Hull",
        }
        word = words[self.kind]
        side = "Negative" if self.pole == "minus" else "Positive"
        plain = ground or self.kind == "fuse_block"
        base = self.name or (word if plain else f"{side} {word.lower()}")
        taken = {bar.name for bar in wiring.bars}
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} {count}"
        return name

    def _fed(self, drawing: Drawing, wiring: Wiring, bar: Bar, feed: StudRef) -> Wiring:
        if drawing.stud(feed).pole != bar.pole:
            side = "negative" if bar.pole == "minus" else "positive"
            raise ChangeRefused({"feed": f"The {drawing.stud(feed).name} cannot feed a {side} bar."})
        for cable_id in self.take:
            cable = drawing.cable(cable_id)
            end = "b" if cable.b == feed else "a"
            wiring = wiring.with_cable(cable.changed(**{end: bar.id}))
        made = Cable(
            id=unique_name(f"feed_{bar.id}", {cable.id for cable in wiring.cables}),
            a=feed,
            b=StudRef.of(bar.id),
            length_m=0.3,
            size=thickest(wiring.at(bar.id)),
        )
        return wiring.with_cable(made)


class RemoveBar(Plain):
    """Take a bar out; what hung on it goes to where it was fed from."""

    op: Literal["remove_bar"]
    bar: Id

    def _feed(self, hanging: Sequence[Cable], studs: Mapping[str, Stud]) -> Cable | None:
        """The cable that feeds the bar, None where nothing hangs on it."""
        feed = next((cable for cable in hanging if studs[other_end(cable, self.bar)].place != "device"), None)
        if hanging and feed is None:
            raise ChangeRefused({"bar": "Move its cables elsewhere first: nothing else feeds it."})
        return feed

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing without the bar: what was on it goes to where it was fed from."""
        wiring, studs = drawing.wiring, drawing.studs
        if not any(bar.id == self.bar for bar in wiring.bars):
            raise ChangeRefused({"bar": "That bar is no longer there; the drawing has changed."})
        feed = self._feed(wiring.at(self.bar), studs)
        cables = wiring.cables
        if feed is not None:
            onto = other_end(feed, self.bar)
            cables = tuple(moved(cable, {self.bar: onto}) for cable in cables if cable.id != feed.id)
        return wiring.changed(
            cables=cables,
            bars=tuple(bar for bar in wiring.bars if bar.id != self.bar),
            studs={key: value for key, value in wiring.studs.items() if key != self.bar},
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
                {"cable": "An isolator does not go into a link between batteries or a thin lead."}
            )
        made = unique_name("iso", {isolator.id for isolator in wiring.isolators})
        second = unique_name(f"{cable.id}_on", {cable.id for cable in wiring.cables})
        pole: Pole = "minus" if studs[cable.a].pole == "minus" else "plus"
        wiring = wiring.changed(isolators=(*wiring.isolators, Isolator(id=made, name=self.name, pole=pole)))
        if _from_bank(studs[cable.a]) <= _from_bank(studs[cable.b]):
            wiring = wiring.with_cable(cable.changed(b=f"{made}.a"))
            return wiring.with_cable(cable.changed(id=second, a=f"{made}.b", fuse=None))
        wiring = wiring.with_cable(cable.changed(b=f"{made}.b", fuse=None))
        return wiring.with_cable(cable.changed(id=second, a=f"{made}.a"))


def _from_bank(stud: Stud) -> int:
    """How far from the bank a stud usually sits."""
    if stud.id.of_shunt and stud.id.pole == "rig":
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
        ends = [StudRef.of(self.isolator, end) for end in ("a", "b")]
        without = wiring.changed(
            isolators=tuple(isolator for isolator in wiring.isolators if isolator.id != self.isolator)
        )
        # One cable on each side become one again; else what was behind it moves to the stud before it.
        if all(len(wiring.at(end)) == 1 for end in ends):
            return _joined(without, ends)
        near = ends[0] if wiring.at(ends[0]) else ends[1]
        feed = next(iter(wiring.at(near)), None)
        if feed is None:
            return without
        onto = dict.fromkeys(ends, other_end(feed, near))
        rest = (cable for cable in wiring.cables if cable.id != feed.id)
        return without.changed(cables=tuple(moved(cable, onto) for cable in rest))


def _joined(wiring: Wiring, ends: list[StudRef]) -> Wiring:
    """One cable each side: they are one cable again, under the older id."""
    kept, gone = sorted((wiring.at(end)[0] for end in ends), key=lambda cable: len(cable.id))
    onto = gone.b if gone.a in ends else gone.a
    end = "a" if kept.a in ends else "b"
    joined = kept.changed(**{end: onto}, fuse=kept.fuse or gone.fuse)
    return wiring.changed(cables=tuple(cable for cable in wiring.cables if cable.id != gone.id)).with_cable(
        joined
    )


class SetGases(Plain):
    """State whether petrol or gas may gather where the bank and its fuses stand."""

    op: Literal["set_gases"]
    gases: bool = False

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the place stated."""
        return drawing.wiring.changed(gases=self.gases)


class SetRating(Plain):
    """State what a busbar or an isolator may carry for good; None forgets it."""

    op: Literal["set_rating"]
    of: Id
    carries_a: Annotated[float, Field(gt=0, le=5000)] | None = None
    ignition_proof: bool | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the rating stated."""
        wiring = drawing.wiring
        known = {bar.id for bar in wiring.bars} | {isolator.id for isolator in wiring.isolators}
        if self.of not in known:
            raise ChangeRefused({"of": "That is no longer there; the drawing has changed."})
        return wiring.changed(
            bars=tuple(
                bar.changed(carries_a=self.carries_a) if bar.id == self.of else bar for bar in wiring.bars
            ),
            isolators=tuple(
                isolator.changed(carries_a=self.carries_a, ignition_proof=self.ignition_proof or None)
                if isolator.id == self.of
                else isolator
                for isolator in wiring.isolators
            ),
        )


class SetInsulation(Plain):
    """State the insulation of all cables that say nothing of their own [°C]; None forgets it."""

    op: Literal["set_insulation"]
    insulation_c: Literal[60, 70, 90, 105] | None = None

    def done(self, drawing: Drawing) -> Wiring:
        """The drawing with the insulation stated."""
        return drawing.wiring.changed(insulation_c=self.insulation_c)
