"""Hand over's forms: an issue, a signature, a mail."""

from __future__ import annotations

import re
from typing import Annotated, Self

from fastapi import Depends
from pydantic import model_validator

from volnik.web.forms.posted import Form, Line, Posted, fault, posted

ADDRESS = re.compile(r"[^@\s<>,;\"]{1,64}@[^@\s<>,;\"]{1,190}")


class IssueForm(Form):
    """What is issued, on which paper."""

    size: Line
    paper: Line = "owner"


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


SentIssue = Annotated[Posted[IssueForm], Depends(posted(IssueForm))]
SentSigned = Annotated[Posted[SignForm], Depends(posted(SignForm))]
SentMail = Annotated[Posted[MailForm], Depends(posted(MailForm))]
