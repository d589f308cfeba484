"""The stages of the work, in the order it is done. One word each, the same in every folder and address.

Where a stage stands is reckoned from what is on record, as data; the sentence about it is made here and
nowhere else, and nothing ever reads it back.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

StageState = Literal["done", "lacking", "untouched"]


@dataclass(frozen=True, slots=True)
class PlanFacts:
    """What is known of the plan: whether one was begun, and how many of its findings are stops."""

    begun: bool = False
    stops: int = 0


@dataclass(frozen=True, slots=True)
class WireUpFacts:
    """What is known of Wire-up.

    Attributes:
        planned: whether there is a plan to make steps from.
        begun: whether anything was ticked.
        settled, steps: steps done or skipped, of all.
        stands: whether a plan stands already, or a shunt was found fitted.
    """

    planned: bool = False
    begun: bool = False
    settled: int = 0
    steps: int = 0
    stands: bool = False


@dataclass(frozen=True, slots=True)
class ProveFacts:
    """What is known of the proof.

    Attributes:
        begun: whether anything was measured.
        proven, devices: devices shown to be counted, of all.
        open: titles of what is not shown yet.
    """

    begun: bool = False
    proven: int = 0
    devices: int = 0
    open: tuple[str, ...] = ("Installed",)


@dataclass(frozen=True, slots=True)
class HandoverFacts:
    """What is known of the papers.

    Attributes:
        issued: the number of the latest issue, 0 for none.
        current: whether all that it rests on still stands.
        signed: whether it was signed.
    """

    issued: int = 0
    current: bool = False
    signed: bool = False


@dataclass(frozen=True, slots=True)
class RecordFacts:
    """What is on record for a rig, as far as its stages rest on it."""

    has_bank: bool = False
    has_devices: bool = False
    has_numbers: bool = False
    has_log: bool = False
    count_known: bool = False
    plan: PlanFacts = field(default_factory=PlanFacts)
    wireup: WireUpFacts = field(default_factory=WireUpFacts)
    prove: ProveFacts = field(default_factory=ProveFacts)
    numbers_stops: int = 0
    believed: str = "plain"
    handover: HandoverFacts = field(default_factory=HandoverFacts)


@dataclass(frozen=True, slots=True)
class StageVerdict:
    """Where a stage stands, and what it still lacks in a sentence, "" when nothing."""

    state: StageState
    missing_reason: str = ""


DONE = StageVerdict("done")
NOT_BUILT = StageVerdict("untouched", "not part of this version")


def _survey(facts: RecordFacts) -> StageVerdict:
    if not facts.has_bank:
        return StageVerdict("untouched", "no battery described yet, so nothing can be reckoned")
    if not facts.has_devices:
        return StageVerdict("lacking", "no devices yet, so nobody knows where their minus cables go")
    return DONE


def _path(facts: RecordFacts) -> StageVerdict:
    stops = facts.plan.stops
    if not facts.plan.begun:
        return StageVerdict("untouched", "no plan yet, so nothing shows that every amp is counted")
    if stops:
        things = "thing" if stops == 1 else "things"
        return StageVerdict("lacking", f"{stops} {things} to stop for, so the count would lie")
    return DONE


def _numbers(facts: RecordFacts) -> StageVerdict:
    if facts.has_numbers and facts.numbers_stops:
        things = "thing" if facts.numbers_stops == 1 else "things"
        return StageVerdict("lacking", f"{facts.numbers_stops} {things} to stop for, so the count would lie")
    if facts.has_numbers:
        return DONE
    return StageVerdict("untouched", "no numbers saved yet, so nothing can be counted")


def _wireup(facts: RecordFacts) -> StageVerdict:
    work = facts.wireup
    if not work.planned:
        return StageVerdict("untouched", "no plan yet, so there are no steps")
    if not work.steps:
        return DONE if work.stands else StageVerdict("untouched", "no steps yet")
    if not work.begun:
        return StageVerdict("untouched", "not begun")
    return StageVerdict("lacking", f"{work.settled} of {work.steps} steps")


def _prove(facts: RecordFacts) -> StageVerdict:
    proof = facts.prove
    if not proof.open:
        return DONE
    if not proof.begun:
        return StageVerdict("untouched", "nothing tested yet")
    if proof.proven < proof.devices or not proof.devices:
        return StageVerdict("lacking", f"{proof.proven} of {proof.devices} devices tested")
    return StageVerdict("lacking", f"open: {proof.open[0].lower()}")


def _watch(facts: RecordFacts) -> StageVerdict:
    if not facts.has_log:
        return StageVerdict("untouched", "no readings yet")
    if not facts.count_known:
        return StageVerdict("lacking", "no full reset seen yet, so the count is unknown")
    if facts.believed == "not":
        return StageVerdict("lacking", "not to be believed, as the verdict says")
    return DONE


def _handover(facts: RecordFacts) -> StageVerdict:
    papers = facts.handover
    if not papers.issued:
        return StageVerdict("untouched", "no paper issued yet")
    if not papers.current:
        return StageVerdict("lacking", f"changed since issue {papers.issued}")
    if not papers.signed:
        return StageVerdict("lacking", f"issue {papers.issued} not signed yet")
    return DONE


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage.

    Attributes:
        word: of it, in folders and addresses.
        title: what the installer calls it.
        judge: how it is judged; None where it has no page yet.
        done_word: what its being done rests on.
    """

    word: str
    title: str
    judge: Callable[[RecordFacts], StageVerdict] | None
    done_word: str = "done"

    @property
    def built(self) -> bool:
        """Whether this version has its page."""
        return self.judge is not None


STAGES = (
    Stage("survey", "Survey", _survey, "all listed"),
    Stage("path", "Path", _path, "no stops"),
    Stage("numbers", "Numbers", _numbers, "saved"),
    Stage("wireup", "Wire-up", _wireup, "wired"),
    Stage("prove", "Prove", _prove, "all tested"),
    Stage("watch", "Watch", _watch, "counted"),
    Stage("handover", "Hand over", _handover, "signed"),
)


@dataclass(frozen=True, slots=True)
class StageStatus:
    """Where one stage stands on one rig; `missing_reason` says what is missing."""

    stage: Stage
    state: StageState
    missing_reason: str

    @property
    def said(self) -> str:
        """What is missing in short, or what its being done rests on."""
        return self.missing_reason.split(",")[0] or self.stage.done_word


def stage_statuses(facts: RecordFacts) -> list[StageStatus]:
    """Where every stage stands, from what is on record for a rig.

    Args:
        facts: what is on record.
    """
    found = []
    for stage in STAGES:
        verdict = NOT_BUILT if stage.judge is None else stage.judge(facts)
        found.append(StageStatus(stage, verdict.state, verdict.missing_reason))
    return found
