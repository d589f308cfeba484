"""How much can arrive: the greatest current from sources to a stud, with any one arc taken away.

Law: what arrives is bounded by the smallest cut of fuses between (Kirchhoff; Ford and Fulkerson). Nearly all
of a rig is a tree, where that is a sum of smaller ones passed from the leaves inwards; rings are solved by
maximum flow.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

ENDLESS = 1e9  # amps of a battery that nothing bounds; an infinity that may be added and taken away


@dataclass(frozen=True, slots=True)
class Arc:
    """A way between two studs, with the most it lets through each way [A]."""

    id: str
    a: str
    b: str
    a_to_b: float = ENDLESS
    b_to_a: float = ENDLESS

    def out_of(self, stud: str) -> float:
        """The most it takes away from one of its studs [A]."""
        return self.a_to_b if stud == self.a else self.b_to_a

    def into(self, stud: str) -> float:
        """The most it brings to one of its studs [A]."""
        return self.b_to_a if stud == self.a else self.a_to_b

    def other(self, stud: str) -> str:
        """Its other stud."""
        return self.b if stud == self.a else self.a


@dataclass(slots=True)
class _Sum:
    """A sum of amps, some of them endless, from which one may be taken away again."""

    amps: float = 0.0
    endless: int = 0

    def add(self, amps: float) -> None:
        """One more, `amps` of it [A]."""
        if amps >= ENDLESS:
            self.endless += 1
        else:
            self.amps += amps

    def whole(self) -> float:
        """All of it [A]."""
        return ENDLESS if self.endless else min(self.amps, ENDLESS)

    def without(self, amps: float) -> float:
        """All of it but `amps`, which were added once [A]."""
        if amps >= ENDLESS:
            return ENDLESS if self.endless > 1 else self.amps
        return ENDLESS if self.endless else max(0.0, self.amps - amps)


class Net:
    """Studs and arcs taken apart once: branches, which fall leaf by leaf, and the rings that are left.

    Attributes:
        at: arcs of each stud.
        fallen: studs of the branches, leaves first.
        inward: of each of them the arc towards the rings.
        ring: arcs of the rings.
    """

    def __init__(self, studs: Iterable[str], arcs: Iterable[Arc]) -> None:
        self.arcs = list(arcs)
        self.at: dict[str, list[Arc]] = {stud: [] for stud in studs}
        for arc in self.arcs:
            self.at[arc.a].append(arc)
            self.at[arc.b].append(arc)
        self.fallen: list[str] = []
        self.inward: dict[str, Arc] = {}
        self._fell()
        self.ring = [arc for arc in self.arcs if arc.a not in self.inward and arc.b not in self.inward]

    def _fell(self) -> None:
        left = {stud: len(arcs) for stud, arcs in self.at.items()}
        waiting = [stud for stud, count in left.items() if count == 1]
        while waiting:
            stud = waiting.pop()
            if left[stud] != 1:
                continue
            arc = next(arc for arc in self.at[stud] if self._stands(arc))
            self.inward[stud] = arc
            self.fallen.append(stud)
            left[stud] = 0
            near = arc.other(stud)
            left[near] -= 1
            if left[near] == 1:
                waiting.append(near)

    def _stands(self, arc: Arc) -> bool:
        return self.inward.get(arc.a) is not arc and self.inward.get(arc.b) is not arc

    @cached_property
    def branch(self) -> dict[str, set[str]]:
        """The studs that hang on each fallen stud, itself among them."""
        found: dict[str, set[str]] = {}
        for stud in self.fallen:
            mine = found.setdefault(stud, {stud})
            near = self.inward[stud].other(stud)
            if near in self.inward:
                found.setdefault(near, {near}).update(mine)
        return found


class Arriving:
    """What can arrive at the studs of a net from sources."""

    def __init__(self, net: Net, supply: Mapping[str, float]) -> None:
        """Take in what each stud is supplied with [A]."""
        self._net, self._supply = net, supply
        self._sums: dict[str, _Sum] = {}
        for stud in net.at:
            self._sums[stud] = one = _Sum()
            one.add(supply.get(stud, 0.0))
        self._from_branch: dict[str, float] = {}  # over a fallen stud's arc inwards
        for stud in net.fallen:
            arc = net.inward[stud]
            amps = min(arc.out_of(stud), self._sums[stud].whole())
            self._from_branch[stud] = amps
            self._sums[arc.other(stud)].add(amps)
        self._round: dict[str, float] = {}
        self._to_branch: dict[str, float] = {}  # what stands ready at the inner end of a fallen stud's arc
        for stud in reversed(net.fallen):
            near = net.inward[stud].other(stud)
            ready = self._sums[near].without(self._from_branch[stud])
            self._to_branch[stud] = min(ENDLESS, ready + self._more(near))

    def _more(self, stud: str) -> float:
        """What reaches a stud from the side that its own branches are not on."""
        if stud in self._net.inward:
            return min(self._net.inward[stud].into(stud), self._to_branch[stud])
        return self._from_rings(stud)

    def _from_rings(self, stud: str, without: Arc | None = None) -> float:
        """What the rings bring to one of their studs from the others."""
        if not any(arc.id in self._ring_ids for arc in self._net.at[stud]):
            return 0.0
        if without is None and stud in self._round:
            return self._round[stud]
        supply = {other: self._sums[other].whole() for other in self._ring_studs if other != stud}
        amps = _greatest([arc for arc in self._net.ring if arc is not without], supply, {stud})
        if without is None:
            self._round[stud] = amps
        return amps

    @cached_property
    def _ring_ids(self) -> set[str]:
        return {arc.id for arc in self._net.ring}

    @cached_property
    def _ring_studs(self) -> set[str]:
        return {stud for arc in self._net.ring for stud in (arc.a, arc.b)}

    def at(self, stud: str) -> float:
        """What can arrive at a stud, its own supply among it [A]."""
        return min(ENDLESS, self._sums[stud].whole() + self._more(stud))

    def from_others(self, stud: str) -> float:
        """What can arrive at a stud without its own supply [A]."""
        return min(ENDLESS, self._sums[stud].without(self._supply.get(stud, 0.0)) + self._more(stud))

    def without(self, arc: Arc) -> tuple[float, float]:
        """What can arrive at each end of an arc once it is taken away: at a, at b [A]."""
        if self._net.inward.get(arc.a) is arc:
            return self._sums[arc.a].whole(), self._to_branch[arc.a]
        if self._net.inward.get(arc.b) is arc:
            return self._to_branch[arc.b], self._sums[arc.b].whole()
        return self._at_ring(arc.a, arc), self._at_ring(arc.b, arc)

    def _at_ring(self, stud: str, without: Arc) -> float:
        return min(ENDLESS, self._sums[stud].whole() + self._from_rings(stud, without))


def exchanged(net: Net, supply: Mapping[str, float], sinks: set[str]) -> float:
    """The greatest current from some studs to others, which take whatever comes [A].

    Args:
        net: of the studs and arcs.
        supply: what each source gives [A].
        sinks: where it goes.
    """
    if not sinks or not supply:
        return 0.0
    if net.ring:
        return _greatest(net.arcs, supply, sinks)
    spare = {stud: supply.get(stud, 0.0) for stud in net.at}
    room = {stud: ENDLESS if stud in sinks else 0.0 for stud in net.at}
    flowing = 0.0
    # What meets within a branch need not leave it: the leaves are settled first.
    for stud in net.fallen:
        flowing += _met(stud, spare, room)
        arc = net.inward[stud]
        near = arc.other(stud)
        spare[near] += min(arc.out_of(stud), spare[stud])
        room[near] += min(arc.into(stud), room[stud])
    for stud in net.at:
        if stud not in net.inward:
            flowing += _met(stud, spare, room)
    return min(ENDLESS, flowing)


def _met(stud: str, spare: dict[str, float], room: dict[str, float]) -> float:
    """What is given and taken at one stud; both are less by it."""
    amps = min(spare[stud], room[stud])
    spare[stud] -= amps
    room[stud] -= amps
    return amps


def _greatest(arcs: list[Arc], supply: Mapping[str, float], sinks: set[str]) -> float:
    """The maximum flow [A]."""
    import networkx  # only rigs with rings pay for it

    graph = networkx.DiGraph()
    for arc in arcs:
        for start, end, amps in ((arc.a, arc.b, arc.a_to_b), (arc.b, arc.a, arc.b_to_a)):
            before = graph.get_edge_data(start, end, {"capacity": 0.0})["capacity"]
            graph.add_edge(start, end, capacity=before + amps)
    for stud, amps in supply.items():
        if amps > 0.0:
            graph.add_edge(0, stud, capacity=amps)
    for stud in sinks:
        graph.add_edge(stud, 1, capacity=ENDLESS * 10.0)
    if 0 not in graph or 1 not in graph:
        return 0.0
    return min(ENDLESS, float(networkx.maximum_flow_value(graph, 0, 1)))
