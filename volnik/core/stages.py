"""The stages of the work, in the order it is done. One word each, the same in every folder and address."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

StageState = Literal["done", "lacking", "untouched"]


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage: its word, what the installer calls it, and whether this version has its page."""

    word: str
    title: str
    built: bool


STAGES = (
    Stage("survey", "Survey", True),
    Stage("path", "Path", True),
    Stage("numbers", "Numbers", True),
    Stage("wireup", "Wire-up", True),
    Stage("prove", "Prove", True),
    Stage("watch", "Watch", True),
    Stage("handover", "Hand over", False),
)


@dataclass(frozen=True, slots=True)
class StageStatus:
    """Where one stage stands on one rig, reckoned from what is on record; `lacks` says what is missing."""

    stage: Stage
    state: StageState
    lacks: str


NO_PLAN = "no plan yet, so nothing shows that every amp is counted"

NO_STEPS = "not begun"


def standings(
    *,
    has_bank: bool,
    has_numbers: bool,
    has_log: bool,
    count_known: bool,
    has_devices: bool = True,
    path_lacks: str = NO_PLAN,
    wireup_lacks: str = NO_STEPS,
    prove_lacks: str = NO_STEPS,
) -> list[StageStatus]:
    """The standing of every stage, from what is on record for a rig.

    Args:
        path_lacks: what the plan lacks, "" when nothing that stops.
        wireup_lacks, prove_lacks: what is left to do there, "" when nothing.
    """
    lacks = {
        "survey": "no bank described yet, so nothing can be reckoned"
        if not has_bank
        else ""
        if has_devices
        else "no devices yet, so nobody knows where their negatives land",
        "path": path_lacks,
        "wireup": wireup_lacks,
        "prove": prove_lacks,
        "numbers": "" if has_numbers else "no numbers saved yet, so nothing can be counted",
        "watch": ""
        if has_log and count_known
        else "no readings yet"
        if not has_log
        else "no full reset seen yet, so the count is unknown",
    }
    found = []
    for stage in STAGES:
        if not stage.built:
            found.append(StageStatus(stage, "untouched", "not part of this version"))
        elif lack := lacks[stage.word]:
            begun = {
                "watch": has_log,
                "survey": has_bank,
                "path": path_lacks != NO_PLAN,
                "wireup": not lack.startswith("no"),
                "prove": not lack.startswith("no"),
            }.get(stage.word, False)
            found.append(StageStatus(stage, "lacking" if begun else "untouched", lack))
        else:
            found.append(StageStatus(stage, "done", ""))
    return found
