"""The quick job as typed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import Depends

from volnik.core.quick.plan import Asked
from volnik.services.quick.job import BOATS, Named
from volnik.web.forms.posted import Form, Line, Posted, Text, posted

ANSWER = "answer-"
START = {
    "name": "",
    "silhouette": "van",
    "zone": "UTC",
    "chemistry": "lfp",
    "label": "",
    "lines": "",
    "minuses": "post",
    "dialect": "",
}


class QuickForm(Form):
    """One battery, one shunt, some devices; an answer is named "answer-" and its question."""

    name: Line
    silhouette: Line
    zone: Line
    chemistry: Line
    label: Line
    lines: Text
    minuses: Line
    dialect: Line
    answers: dict[str, str] = {}

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """The answers are gathered; all else is as sent."""
        told = {name: value for name, value in sent.items() if name.startswith(ANSWER)}
        answers = {name.removeprefix(ANSWER): str(value)[:40] for name, value in told.items()}
        rest = {name: value for name, value in sent.items() if name not in told}
        return {**START, **rest, "answers": answers}

    def asked(self, *, awg: bool) -> Asked:
        """What is to be planned.

        Args:
            awg: whether cables are bought by American sizes.
        """
        return Asked(
            self.chemistry,
            self.label,
            self.lines,
            "busbar" if self.minuses == "busbar" else "post",
            self.answers,
            self.silhouette in BOATS,
            awg,
        )

    def named(self) -> Named:
        """What its rig is called."""
        return Named(self.name, self.silhouette, self.zone or "UTC", self.dialect)


SentQuick = Annotated[Posted[QuickForm], Depends(posted(QuickForm))]
