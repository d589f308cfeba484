"""Notes of Watch, incidents of live alarms and where these stand. Rows in, plain values out."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from volnik.core.rig.rig import NotFound
from volnik.core.watch.alarm_engine import AlarmState, Incident
from volnik.store.tables import AlarmStateRow, IncidentRow, NoteRow


@dataclass(frozen=True, slots=True)
class Note:
    """A dated note: kind, instant it is about [s], when it was kept [s], whose, what, when withdrawn [s] or
    None.
    """

    id: int
    kind: str
    time_s: float
    saved_s: float
    who: str
    body: dict[str, Any]
    withdrawn_s: float | None


def notes(session: Session, rig_id: int, kind: str | None = None, *, withdrawn: bool = False) -> list[Note]:
    """The notes of a rig, of one kind where given, in order of the instant they are about."""
    query = select(NoteRow).where(NoteRow.rig_id == rig_id).order_by(NoteRow.time_s, NoteRow.id)
    if kind is not None:
        query = query.where(NoteRow.kind == kind)
    if not withdrawn:
        query = query.where(NoteRow.withdrawn_s.is_(None))
    return [
        Note(row.id, row.kind, row.time_s, row.saved_s, row.who, dict(row.body), row.withdrawn_s)
        for row in session.scalars(query)
    ]


def add_note(
    session: Session, rig_id: int, kind: str, *, time_s: float, saved_s: float, who: str, body: dict[str, Any]
) -> int:
    """Keep a note; returns its id."""
    row = NoteRow(rig_id=rig_id, kind=kind, time_s=time_s, saved_s=saved_s, who=who, body=body)
    session.add(row)
    session.flush()
    return row.id


def withdraw_note(session: Session, rig_id: int, note_id: int, withdrawn_s: float | None) -> Note:
    """Withdraw a note, or bring it back; raises NotFound where there is none."""
    row = session.get(NoteRow, note_id)
    if row is None or row.rig_id != rig_id:
        raise NotFound("note", note_id)
    row.withdrawn_s = withdrawn_s
    session.flush()
    return Note(row.id, row.kind, row.time_s, row.saved_s, row.who, dict(row.body), row.withdrawn_s)


@dataclass(frozen=True, slots=True)
class KeptIncident:
    """An incident as kept: who acknowledged it and when, where it was told.

    Rows of (way, instant [s], "" or why not).
    """

    id: int
    rig_id: int
    incident: Incident
    acked_s: float | None
    acked_by: str
    notified: list[Any]


def _number(value: float | None) -> float:
    return math.nan if value is None else value


def _or_none(value: float) -> float | None:
    return None if math.isnan(value) else value


def _kept(row: IncidentRow) -> KeptIncident:
    found = Incident(row.key, row.start_s, _number(row.end_s), row.worst, _number(row.spoke_s), row.held)
    return KeptIncident(row.id, row.rig_id, found, row.acked_s, row.acked_by, list(row.notified))


def incidents(
    session: Session, rig_id: int | None = None, *, open_only: bool = False, most: int = 500
) -> list[KeptIncident]:
    """Incidents of a rig, or of all, latest first."""
    query = select(IncidentRow).order_by(IncidentRow.start_s.desc()).limit(most)
    if rig_id is not None:
        query = query.where(IncidentRow.rig_id == rig_id)
    if open_only:
        query = query.where(IncidentRow.end_s.is_(None))
    return [_kept(row) for row in session.scalars(query)]


def keep_incident(session: Session, rig_id: int, incident: Incident) -> KeptIncident:
    """Keep an incident, or bring the one that began at that instant up to date."""
    query = select(IncidentRow).where(
        IncidentRow.rig_id == rig_id, IncidentRow.key == incident.key, IncidentRow.start_s == incident.start_s
    )
    row = session.scalar(query)
    if row is None:
        row = IncidentRow(
            rig_id=rig_id,
            key=incident.key,
            start_s=incident.start_s,
            worst=incident.worst,
            held="",
            acked_by="",
            notified=[],
        )
        session.add(row)
    row.end_s, row.worst, row.spoke_s, row.held = (
        _or_none(incident.end_s),
        incident.worst,
        _or_none(incident.spoke_s),
        incident.held,
    )
    session.flush()
    return _kept(row)


def acknowledge(session: Session, rig_id: int, incident_id: int, *, at_s: float, who: str) -> KeptIncident:
    """Note that someone has seen an incident; raises NotFound where there is none."""
    row = session.get(IncidentRow, incident_id)
    if row is None or row.rig_id != rig_id:
        raise NotFound("incident", incident_id)
    row.acked_s, row.acked_by = at_s, who
    session.flush()
    return _kept(row)


def note_told(session: Session, incident_id: int, way: str, at_s: float, trouble: str) -> None:
    """Note where an incident was told, or why it was not."""
    row = session.get(IncidentRow, incident_id)
    if row is not None:
        row.notified = [*row.notified, [way, at_s, trouble]]
        session.flush()


def alarm_states(session: Session, rig_id: int) -> dict[str, AlarmState]:
    """Where the live alarms of a rig stand, by key."""
    row = session.get(AlarmStateRow, rig_id)
    found = {}
    for key, body in (row.body if row is not None else {}).items():
        now = body["now"]
        incident = None if now is None else Incident(key, now[0], math.nan, now[1], _number(now[2]), now[3])
        found[key] = AlarmState(
            _number(body["since"]), incident, tuple(body["spoken"]), _number(body["last"])
        )
    return found


def set_alarm_states(session: Session, rig_id: int, states: dict[str, AlarmState]) -> None:
    """Keep where they stand."""
    body = {
        key: {
            "since": _or_none(state.since_s),
            "last": _or_none(state.last_s),
            "spoken": list(state.spoken),
            "now": None
            if state.now is None
            else [state.now.start_s, state.now.worst, _or_none(state.now.spoke_s), state.now.held],
        }
        for key, state in states.items()
    }
    row = session.get(AlarmStateRow, rig_id)
    if row is None:
        session.add(AlarmStateRow(rig_id=rig_id, body=body))
    else:
        row.body = body
    session.flush()
