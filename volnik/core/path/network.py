"""The network solved: what share of each device's current crosses the shunt, and what every conductor carries.

Nodes are studs; edges are cables with their joints, the shunt, isolators and every battery as its internal resistance
(its EMF at zero: superposition). A device is a current from its positive to its negative landing. With conductances on
the edges this is a weighted Laplacian, L x = b; one node of each connected part is held at zero for reference only.

By reciprocity the shares of all devices follow from one solution: a unit current pushed through the shunt's studs sets
potentials y, and a device that puts currents b into the studs sends g (b . y) through the shunt. Studs on dead ends carry
no current in that solution, so they take their neighbour's potential and are left out of it.
"""

from __future__ import annotations

import itertools
import math
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt

from volnik.core.path.studs import Stud, block_names
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Drawn
from volnik.core.rig.wiring import Cable, Wiring
from volnik.core.shelf.assumed import (
    CABLE_M,
    CABLE_MM2,
    CHASSIS_OHM,
    DRIFT,
    HULL_OHM,
    ISOLATOR_OHM,
    JOINT_OHM,
    LINK_M,
    STARTER_AH,
    block_ohm,
)
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.conductors import copper_ohm

Floats = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]
Doubt = Literal["joint", "ground", "block", "cable"]
DOUBTS: tuple[Doubt, ...] = ("joint", "ground", "block", "cable")
PARTIAL = 0.005  # a share this near to 0, 1 or -1 is that


@dataclass(frozen=True, slots=True)
class Edge:
    """One conductor between two studs, of several parts in series.

    Attributes:
        id: cable id, "shunt", "iso:<id>", "block:<name>" or "battery:<id>".
        a, b: studs; current is counted positive from a to b.
        parts: (ohm, doubt); a doubt names the class of assumed resistances it belongs to, None is known.
    """

    id: str
    a: str
    b: str
    parts: tuple[tuple[float, Doubt | None], ...]

    def ohm(self, factors: dict[Doubt, float] | None = None) -> float:
        """Resistance, with the doubtful parts multiplied by their class's factor [ohm]."""
        return math.fsum(
            ohm * (1.0 if doubt is None or factors is None else factors[doubt]) for ohm, doubt in self.parts
        )


@dataclass(frozen=True, slots=True)
class Share:
    """What of one device's current crosses the shunt.

    Attributes:
        value: shunt current, rig side to bank side, over the device's current: 1 counted, 0 not, -1 reversed; NaN without a path.
        low, high: the range while resistances are only assumed; equal to `value` where nothing is in doubt.
        expected: 1 for a device on the bank, 0 for one on another battery.
        lacks: why there is no path, or "".
    """

    value: float
    low: float
    high: float
    expected: float
    lacks: str = ""

    @property
    def word(self) -> Literal["counted", "uncounted", "partly", "reversed", "apart", "floating"]:
        """The share as one word."""
        if math.isnan(self.value):
            return "floating"
        if abs(self.value) < PARTIAL:
            return "apart" if self.expected == 0.0 else "uncounted"
        if abs(self.value - 1.0) < PARTIAL:
            return "counted"
        return "reversed" if abs(self.value + 1.0) < PARTIAL else "partly"


@dataclass
class Network:
    """The studs and conductors of one drawing, ready to be solved.

    Attributes:
        studs, edges: nodes and conductors. batteries: (plus, minus, ohm) of each block and other battery.
    """

    studs: dict[str, Stud]
    edges: list[Edge]
    batteries: dict[str, tuple[str, str, float]]

    @cached_property
    def parts(self) -> dict[str, int]:
        """The connected part each stud is in."""
        return connected(self.studs, ((edge.a, edge.b) for edge in self.edges))

    @cached_property
    def at(self) -> dict[str, int]:
        """The row of each stud."""
        return {name: index for index, name in enumerate(self.studs)}

    @cached_property
    def a(self) -> Rows:
        """Rows of the edges' first studs."""
        return np.array([self.at[edge.a] for edge in self.edges], dtype=np.intp)

    @cached_property
    def b(self) -> Rows:
        """Rows of the edges' second studs."""
        return np.array([self.at[edge.b] for edge in self.edges], dtype=np.intp)

    @cached_property
    def ohm(self) -> Floats:
        """Resistances of the edges [ohm]."""
        return np.array([edge.ohm() for edge in self.edges])

    @cached_property
    def answer(self) -> Floats:
        """Potentials per amp put into each stud, reckoned once: the inverse of the grounded Laplacian, (studs, studs) [ohm]."""
        count = len(self.studs)
        laplacian = _laplacian(count, self.a, self.b, 1.0 / self.ohm)
        held = _held([self.parts[name] for name in self.studs])
        free = np.setdiff1d(np.arange(count), held)
        whole = np.zeros((count, count))
        if len(free):
            whole[np.ix_(free, free)] = np.linalg.inv(laplacian[np.ix_(free, free)])
        return whole


@dataclass(frozen=True, slots=True)
class Flow:
    """A network under currents put into its studs.

    Attributes:
        potential_v: of each stud, against the reference of its part [V].
        amps: through each edge, a to b [A].
        lost_v, heat_w: over each edge [V], [W].
    """

    potential_v: dict[str, float]
    amps: dict[str, float]
    lost_v: dict[str, float]
    heat_w: dict[str, float]


def connected(names: Iterable[str], pairs: Iterable[tuple[str, str]]) -> dict[str, int]:
    """The number of the connected part each name is in."""
    parent = {name: name for name in names}

    def root(name: str) -> str:
        while parent[name] != name:
            parent[name] = parent[parent[name]]
            name = parent[name]
        return name

    for a, b in pairs:
        parent[root(a)] = root(b)
    numbers: dict[str, int] = {}
    return {name: numbers.setdefault(root(name), len(numbers)) for name in parent}


def cable_edge(cable: Cable, studs: dict[str, Stud]) -> Edge:
    """A cable with a bolted joint at each end, and half of what the ground resists where it lands on one."""
    between_blocks = studs[cable.a].place == studs[cable.b].place == "block"
    assumed: Doubt | None = "cable" if cable.length_m is None or cable.mm2 is None else None
    length = cable.length_m if cable.length_m is not None else LINK_M if between_blocks else CABLE_M
    mm2 = cable.mm2 if cable.mm2 is not None else 35.0 if between_blocks else CABLE_MM2
    parts: list[tuple[float, Doubt | None]] = [(copper_ohm(length, mm2), assumed), (2.0 * JOINT_OHM, "joint")]
    for end in (cable.a, cable.b):
        if studs[end].place == "ground":
            parts.append((0.5 * (HULL_OHM if "hull" in studs[end].name.lower() else CHASSIS_OHM), "ground"))
    return Edge(cable.id, cable.a, cable.b, tuple(parts))


def build(bank: Bank, chemistry: Chemistry, devices: list[Drawn], wiring: Wiring, studs: dict[str, Stud]) -> Network:
    """The network of a drawing.

    Raises:
        KeyError: when a cable ends on a stud that is not there; `fitted` drawings have none such.
    """
    edges = []
    hulls = {bar.id for bar in wiring.bars if bar.kind == "hull"}
    for cable in wiring.cables:
        edge = cable_edge(cable, studs)
        if hulls & {cable.a, cable.b}:  # a hull by its kind, whatever it is called
            ground = [(0.5 * HULL_OHM, "ground") for end in (cable.a, cable.b) if studs[end].place == "ground"]
            edge = Edge(edge.id, edge.a, edge.b, (*edge.parts[:2], *ground))  # type: ignore[arg-type]
        edges.append(edge)
    if wiring.shunt is not None:
        edges.append(Edge("shunt", "shunt.rig", "shunt.bank", ((wiring.shunt.ohm, None),)))
    for isolator in wiring.isolators:
        edges.append(Edge(f"iso:{isolator.id}", f"{isolator.id}.a", f"{isolator.id}.b", ((ISOLATOR_OHM, "joint"),)))
    block_ah = bank.block_reading(chemistry).capacity_ah
    batteries: dict[str, tuple[str, str, float]] = {}
    for p, row in enumerate(block_names(bank)):
        ah = bank.string_ah[p] if bank.string_ah else block_ah
        ohm = block_ohm(bank.chemistry, bank.block_cells, chemistry.cells_12v, ah)
        for name in row:
            edges.append(Edge(f"block:{name}", f"{name}.minus", f"{name}.plus", ((ohm, "block"),)))
            batteries[name] = (f"{name}.plus", f"{name}.minus", ohm)
    for one in devices:
        if one.preset.role == "battery":
            ohm = block_ohm("flooded", 6, 6, STARTER_AH)
            edges.append(Edge(f"battery:{one.id}", f"{one.id}.minus", f"{one.id}.plus", ((ohm, "block"),)))
            batteries[one.id] = (f"{one.id}.plus", f"{one.id}.minus", ohm)
    return Network(studs, edges, batteries)


def solve(network: Network, currents: dict[str, float]) -> Flow:
    """Potentials and currents under currents put into studs (they sum to zero within each connected part).

    Args:
        currents: amps put into a stud from outside, positive in [A].

    Raises:
        ValueError: when the currents of a connected part do not sum to zero: they would have nowhere to go.
    """
    x = potentials(network, currents)
    lost = x[network.a] - x[network.b]
    amps = lost / network.ohm
    ids = [edge.id for edge in network.edges]
    return Flow(
        dict(zip(network.studs, x.tolist(), strict=True)), dict(zip(ids, amps.tolist(), strict=True)),
        dict(zip(ids, lost.tolist(), strict=True)), dict(zip(ids, (lost * amps).tolist(), strict=True)),
    )  # fmt: skip


def potentials(network: Network, currents: dict[str, float]) -> Floats:
    """Potentials of the studs, in their order, under currents put in [V]; raises as `solve`."""
    sums: dict[int, float] = defaultdict(float)
    put_in = np.zeros(len(network.studs))
    for stud, amps in currents.items():
        sums[network.parts[stud]] += amps
        put_in[network.at[stud]] += amps
    if any(abs(total) > 1e-9 * (1.0 + max(map(abs, currents.values()))) for total in sums.values()):
        raise ValueError("the currents of a connected part must sum to zero")
    return np.asarray(network.answer @ put_in)


def _laplacian(count: int, a: Rows, b: Rows, conductance: Floats) -> Floats:
    laplacian = np.zeros((count, count))
    np.add.at(laplacian, (a, a), conductance)
    np.add.at(laplacian, (b, b), conductance)
    np.add.at(laplacian, (a, b), -conductance)
    np.add.at(laplacian, (b, a), -conductance)
    return laplacian


def _held(parts: list[int]) -> Rows:
    """One stud of each connected part, held at zero."""
    return np.array(sorted({part: index for index, part in reversed(list(enumerate(parts)))}.values()), dtype=np.intp)


def injection(one: Drawn) -> dict[str, float]:
    """Currents one device puts into the studs for one amp of its house current; a source's are of the opposite sign.

    A device with a second positive takes there what it gives on the house side (and the other way round), less its loss.
    """
    sign = 1.0 if one.takes else -1.0
    if one.preset.role == "link" and one.device.kind != "trickle":
        return {f"{one.id}.plus": -1.0, f"{one.id}.far": 1.0}
    if not one.preset.far:
        return {f"{one.id}.plus": -sign, f"{one.id}.minus": sign}
    beyond = 1.0 / one.number("efficiency") if sign < 0 and one.number("efficiency") else 1.0
    # A source takes `beyond` amps from the other battery for each it gives; its one minus carries the difference.
    return {f"{one.id}.plus": -sign, f"{one.id}.far": sign * beyond, f"{one.id}.minus": sign * (1.0 - beyond)}


def lacking(network: Network, one: Drawn) -> str:
    """Why a device's current has no way round, or ""."""
    put_in = {stud: amps for stud, amps in injection(one).items() if amps}
    joined = {end for edge in network.edges for end in (edge.a, edge.b)}
    for stud in put_in:
        if stud not in joined:
            return f"the {network.studs[stud].name} is not joined to anything yet"
    sums: dict[int, float] = defaultdict(float)
    for stud, amps in put_in.items():
        sums[network.parts[stud]] += amps
    if any(abs(total) > 1e-9 for total in sums.values()):
        return "its positive and its negative lead to nothing in common, so no current can flow"
    return ""


def shares(network: Network, devices: list[Drawn]) -> dict[str, Share]:
    """The share of every device that draws or gives, with its range (module docstring).

    Returns:
        A share by device id; all NaN while there is no shunt.
    """
    active = [one for one in devices if one.preset.role != "battery"]
    shunt = next((edge for edge in network.edges if edge.id == "shunt"), None)
    home = _positive_side(network, {stud.owner for stud in network.studs.values() if stud.place == "block"})
    found: dict[str, Share] = {}
    lacks = {one.id: lacking(network, one) for one in active}
    if shunt is None:
        nan = math.nan
        return {one.id: Share(nan, nan, nan, 1.0, lacks[one.id] or "no shunt is fitted") for one in active}
    y = next(_through_shunt(network, shunt, [None]))
    g = 1.0 / shunt.ohm()
    corners: list[dict[str, float]] | None = None
    for one in active:
        expected = 1.0 if f"{one.id}.plus" in home else 0.0
        if lacks[one.id]:
            found[one.id] = Share(math.nan, math.nan, math.nan, expected, lacks[one.id])
            continue
        put_in = injection(one)
        unit = 1.0 if one.takes else -1.0
        value = unit * g * math.fsum(amps * y[stud] for stud, amps in put_in.items())
        low = high = value
        if min(abs(value), abs(value - 1.0), abs(value + 1.0)) >= PARTIAL:
            if corners is None:
                ways = itertools.product(DRIFT, repeat=len(DOUBTS))
                corners = list(_through_shunt(network, shunt, [dict(zip(DOUBTS, way, strict=True)) for way in ways]))
            others = [unit * g * math.fsum(amps * corner[stud] for stud, amps in put_in.items()) for corner in corners]
            low, high = min(value, *others), max(value, *others)
        found[one.id] = Share(value, low, high, expected)
    return found


def _positive_side(network: Network, owners: set[str]) -> set[str]:
    """Studs joined to the positives of given batteries by cables, isolators and the batteries' own strings."""
    plus = {stud.id for stud in network.studs.values() if stud.pole == "plus"}
    pairs = [(edge.a, edge.b) for edge in network.edges if edge.a in plus and edge.b in plus and ":" not in edge.id]
    pairs += [(edge.a, edge.b) for edge in network.edges if edge.id.startswith("iso:") and edge.a in plus]
    # along a string: a minus joined to the next block's plus, and through the block
    pairs += [
        (edge.a, edge.b) for edge in network.edges
        if {network.studs[edge.a].pole, network.studs[edge.b].pole} == {"plus", "minus"} and network.studs[edge.a].owner in owners
    ]  # fmt: skip
    parts = connected(network.studs, pairs)
    wanted = {parts[f"{owner}.plus"] for owner in owners}
    return {name for name, part in parts.items() if part in wanted}


def _through_shunt(
    network: Network, shunt: Edge, ways: Iterable[dict[Doubt, float] | None]
) -> Iterator[dict[str, float]]:
    """Potentials under one amp put into the rig side and taken from the bank side, dead ends left out; one for each way
    the assumed resistances may lie."""
    around: dict[str, set[str]] = {name: set() for name in network.studs}
    for edge in network.edges:
        around[edge.a].add(edge.b)
        around[edge.b].add(edge.a)
    ends = (shunt.a, shunt.b)
    pruned: list[tuple[str, str]] = []
    waiting = [name for name, near in around.items() if len(near) == 1 and name not in ends]
    while waiting:
        name = waiting.pop()
        if len(around[name]) != 1:
            continue
        neighbour = around[name].pop()
        around[neighbour].discard(name)
        pruned.append((name, neighbour))
        if len(around[neighbour]) == 1 and neighbour not in ends:
            waiting.append(neighbour)
    gone = {name for name, _ in pruned}
    home = network.parts[shunt.a]
    names = [name for name in network.studs if name not in gone and network.parts[name] == home]
    at = {name: index for index, name in enumerate(names)}
    edges = [edge for edge in network.edges if edge.a in at and edge.b in at]
    a = np.array([at[edge.a] for edge in edges], dtype=np.intp)
    b = np.array([at[edge.b] for edge in edges], dtype=np.intp)
    for factors in ways:
        conductance = np.array([1.0 / edge.ohm(factors) for edge in edges])
        laplacian = _laplacian(len(names), a, b, conductance)
        x = np.zeros(len(names))
        push = np.zeros(len(names))
        push[at[shunt.a]], push[at[shunt.b]] = 1.0, -1.0
        x[1:] = np.linalg.solve(laplacian[1:, 1:], push[1:])
        found = dict.fromkeys(network.studs, 0.0)
        found.update(zip(names, x.tolist(), strict=True))
        for name, neighbour in reversed(pruned):
            found[name] = found[neighbour]
        yield found
