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
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
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
        lacks: why devices looked into have no way round.
    """

    studs: dict[str, Stud]
    edges: list[Edge]
    batteries: dict[str, tuple[str, str, float]]
    lacks: dict[str, str] = field(default_factory=dict)

    @cached_property
    def parts(self) -> dict[str, int]:
        """The connected part each stud is in."""
        return connected(self.studs, ((edge.a, edge.b) for edge in self.edges))

    @cached_property
    def joined(self) -> set[str]:
        """Studs that any conductor ends on."""
        return {end for edge in self.edges for end in (edge.a, edge.b)}

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
    def core(self) -> Core:
        """The network without its dead ends."""
        return Core(self)


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
    put_in = np.zeros((len(network.studs), 1))
    for stud, amps in currents.items():
        sums[network.parts[stud]] += amps
        put_in[network.at[stud], 0] += amps
    if any(abs(total) > 1e-9 * (1.0 + max(map(abs, currents.values()))) for total in sums.values()):
        raise ValueError("the currents of a connected part must sum to zero")
    return network.core.potentials(put_in)[:, 0]


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
    """Why a device's current has no way round, or ""; looked into once a network."""
    if one.id not in network.lacks:
        network.lacks[one.id] = _lacking(network, one)
    return network.lacks[one.id]


def _lacking(network: Network, one: Drawn) -> str:
    put_in = {stud: amps for stud, amps in injection(one).items() if amps}
    for stud in put_in:
        if stud not in network.joined:
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
    core = network.core
    g = 1.0 / shunt.ohm()
    moving = [one for one in active if not lacks[one.id]]
    put_in = core.put_in(moving).T
    values = g * (put_in @ core.through_shunt(shunt, [None])[:, 0])
    partial = np.minimum(np.abs(values), np.minimum(np.abs(values - 1.0), np.abs(values + 1.0))) >= PARTIAL
    low, high = values.copy(), values.copy()
    if partial.any():
        ways = [dict(zip(DOUBTS, way, strict=True)) for way in itertools.product(DRIFT, repeat=len(DOUBTS))]
        corners = g * (put_in[partial] @ core.through_shunt(shunt, ways))
        low[partial] = np.minimum(values[partial], corners.min(axis=1))
        high[partial] = np.maximum(values[partial], corners.max(axis=1))
    at = {one.id: index for index, one in enumerate(moving)}
    for one in active:
        expected = 1.0 if f"{one.id}.plus" in home else 0.0
        if lacks[one.id]:
            found[one.id] = Share(math.nan, math.nan, math.nan, expected, lacks[one.id])
        else:
            index = at[one.id]
            found[one.id] = Share(float(values[index]), float(low[index]), float(high[index]), expected)
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


class Core:
    """The network without its dead ends, which can be told at once: all that is put into one flows to its neighbour.

    Attributes:
        pruned: dead ends in the order they fall: (stud, its neighbour, ohm between them), by row.
        kept: rows of the studs left. edges: conductors between those.
    """

    def __init__(self, network: Network) -> None:
        self.network = network
        near: list[dict[int, float]] = [{} for _ in network.studs]
        conductance = (1.0 / network.ohm).tolist()
        for a, b, g in zip(network.a.tolist(), network.b.tolist(), conductance, strict=True):
            near[a][b] = near[a].get(b, 0.0) + g
            near[b][a] = near[b].get(a, 0.0) + g
        ends = {network.at[end] for end in ("shunt.bank", "shunt.rig") if end in network.at}
        self.pruned: list[tuple[int, int, float]] = []
        waiting = [row for row, around in enumerate(near) if len(around) == 1 and row not in ends]
        while waiting:
            row = waiting.pop()
            if len(near[row]) != 1:
                continue
            neighbour, g = near[row].popitem()
            del near[neighbour][row]
            self.pruned.append((row, neighbour, 1.0 / g))
            if len(near[neighbour]) == 1 and neighbour not in ends:
                waiting.append(neighbour)
        gone = {row for row, _, _ in self.pruned}
        names = list(network.studs)
        self.kept = np.array([row for row in range(len(names)) if row not in gone], dtype=np.intp)
        place = {row: index for index, row in enumerate(self.kept.tolist())}
        held = _held([network.parts[names[row]] for row in self.kept])
        self.free = np.setdiff1d(np.arange(len(self.kept)), held)
        inside = [
            at
            for at, (a, b) in enumerate(zip(network.a.tolist(), network.b.tolist(), strict=True))
            if a in place and b in place
        ]
        self.edges = [network.edges[at] for at in inside]
        self.a = np.array([place[int(network.a[at])] for at in inside], dtype=np.intp)
        self.b = np.array([place[int(network.b[at])] for at in inside], dtype=np.intp)
        self.place = place

    def _solved(self, ohm: Floats, put_in: Floats) -> Floats:
        laplacian = _laplacian(len(self.kept), self.a, self.b, 1.0 / ohm)
        x = np.zeros(put_in.shape)
        if len(self.free):
            x[self.free] = np.linalg.solve(laplacian[np.ix_(self.free, self.free)], put_in[self.free])
        return x

    def potentials(self, put_in: Floats) -> Floats:
        """Potentials of all studs under currents put into them, a column each, (studs, columns) [A] to [V]."""
        x = np.zeros(put_in.shape)
        flow = put_in.copy()
        ohm = np.array([edge.ohm() for edge in self.edges])
        if put_in.shape[1] == 1:  # plain numbers are quicker than arrays of one
            flows = put_in[:, 0].tolist()
            for row, neighbour, _ in self.pruned:
                flows[neighbour] += flows[row]
            flow[:, 0] = flows
            x[self.kept] = self._solved(ohm, flow[self.kept])
            volts = x[:, 0].tolist()
            for row, neighbour, between in reversed(self.pruned):
                volts[row] = volts[neighbour] + between * flows[row]
            x[:, 0] = volts
            return x
        for row, neighbour, _ in self.pruned:
            flow[neighbour] += flow[row]
        x[self.kept] = self._solved(ohm, flow[self.kept])
        for row, neighbour, between in reversed(self.pruned):
            x[row] = x[neighbour] + between * flow[row]
        return x

    def through_shunt(self, shunt: Edge, ways: Sequence[dict[Doubt, float] | None]) -> Floats:
        """Potentials of all studs under one amp put into the rig side and taken from the bank side, a column for each way
        the assumed resistances may lie, (studs, ways) [V]; dead ends carry none and are as their neighbours."""
        push = np.zeros((len(self.kept), 1))
        push[self.place[self.network.at[shunt.a]], 0], push[self.place[self.network.at[shunt.b]], 0] = 1.0, -1.0
        x = np.zeros((len(self.network.studs), len(ways)))
        parts = [
            (np.array([sum(ohm for ohm, doubt in edge.parts if doubt == kind) for edge in self.edges]), kind)
            for kind in (None, *DOUBTS)
        ]
        for column, factors in enumerate(ways):
            ohm = sum(
                (figures * (1.0 if kind is None or factors is None else factors[kind]) for figures, kind in parts),
                np.zeros(len(self.edges)),
            )
            x[self.kept, column] = self._solved(ohm, push)[:, 0]
        for row, neighbour, _ in reversed(self.pruned):
            x[row] = x[neighbour]
        return x

    def put_in(self, devices: list[Drawn]) -> Floats:
        """What each device puts into the studs for one amp of its own, (studs, devices); a source's sign is turned."""
        matrix = np.zeros((len(self.network.studs), len(devices)))
        for column, one in enumerate(devices):
            unit = 1.0 if one.takes else -1.0
            for stud, amps in injection(one).items():
                matrix[self.network.at[stud], column] += unit * amps
        return matrix
