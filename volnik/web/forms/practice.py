"""Practice's forms: what stands in an address, and what is sent at an end."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict

from volnik.core.practice.looks import TIPS
from volnik.web.forms.posted import File, Form, Line, Posted, posted


def dashed(at: str) -> str:
    """Studs as they stand in an address, where a dot parts other things.

    Args:
        at: cable or studs.
    """
    return at.replace(".", "-")


def _joined(*some: str) -> str:
    """What was concluded, as of `named`: one thing, or two joined by "+"."""
    return "+".join(sorted(one[:80] for one in some if one))


class PracticeAsked(BaseModel):
    """A case: the moves made, one more, or a conclusion; what the rig has none of is left out."""

    model_config = ConfigDict(frozen=True)

    taken: str = ""
    look: str = ""
    answer: str = ""
    tool: str = ""
    running: str = ""
    cable: str = ""
    red: str = ""
    black: str = ""

    @property
    def moves(self) -> str:
        """All moves, the new one last."""
        at = f"{self.red}{TIPS}{self.black}" if self.tool == "volts" else self.cable
        free = f"{self.tool}.{self.running}.{dashed(at)}" if self.tool else ""
        return f"{self.taken},{self.look},{free}"


class ConcludedForm(Form):
    """What a case is concluded to be, with the moves made."""

    taken: Line
    answer: Line
    also: Line

    @property
    def concluded(self) -> str:
        """As of `named`."""
        return _joined(self.answer, self.also)


class CaseFileForm(Form):
    """A case as a file."""

    file: File


class LogsAsked(BaseModel):
    """Twenty logs: the answers given, one more, when they were begun [s], one to look at again."""

    model_config = ConfigDict(frozen=True)

    given: str = ""
    cause: str = ""
    day: str = ""
    began: int = 0
    look: int = 0

    @property
    def answers(self) -> str:
        """All answers, the new one last."""
        return with_answer(self.given, self.cause, self.day)


class LogsForm(Form):
    """The last of the answers, with those before it."""

    given: Line
    cause: Line
    day: Line
    began: Line

    @property
    def answers(self) -> str:
        """All answers."""
        return with_answer(self.given, self.cause, self.day)


class SumForm(Form):
    """What was predicted."""

    answer: Line


def with_answer(given: str, cause: str, day: str) -> str:
    """Answers as they stand in an address, one more put to them.

    Args:
        given: before.
        cause: key of it, "" for no answer more.
        day: from 1, as sent.
    """
    one = f"{cause[:30]}.{day[:2]}" if cause else ""
    return ",".join(part for part in (given[:2000], one) if part)


SentConclusion = Annotated[Posted[ConcludedForm], Depends(posted(ConcludedForm))]
SentCaseFile = Annotated[Posted[CaseFileForm], Depends(posted(CaseFileForm))]
SentLogs = Annotated[Posted[LogsForm], Depends(posted(LogsForm))]
SentSum = Annotated[Posted[SumForm], Depends(posted(SumForm))]
