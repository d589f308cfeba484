"""A visit as typed: when, why, and every act that is ticked with what it asks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any

from fastapi import Depends
from pydantic_core import PydanticCustomError
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.visits.acts import ACTS, Act, Done, done_from
from volnik.services.visits.visit import Occasion
from volnik.web.forms.amounts import amount_in
from volnik.web.forms.posted import (
    Form,
    Line,
    Posted,
    at_s,
    posted,
)
from volnik.web.security import guarded_form


@dataclass(frozen=True, slots=True)
class SentVisit:
    """A visit as it was sent: text by field, several of a name parted by blanks."""

    typed: dict[str, str]

    def ticked(self, act: Act) -> bool:
        """Whether an act is said to have been done, by its box or by what was typed for it."""
        named = any(self.typed.get(f"{act.key}.{asked.key}", "").strip() for asked in act.fields)
        return bool(self.typed.get(act.key)) or (named and act.key != "lost")

    def read(self, zone: str, *, who: str) -> tuple[Occasion, list[Done]]:
        """When and why, and what was done.

        Args:
            zone: of the rig's clock.
            who: whose visit it is.

        Raises:
            InvalidInput: with a sentence for each field at fault.
        """
        problems: dict[str, str] = {}
        time_s = 0.0
        try:
            time_s = at_s(datetime.fromisoformat(self.typed.get("time", "").strip()), zone)
        except ValueError:
            problems["time"] = "Give the date and time."
        done = []
        for act in ACTS:
            if self.ticked(act):
                try:
                    done.append(self._act(act))
                except InvalidInput as wrong:
                    problems |= wrong.problems
        if problems:
            raise InvalidInput(problems)
        reason = " ".join(self.typed.get("reason", "").split())[:300]
        return Occasion(time_s, who, reason), done

    def _act(self, act: Act) -> Done:
        typed, numbers = {}, {}
        problems: dict[str, str] = {}
        for asked in act.fields:
            place = f"{act.key}.{asked.key}"
            given = self.typed.get(place, "")
            if asked.kind == "number":
                try:
                    numbers[asked.key] = amount_in(given, asked.unit)
                except PydanticCustomError as wrong:
                    problems[place] = wrong.message()
            else:
                typed[asked.key] = given
        if problems:
            raise InvalidInput(problems)
        return done_from(act.key, typed, numbers)


async def _sent(fields: Annotated[FormData, Depends(guarded_form)]) -> SentVisit:
    names = {name for name, _ in fields.multi_items()}
    return SentVisit({name: " ".join(map(_text, fields.getlist(name))) for name in names})


def _text(value: Any) -> str:
    return value if isinstance(value, str) else ""


SentVisitDep = Annotated[SentVisit, Depends(_sent)]


class ClearedForm(Form):
    """What was left for now and is put right: its number."""

    of: Line

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """As sent."""
        return dict(sent)


SentCleared = Annotated[Posted[ClearedForm], Depends(posted(ClearedForm))]
