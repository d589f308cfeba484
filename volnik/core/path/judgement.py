"""All that is found in a drawing, gravest first."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.findings import Finding, by_weight
from volnik.core.path.analysis import WiringAnalysis, analyse_with
from volnik.core.path.edits import Drawing, apply
from volnik.core.path.findings import bank, battery, cables, counted, fuses, leads, protection, safety, shunt
from volnik.core.path.sizing import LINK_LENGTH_M, choices, choose_shunt, link_cable
from volnik.core.path.work import difference
from volnik.core.rig.wiring import Cable, Wiring
from volnik.core.shelf.fuses import thin_fuse
from volnik.core.shelf.parts import Catalogue

CHECKS = (counted, shunt, cables, protection, fuses, leads, bank, battery, safety)
MOST_MENDS = 40  # one remedy may bring up the next; two that undo each other must end


def judge(analysis: WiringAnalysis) -> list[Finding]:
    """Every finding of a drawing (docs/findings.md, path), gravest first.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if analysis.judged is None:
        analysis.judged = by_weight([finding for module in CHECKS for finding in module.check(analysis)])
    return analysis.judged


def mending(finding: Finding, analysis: WiringAnalysis, catalogue: Catalogue) -> list[dict[str, object]]:
    """The changes that mend a finding, as `apply` takes them; empty where a mend is not mechanical.

    Mends that need the Shelf are worked out here: which shunt, which link.

    Args:
        analysis: the drawing, solved and judged as one.
        catalogue: the Shelf proposals are taken from.
    """
    remedy = finding.remedy
    if "ops" in remedy:
        return list(remedy["ops"])
    if remedy.get("fit_shunt") or remedy.get("size_shunt"):
        part = choose_shunt(analysis, catalogue)
        part = part or (
            max(catalogue.shunts, key=lambda shunt: shunt.amps)
            if remedy.get("fit_shunt") and catalogue.shunts
            else None
        )
        return [] if part is None else [{"op": "set_shunt", "shunt": part.fitted().model_dump()}]
    if remedy.get("size_link"):
        return use_choice("link", analysis, catalogue)
    return []


def _use_shunt(key: str, catalogue: Catalogue) -> list[dict[str, object]]:
    part = next((shunt for shunt in catalogue.shunts if shunt.key == key), None)
    return [] if part is None else [{"op": "set_shunt", "shunt": part.fitted().model_dump()}]


def use_choice(
    what: str, analysis: WiringAnalysis, catalogue: Catalogue, *, awg: bool = False
) -> list[dict[str, object]]:
    """The changes that put a proposal of the sizing into the drawing; empty where there is nothing to put in.

    Args:
        what: of the proposal.
        analysis: the drawing.
        catalogue: the Shelf proposals are taken from.
        awg: whether cables are proposed by American sizes.

    Raises:
        KeyError: for a proposal that does not exist.
    """
    link = link_cable(analysis)
    awg = awg or (link is not None and link.size.endswith("AWG"))
    choice = {choice.what: choice for choice in choices(analysis, catalogue, awg=awg)}[what]
    if what == "shunt":
        return _use_shunt(choice.key, catalogue)
    if what == "sense_fuse":
        lead = analysis.supply_lead
        fuse = thin_fuse(analysis.nominal_v)
        return [] if lead is None else [{"op": "set_fuse", "cable": lead.id, "fuse": fuse}]
    if link is None or not choice.key:
        return []
    return _use_on_link(link, what, choice.key)


def _use_on_link(link: Cable, what: str, key: str) -> list[dict[str, object]]:
    """The change that gives the link the size or the lugs proposed; none where the lugs are not known."""
    size, lugs = key, ["", ""]
    if what == "lugs":
        size, lugs = link.size, [name.replace("_", " ") for name in key.split(" ")]
    if "?" in lugs:
        return []
    return [
        {
            "op": "set_cable",
            "cable": link.id,
            "length_m": link.length_m or LINK_LENGTH_M,
            "size": size,
            "lug_a": lugs[0],
            "lug_b": lugs[1],
            "engine_space": link.engine_space,
        }
    ]


@dataclass(frozen=True, slots=True)
class Mend:
    """One mend of several that follow each other.

    Attributes:
        finding: what it mends.
        changes: as `apply` takes them.
        work: what it alters, before and after, a sentence each.
    """

    finding: Finding
    changes: list[dict[str, object]]
    work: tuple[str, ...]


def mends(
    analysis: WiringAnalysis, drawing: Drawing, catalogue: Catalogue
) -> tuple[list[Mend], WiringAnalysis]:
    """Every mechanical mend of a stop or fix, gravest first, each judged anew; and the drawing after them.

    Args:
        analysis: the drawing, solved and judged as one.
        drawing: the same, to be changed.
        catalogue: the Shelf proposals are taken from.
    """
    here, found = analysis, list[Mend]()
    tried: set[str] = set()
    while len(found) < MOST_MENDS:
        step = _next_mend(here, drawing, catalogue, tried)
        if step is None:
            break
        mend, here = step
        found.append(mend)
    return found, here


def _next_mend(
    here: WiringAnalysis, drawing: Drawing, catalogue: Catalogue, tried: set[str]
) -> tuple[Mend, WiringAnalysis] | None:
    for finding in judge(here):
        ops = mending(finding, here, catalogue) if finding.level != "advise" else []
        mark = f"{finding.id} {finding.at} {ops}"
        if not ops or mark in tried:
            continue
        tried.add(mark)
        wiring = apply(Drawing(drawing.bank, drawing.devices, drawing.presets, here.wiring), ops)
        after = analyse_with(here, wiring)
        work = tuple(task.sentence for task in difference(here, after))
        return Mend(finding, ops, work), after
    return None


def mend_all(analysis: WiringAnalysis, drawing: Drawing, catalogue: Catalogue) -> tuple[Wiring, int]:
    """The drawing after every mechanical mend of a stop or fix, and how many were made.

    Args:
        analysis: the drawing, solved and judged as one.
        drawing: the same, to be changed.
        catalogue: the Shelf proposals are taken from.
    """
    made, after = mends(analysis, drawing, catalogue)
    return after.wiring, len(made)
