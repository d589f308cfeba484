"""The main fuses: the first fuses met on every way from the bank outwards."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.protection.circuit import Circuit, Conductor
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import Protection, protection_of
from volnik.core.rig.wiring import Cable, Fuse


@dataclass(frozen=True, slots=True)
class PlacedFuse:
    """A fuse by the cable it is in; `id` is the cable's, with ".far" for a second one."""

    id: str
    cable: Cable
    fuse: Fuse


@dataclass(frozen=True, slots=True)
class MainCut:
    """What stands between the bank and everything.

    Attributes:
        fused: conductors with the first fuse on each way.
        open: conductors from the bank that nothing guards and that cannot stand it.
        amps: what passes all of these fuses for good [A]; ENDLESS where a way is open.
        largest_a: the largest fuse on any way out of the bank, those of strings that stand apart added [A]; 0
            where there is none.
        fuses: the fuses themselves.
    """

    fused: tuple[Conductor, ...]
    open: tuple[Conductor, ...]
    amps: float
    largest_a: float
    fuses: tuple[PlacedFuse, ...] = ()

    @property
    def cables(self) -> tuple[Cable, ...]:
        """The cables that carry the main fuses."""
        return tuple(cable for conductor in self.fused for cable in conductor.cables)


def main_cut(protection: Protection) -> MainCut:
    """The main fuses of a circuit: those that, out, leave the bank joined to nothing.

    Args:
        protection: of the drawing.
    """
    return cut_around(protection, protection.circuit.string_posts)


def cut_around(protection: Protection, posts: set[str]) -> MainCut:
    """The first fuses on every way from some posts outwards.

    Args:
        protection: of the drawing.
        posts: studs of a battery, as the circuit names them.
    """
    circuit = protection.circuit
    reached = _reached_bare(circuit, posts)
    open_ended = {judged.conductor.id for judged in protection.causes if judged.is_open_ended}
    ending = tuple(conductor for conductor in reached.bare if conductor.id in open_ended)
    # a fuse both of whose ends stand behind bare cable guards nothing against the bank
    ids = {one.id for one in reached.fused if not {one.a, one.b} <= reached.studs}
    first = tuple(conductor for conductor in circuit.of_pole("plus") if conductor.id in ids)
    amps = ENDLESS if ending else min(ENDLESS, sum(conductor.fuse_least for conductor in first))
    fuses = tuple(found for conductor in first for found in _nearest(circuit, conductor, reached.studs))
    return MainCut(first, ending, amps, _largest(posts, first, reached.bare), fuses)


@dataclass(slots=True)
class _Reached:
    """What is met from some posts outwards without passing a fuse."""

    studs: set[str]
    bare: list[Conductor]
    fused: list[Conductor]


def _reached_bare(circuit: Circuit, posts: set[str]) -> _Reached:
    at = _by_stud(circuit)
    found = _Reached(set(posts), [], [])
    waiting = sorted(posts)
    met: set[str] = set()
    for stud in waiting:  # grows as it goes
        for conductor in at[stud]:
            if conductor.id in met:
                continue
            met.add(conductor.id)
            if conductor.fuse_least < ENDLESS:
                found.fused.append(conductor)
                continue
            found.bare.append(conductor)
            onward = {conductor.a, conductor.b} - found.studs
            found.studs |= onward
            waiting += sorted(onward)
    return found


def _nearest(circuit: Circuit, conductor: Conductor, seen: set[str]) -> Iterator[PlacedFuse]:
    """Of each cable of a conductor the fuse at the end that is reached first."""
    for cable in conductor.cables:
        near = [
            fuse for fuse in cable.fuses if circuit.root[getattr(cable, circuit.end_of(cable, fuse))] in seen
        ]
        yield placed_fuse(cable, (near or list(cable.fuses))[0])


def placed_fuse(cable: Cable, fuse: Fuse) -> PlacedFuse:
    """A fuse with its id.

    Args:
        cable: it is in.
        fuse: of the cable.
    """
    return PlacedFuse(cable.id if fuse is cable.fuse else f"{cable.id}.far", cable, fuse)


def _largest(posts: set[str], fused: tuple[Conductor, ...], bare: list[Conductor]) -> float:
    ends = {stud for conductor in (*fused, *bare) for stud in (conductor.a, conductor.b)} | posts
    region = connected(ends, [(conductor.a, conductor.b) for conductor in bare])
    home = {region[post] for post in posts}
    found: dict[int, float] = defaultdict(float)
    for conductor in fused:
        for stud in (conductor.a, conductor.b):
            if region[stud] in home:
                found[region[stud]] = max(found[region[stud]], conductor.fuse_least)
    return sum(found.values())


def main_cut_of(analysis: WiringAnalysis) -> MainCut:
    """The main fuses of a drawing, looked for once.

    Args:
        analysis: the drawing.
    """
    if "main_cut" not in analysis.memo:
        analysis.memo["main_cut"] = main_cut(protection_of(analysis))
    found: MainCut = analysis.memo["main_cut"]
    return found


def _by_stud(circuit: Circuit) -> dict[str, list[Conductor]]:
    """The positive conductors that end on each stud."""
    found: dict[str, list[Conductor]] = defaultdict(list)
    for conductor in circuit.of_pole("plus"):
        found[conductor.a].append(conductor)
        found[conductor.b].append(conductor)
    return found
