"""Mends of cables and fuses: a fuse that suits load and copper, or copper that suits the fuse."""

from __future__ import annotations

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sizing import choose_cable
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.fuses import MARGIN, SIZES_A


def fuse_op(cable: Cable, amps: float, **more: object) -> dict[str, object]:
    """The change that gives a cable a fuse of so many amps; what else is known of it stays.

    Args:
        cable: to be fused.
        amps: of the fuse [A].
    """
    known = {} if cable.fuse is None else cable.fuse.model_dump()
    return {"op": "set_fuse", "cable": cable.id, "fuse": {**known, "amps": amps, **more}}


def fitting_fuse(load_a: float, carries_a: float | None) -> float | None:
    """The smallest usual fuse of at least 1.25 x the load that the cable can stand [A], or None.

    Args:
        load_a: what it must carry [A].
        carries_a: what the cable can stand, None where its size is not known [A].
    """
    for amps in SIZES_A:
        if amps >= MARGIN * load_a * 0.9999 and (carries_a is None or amps <= carries_a * 1.0001):
            return amps
    return None


def factor_of(analysis: WiringAnalysis, cable: Cable) -> float:
    """What part of the table's amps a cable carries where it lies.

    Args:
        analysis: the drawing.
        cable: of it.
    """
    around = analysis.surroundings(cable)
    return cable.parallel * max(0.01, around.factor(metric=not cable.size.endswith("AWG")))


def sized_op(analysis: WiringAnalysis, cable: Cable, amps: float) -> dict[str, object]:
    """The change that makes a cable stand so many amps; none where the Shelf has no such cable.

    Args:
        analysis: the drawing.
        cable: of it.
        amps: it must carry [A].
    """
    awg = cable.size.endswith("AWG")
    need = amps / factor_of(analysis, cable)
    part = choose_cable(need, cable.length_m or 1.0, 99.0, analysis.catalogue, awg=awg)
    if part is None:
        return {}
    sized = {
        "op": "set_cable",
        "cable": cable.id,
        "length_m": cable.length_m,
        "size": part.size,
        "lug_a": "",
        "lug_b": "",
        "engine_space": cable.engine_space,
    }
    return {"ops": [sized]}


def guard_remedy(
    analysis: WiringAnalysis, cable: Cable, proper_a: float, *, main: bool = False
) -> dict[str, object]:
    """A fuse that suits load and cable, or else a thicker cable with the fuse it needs.

    Args:
        analysis: the drawing.
        cable: to be guarded.
        proper_a: the fuse it ought to have, as far as its copper allows [A].
        main: whether it is the main fuse.
    """
    load, carries = analysis.worst_a(cable), analysis.may_carry(cable).amps
    place: dict[str, object] = {"from_post_mm": 150} if main and cable.fuse is None else {}
    amps = _down_to_size(proper_a)
    if amps is not None and amps >= MARGIN * load * 0.9999:
        return {"ops": [fuse_op(cable, amps, **place)]}
    wanted = fitting_fuse(load, carries) or fitting_fuse(load, None)
    if wanted is None:
        return {}
    ops = [] if carries is not None and wanted <= carries else sized_op(analysis, cable, wanted).get("ops")
    return {"ops": [*ops, fuse_op(cable, wanted, **place)]} if isinstance(ops, list) else {}


def _down_to_size(amps: float) -> float | None:
    """The largest usual fuse of at most so many amps [A]."""
    return max((size for size in SIZES_A if size <= amps * 1.0001), default=None)
