"""What the head of a rig's pages says of the wiring they stand on."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.rig.rig import RigSummary
from volnik.services.yard.rigs import RigStrip
from volnik.web.page import percent, when

ON_THE_PLAN = ("path", "numbers", "handover")
ON_WHAT_STANDS = ("prove", "watch")


@dataclass(frozen=True, slots=True)
class Belief:
    """A rig's percentage as every page shows it.

    Attributes:
        state: "plain", "doubt" or "not".
        percent: whole percent.
        word: what is said beside it, "" where it is plain.
        reason: why, in a sentence.
    """

    state: str
    percent: str
    word: str
    reason: str


BELIEF_WORDS = {"plain": "", "doubt": "with doubt", "not": "not to be believed"}


def belief(summary: RigSummary) -> Belief | None:
    """How a rig's percentage is shown; None where there is none."""
    if math.isnan(summary.soc) or summary.believed not in BELIEF_WORDS:
        return None
    return Belief(summary.believed, percent(summary.soc), BELIEF_WORDS[summary.believed], summary.reason)


def wiring_words(head: RigStrip, stage: str) -> str:
    """The wiring a stage's pages reckon with, "" where none matters."""
    if stage in ON_THE_PLAN:
        return "as planned" if head.planned else "no plan yet, as found"
    if stage not in ON_WHAT_STANDS:
        return ""
    if head.stood_from_s:
        return f"as it is since {when(head.stood_from_s, head.rig.zone, 'day')}"
    return "as it is, as found"
