"""The same cases judge Volnik: what its check-up, its questions, its roll call and Path make of one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from volnik.core.practice.cases import Case
from volnik.core.practice.faults import faults, pages_of
from volnik.core.practice.log import DAYS, log_of
from volnik.core.watch.checkup.registry import checkup, names
from volnik.core.watch.checkup.rig_facts import plan_of

Word = Literal["right", "beside", "nothing", "wrong"]


@dataclass(frozen=True, slots=True)
class Said:
    """What one part of Volnik says of a case.

    Attributes:
        verdict: right where it names what is wrong, or accuses nothing in a sound rig; beside where it names
            a page's neighbour that shows alike; nothing where it names none; wrong where it names another.
        named: the cause it names first, "" for none.
        sentence: of it.
    """

    verdict: Word
    named: str
    sentence: str


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
    return Said(_verdict(case, named), named, _sentence(case, named))


def _verdict(case: Case, named: str) -> Word:
    true = [wrong.cause for wrong in case.wrongs]
    if not named:
        return "right" if true == ["sound"] else "nothing"
    if set(pages_of(named)) & set(true):
        return "right"
    confused = {other for cause in true for other in faults()[cause].confused}
    return "beside" if set(pages_of(named)) & confused and true != ["sound"] else "wrong"


def _sentence(case: Case, named: str) -> str:
    if not named:
        if case.truth == "sound:":
            return "Volnik's check-up of this log accuses nothing, rightly."
        return "Volnik's check-up of this log accuses nothing: it cannot tell this from a log alone."
    name = names()[named].lower()
    endings = {
        "right": f"Volnik's check-up of this log names it: {name}.",
        "beside": f"Volnik's check-up of this log names what looks alike: {name}.",
        "wrong": f"Volnik is wrong here too: its check-up of this log names {name}.",
        "nothing": "",
    }
    return endings[_verdict(case, named)]
