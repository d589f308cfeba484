"""The circuit of a drawing as protection sees it: sources, arcs that fuses bound, conductors to be judged.

A stud and those it is bolted to by short links between lead-acid posts are one stud.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.protection.flow import ENDLESS, Arc, Net
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names
from volnik.core.rig.wiring import Cable, Fuse, other_end
from volnik.core.shelf.assumed import LINK_M

SHORT_LINK_M = 0.5  # links up to here, between lead-acid posts, are one stud; source: trade practice
STARTER_TOP_V = 14.4  # to which a 12 V starter battery is charged [V]; source: trade practice
TWIN_MM2 = 50.0  # from here on equal cables side by side count as one; source: trade practice
Custom = Literal["", "cranking", "alternator", "lithium_link", "harness"]


@dataclass(frozen=True, slots=True)
class Conductor:
    """What may burn: a cable, or twins that count as one, an isolator, a relay, the shunt.

    Attributes:
        id: of the first of its cables, of the isolator or device with what it is before it, or "shunt".
        cables: the cables it is made of.
        pole: minus or plus.
        a, b: its studs, as the circuit names them.
        fuse_a, fuse_b: fuses at its ends, summed over twins [A]; ENDLESS where there is none.
        carries_a: what it carries for good [A], None where that is not known.
        assumed: whether what it carries rests on something nobody stated.
        custom: why trade custom treats it otherwise, or "".
        switch: id of the isolator, or of the relay or diode it is; "" for copper.
        is_one_way: whether it is a diode, that lets current from far to plus alone.
    """

    id: str
    cables: tuple[Cable, ...]
    pole: str
    a: str
    b: str
    fuse_a: float = ENDLESS
    fuse_b: float = ENDLESS
    carries_a: float | None = None
    assumed: bool = False
    custom: Custom = ""
    switch: str = ""
    is_one_way: bool = False

    @property
    def fuse_least(self) -> float:
        """The smaller of its fuses [A], ENDLESS without one."""
        return min(self.fuse_a, self.fuse_b)

    def arc(self, most_a: float = ENDLESS) -> Arc:
        """The way it is for current.

        Args:
            most_a: what lets through no more than this besides its own fuses [A].
        """
        most = min(self.fuse_least, most_a)
        return Arc(self.id, self.a, self.b, 0.0 if self.is_one_way else most, most)


@dataclass(frozen=True, slots=True)
class Source:
    """What drives current for good.

    Attributes:
        id: "string:<first block>", "tap:<stud>" or a device's id.
        plus, minus: its studs.
        amps: the most it gives [A]; ENDLESS for a battery.
        is_battery: whether it is one; a charger stops by itself.
    """

    id: str
    plus: str
    minus: str
    amps: float
    is_battery: bool


@dataclass(frozen=True, slots=True)
class Volts:
    """Volts of a battery: nominal, and the highest it is charged to [V]."""

    nominal_v: float
    top_v: float

    def above(self, other: Volts | None) -> Volts:
        """The higher of both, figure by figure.

        Args:
            other: or None.
        """
        if other is None:
            return self
        return Volts(max(self.nominal_v, other.nominal_v), max(self.top_v, other.top_v))


def other_volts(device: ResolvedDevice, bank: Volts) -> Volts:
    """Volts of another battery: as stated; a starter battery is taken as 12 V, a second bank as the first.

    Args:
        device: the battery.
        bank: of the house bank.
    """
    stated = device.device.nominal_v
    if stated is None:
        return Volts(12.0, STARTER_TOP_V) if device.preset.is_starter_battery else bank
    return Volts(stated, stated * STARTER_TOP_V / 12.0)


@dataclass(frozen=True, slots=True)
class Across:
    """What lets current from a positive to a negative when it fails: a device or a battery."""

    id: str
    plus: str
    minus: str


@dataclass
class Circuit:
    """A drawing as sources, arcs and conductors.

    Attributes:
        analysis: the drawing.
    """

    analysis: WiringAnalysis
    memo: dict[str, Net] = field(default_factory=dict)

    @cached_property
    def root(self) -> dict[str, str]:
        """The stud each stud counts as."""
        analysis = self.analysis
        short: list[tuple[str, str]] = []
        if analysis.chemistry.is_lead:
            short = [(cable.a, cable.b) for cable in analysis.wiring.cables if self._is_short_link(cable)]
        first: dict[int, str] = {}
        return {stud: first.setdefault(part, stud) for stud, part in connected(analysis.studs, short).items()}

    def _is_short_link(self, cable: Cable) -> bool:
        return (
            self.is_parallel_link(cable)
            and not cable.fuses
            and (cable.length_m if cable.length_m is not None else LINK_M) <= SHORT_LINK_M
        )

    def is_parallel_link(self, cable: Cable) -> bool:
        """Whether a cable joins like posts of two blocks."""
        return self.analysis.is_link(cable) and cable.a.pole == cable.b.pole

    def is_series_link(self, cable: Cable) -> bool:
        """Whether a cable joins unlike posts of two blocks."""
        return self.analysis.is_link(cable) and cable.a.pole != cable.b.pole

    @cached_property
    def conductors(self) -> list[Conductor]:
        """Every conductor that current may burn, positives first as they stand in the drawing."""
        analysis = self.analysis
        alone: list[Cable] = []
        twins: dict[tuple[object, ...], list[Cable]] = defaultdict(list)
        for cable in analysis.wiring.cables:
            if analysis.is_thin(cable) or self.is_series_link(cable):
                continue
            if self.root[cable.a] == self.root[cable.b]:
                continue
            if cable.mm2 is not None and cable.mm2 >= TWIN_MM2:
                ends = tuple(sorted((cable.a, cable.b)))
                twins[(*ends, cable.mm2, cable.length_m)].append(cable)
            else:
                alone.append(cable)
        groups = [(cable,) for cable in alone] + [tuple(cables) for cables in twins.values()]
        return [
            *(self._cables(group) for group in groups),
            *self._isolators(),
            *self._relays(),
            *self._shunt(),
        ]

    def _cables(self, cables: tuple[Cable, ...]) -> Conductor:
        first, analysis = cables[0], self.analysis
        carried = [analysis.may_carry(cable) for cable in cables]
        fuses = {"a": 0.0, "b": 0.0}
        for cable in cables:
            turned = cable.a != first.a
            for end in ("a", "b"):
                fuse = self.fuse_at(cable, "ba"["ab".index(end)] if turned else end)
                fuses[end] += ENDLESS if fuse is None else fuse.amps
        return Conductor(
            first.id,
            cables,
            analysis.studs[first.a].pole,
            self.root[first.a],
            self.root[first.b],
            min(ENDLESS, fuses["a"]),
            min(ENDLESS, fuses["b"]),
            None if carried[0].amps is None else sum(one.amps or 0.0 for one in carried),
            any(one.is_assumed for one in carried),
            self._custom(first),
        )

    def _custom(self, cable: Cable) -> Custom:
        analysis = self.analysis
        if self.is_parallel_link(cable) and not analysis.chemistry.is_lead:
            return "lithium_link"
        owner = analysis.owner_of(cable)
        if owner is None:
            return ""
        if "cranks" in owner.preset.traits:
            return "cranking"
        if "balances" in owner.preset.traits or (cable.a.pole == "minus" and owner.is_current_free):
            return "harness"
        return "alternator" if owner.preset.is_alternator and self._at_battery(cable) else ""

    def _at_battery(self, cable: Cable) -> bool:
        """Whether a cable ends on another battery."""
        return any(self.analysis.studs[stud].place == "battery" for stud in (cable.a, cable.b))

    def _isolators(self) -> Iterator[Conductor]:
        for isolator in self.analysis.wiring.isolators:
            a, b = (self.root[StudRef.of(isolator.id, end)] for end in ("a", "b"))
            rated_a = isolator.carries_a
            yield Conductor(
                f"iso:{isolator.id}", (), isolator.pole, a, b, carries_a=rated_a, switch=isolator.id
            )

    def _relays(self) -> Iterator[Conductor]:
        for device in self.analysis.devices:
            if device.preset.joins_positives:
                a, b = (self.root[StudRef.of(device.id, end)] for end in ("plus", "far"))
                yield Conductor(
                    f"relay:{device.id}",
                    (),
                    "plus",
                    a,
                    b,
                    carries_a=device.device.rated_a,
                    switch=device.id,
                    is_one_way="one_way" in device.preset.traits,
                )

    def _shunt(self) -> Iterator[Conductor]:
        shunt = self.analysis.wiring.shunt
        if shunt is not None:
            yield Conductor(
                "shunt",
                (),
                "minus",
                self.root["shunt.bank"],
                self.root["shunt.rig"],
                carries_a=shunt.carries_a,
            )

    def fuse_at(self, cable: Cable, end: str) -> Fuse | None:
        """The fuse at an end of a cable, "a" or "b"."""
        return next((fuse for fuse in cable.fuses if self.end_of(cable, fuse) == end), None)

    def end_of(self, cable: Cable, fuse: Fuse) -> str:
        """The end a fuse stands at: as it says, else the one that feeds the cable."""
        if fuse.at:
            return fuse.at
        feeding = self._feeding(cable)
        if fuse is cable.fuse:
            return feeding
        return "ab".replace(self.end_of(cable, cable.fuse) if cable.fuse is not None else feeding, "")

    def _feeding(self, cable: Cable) -> str:
        """The end of a cable that a battery is nearer to."""
        near = {end: self._steps.get(getattr(cable, end), math.inf) for end in ("a", "b")}
        return "a" if near["a"] < near["b"] else "b"

    @cached_property
    def string_posts(self) -> set[str]:
        """Where the strings of the bank begin."""
        return {source.plus for source in self._strings()}

    @cached_property
    def _steps(self) -> dict[str, int]:
        """How many cables lie between each positive stud and the nearest battery."""
        found = {
            stud: 0
            for stud, about in self.analysis.studs.items()
            if about.pole == "plus" and about.place in ("block", "battery")
        }
        waiting = list(found)
        for stud in waiting:  # grows as it goes
            for other in self._beside(stud):
                if other not in found and self.analysis.studs[other].pole == "plus":
                    found[other] = found[stud] + 1
                    waiting.append(other)
        return found

    def _beside(self, stud: str) -> list[StudRef]:
        """The studs one cable or switch away."""
        near = [other_end(cable, stud) for cable in self.analysis.by_stud[stud]]
        return [*near, StudRef(stud).across] if self.analysis.studs[stud].place == "isolator" else near

    @cached_property
    def sources(self) -> list[Source]:
        """Strings, taps, other batteries, and all that gives."""
        found = [*self._strings()]
        for device in self.analysis.devices:
            found += self._given(device)
        return found

    def _strings(self) -> Iterator[Source]:
        analysis = self.analysis
        for row in block_names(analysis.bank):
            minus = self.root[StudRef.of(row[-1], "minus")]
            bounds = self._series_fuses(row)
            yield Source(f"string:{row[0]}", self.root[StudRef.of(row[0], "plus")], minus, min(bounds), True)
            for at, name in enumerate(row[1:], start=1):
                stud = StudRef.of(name, "plus")
                if any(not analysis.is_link(c) and not analysis.is_thin(c) for c in analysis.by_stud[stud]):
                    yield Source(f"tap:{stud}", self.root[stud], minus, min(bounds[at:]), True)

    def _series_fuses(self, row: list[str]) -> list[float]:
        """Of each block of a string, plus end first, the fuse on the link above it [A]."""
        owners = {name: at for at, name in enumerate(row)}
        found = [ENDLESS] * len(row)
        for cable in self.analysis.wiring.cables:
            if self.is_series_link(cable) and cable.fuses and {cable.a.owner, cable.b.owner} <= set(owners):
                at = max(owners[cable.a.owner], owners[cable.b.owner])
                found[at] = min(found[at], *(fuse.amps for fuse in cable.fuses))
        return [ENDLESS, *found[1:]]

    def _given(self, device: ResolvedDevice) -> Iterator[Source]:
        if f"{device.id}.minus" not in self.root:
            return
        plus, minus = (self.root[StudRef.of(device.id, end)] for end in ("plus", "minus"))
        if device.preset.is_battery:
            yield Source(device.id, plus, minus, ENDLESS, True)
        elif device.gives and device.gives_a > 0.0:
            yield Source(device.id, plus, minus, device.gives_a, False)
        elif device.preset.is_link:  # it gives on its other side
            yield Source(device.id, self.root[StudRef.of(device.id, "far")], minus, device.running_a, False)

    @cached_property
    def across(self) -> list[Across]:
        """Ways from a positive to a negative; a starter motor is left out by custom."""
        analysis = self.analysis
        found = [Across(source.id, source.plus, source.minus) for source in self._strings()]
        for device in analysis.devices:
            if f"{device.id}.minus" not in self.root or "cranks" in device.preset.traits:
                continue
            minus = self.root[StudRef.of(device.id, "minus")]
            for end in ("plus", "far"):
                stud = self.root.get(StudRef.of(device.id, end))
                if stud is not None:
                    found.append(Across(device.id, stud, minus))
        return found

    @cached_property
    def bolted_strings(self) -> set[str]:
        """Positive studs at which several strings begin: one battery, whatever its negatives are led by."""
        posts = [self.root[post] for post in self.analysis.top_posts]
        return {post for post in posts if posts.count(post) > 1}

    @cached_property
    def volts(self) -> dict[str, Volts]:
        """Volts of the battery behind each positive stud, relays closed; none where no battery is joined."""
        positive = [name for name, stud in self.analysis.studs.items() if stud.pole == "plus"]
        pairs = [(conductor.a, conductor.b) for conductor in self.of_pole("plus")]
        part = connected(dict.fromkeys(self.root[name] for name in positive), pairs)
        found: dict[int, Volts] = {}
        for plus, volts in self._battery_volts():
            found[part[plus]] = volts.above(found.get(part[plus]))
        for plus, volts in self._charger_volts():
            if part[plus] in found:
                found[part[plus]] = found[part[plus]].above(volts)
        return {name: found[at] for name in positive if (at := part[self.root[name]]) in found}

    def _charger_volts(self) -> Iterator[tuple[str, Volts]]:
        for source in self.sources:
            device = self.analysis.by_id.get(source.id)
            if device is not None and device.gives:
                yield source.plus, Volts(0.0, device.number("absorption_v"))

    def _battery_volts(self) -> Iterator[tuple[str, Volts]]:
        analysis = self.analysis
        own = Volts(analysis.nominal_v, analysis.bank.cells * analysis.chemistry.absorption_high_v)
        for post in self.string_posts:
            yield post, own
        for device in analysis.devices:
            if device.preset.is_battery:
                yield self.root[StudRef.of(device.id, "plus")], other_volts(device, own)

    def of_pole(self, pole: str) -> list[Conductor]:
        """The conductors of one pole."""
        return [conductor for conductor in self.conductors if conductor.pole == pole]

    @cached_property
    def positive(self) -> Net:
        """Studs and arcs of the positive side."""
        return self._net("plus", {})

    @cached_property
    def negative(self) -> Net:
        """Studs and arcs of the negative side."""
        return self._net("minus", {})

    def positive_with(self, fuses: dict[str, float]) -> Net:
        """The positive side with other fuses on some conductors [A]."""
        return self._net("plus", fuses) if fuses else self.positive

    def _net(self, pole: str, fuses: dict[str, float]) -> Net:
        arcs = [conductor.arc(fuses.get(conductor.id, ENDLESS)) for conductor in self.of_pole(pole)]
        studs = dict.fromkeys(
            self.root[name] for name, stud in self.analysis.studs.items() if stud.pole == pole
        )
        return Net(studs, arcs)
