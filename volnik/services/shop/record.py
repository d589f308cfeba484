"""The record of changes, to be read: who changed what when, of one rig or of the whole shop."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.changes import Change
from volnik.services.context import AppContext
from volnik.store import changes
from volnik.store import rigs as store

MOST_SHOWN = 100
MOST_GIVEN = 200_000  # a shop of ten people in ten years


@dataclass(frozen=True, slots=True)
class RecordView:
    """Some changes, newest first.

    Attributes:
        changes: at most a page of them.
        rig_names: of every rig, put aside or not.
        rig_id: whose they are, or None for all.
        older: the change before which the next page begins, None where there is none.
    """

    changes: list[Change]
    rig_names: dict[int, str]
    rig_id: int | None
    older: int | None


def record_view(
    context: AppContext, *, rig_id: int | None = None, before: int | None = None, most: int = MOST_SHOWN
) -> RecordView:
    """Changes of one rig, or of all and of the shop."""
    with context.db.reading() as session:
        found = changes.listing(session, rig_id=rig_id, before=before, most=most + 1)
        rigs = [*store.all_rigs(session), *store.all_rigs(session, archived=True)]
    older = found[most - 1].id if len(found) > most else None
    return RecordView(found[:most], {rig.id: rig.name for rig in rigs}, rig_id, older)
