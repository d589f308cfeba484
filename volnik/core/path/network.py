"""The network solved: what share of each device's current crosses the shunt, and what every conductor
carries.

Nodes are studs; edges are cables with their joints, the shunt, isolators and every battery as its internal
resistance (its EMF at zero: superposition). A device is a current from its positive to its negative landing.
With conductances on the edges this is a weighted Laplacian, L x = b; one node of each connected part is held
at zero for reference only.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import (
    Iterable,
    Set,
)
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from volnik.core.path.reduction import Core, Doubt, Floats, Rows
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import Stud, block_names
from volnik.core.rig.wiring import Cable, Wiring
from volnik.core.shelf.assumed import (
    BLOCK_OHM_100AH,
    CABLE_M,
    CABLE_MM2,
    CHASSIS_OHM,
    HULL_OHM,
    ISOLATOR_OHM,
    JOINT_OHM,
    LINK_M,
    STARTER_AH,
    block_ohm,
)
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.conductors import copper_ohm

BOLTED = ("joint", "ground")
SLIGHT = 1e-3  # of a joint's resistance that is left where joints are taken away
ASIDE = 1e6  # times its resistance, by which a battery takes next to nothing of what charges


@dataclass(frozen=True, slots=True)
class Edge:
    """One conductor between two studs, of several parts in series.

    Attributes:
        id: cable id, "shunt", "iso:<id>", "block:<name>" or "battery:<id>".
        a, b: studs; current is counted positive from a to b.
        parts: (ohm, doubt); a doubt names the class of assumed resistances it belongs to, None is known.
        is_battery: whether it is the inside of a block or of another battery.
    """

    id: str
    a: str
    b: str
    parts: tuple[tuple[float, Doubt | None], ...]
    is_battery: bool = False

    def ohm(self, factors: dict[Doubt, float] | None = None) -> float:
        """Resistance, with the doubtful parts multiplied by their class's factor [ohm].

        Args:
            factors: on each class of assumed resistance, or None.
        """
        return math.fsum(
            ohm * (1.0 if uncertainty is None or factors is None else factors[uncertainty])
            for ohm, uncertainty in self.parts
        )


@dataclass
class Network:
    """The studs and conductors of one drawing, ready to be solved.

    Attributes:
        studs, edges: nodes and conductors.
        batteries: (plus, minus, ohm) of each block and other battery.
        missing_reason: why devices looked into have no way round.
    """

    studs: dict[str, Stud]
    edges: list[Edge]
    batteries: dict[str, tuple[str, str, float]]
    missing_reason: dict[str, str] = field(default_factory=dict)

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
    """The number of the connected part each name is in.

    Args:
        names: of the nodes.
        pairs: joined nodes.
    """
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


def cable_edge(cable: Cable, studs: dict[str, Stud], hulls: Set[str]) -> Edge:
    """A cable with a bolted joint at each end, and half of what the ground resists where it lands on one.

    Args:
        studs: of the drawing by id.
        hulls: studs on a metal hull or chassis.
    """
    between_blocks = studs[cable.a].place == studs[cable.b].place == "block"
    assumed: Doubt | None = "cable" if cable.length_m is None or cable.mm2 is None else None
    length = cable.length_m if cable.length_m is not None else LINK_M if between_blocks else CABLE_M
    mm2 = cable.mm2 if cable.mm2 is not None else 35.0 if between_blocks else CABLE_MM2
    parts: list[tuple[float, Doubt | None]] = [
        (copper_ohm(length, mm2) / cable.parallel, assumed),
        (2.0 * JOINT_OHM, "joint"),
    ]
    for end in (cable.a, cable.b):
        if studs[end].place == "ground":
            parts.append((0.5 * (HULL_OHM if end in hulls else CHASSIS_OHM), "ground"))
    return Edge(cable.id, cable.a, cable.b, tuple(parts))


def build(
    bank: Bank,
    chemistry: Chemistry,
    devices: list[ResolvedDevice],
    wiring: Wiring,
    studs: dict[str, Stud],
    *,
    stated_ohm: float | None = None,
    closed: bool = False,
) -> Network:
    """The network of a drawing.

    Args:
        bank, chemistry, devices, wiring: as drawn.
        studs: every stud by id.
        stated_ohm: internal resistance of a block as its maker states it [Ω]; None assumes one from its Ah.
        closed: with the engine running: split-charge relays joined. What charges then is looked at as far as
            it goes to the bank, so other batteries take next to nothing.

    Raises:
        KeyError: when a cable ends on a stud that is not there; `fitted` drawings have none such.
    """
    hulls = {bar.id for bar in wiring.bars if bar.kind == "hull"}
    edges = [cable_edge(cable, studs, hulls) for cable in wiring.cables]
    if wiring.shunt is not None:
        edges.append(Edge("shunt", "shunt.rig", "shunt.bank", ((wiring.shunt.ohm, None),)))
    edges += [
        Edge(f"iso:{isolator.id}", f"{isolator.id}.a", f"{isolator.id}.b", ((ISOLATOR_OHM, "joint"),))
        for isolator in wiring.isolators
    ]
    batteries: dict[str, tuple[str, str, float]] = {}
    for name, ohm in _block_ohms(bank, chemistry, stated_ohm).items():
        kind: Doubt | None = "block" if stated_ohm is None else None
        edges.append(Edge(f"block:{name}", f"{name}.minus", f"{name}.plus", ((ohm, kind),), is_battery=True))
        batteries[name] = (f"{name}.plus", f"{name}.minus", ohm)
    # Another battery is a way for current too: through it a negative may be counted twice or not at all.
    for device in devices:
        if device.preset.is_battery:
            ends = (f"{device.id}.minus", f"{device.id}.plus")
            ohm = _other_ohm(device) * (ASIDE if closed else 1.0)
            edges.append(Edge(f"battery:{device.id}", *ends, ((ohm, "block"),), is_battery=True))
            batteries[device.id] = (ends[1], ends[0], ohm)
        elif closed and device.preset.closes_with_engine:
            edges.append(
                Edge(
                    f"relay:{device.id}", f"{device.id}.far", f"{device.id}.plus", ((ISOLATOR_OHM, "joint"),)
                )
            )
    return Network(studs, edges, batteries)


def _other_ohm(device: ResolvedDevice) -> float:
    """Internal resistance of another battery, by its volts and Ah as far as they are known [ohm]."""
    stated = device.device
    chemistry = stated.chemistry if stated.chemistry in BLOCK_OHM_100AH else "flooded"
    twelves = (stated.nominal_v or 12.0) / 12.0
    return twelves * block_ohm(chemistry, 6, 6, stated.capacity_ah or STARTER_AH)


def _block_ohms(bank: Bank, chemistry: Chemistry, stated_ohm: float | None) -> dict[str, float]:
    """Internal resistance of every block by its name: as stated, or by the Ah of its string [ohm]."""
    block_ah = bank.block_reading(chemistry).capacity_ah
    found: dict[str, float] = {}
    for string, row in enumerate(block_names(bank)):
        ah = bank.string_ah[string] if bank.string_ah else block_ah
        ohm = stated_ohm
        if ohm is None:
            ohm = block_ohm(bank.chemistry, bank.block_cells, chemistry.cells_12v, ah)
        found |= dict.fromkeys(row, ohm)
    return found


def solve(network: Network, currents: dict[str, float]) -> Flow:
    """Potentials and currents under currents put into studs (they sum to zero within each connected part).

    Args:
        currents: amps put into a stud from outside, positive in [A].
        network: of the drawing.

    Raises:
        ValueError: when the currents of a connected part do not sum to zero: they would have nowhere to go.
    """
    x = potentials(network, currents)
    lost = x[network.a] - x[network.b]
    amps = lost / network.ohm
    ids = [edge.id for edge in network.edges]
    return Flow(
        dict(zip(network.studs, x.tolist(), strict=True)),
        dict(zip(ids, amps.tolist(), strict=True)),
        dict(zip(ids, lost.tolist(), strict=True)),
        dict(zip(ids, (lost * amps).tolist(), strict=True)),
    )


def potentials(network: Network, currents: dict[str, float]) -> Floats:
    """Potentials of the studs, in their order, under currents put in [V]; raises as `solve`.

    Args:
        network: of the drawing.
    """
    sums: dict[int, float] = defaultdict(float)
    put_in = np.zeros((len(network.studs), 1))
    for stud, amps in currents.items():
        sums[network.parts[stud]] += amps
        put_in[network.at[stud], 0] += amps
    if any(abs(total) > 1e-9 * (1.0 + max(map(abs, currents.values()))) for total in sums.values()):
        raise ValueError("the currents of a connected part must sum to zero")
    return network.core.potentials(put_in)[:, 0]


def without_joints(network: Network) -> Network:
    """The network as if its joints, and the chassis, resisted next to nothing.

    Args:
        network: of the drawing.
    """
    edges = []
    for edge in network.edges:
        parts = tuple((ohm * (SLIGHT if doubt in BOLTED else 1.0), doubt) for ohm, doubt in edge.parts)
        edges.append(replace(edge, parts=parts))
    return Network(network.studs, edges, network.batteries)
