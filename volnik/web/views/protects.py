"""What protects a conductor, in words: what can flow in at each end, what bounds it, and the margin."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import protection_of
from volnik.core.path.protection.why import Bound, Why, why
from volnik.web.page import number


@dataclass(frozen=True, slots=True)
class Protected:
    """One end of a conductor: where, how much can flow for good, the sum that leads there; short by.

    `level` is "stop" where nothing opens or it carries less, else "".
    """

    where: str
    flows: str
    terms: str
    margin: str
    level: str


def protects(analysis: WiringAnalysis, cable_id: str) -> list[Protected]:
    """What protects a cable, end by end; an end into which nothing can flow is left out.

    Args:
        analysis: the drawing.
        cable_id: of the cable.
    """
    found = [one for one in why(protection_of(analysis), cable_id) if one.amps > 0.0]
    return [_protected(analysis, one) for one in found]


def _protected(analysis: WiringAnalysis, one: Why) -> Protected:
    stud = analysis.studs[one.stud]
    comes_back = stud.pole == "minus"
    terms = _joined([_term(analysis, bound, comes_back=comes_back) for bound in one.bounds])
    if one.amps >= ENDLESS:
        return Protected(stud.name, "whatever the batteries give", terms, "nothing opens", "stop")
    level = "stop" if one.margin_a is not None and one.margin_a < -1e-6 else ""
    return Protected(stud.name, f"{number(one.amps, 0)} A", terms, _margin(one.margin_a), level)


def _margin(margin_a: float | None) -> str:
    if margin_a is None:
        return "what it carries is not known"
    if margin_a < -1e-6:
        return f"{number(-margin_a, 0)} A more than it carries"
    return f"{number(margin_a, 0)} A below what it carries"


def _term(analysis: WiringAnalysis, bound: Bound, *, comes_back: bool) -> str:
    amps = "" if bound.amps >= ENDLESS else f" {number(bound.amps, 0)} A"
    device = analysis.device(bound.id)
    name = device.name if device is not None else _name(analysis, bound.id)
    if comes_back:
        return f"{name}{amps}"
    words = {"own_fuse": "its own fuse", "battery": f"{name}, unbounded", "ring": "a ring of several ways"}
    if bound.kind == "fuse":
        return f"fuse of the {name}{amps}"
    return words.get(bound.kind, name) + amps


def _name(analysis: WiringAnalysis, name: str) -> str:
    cable = analysis.wiring.cable(name)
    if cable is not None:
        return analysis.cable_name(cable)
    return "bank" if name.partition(":")[0] in ("string", "tap") else name


def _joined(terms: list[str]) -> str:
    return " + ".join(dict.fromkeys(terms))
