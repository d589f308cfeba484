"""The one form in which a cause is named, or not."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime


@dataclass(frozen=True, slots=True)
class Mark:
    """A stretch of the log that shows it: from, to [s], and in a word what."""

    start_s: float
    end_s: float
    word: str


@dataclass(frozen=True, slots=True)
class Cause:
    """A cause that the log shows.

    Attributes:
        cause: key of NAMES.
        likelihood: 0..1.
        evidence: what was found, with its figures.
        next: the measurement that tells most.
        excludes: what that measurement would rule out.
        corrected: values that mend it, by the settings' key (and amps_factor, amps_offset_a for the readings
            themselves); empty where no value can.
        marks: where it shows.
        sums: figures for the page.
        since_s: when it began [s]; None from the start of the log.
        about: the devices it is about, by their numbers at Survey.
        consequences: causes that only follow from it.
    """

    cause: str
    likelihood: float
    evidence: str
    next: str
    excludes: str = ""
    corrected: dict[str, float] = field(default_factory=dict)
    marks: tuple[Mark, ...] = ()
    sums: dict[str, float] = field(default_factory=dict)
    since_s: float | None = None
    about: tuple[str, ...] = ()
    consequences: tuple[str, ...] = ()

    def to_dict(self) -> dict[str, object]:
        """As `volnik checkup --json` tells it."""
        return {
            "cause": self.cause,
            "likelihood": round(self.likelihood, 2),
            "evidence": self.evidence,
            "next": self.next,
            "corrected": {key: round(value, 4) for key, value in self.corrected.items()},
            "since": None if self.since_s is None else _instant(self.since_s),
            "about": list(self.about),
            "consequences": list(self.consequences),
        }


@dataclass(frozen=True, slots=True)
class Unsure:
    """A cause of which nothing can be told, and why."""

    cause: str
    why: str

    def to_dict(self) -> dict[str, str]:
        """As `volnik checkup --json` tells it."""
        return {"cause": self.cause, "why": self.why}


Outcome = Cause | Unsure | None


def _instant(at_s: float) -> str:
    return datetime.fromtimestamp(at_s, UTC).isoformat()


ODDS = ((0.95, "almost certainly"), (0.8, "very likely"), (0.6, "likely"), (0.35, "perhaps"), (0.0, "hardly"))
"""Least likelihood, and the word for it; source: the shop's own judgement."""


def odds_in_words(likelihood: float) -> str:
    """How sure that is, in a word.

    Args:
        likelihood: 0 to 1.
    """
    return next(word for least, word in ODDS if likelihood >= least)
