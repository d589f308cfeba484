"""Hand over's forms: an issue, a signature, a mail."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Any, Self

from fastapi import Depends
from pydantic import model_validator

from volnik.web.forms.amounts import fault
from volnik.web.forms.posted import (
    Form,
    Line,
    Number,
    Posted,
    posted,
)

ADDRESS = re.compile(r"[^@\s<>,;\"]{1,64}@[^@\s<>,;\"]{1,190}")


class IssueForm(Form):
    """What is issued, on which paper."""

    size: Line
    paper: Line = "owner"


class LanguageForm(Form):
    """What the owner reads in."""

    language: Line


class PhotosForm(Form):
    """Which photos stand on papers, by number."""

    chosen: set[int]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """A tick is named "photo-" and the photo's number."""
        ticked = {name.removeprefix("photo-") for name in sent if name.startswith("photo-")}
        return {"chosen": {int(number) for number in ticked if number.isdecimal()}}


class SignForm(Form):
    """Who signs, where, and how: drawn lines as JSON, or ticked as signed on paper."""

    installer: Line
    owner: Line
    place: Line
    strokes_installer: str = ""
    strokes_owner: str = ""
    on_paper: Line


class MailForm(Form):
    """Whom a paper is mailed to."""

    to: Line

    @model_validator(mode="after")
    def _an_address(self) -> Self:
        if not ADDRESS.fullmatch(self.to):
            raise fault("Type one address, such as owner@example.org.", "to")
        return self


class CallForm(Form):
    """What an owner reads out before calling."""

    volts: Number
    amps: Number
    percent: Number
    days: Number
    words: Line

    @property
    def figures(self) -> dict[str, float | None]:
        """The figures, None for what was not read."""
        return {"volts": self.volts, "amps": self.amps, "percent": self.percent, "days": self.days}


class AnsweredForm(Form):
    """Which call was answered."""

    of: Line


SentCall = Annotated[Posted[CallForm], Depends(posted(CallForm))]
SentAnswered = Annotated[Posted[AnsweredForm], Depends(posted(AnsweredForm))]
SentLanguage = Annotated[Posted[LanguageForm], Depends(posted(LanguageForm))]
SentPhotos = Annotated[Posted[PhotosForm], Depends(posted(PhotosForm))]
SentIssue = Annotated[Posted[IssueForm], Depends(posted(IssueForm))]
SentSigned = Annotated[Posted[SignForm], Depends(posted(SignForm))]
SentMail = Annotated[Posted[MailForm], Depends(posted(MailForm))]
