"""Why so much can flow into a conductor: the fuses and sources that bound it, and the sum."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from volnik.core.path.protection.flow import ENDLESS, Arc, Arriving
from volnik.core.path.protection.rule import Judged, Protection

BoundKind = Literal["own_fuse", "fuse", "battery", "charger", "ring"]


@dataclass(frozen=True, slots=True)
class Bound:
    """One term of the sum.

    Attributes:
        kind: own_fuse, the conductor's own; fuse, another one's; battery, nothing bounds it; charger, it
            gives no more by itself; ring, a ring of conductors with several fuses.
        id: of the conductor or source, "" for a ring.
        amps: it lets flow [A].
    """

    kind: BoundKind
    id: str
    amps: float


@dataclass(frozen=True, slots=True)
class Why:
    """What bounds the flow into one end of a conductor.

    Attributes:
        stud: the end.
        amps: what flows in before something opens [A].
        bounds: terms that sum to what stands ready there, or its own fuse alone where that is less.
        margin_a: what the conductor carries less what flows [A]; None where one of them is not known.
    """

    stud: str
    amps: float
    bounds: tuple[Bound, ...]
    margin_a: float | None


def why(protection: Protection, conductor_id: str) -> tuple[Why, ...]:
    """What protects a conductor, end by end; empty for one that is not there.

    Args:
        protection: of the drawing.
        conductor_id: of a cable, or of its twins' first.
    """
    for judged in protection.positives:
        if _is(judged, conductor_id):
            return _positive(protection, judged)
    for judged in protection.negatives:
        if _is(judged, conductor_id):
            return _negative(protection, judged)
    return ()


def _is(judged: Judged, name: str) -> bool:
    return judged.conductor.id == name or any(cable.id == name for cable in judged.conductor.cables)


def _positive(protection: Protection, judged: Judged) -> tuple[Why, ...]:
    arc = next(arc for arc in protection.circuit.positive.arcs if arc.id == judged.conductor.id)
    found = []
    for end in judged.ends:
        bounds = _bounds(protection, end.stud, arc)
        if end.fuse_a <= sum(bound.amps for bound in bounds):
            bounds = (Bound("own_fuse", judged.conductor.id, end.fuse_a),)
        found.append(Why(end.stud, end.from_all_a, bounds, _margin(judged, end.from_all_a)))
    return tuple(found)


def _margin(judged: Judged, amps: float) -> float | None:
    carries = judged.conductor.carries_a
    return None if carries is None or amps >= ENDLESS else carries - amps


def _bounds(protection: Protection, stud: str, without: Arc) -> tuple[Bound, ...]:
    """What stands ready at a stud once an arc is taken away, term by term."""
    net, arriving = protection.circuit.positive, protection.arriving[1]
    beside = [arc for arc in net.at[stud] if arc is not without]
    if any(arc in net.ring for arc in beside):
        amps = arriving.without(without)[0 if stud == without.a else 1]
        return (Bound("ring", "", amps),) if amps > 0.0 else ()
    found = [
        Bound("battery" if source.is_battery else "charger", source.id, source.amps)
        for source in protection.circuit.sources
        if source.plus == stud
    ]
    for arc in beside:
        found += _over(protection, arriving, arc, stud)
    return tuple(found)


def _over(protection: Protection, arriving: Arriving, arc: Arc, stud: str) -> tuple[Bound, ...]:
    """What one arc brings to a stud: its fuse where that is the least, else what stands behind it."""
    far = arc.other(stud)
    behind = arriving.without(arc)[0 if far == arc.a else 1]
    if behind <= 0.0:
        return ()
    if arc.into(stud) < behind:
        return (Bound("fuse", arc.id, arc.into(stud)),)
    return _bounds(protection, far, arc)


def _negative(protection: Protection, judged: Judged) -> tuple[Why, ...]:
    """What can come back over a negative: the positives of all that may fail to it."""
    worst = judged.worst
    return (
        Why(worst.stud, worst.from_all_a, _failing(protection, judged), _margin(judged, worst.from_all_a)),
    )


def _failing(protection: Protection, judged: Judged) -> tuple[Bound, ...]:
    circuit = protection.circuit
    side = protection.failing_side(judged)
    found: dict[str, Bound] = {}
    for across in circuit.across:
        if across.minus in side:
            amps = protection.arriving[1].from_others(across.plus)
            known = found.get(across.id)
            if amps > 0.0 and (known is None or known.amps < amps):
                found[across.id] = Bound("fuse", across.id, amps)
    return tuple(found.values())
