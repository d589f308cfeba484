"""Which question next: the one whose answer parts the remaining causes best for the minutes it takes.

Bayes over the causes of one complaint: odds to begin with, each answer weighed by how likely it is under each
cause. Gain is the fall of the entropy that an answer is expected to bring [bits]. Where several gain about
alike, the one that asks of a bypass comes before numbers, a misunderstanding, a defect: so common they are in
that order. Source: docs/domain/complaints.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.watch.complaints.tables import (
    CauseRow,
    ComplaintRow,
    QuestionRow,
    causes,
    complaints,
    questions,
)

COMMON = {"bypass": 2.0, "numbers": 1.6, "misunderstanding": 1.3, "defect": 1.0}
"""How much commoner each kind is; source: the order of search practitioners keep."""
ANSWERS = {"y": "Yes", "n": "No", "u": "Not known"}
NAMED = 0.80  # odds from which a cause is named
LIKELY = 0.55  # and from which it is told as likely once nothing more can be asked
LEAST_GAIN = 0.02  # bits, under which a question is not worth asking
ALIKE = 0.5  # of the best gain a minute, from which the order of kinds decides
SETUP_MIN = 3.0  # of any look beside its own minutes
RULED_OUT = 0.25  # of its odds before, under which a cause is told as ruled out
OPEN = 0.1  # odds, over which a cause is still open


@dataclass(frozen=True, slots=True)
class Answered:
    """A question answered: "y", "n" or "u", and the causes that answer rules out."""

    key: str
    question: QuestionRow
    answer: str
    rules_out: tuple[str, ...]

    @property
    def words(self) -> str:
        """The answer in words."""
        return ANSWERS[self.answer]


@dataclass(frozen=True, slots=True)
class Standing:
    """Where the questions stand.

    Attributes:
        key, complaint: what the owner says.
        answered: so far.
        odds: of each cause, likeliest first [0..1].
        next_key, next: the question to ask, None when it has come to something.
        cause: key of the cause it came to, or "".
        sure: whether that is named, not only likely.
    """

    key: str
    complaint: ComplaintRow
    answered: tuple[Answered, ...]
    odds: tuple[tuple[str, float], ...]
    next_key: str
    next: QuestionRow | None
    cause: str
    sure: bool

    @property
    def outcome(self) -> CauseRow | None:
        """The cause it came to, None while asking and where none stands out."""
        return causes()[self.cause] if self.cause else None

    @property
    def still_open(self) -> tuple[str, ...]:
        """Names of the causes that are still open, likeliest first."""
        return tuple(causes()[key].name for key, odds in self.odds if odds >= OPEN and key != OTHER)


def ask(key: str, answers: str) -> Standing:
    """Follow the answers, "y", "n" and "u" in the order they were asked.

    Args:
        key: of the complaint.
        answers: one letter each.

    Raises:
        KeyError: for a complaint there is none of.
        ValueError: for answers that are none, or more than are asked.
    """
    complaint = complaints()[key]
    odds = _begun(complaint)
    answered: list[Answered] = []
    for answer in answers:
        asked = _next(odds, {one.key for one in answered})
        if answer not in ANSWERS or not asked or (answered and _settled(odds)):
            raise ValueError(f"answers are y, n or u to what is asked, got {answers[:20]!r}")
        question = questions()[asked]
        after = _weighed(odds, question, answer)
        answered.append(Answered(asked, question, answer, _ruled_out(odds, after)))
        odds = after
    ranked = tuple(sorted(odds.items(), key=lambda pair: -pair[1]))
    following = "" if answered and _settled(odds) else _next(odds, {one.key for one in answered})
    return Standing(
        key,
        complaint,
        tuple(answered),
        ranked,
        following,
        questions()[following] if following else None,
        "" if following else _likeliest(odds),
        ranked[0][1] >= NAMED,
    )


def _likeliest(odds: dict[str, float]) -> str:
    """The cause that is likely enough to be told, or "": none, or something else."""
    best = max(odds, key=lambda cause: odds[cause])
    return best if odds[best] >= LIKELY and best != OTHER else ""


def _ruled_out(before: dict[str, float], after: dict[str, float]) -> tuple[str, ...]:
    """Names of causes that were open and lost most of their odds by an answer."""
    gone = (key for key, odds in before.items() if odds > OPEN / 2 and after[key] < RULED_OUT * odds)
    return tuple(causes()[key].name for key in gone if key != OTHER)


def _begun(complaint: ComplaintRow) -> dict[str, float]:
    """Odds before any answer."""
    weights = {key: weight * COMMON[causes()[key].kind] for key, weight in complaint.causes.items()}
    # Something nobody thought of: else one answer would prove the last cause left.
    weights[OTHER] = OTHER_SHARE * sum(weights.values())
    return _normed(weights)


OTHER, OTHER_SHARE = "other", 0.06
"""That it is none of the listed causes, and its odds to begin with."""


def _normed(weights: dict[str, float]) -> dict[str, float]:
    total = sum(weights.values())
    return {key: weight / total for key, weight in weights.items()}


def _weighed(odds: dict[str, float], question: QuestionRow, answer: str) -> dict[str, float]:
    if answer == "u":
        return odds
    return _normed({key: share * _likely(question, key, yes=answer == "y") for key, share in odds.items()})


def _likely(question: QuestionRow, cause: str, *, yes: bool) -> float:
    odds = question.odds(cause)
    return odds if yes else 1.0 - odds


def _settled(odds: dict[str, float]) -> bool:
    return max(odds.values()) >= NAMED


def _next(odds: dict[str, float], asked: set[str]) -> str:
    """The question to ask, "" when none gains anything."""
    gains = {
        key: gain
        for key, question in questions().items()
        if key not in asked and (gain := _gain(odds, question)) >= LEAST_GAIN
    }
    if not gains:
        return ""
    rate = {key: gain / (SETUP_MIN + questions()[key].minutes) for key, gain in gains.items()}
    good = [key for key, each in rate.items() if each >= ALIKE * max(rate.values())]
    return min(good, key=lambda key: (_kind(key, odds), -rate[key]))


def _kind(key: str, odds: dict[str, float]) -> int:
    """Place in the order of kinds of the cause that a question asks of most."""
    question = questions()[key]
    about = max(odds, key=lambda cause: odds[cause] * question.odds(cause))
    return list(COMMON).index(causes()[about].kind) if about in causes() else len(COMMON)


def _gain(odds: dict[str, float], question: QuestionRow) -> float:
    """Expected fall of the entropy [bits]."""
    yes = sum(share * question.odds(key) for key, share in odds.items())
    after = sum(
        part * _entropy(_weighed(odds, question, answer))
        for part, answer in ((yes, "y"), (1.0 - yes, "n"))
        if part > 0.0
    )
    return _entropy(odds) - after


def _entropy(odds: dict[str, float]) -> float:
    return -sum(share * math.log2(share) for share in odds.values() if share > 0.0)
