"""Sizes for what a plan adds: a new cable is bought, so its size is chosen; one that is there is read."""

from __future__ import annotations

from dataclasses import replace

from volnik.core.path.analysis import WiringAnalysis, analyse_with
from volnik.core.path.edits import Drawing, apply
from volnik.core.path.findings.mends import MOST_OF_AMPACITY, factor_of
from volnik.core.path.judgement import use_choice
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import protection_of
from volnik.core.path.sizing import LINK_DROP, LINK_LENGTH_M, choose_cable
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.parts import Catalogue


def size_new_cables(
    found: WiringAnalysis,
    planned: WiringAnalysis,
    drawing: Drawing,
    catalogue: Catalogue,
    *,
    awg: bool = False,
) -> WiringAnalysis:
    """The plan with a size for every cable that it adds and that belongs to no device.

    Args:
        found: what is there, solved.
        planned: the plan, solved.
        drawing: of either, to be changed.
        catalogue: the Shelf the sizes are taken from.
        awg: whether by American sizes.
    """
    here = planned
    for cable in planned.wiring.cables:
        if found.wiring.cable(cable.id) is not None or not _wants_size(planned, cable):
            continue
        if planned.is_shunt_link(cable):
            ops = use_choice("link", here, catalogue, awg=awg)
        else:
            ops = _sized(here, cable, catalogue, awg=awg)
        if ops:
            wiring = apply(replace(drawing, wiring=here.wiring), ops)
            here = analyse_with(here, wiring)
    return here


def _wants_size(planned: WiringAnalysis, cable: Cable) -> bool:
    """Whether a cable has no size yet and is none of a device's own, a thin lead or a link of the bank."""
    is_own = planned.owner_of(cable) is not None or planned.is_thin(cable) or planned.is_link(cable)
    return not cable.size and not is_own


def _sized(
    analysis: WiringAnalysis, cable: Cable, catalogue: Catalogue, *, awg: bool
) -> list[dict[str, object]]:
    """The change that gives a cable a size for what it carries and what its fuses let pass."""
    load_a = analysis.heating_a(cable)
    length_m = cable.length_m or LINK_LENGTH_M
    need = max(_let_pass_a(analysis, cable), load_a / MOST_OF_AMPACITY)
    most_v = LINK_DROP * analysis.nominal_v * max(1.0, need / max(load_a, 1.0))
    part = choose_cable(need / factor_of(analysis, cable), length_m, most_v, catalogue, awg=awg)
    if part is None:
        return []
    return [
        {
            "op": "set_cable",
            "cable": cable.id,
            "length_m": length_m,
            "size": part.size,
            "lug_a": cable.lug_a,
            "lug_b": cable.lug_b,
            "engine_space": cable.engine_space,
        }
    ]


def _let_pass_a(analysis: WiringAnalysis, cable: Cable) -> float:
    """What can flow in a cable for good before a fuse opens [A]; 0 where nothing bounds it yet."""
    protection = protection_of(analysis)
    judged = next(
        (one for one in (*protection.positives, *protection.negatives) if cable in one.conductor.cables), None
    )
    return 0.0 if judged is None or judged.flow_a >= ENDLESS else judged.flow_a
