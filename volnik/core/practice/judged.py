"""The same cases judge Volnik: what its check-up, its questions, its roll call and Path make of one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from volnik.core.path.judgement import judge
from volnik.core.practice.asked import NAMED, came_to, complaint_of
from volnik.core.practice.cases import Case
from volnik.core.practice.faults import faults, pages_of
from volnik.core.practice.log import DAYS, log_of
from volnik.core.prove.rollcall import called, common_scale, expected_of, judge_step
from volnik.core.watch.checkup.registry import checkup, names
from volnik.core.watch.checkup.rig_facts import plan_of

Word = Literal["right", "beside", "nothing", "wrong", "not asked"]
NOISE_A = 0.03  # of a screen
OFF = 0.3  # of what it moves, from which a device is to be accused by the roll call
ACCUSES = ("not counted", "partly", "reversed", "more than listed")
WIRED = (
    "load_bypass",
    "charger_bypass",
    "bond",
    "partial_return",
    "second_negative",
    "added_later",
    "imbalance",
)
"""Causes that a drawing of what is there would show."""


@dataclass(frozen=True, slots=True)
class Said:
    """What one part of Volnik says of a case.

    Attributes:
        verdict: right where it names what is wrong, or accuses nothing in a sound rig; beside where it names
            what shows alike; nothing where it accuses none; wrong where it accuses another; not asked where
            such a case is none of its business.
        named: what it names, "" for nothing.
        sentence: of it, "" where it has none.
    """

    verdict: Word
    named: str = ""
    sentence: str = ""


def said_of(case: Case) -> Said:
    """What the check-up says of a case's log.

    Args:
        case: as drawn.
    """
    log = log_of(case.bay, since_days=case.since_days, seed=case.seed)
    since = log.readings.time_s >= log.begun_s if case.since_days < DAYS else log.readings.time_s > 0.0
    part = log.readings.where(since)
    if len(part) < 2:
        return Said("nothing", "", "There is no log: the monitor was dark.")
    papers = case.bay.sound.analysis
    plan = plan_of(papers.bank, papers.chemistry, papers.devices)
    causes = checkup(part, numbers=log.numbers, plan=plan).causes
    named = causes[0].cause if causes else ""
    verdict = _by_pages(case, named)
    return Said(verdict, named, _sentence(case, named, verdict))


def _by_pages(case: Case, named: str) -> Word:
    true = [wrong.cause for wrong in case.wrongs]
    if not named:
        return "right" if true == ["sound"] else "nothing"
    if set(pages_of(named)) & set(true):
        return "right"
    confused = {other for cause in true for other in faults()[cause].confused}
    return "beside" if set(pages_of(named)) & confused and true != ["sound"] else "wrong"


def _sentence(case: Case, named: str, verdict: Word) -> str:
    if not named:
        if case.truth == "sound:":
            return "Volnik's check-up of this log accuses nothing, rightly."
        return "Volnik's check-up of this log accuses nothing: it cannot tell this from a log alone."
    name = names()[named].lower()
    if verdict == "right":
        return f"Volnik's check-up of this log names it: {name}."
    if verdict == "beside":
        return f"Volnik's check-up of this log names what looks alike: {name}."
    return f"Volnik is wrong here too: its check-up of this log names {name}."


def by_questions(case: Case) -> Said:
    """What the questions come to, each answered by what is there.

    Args:
        case: with one thing wrong; of two things no complaint is one.
    """
    (wrong, *more) = case.wrongs
    complaint = complaint_of(wrong.cause, wrong.size)
    if more or not complaint:
        return Said("not asked")
    named, sure = came_to(case.bay, complaint)
    if named in NAMED[wrong.cause]:
        return Said("right", named)
    return Said("wrong" if sure and named not in ("", "other") else "nothing", named)


def by_roll_call(case: Case) -> Said:
    """What the roll call accuses, each device called by the papers.

    Args:
        case: as drawn.
    """
    bay, papers = case.bay, case.bay.sound.analysis
    if bay.faults.dead or bay.hidden.restarts == "load":
        return Said("not asked")
    rest, volts = bay.shown_a(""), papers.bank.nominal_v(papers.chemistry)
    accused, off, ratios = set(), set(), {}
    for device in called(papers):
        takes = device.takes and not device.gives
        expected = expected_of(device, volts) if takes else (device.gives_a,)
        moved = bay.shown_a(device.id) - rest
        step = judge_step(device, expected_a=expected, seen_a=moved, noise_a=NOISE_A, drawing=papers)
        ratios[device.id] = step.ratio
        if step.word in ACCUSES:
            accused.add(device.id)
        if abs(moved / (-device.running_a if takes else device.gives_a) - 1.0) > OFF:
            off.add(device.id)
    scale = common_scale(ratios)
    named = "scale" if scale is not None else ", ".join(sorted(accused))
    if not off and not accused:
        return Said("right" if case.truth == "sound:" else "not asked")
    return Said("wrong" if accused - off else "right" if off <= accused else "nothing", named)


def by_path(case: Case) -> Said:
    """Whether Path stops at what is wrong, were it drawn as it is.

    Args:
        case: as drawn.
    """
    if not any(wrong.cause in WIRED for wrong in case.wrongs):
        return Said("not asked")
    before = {(finding.id, finding.about) for finding in judge(case.bay.sound.analysis)}
    new = [finding for finding in judge(case.bay.analysis) if (finding.id, finding.about) not in before]
    grave = [finding.id for finding in new if finding.level != "advise"]
    return Said("right" if grave else "nothing", ", ".join(grave))


PARTS: dict[str, Callable[[Case], Said]] = {
    "check-up": said_of,
    "questions": by_questions,
    "roll call": by_roll_call,
    "Path": by_path,
}
"""Every part of Volnik that judges, by what the table calls it."""
