"""What the record of changes shows."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.changes import Change
from volnik.services.shop.record import RecordView
from volnik.web.page import when
from volnik.web.views.meanwhile import label_of, text_of

SUBJECTS = {
    "rig": "the rig",
    "bank": "bank",
    "use": "use",
    "numbers": "numbers",
    "alarms": "alarms",
    "found": "as found",
    "planned": "plan",
    "stands": "what is there",
    "chemistries": "Shelf, chemistries",
    "parts": "Shelf, parts",
    "storage": "Shelf, storage",
    "keys": "Doors, keys",
    "paired": "Doors, phones",
    "names": "names",
}


@dataclass(frozen=True, slots=True)
class ChangeLine:
    """One change in words: when, who, which rig and subject, what was done, each field before and after."""

    when: str
    who: str
    rig: str
    subject: str
    what: str
    fields: list[str]


def change_lines(view: RecordView) -> list[ChangeLine]:
    """The changes in words, newest first."""
    return [_line(change, view.rig_names) for change in view.changes]


def _line(change: Change, rig_names: dict[int, str]) -> ChangeLine:
    rig = "" if change.rig_id is None else rig_names.get(change.rig_id, f"rig {change.rig_id}, removed")
    subject = SUBJECTS.get(change.subject.split("/")[0], change.subject)
    shown = text_of(change.subject)
    fields = [
        f"{label_of(name)}: {shown(name, before) or '–'} → {shown(name, after) or '–'}"
        for name, (before, after) in change.fields.items()
    ]
    return ChangeLine(when(change.at_s, "UTC"), change.who, rig, subject, change.what, fields)
