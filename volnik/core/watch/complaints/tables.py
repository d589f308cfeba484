"""What complaints, causes and questions there are, read from the tables beside this file."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from volnik.core.values import Plain

Kind = Literal["bypass", "numbers", "misunderstanding", "defect"]
Odds = Annotated[float, Field(gt=0, lt=1)]


class CauseRow(Plain):
    """What a complaint can come from.

    Attributes:
        kind: how it is common.
        name: as in "rules out ...".
        told: what it came to.
        do: what to do about it.
        caution: where that can hurt someone.
    """

    kind: Kind
    name: str
    told: str
    do: str
    caution: str = ""


class QuestionRow(Plain):
    """One question.

    Attributes:
        ask: its words.
        minutes: what the look takes.
        usual: odds of a yes where no listed cause holds [0..1].
        yes: the same where a cause holds, by cause.
        caution: where the look can hurt someone.
    """

    ask: str
    minutes: Annotated[float, Field(gt=0, le=120)]
    usual: Odds
    yes: dict[str, Odds]
    caution: str = ""

    def odds(self, cause: str) -> float:
        """Odds of a yes where a cause holds [0..1].

        Args:
            cause: its key.
        """
        return self.yes.get(cause, self.usual)


class ComplaintRow(Plain):
    """What an owner says: its words, its causes with their odds, and what is left when none stands."""

    words: str
    causes: dict[str, Annotated[float, Field(gt=0)]]
    left: str


def _read(name: str) -> object:
    return tomllib.loads((files(__package__) / name).read_text(encoding="utf-8"))


@cache
def causes() -> dict[str, CauseRow]:
    """Every cause by its key."""
    return TypeAdapter(dict[str, CauseRow]).validate_python(_read("causes.toml"))


@cache
def questions() -> dict[str, QuestionRow]:
    """Every question by its key."""
    return TypeAdapter(dict[str, QuestionRow]).validate_python(_read("questions.toml"))


@cache
def complaints() -> dict[str, ComplaintRow]:
    """Every complaint by its key."""
    return TypeAdapter(dict[str, ComplaintRow]).validate_python(_read("complaints.toml"))
