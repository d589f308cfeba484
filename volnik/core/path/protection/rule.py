"""The rule of protection: what can flow for good, held against what each conductor carries.

Source: law for what can flow; trade practice for the margins (docs/domain/protection.md). Local code and the
makers come first.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

from volnik.core.findings import LEVELS, Level
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.protection.circuit import Circuit, Conductor, Source
from volnik.core.path.protection.flow import ENDLESS, Arc, Arriving, Net, exchanged
from volnik.core.shelf.fuses import MARGIN, next_size

EVEN = 1.0001  # two figures of the same cable differ by less
TRUSTED_MOTOR = 1.5  # times its ampacity a lead may be fused where the motor cuts itself out; trade practice
Verdict = Level | None


@dataclass(frozen=True, slots=True)
class End:
    """What can flow into a conductor at one end for good.

    Attributes:
        stud: where.
        batteries_a, all_a: what stands ready there, from batteries alone and from all that gives [A].
        fuse_a: the conductor's own fuse at this end [A], ENDLESS without one.
    """

    stud: str
    batteries_a: float
    all_a: float
    fuse_a: float = ENDLESS

    @property
    def from_batteries_a(self) -> float:
        """What flows from batteries before something opens [A]."""
        return min(self.batteries_a, self.fuse_a)

    @property
    def from_all_a(self) -> float:
        """What flows from all that gives before something opens [A]."""
        return min(self.all_a, self.fuse_a)


@dataclass(frozen=True, slots=True)
class Judged:
    """One conductor held against the rule.

    Attributes:
        conductor: which.
        ends: of a positive what flows in at each end; of a negative what flows over it, each way.
        level: how grave it is, or None where it is sound.
        is_ring: whether it lies in a ring of negatives, where only a guess can be made at who carries what.
    """

    conductor: Conductor
    ends: tuple[End, ...]
    level: Verdict
    is_ring: bool = False

    @property
    def worst(self) -> End:
        """The end at which most flows in."""
        return max(self.ends, key=lambda end: (end.from_batteries_a, end.from_all_a))

    @property
    def flow_a(self) -> float:
        """The most that flows before something opens [A]; ENDLESS where nothing opens."""
        return max(end.from_all_a for end in self.ends)

    @property
    def is_open_ended(self) -> bool:
        """Whether nothing at all opens."""
        return self.flow_a >= ENDLESS


def level_of(batteries_a: float, all_a: float, carries_a: float | None) -> Verdict:
    """How grave it is that so much can flow for good.

    Args:
        batteries_a: from batteries alone [A].
        all_a: from all that gives [A].
        carries_a: what the conductor carries [A]; None where it is not known.
    """
    if carries_a is None:
        return "stop" if batteries_a >= ENDLESS else None
    if all_a <= carries_a * EVEN:
        return None
    if batteries_a <= carries_a * EVEN:
        return "advise"
    return "fix" if batteries_a <= next_size(carries_a) * EVEN else "stop"


def _gravest(levels: Iterable[Verdict]) -> Verdict:
    return min(levels, key=lambda level: len(LEVELS) if level is None else LEVELS.index(level))


def milder(level: Verdict, most: Level) -> Verdict:
    """A level, or the gravest it may be.

    Args:
        level: found.
        most: the gravest allowed.
    """
    if level is None:
        return None
    return LEVELS[max(LEVELS.index(level), LEVELS.index(most))]


@dataclass
class Protection:
    """All conductors of a circuit held against the rule, each reckoned once.

    Attributes:
        circuit: sources, arcs and conductors.
    """

    circuit: Circuit

    def _arriving(self, net: Net) -> tuple[Arriving, Arriving]:
        """What can arrive from batteries alone, and from all that gives."""
        sources = self.circuit.sources
        alone = _supplied(source for source in sources if source.is_battery)
        return Arriving(net, alone), Arriving(net, _supplied(sources))

    @cached_property
    def arriving(self) -> tuple[Arriving, Arriving]:
        """What can arrive at each positive stud: from batteries alone, from all that gives."""
        return self._arriving(self.circuit.positive)

    @cached_property
    def positives(self) -> list[Judged]:
        """Every positive conductor."""
        net = self.circuit.positive
        arcs = {arc.id: arc for arc in net.arcs}
        return [
            self._positive(conductor, arcs[conductor.id], self.arriving)
            for conductor in self.circuit.of_pole("plus")
        ]

    def _positive(self, conductor: Conductor, arc: Arc, arriving: tuple[Arriving, Arriving]) -> Judged:
        batteries, every = (one.without(arc) for one in arriving)
        ends = (
            End(conductor.a, batteries[0], every[0], conductor.fuse_a),
            End(conductor.b, batteries[1], every[1], conductor.fuse_b),
        )
        return Judged(conductor, ends, self._level(conductor, ends))

    def _level(self, conductor: Conductor, ends: tuple[End, ...]) -> Verdict:
        if conductor.custom in ("cranking", "lithium_link", "harness") or not conductor.cables:
            return None  # switches are held against what flows through them
        gravest = self._unbounded_by(conductor.carries_a, ends)
        if conductor.custom == "alternator":
            return milder(gravest, "advise")
        if gravest is not None and conductor.carries_a is not None and self._cuts_itself_out(conductor):
            trusted = self._unbounded_by(conductor.carries_a * TRUSTED_MOTOR, ends)
            return "advise" if trusted is None else trusted
        unfused = max(end.from_batteries_a for end in ends) >= ENDLESS
        return milder(gravest, "fix") if conductor.assumed and not unfused else gravest

    def _unbounded_by(self, carries_a: float | None, ends: tuple[End, ...]) -> Verdict:
        """The gravest verdict on what flows in at both ends."""
        return _gravest(self._at_end(end, ends[1 - at].stud, carries_a) for at, end in enumerate(ends))

    def _at_end(self, end: End, other: str, carries_a: float | None) -> Verdict:
        """The verdict on what flows in at one end; of a string's lead, seen from the bar, milder."""
        level = level_of(end.from_batteries_a, end.from_all_a, carries_a)
        posts = {self.circuit.root[post] for post in self.circuit.analysis.top_posts}
        lead = len(posts) > 1 and other in posts and end.stud not in posts
        return milder(level, "advise") if level == "fix" and lead else level

    def _cuts_itself_out(self, conductor: Conductor) -> bool:
        owner = self.circuit.analysis.owner_of(conductor.cables[0]) if conductor.cables else None
        return owner is not None and owner.device.thermal_cutout is True

    @cached_property
    def causes(self) -> list[Judged]:
        """The positives at fault that would be so if all others were put right, gravest flow first."""
        wrong = [judged for judged in self.positives if judged.level is not None]
        wrong.sort(key=lambda judged: (-judged.worst.from_batteries_a, self._depth(judged)))
        fuses: dict[str, float] = {}
        found = []
        for judged in wrong:
            if fuses and not self._still_wrong(judged, fuses):
                continue
            found.append(judged)
            fuses[judged.conductor.id] = self.proper_fuse(judged.conductor)
        return found

    def _depth(self, judged: Judged) -> int:
        """How many conductors lie between where too much flows in and the battery it comes from."""
        batteries = {source.plus for source in self.circuit.sources if source.is_battery}
        seen, edge, steps = {judged.worst.stud}, {judged.worst.stud}, 0
        while edge and not edge & batteries:
            arcs = (arc for stud in edge for arc in self.circuit.positive.at[stud])
            ends = {end for arc in arcs if arc.id != judged.conductor.id for end in (arc.a, arc.b)}
            edge, steps = ends - seen, steps + 1
            seen |= edge
        return steps

    def _still_wrong(self, judged: Judged, fuses: Mapping[str, float]) -> bool:
        net = self.circuit.positive_with(dict(fuses))
        arc = next(arc for arc in net.arcs if arc.id == judged.conductor.id)
        return self._positive(judged.conductor, arc, self._arriving(net)).level is not None

    def proper_fuse(self, conductor: Conductor) -> float:
        """The fuse a conductor ought to have, at most its copper [A].

        At least 1.25 times its load, and above the fuses of the branches behind it.
        """
        load_a = max((self.circuit.analysis.worst_a(cable) for cable in conductor.cables), default=0.0)
        wanted = max(next_size(MARGIN * load_a, itself=True), self.above_branches(conductor))
        return wanted if conductor.carries_a is None else min(wanted, conductor.carries_a)

    def above_branches(self, conductor: Conductor) -> float:
        """The smallest usual fuse above those of the branches that a conductor feeds [A]; 0 without any.

        Args:
            conductor: a positive one.
        """
        net = self.circuit.positive
        arc = next(arc for arc in net.arcs if arc.id == conductor.id)
        fed = max((arc.a, arc.b), key=lambda stud: self._ready(arc, stud))
        behind = [
            other.out_of(arc.other(fed)) for other in net.at[arc.other(fed)] if other.id != conductor.id
        ]
        fuses = [amps for amps in behind if amps < ENDLESS]
        return next_size(max(fuses)) if fuses else 0.0

    def _ready(self, arc: Arc, stud: str) -> float:
        """What batteries have ready at one end of an arc once it is taken away [A]."""
        return self.arriving[0].without(arc)[0 if stud == arc.a else 1]

    def over_bar(self, bar: str, pole: str) -> End:
        """What can flow through a bar: at most what comes in, and what can leave.

        Args:
            bar: its stud.
            pole: plus or minus.
        """
        if pole == "minus":
            return self._over_minus_bar(bar)
        stud = self.circuit.root[bar]
        coming = [arriving.at(stud) for arriving in self.arriving]
        fed = self.arriving[0]
        leaving = 0.0
        for arc in self.circuit.positive.at[stud]:
            at_far_end = fed.without(arc)[0 if arc.other(stud) == arc.a else 1]
            if at_far_end <= 0.0:  # a feed brings, and takes nothing away
                leaving += arc.out_of(stud)
        return End(stud, min(coming[0], leaving), min(coming[1], leaving))

    def _over_minus_bar(self, bar: str) -> End:
        """At most what its conductors can bring, and what they can take away."""
        stud = self.circuit.root[bar]
        ends: dict[str, tuple[End, ...]] = {judged.conductor.id: judged.ends for judged in self.negatives}
        sums = []
        for name in ("batteries_a", "all_a"):
            brings = takes = 0.0
            for arc in self.circuit.negative.at[stud]:
                here = sum(getattr(end, name) for end in ends[arc.id] if end.stud == stud)
                there = sum(getattr(end, name) for end in ends[arc.id] if end.stud != stud)
                brings, takes = brings + there, takes + here
            sums.append(min(brings, takes, ENDLESS))
        return End(stud, sums[0], sums[1])

    def through(self, judged: Judged) -> tuple[float, float]:
        """What can flow through a switch: what comes in on one side and can leave on the other.

        From batteries alone, and from all that gives [A].

        Args:
            judged: the switch.
        """
        if judged.conductor.pole == "minus":
            worst = judged.worst
            return worst.batteries_a, max(end.all_a for end in judged.ends)
        found = [0.0, 0.0]
        net = self.circuit.positive
        arc = next(arc for arc in net.arcs if arc.id == judged.conductor.id)
        for at, end in enumerate(judged.ends):
            room = self._room(judged.ends[1 - at].stud, arc)
            found = [max(found[0], min(end.batteries_a, room)), max(found[1], min(end.all_a, room))]
        return found[0], found[1]

    def _room(self, stud: str, without: Arc) -> float:
        """What can leave a positive stud towards devices and batteries [A]."""
        net = self.circuit.positive
        rest = Net(net.at, [arc for arc in net.arcs if arc is not without])
        return exchanged(rest, {stud: ENDLESS}, {across.plus for across in self.circuit.across})

    def failing_side(self, judged: Judged) -> set[str]:
        """The minus studs whose devices' failures come back over a negative, at its worse end.

        Args:
            judged: the negative.
        """
        net = self.circuit.negative
        arc = next(arc for arc in net.arcs if arc.id == judged.conductor.id)
        stud = judged.worst.stud
        outer = arc.a if net.inward.get(arc.a) is arc else arc.b
        if judged.is_ring or outer not in net.branch:
            return {stud}
        side = net.branch[outer]
        return side if stud == outer else reached(net, stud, {arc.id})

    @cached_property
    def negatives(self) -> list[Judged]:
        """Every negative conductor, the positives at fault taken as put right."""
        fuses = {judged.conductor.id: self.proper_fuse(judged.conductor) for judged in self.causes}
        return Negatives(self, self.circuit.positive_with(fuses)).judged()


class Negatives:
    """The negatives of a circuit: what comes back over each when a device or battery fails."""

    def __init__(self, protection: Protection, net: Net) -> None:
        """Take in the positive side to reckon on."""
        self._protection, self._circuit, self._net = protection, protection.circuit, net
        self._of = {
            batteries: [s for s in self._circuit.sources if s.is_battery or not batteries]
            for batteries in (True, False)
        }
        self._arriving = {
            batteries: Arriving(net, _supplied(self._of[batteries])) for batteries in (True, False)
        }
        self._at_minus: dict[str, list[str]] = defaultdict(list)  # positives that fail to each minus stud
        for across in self._circuit.across:
            self._at_minus[across.minus].append(across.plus)
        self._gives: dict[str, list[Source]] = defaultdict(list)
        for source in self._circuit.sources:
            self._gives[source.minus].append(source)

    def judged(self) -> list[Judged]:
        """Each negative conductor."""
        net = self._circuit.negative
        arcs = {arc.id: arc for arc in net.arcs}
        rings = {arc.id for arc in net.ring}
        parts = _parts(net)
        found = []
        for conductor in self._circuit.of_pole("minus"):
            arc = arcs[conductor.id]
            if conductor.id in rings:
                ends, is_ring = self._in_ring(net, arc, parts), True
            else:
                outer = arc.a if net.inward.get(arc.a) is arc else arc.b
                ends, is_ring = self._over(net.branch[outer], parts[outer], arc, outer), False
            found.append(Judged(conductor, ends, self._level(conductor, ends, is_ring=is_ring), is_ring))
        return found

    def _over(self, side: set[str], part: set[str], arc: Arc, outer: str) -> tuple[End, ...]:
        """What flows over an arc that parts a side from the rest, each way.

        Args:
            side: the studs beyond it.
            part: those and all others that are joined.
            arc: which.
            outer: its stud on that side.
        """
        if len(side) == 1 and not self._gives.get(next(iter(side))):
            stud = next(iter(side))
            amps = [
                max((self._arriving[only].at(plus) for plus in self._at_minus[stud]), default=0.0)
                for only in (True, False)
            ]
            return (End(stud, amps[0], amps[1]),)
        there = self._failing(side)
        here = self._failing(part - side)
        ends = []
        for stud, sinks, giving in ((outer, there, part - side), (arc.other(outer), here, side)):
            amps = [
                exchanged(
                    self._net,
                    _supplied(source for source in self._of[only] if source.minus in giving),
                    sinks,
                )
                for only in (True, False)
            ]
            ends.append(End(stud, amps[0], amps[1]))
        return tuple(ends)

    def _failing(self, side: set[str]) -> set[str]:
        """The positives of what fails to the studs of a side; strings bolted together fail as one."""
        bolted = self._circuit.bolted_strings
        return {plus for stud in side for plus in self._at_minus.get(stud, ()) if plus not in bolted}

    def _in_ring(self, net: Net, arc: Arc, parts: dict[str, set[str]]) -> tuple[End, ...]:
        """The same in a ring: taken away with each other conductor of it in turn."""
        worst: tuple[End, ...] = (End(arc.a, 0.0, 0.0),)
        links = {conductor.id for conductor in self._circuit.conductors if conductor.custom}
        for other in net.ring:
            if other is arc or other.id in links:
                continue
            side = reached(net, arc.a, {arc.id, other.id})
            if arc.b in side:
                continue
            ends = self._over(side, parts[arc.a], arc, arc.a)
            worst = max(worst, ends, key=lambda found: max(end.from_batteries_a for end in found))
        return worst

    def _level(self, conductor: Conductor, ends: tuple[End, ...], *, is_ring: bool) -> Verdict:
        if conductor.custom or not conductor.cables:
            return None
        gravest = _gravest(
            level_of(end.from_batteries_a, end.from_all_a, conductor.carries_a) for end in ends
        )
        owner = self._circuit.analysis.owner_of(conductor.cables[0])
        gentle = is_ring or conductor.assumed or (owner is not None and owner.preset.far)
        if owner is not None and owner.preset.is_starter_battery:
            # the vehicle's maker sized it for the starter motor: unread, it is taken for that
            return None if conductor.assumed else milder(gravest, "advise")
        return milder(gravest, "fix") if gentle else gravest


def _supplied(sources: Iterable[Source]) -> dict[str, float]:
    """What each positive stud is given [A]."""
    found: dict[str, float] = defaultdict(float)
    for source in sources:
        found[source.plus] += source.amps
    return dict(found)


def _parts(net: Net) -> dict[str, set[str]]:
    """The studs joined to each stud."""
    found: dict[str, set[str]] = {}
    for stud in net.at:
        if stud not in found:
            joined = reached(net, stud, set())
            found |= dict.fromkeys(joined, joined)
    return found


def reached(net: Net, start: str, without: set[str]) -> set[str]:
    """The studs that can be reached from one without some arcs.

    Args:
        net: of studs and arcs.
        start: the stud.
        without: ids of arcs.
    """
    found, waiting = {start}, [start]
    while waiting:
        stud = waiting.pop()
        for arc in net.at[stud]:
            other = arc.other(stud)
            if arc.id not in without and other not in found:
                found.add(other)
                waiting.append(other)
    return found


def protection_of(analysis: WiringAnalysis) -> Protection:
    """A drawing held against the rule, once.

    Args:
        analysis: the drawing.
    """
    if "protection" not in analysis.memo:
        analysis.memo["protection"] = Protection(Circuit(analysis))
    found: Protection = analysis.memo["protection"]
    return found
