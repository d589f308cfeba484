"""A rig's dated events from wherever they are kept: numbers, entries, notes, what was built, gaps."""

from __future__ import annotations

import math
from collections.abc import Sequence

from sqlalchemy.orm import Session

from volnik.core.count.epochs import EVENT_KINDS, Event, since
from volnik.core.rig.rig import timeline
from volnik.store import counts, drawings, watching
from volnik.store import rigs as store

DAY_S = 86_400.0
LEAST_DAYS = 3.0  # that tell how a rig is lived in
GAP_TOLD_S = 3600.0  # shorter silences are no events; the band takes them in all the same


def history(session: Session, rig_id: int, *, counted: Sequence[counts.CountEvent] = ()) -> list[Event]:
    """The events of a rig, in order of time.

    Args:
        counted: the events of its count; of these the stretches of an hour and more without readings are told
            too.
    """
    found = [
        *_numbers(session, rig_id),
        *_entries(session, rig_id),
        *_built(session, rig_id),
        *_notes(session, rig_id),
    ]
    found += [
        Event("gap", event.time_s, event.end_s)
        for event in counted
        if event.kind == "gap" and event.end_s - event.time_s >= GAP_TOLD_S
    ]
    return sorted(found, key=lambda event: event.time_s)


def habits_since(session: Session, rig_id: int, end_s: float) -> float:
    """Since when a rig has lived as it does now: its wiring, chargers and devices unchanged [s].

    -inf while too few days passed since a change: those before it say more than none.

    Args:
        end_s: its last reading [s].
    """
    cut_s = since(history(session, rig_id), end_s, "wiring")
    return cut_s if end_s - cut_s >= LEAST_DAYS * DAY_S else -math.inf


def _numbers(session: Session, rig_id: int) -> list[Event]:
    held = timeline(store.numbers_versions(session, rig_id))
    return [
        Event("numbers", version.holds_from_s, version.holds_from_s, version.reason)
        for version in held[1:]
        if version.holds_from_s is not None
    ]


def _entries(session: Session, rig_id: int) -> list[Event]:
    kept = store.entries(session, rig_id)
    return [Event(entry.kind, entry.time_s, entry.time_s, note) for _, entry, note in kept]


def _built(session: Session, rig_id: int) -> list[Event]:
    """The first that was built is the taking over; each later one a change."""
    return [
        Event("wiring_changed" if later else "commissioned", built.from_s, built.from_s, built.reason)
        for later, built in enumerate(drawings.as_built(session, rig_id))
        if math.isfinite(built.from_s)
    ]


def _notes(session: Session, rig_id: int) -> list[Event]:
    return [
        Event(note.kind, note.time_s, note.body.get("end_s") or note.time_s, str(note.body.get("note", "")))
        for note in watching.notes(session, rig_id)
        if note.kind in EVENT_KINDS
    ]
