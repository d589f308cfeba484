"""What was changed by whom, field by field, and what to do where two changed the same without knowing of it.

A subject is what a form or drawing is about, such as "numbers" or "found/fridge"; a change of a subject
concerns everyone who edits that subject, one above it, or one below: an undo of "found" may have put the
fridge back as it was.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

Fields = dict[str, tuple[Any, Any]]
NOBODY = "name not given"


@dataclass(frozen=True, slots=True)
class Change:
    """One change on record.

    Attributes:
        id: rises with every change of the shop.
        at_s: when [s since 1970].
        rig_id: the rig it is about, or None for the shop.
        subject: what was changed.
        who: the name given by who did it.
        what: what was done, in a few words.
        fields: what each changed field was before and after.
    """

    id: int
    at_s: float
    rig_id: int | None
    subject: str
    who: str
    what: str
    fields: Fields

    @property
    def by(self) -> str:
        """Who did it, as the begin of a sentence."""
        return "Someone" if self.who == NOBODY else self.who


class Stale(Exception):
    """Something was changed since a page was made that now would write over it.

    Attributes:
        missed: those changes, oldest first.
    """

    def __init__(self, missed: list[Change]) -> None:
        last = missed[-1]
        super().__init__(
            f"{last.by} changed this meanwhile ({last.what}). Nothing was kept: look at it and try again."
        )
        self.missed = missed


@dataclass(frozen=True, slots=True)
class Difference:
    """One field where a page that is older than what stands differs from it.

    Attributes:
        field: its name.
        seen, theirs, mine: its text on that page when it was made, as it stands now, and as it was typed;
            `mine` is None where the form has no such field.
        proposed: whose to keep: theirs where mine was not touched.
    """

    field: str
    seen: str
    theirs: str
    mine: str | None
    proposed: Literal["theirs", "mine"]

    @property
    def both(self) -> bool:
        """Whether both were changed, and not alike."""
        return self.proposed == "mine" and self.mine != self.theirs


def differences(before: Mapping[str, Any], after: Mapping[str, Any]) -> Fields:
    """The fields that differ, each with its value before and after; None for one that is not there."""
    names = [*before, *(name for name in after if name not in before)]
    return {
        name: (before.get(name), after.get(name)) for name in names if before.get(name) != after.get(name)
    }


def merged(
    missed: Iterable[Change], typed: Mapping[str, str], text: Callable[[str, Any], str]
) -> list[Difference]:
    """What was changed meanwhile beside what was typed, field by field.

    Args:
        missed: changes since the page was made, oldest first.
        typed: the form's fields.
        text: a field's value as it is typed.
    """
    first: dict[str, Any] = {}
    last: dict[str, Any] = {}
    for change in missed:
        for name, (before, after) in change.fields.items():
            first.setdefault(name, before)
            last[name] = after
    found = []
    for name, value in last.items():
        seen, theirs, mine = text(name, first[name]), text(name, value), typed.get(name)
        if seen != theirs:
            touched = mine is not None and mine.strip() != seen
            found.append(Difference(name, seen, theirs, mine, "mine" if touched else "theirs"))
    return found
