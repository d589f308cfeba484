"""Dated notes of Watch: wiring mended, trips, loads named, joints torqued, banks equalised.

Withdrawn, never deleted.
"""

from __future__ import annotations

from typing import Any

from volnik.core.count.epochs import EVENT_KINDS
from volnik.core.errors import InvalidInput
from volnik.services.context import AppContext
from volnik.store import rigs as rig_store
from volnik.store import watching as store
from volnik.store.watching import Note

__all__ = ["KINDS", "Note", "add", "notes_of", "withdraw"]

KINDS = {
    "mended": "wiring put right",
    "trip": "trip",
    "load": "load named",
    "torqued": "joints torqued",
    "equalised": "battery equalised",
    "opinions": "second opinions",
    "rehearsal": "night rehearsal",
    "retention": "readings thinned",
    "promise": "promise made",
    "visit": "visit",
    "temporary": "left for now",
    "cleared": "put right, what was left for now",
    "rest": "volts read at rest",
    "enquiry": "why the job exists",
    "own_history": "the monitor's own history",
    "alarm_tried": "alarm tried",
    "call": "readings from the owner",
    "call_answered": "answered",
    "board": "board laid out",
    **{key: kind.words for key, kind in EVENT_KINDS.items()},
}
AHEAD_S = 60.0  # clocks differ; what is mended later than that is not mended yet


def notes_of(context: AppContext, rig_id: int, kind: str | None = None) -> list[Note]:
    """The notes of a rig, in order of the instant they are about."""
    with context.db.reading() as session:
        return store.notes(session, rig_id, kind)


def add(
    context: AppContext,
    rig_id: int,
    kind: str,
    *,
    time_s: float,
    who: str,
    body: dict[str, Any],
    now_s: float | None = None,
) -> int:
    """Keep a note.

    Args:
        now_s: the rig's now, on a bench rig its bench clock; a note lies before it [s].

    Raises:
        InvalidInput: for a kind there is none of, or an instant to come.
        NotFound: without such a rig.
    """
    if kind not in KINDS:
        raise InvalidInput({"kind": "There is no such note."})
    if time_s > max(context.now(), now_s or 0.0) + AHEAD_S:
        raise InvalidInput({"time": "That lies in the future; choose an instant up to now."})
    with context.change(rig_id) as work:
        session = work.session
        rig_store.rig(session, rig_id)
        return store.add_note(session, rig_id, kind, time_s=time_s, saved_s=context.now(), who=who, body=body)


def withdraw(context: AppContext, rig_id: int, note_id: int, *, back: bool = False) -> Note:
    """Withdraw a note, or bring it back."""
    with context.change(rig_id) as work:
        session = work.session
        return store.withdraw_note(session, rig_id, note_id, None if back else context.now())
