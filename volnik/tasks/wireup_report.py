"""Wire-up's steps of a rig document, for the terminal: from what was found to what is planned."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from volnik.core.document import DocumentRefused
from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.wireup.plan import steps_for
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import Step, ordered
from volnik.tasks.path_report import open_document


@dataclass(frozen=True, slots=True)
class WireUpReport:
    """The steps as JSON would have them, and how many stops stand against the plan."""

    answer: dict[str, Any]
    stops: int


def report_document(path: Path, school: str = "") -> WireUpReport:
    """The steps that turn what was found into what is planned.

    Args:
        path: of the rig document.
        school: of the last joints, a key; "" for the first.

    Raises:
        InvalidInput: when the file cannot be read, or lacks the bank or a plan.
    """
    document, bank = open_document(path)
    planned = document.wiring.planned
    if planned is None:
        raise DocumentRefused({"wiring.planned": "The plan is missing; steps are made from it."})
    _check_school(school)
    devices = document.devices or ()

    def solved(wiring: Wiring) -> WiringAnalysis:
        drawn = fitted(wiring, bank, devices, PRESETS, like=document.wiring.found)
        chemistry = CHEMISTRIES[bank.chemistry]
        return analyse(bank, chemistry, devices, drawn, monitor=document.monitor, presets=PRESETS)

    plan, stands = solved(planned), solved(document.wiring.found or Wiring())
    silhouette = document.rig.silhouette if document.rig is not None else "van"
    steps = steps_for(stands, plan, silhouette=silhouette, school=school or CLOSING[0].key)
    stops = [finding for finding in judge(plan) if finding.level == "stop"]
    return WireUpReport(
        {
            "steps": [_plain(step, plan) for step in ordered(steps)],
            "stops": [{"id": one.id, "message": one.message, "at": one.at} for one in stops],
        },
        len(stops),
    )


def _check_school(school: str) -> None:
    keys = [one.key for one in CLOSING]
    if school and school not in keys:
        raise DocumentRefused(
            {"school": f"“{school}” is no order of the last joints; one of {', '.join(keys)}."}
        )


def _plain(step: Step, plan: WiringAnalysis) -> dict[str, Any]:
    cable = plan.wiring.cable(step.about)
    of = {verb: [act.of for act in step.acts if act.verb == verb] for verb in ("out", "in", "lift", "land")}
    ends = [cable.a, cable.b] if cable is not None else []
    return {
        "id": step.key,
        "phase": step.phase,
        "what": step.title,
        "how": list(step.lines),
        "where": {
            "studs": [*ends, *(name for name in of["lift"])],
            "cables": [*([cable.id] if cable is not None else []), *of["land"]],
            "fuses": [*of["out"], *of["in"]],
        },
        "torque_nm": step.torque_nm,
        "lugs": [cable.lug_a, cable.lug_b] if cable is not None else [],
        "asks": step.asked or None,
        "must": step.must,
        "cautions": list(step.cautions),
        "why": step.why,
    }


def report_lines(report: WireUpReport) -> list[str]:
    """The steps as lines: phase, number, what, and how beneath."""
    lines: list[str] = []
    phase = ""
    for number, step in enumerate(report.answer["steps"], 1):
        if step["phase"] != phase:
            phase = step["phase"]
            lines += ["", phase.upper()]
        lines.append(f"{number:3d}  {step['what']}  [{step['id']}]")
        lines += [f"       {line}" for line in step["how"]]
        lines += [f"     ! {line}" for line in step["cautions"]]
    if not report.answer["steps"]:
        lines.append("Nothing is left to wire: what was found is as planned.")
    lines += [f"stop  {one['id']}  {one['message']}" for one in report.answer["stops"]]
    return [line for at, line in enumerate(lines) if line or at]
