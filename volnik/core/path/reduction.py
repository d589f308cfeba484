"""The network without its dead ends."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal

import numpy as np
import numpy.typing as npt
from numpy.typing import NDArray

if TYPE_CHECKING:
    from volnik.core.path.network import Edge, Network


Floats = npt.NDArray[np.float64]


Rows = npt.NDArray[np.intp]


Doubt = Literal["joint", "ground", "block", "cable"]


DOUBTS: tuple[Doubt, ...] = ("joint", "ground", "block", "cable")


def _laplacian(count: int, a: Rows, b: Rows, conductance: Floats) -> Floats:
    laplacian = np.zeros((count, count))
    np.add.at(laplacian, (a, a), conductance)
    np.add.at(laplacian, (b, b), conductance)
    np.add.at(laplacian, (a, b), -conductance)
    np.add.at(laplacian, (b, a), -conductance)
    return laplacian


def _held(parts: list[int]) -> Rows:
    """One stud of each connected part, held at zero."""
    return np.array(
        sorted({part: index for index, part in reversed(list(enumerate(parts)))}.values()), dtype=np.intp
    )


def _neighbours(network: Network) -> list[dict[int, float]]:
    """For each row of a stud its neighbours' rows, with the conductance between them [1/ohm]."""
    near: list[dict[int, float]] = [{} for _ in network.studs]
    conductance = (1.0 / network.ohm).tolist()
    for a, b, g in zip(network.a.tolist(), network.b.tolist(), conductance, strict=True):
        near[a][b] = near[a].get(b, 0.0) + g
        near[b][a] = near[b].get(a, 0.0) + g
    return near


def _dead_ends(near: list[dict[int, float]], ends: set[int]) -> list[tuple[int, int, float]]:
    """Studs with one neighbour, in the order they fall: (row, neighbour's row, ohm between them).

    Args:
        near: neighbours by row; what falls is taken out of it.
        ends: rows that stay whatever they hang on.
    """
    pruned = []
    waiting = [row for row, around in enumerate(near) if len(around) == 1 and row not in ends]
    while waiting:
        row = waiting.pop()
        if len(near[row]) != 1:
            continue
        neighbour, g = near[row].popitem()
        del near[neighbour][row]
        pruned.append((row, neighbour, 1.0 / g))
        if len(near[neighbour]) == 1 and neighbour not in ends:
            waiting.append(neighbour)
    return pruned


class Core:
    """The network without its dead ends, which can be told at once.

    All that is put into one flows to its neighbour.

    Attributes:
        pruned: dead ends in the order they fall: (stud, its neighbour, ohm between them), by row.
        kept: rows of the studs left. edges: conductors between those.
    """

    def __init__(self, network: Network) -> None:
        self.network = network
        ends = {network.at[end] for end in ("shunt.bank", "shunt.rig") if end in network.at}
        self.pruned = _dead_ends(_neighbours(network), ends)
        gone = {row for row, _, _ in self.pruned}
        names = list(network.studs)
        self.kept = np.array([row for row in range(len(names)) if row not in gone], dtype=np.intp)
        self.place = {row: index for index, row in enumerate(self.kept.tolist())}
        held = _held([network.parts[names[row]] for row in self.kept])
        self.free = np.setdiff1d(np.arange(len(self.kept)), held)
        inside = np.flatnonzero(np.isin(network.a, self.kept) & np.isin(network.b, self.kept))
        self.edges = [network.edges[index] for index in inside]
        self.a, self.b = self._places(network.a[inside]), self._places(network.b[inside])

    def _places(self, rows: NDArray[np.intp]) -> NDArray[np.intp]:
        """Where rows of the network lie among those that are kept."""
        return np.array([self.place[int(row)] for row in rows], dtype=np.intp)

    def _solved(self, ohm: Floats, put_in: Floats) -> Floats:
        laplacian = _laplacian(len(self.kept), self.a, self.b, 1.0 / ohm)
        x = np.zeros(put_in.shape)
        if len(self.free):
            x[self.free] = np.linalg.solve(laplacian[np.ix_(self.free, self.free)], put_in[self.free])
        return x

    def potentials(self, put_in: Floats) -> Floats:
        """Potentials of all studs under currents put into them, a column each, (studs, columns) [A]
        to [V].

        Args:
            put_in: amps put into each stud, (studs, cases) [A].
        """
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
        """Potentials of all studs under one amp put into the rig side and taken from the bank side, a column
        for each way
        the assumed resistances may lie, (studs, ways) [V]; dead ends carry none and are as their neighbours.

        Args:
            shunt: the shunt's edge.
        """
        push = np.zeros((len(self.kept), 1))
        push[self.place[self.network.at[shunt.a]], 0], push[self.place[self.network.at[shunt.b]], 0] = (
            1.0,
            -1.0,
        )
        x = np.zeros((len(self.network.studs), len(ways)))
        parts = [
            (
                np.array(
                    [
                        sum(ohm for ohm, uncertainty in edge.parts if uncertainty == kind)
                        for edge in self.edges
                    ]
                ),
                kind,
            )
            for kind in (None, *DOUBTS)
        ]
        for column, factors in enumerate(ways):
            ohm = sum(
                (
                    figures * (1.0 if kind is None or factors is None else factors[kind])
                    for figures, kind in parts
                ),
                np.zeros(len(self.edges)),
            )
            x[self.kept, column] = self._solved(ohm, push)[:, 0]
        # Nothing flows in a dead end, so it lies at its neighbour's volts; from the inside outwards.
        for row, neighbour, _ in reversed(self.pruned):
            x[row] = x[neighbour]
        return x
