"""Mends of cables and fuses: a fuse that suits load and copper, or copper that suits the fuse."""

from __future__ import annotations

from typing import Any

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.protection.rule import protection_of
from volnik.core.path.sizing import choose_cable
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import copper_ohm
from volnik.core.shelf.fuses import MARGIN, SIZES_A, dc_volts
from volnik.core.shelf.parts import CablePart, Catalogue

POLES = ("plus", "minus")
MOST_OF_AMPACITY = 0.8  # of a proposed cable for what it carries for good; source: trade practice


def fuse_op(cable: Cable, amps: float, *, top_v: float | None = None, **more: object) -> dict[str, object]:
    """The change that gives a cable a fuse of so many amps; what else is known of it stays.

    Args:
        cable: to be fused.
        amps: of the fuse [A].
        top_v: to which its battery is charged [V]; a new fuse breaks at least that.
    """
    known: dict[str, object] = {} if cable.fuse is None else cable.fuse.model_dump()
    if top_v is not None and known.get("volts") is None:
        known["volts"] = dc_volts(top_v)
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


def sized_op(
    analysis: WiringAnalysis, cable: Cable, amps: float, *, load_a: float | None = None
) -> dict[str, object]:
    """The changes that make a circuit stand so many amps, both its conductors alike.

    None where the Shelf has no such cable. A conductor nobody read the size of stays: it may be thicker.

    Args:
        analysis: the drawing.
        cable: of it.
        amps: that can flow [A].
        load_a: what it carries for good, of which its ampacity is at least 1.25 times [A]; None as it is.
    """
    if cable.mm2 is None:
        return {}
    load = analysis.heating_a(cable) if load_a is None else load_a
    need = max(amps, load / MOST_OF_AMPACITY) / factor_of(analysis, cable)
    awg = cable.size.endswith("AWG")
    part = choose_cable(need, cable.length_m or 1.0, 99.0, analysis.catalogue, awg=awg)
    if part is None:
        return {}
    alike = [one for one in _circuit(analysis, cable) if one.mm2 is not None]
    thickest = max(alike, key=_area)
    size, mm2 = (part.size, part.mm2) if part.mm2 >= _area(thickest) else (thickest.size, _area(thickest))
    ops = [_size_op(one, size) for one in alike if _area(one) < mm2 * 0.999]
    return {"ops": ops} if ops else {}


def _area(cable: Cable) -> float:
    return cable.mm2 or 0.0


def drop_remedy(
    analysis: WiringAnalysis, device: ResolvedDevice, lost_v: float, most_v: float
) -> dict[str, object]:
    """The changes by which a device's own leads lose so little that no more is lost than allowed.

    None where what it shares with others loses too much by itself, or the Shelf has no such cable.

    Args:
        analysis: the drawing.
        device: whose leads.
        lost_v: what is lost out and back, joints apart [V].
        most_v: what may be [V].
    """
    leads = _leads(analysis, device)
    if len(leads) != len(POLES) or not device.preset.has_two_leads:
        return {}
    amps = device.running_a if device.takes else device.gives_a
    own_v = sum(amps * copper_ohm(_length(cable), _area(cable) or 1.0) for cable in leads)
    left_v = most_v - (lost_v - own_v)
    part = None
    if left_v > 0.0:
        need_mm2 = copper_ohm(sum(map(_length, leads)), 1.0) * amps / left_v
        part = _thinnest(analysis.catalogue, need_mm2, awg=leads[0].size.endswith("AWG"))
    return {} if part is None else _thickened(leads, part)


def _thickened(leads: list[Cable], part: CablePart) -> dict[str, object]:
    ops = [_size_op(cable, part.size) for cable in leads if _area(cable) < part.mm2 * 0.999]
    return {"ops": ops} if ops else {}


def _length(cable: Cable) -> float:
    return cable.length_m or 0.0


def _leads(analysis: WiringAnalysis, device: ResolvedDevice) -> list[Cable]:
    """A device's own cables."""
    studs = [StudRef.of(device.id, pole) for pole in POLES]
    return [cable for stud in studs for cable in analysis.by_stud.get(stud, []) if cable.a == stud]


def _thinnest(catalogue: Catalogue, mm2: float, *, awg: bool) -> CablePart | None:
    """The thinnest cable on the Shelf of at least so much copper [mm²]."""
    fitting = [part for part in catalogue.cables if part.size.endswith("AWG") == awg and part.mm2 >= mm2]
    return min(fitting, key=lambda part: part.mm2, default=None)


def _circuit(analysis: WiringAnalysis, cable: Cable) -> list[Cable]:
    """The conductors of a device's circuit, of both poles; a cable of no device alone."""
    device = analysis.owner_of(cable)
    if device is None or not device.preset.has_two_leads:
        return [cable]
    own = _leads(analysis, device)
    # cables side by side are one conductor: thickening one of them would part them
    return [cable, *(one for one in own if one != cable)] if len(own) == len(POLES) else [cable]


def _size_op(cable: Cable, size: str) -> dict[str, object]:
    return {
        "op": "set_cable",
        "cable": cable.id,
        "length_m": cable.length_m,
        "size": size,
        "lug_a": "",
        "lug_b": "",
        "engine_space": cable.engine_space,
    }


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
    place: dict[str, Any] = {"from_post_mm": 150} if main and cable.fuse is None else {}
    place["top_v"] = top_v(analysis, cable)
    amps = _down_to_size(proper_a)
    if amps is not None and amps >= MARGIN * load * 0.9999:
        return {"ops": [fuse_op(cable, amps, **place)]}
    wanted = fitting_fuse(load, carries) or fitting_fuse(load, None)
    if wanted is None:
        return {}
    if carries is not None and wanted <= carries:
        return {"ops": [fuse_op(cable, wanted, **place)]}
    ops = sized_op(analysis, cable, wanted).get("ops")
    return {"ops": [*ops, fuse_op(cable, wanted, **place)]} if isinstance(ops, list) else {}


def top_v(analysis: WiringAnalysis, cable: Cable) -> float | None:
    """The highest volts of a positive's own battery [V]; None where none is joined.

    Args:
        analysis: the drawing.
        cable: of it.
    """
    volts = protection_of(analysis).circuit.volts
    found = [volts[stud].top_v for stud in (cable.a, cable.b) if stud in volts]
    return max(found, default=None)


def _down_to_size(amps: float) -> float | None:
    """The largest usual fuse of at most so many amps [A]."""
    return max((size for size in SIZES_A if size <= amps * 1.0001), default=None)
