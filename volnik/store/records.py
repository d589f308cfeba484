"""Records of work, which only grow: ticks, proofs, lists of alarms; and the switching test under way.

Rows in, plain values out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from volnik.core.prove.record import Occasion, Proof
from volnik.core.wireup.steps import Tick
from volnik.store import chain
from volnik.store.tables import AlarmsRow, ProofRow, ProvingRow, TickRow


def ticks(session: Session, rig_id: int, job: int | None = None) -> list[Tick]:
    """The ticks of a rig, of one job where given, in the order they were kept."""
    query = select(TickRow).where(TickRow.rig_id == rig_id).order_by(TickRow.saved_s, TickRow.id)
    if job is not None:
        query = query.where(TickRow.job == job)
    return [Tick(row.step, row.kind, row.time_s, row.who, dict(row.body)) for row in session.scalars(query)]


def known_keys(session: Session, keys: list[str]) -> set[str]:
    """Which of the given keys of ticks were already kept."""
    return set(session.scalars(select(TickRow.idempotency_key).where(TickRow.idempotency_key.in_(keys))))


def add_tick(
    session: Session, rig_id: int, job: int, tick: Tick, *, idempotency_key: str, saved_s: float
) -> None:
    """Keep a tick under its own key, by which it is known when it is sent again."""
    row = TickRow(
        idempotency_key=idempotency_key,
        rig_id=rig_id,
        job=job,
        step=tick.step,
        kind=tick.kind,
        body=tick.body,
        who=tick.who,
        time_s=tick.time_s,
        saved_s=saved_s,
    )
    session.add(row)
    chain.append(session, "tick", row)


def proofs(session: Session, rig_id: int) -> list[Proof]:
    """Every proof of a rig, in the order they were kept; corrected ones too."""
    rows = session.scalars(
        select(ProofRow).where(ProofRow.rig_id == rig_id).order_by(ProofRow.saved_s, ProofRow.id)
    )
    return [
        Proof(
            row.id,
            row.check,
            row.about,
            row.verdict,
            dict(row.body),
            row.source,
            row.who,
            row.time_s,
            row.saved_s,
            row.corrects,
        )
        for row in rows
    ]


def add_proof(
    session: Session,
    rig_id: int,
    occasion: Occasion,
    *,
    check: str,
    about: str,
    verdict: str,
    body: dict[str, Any],
    saved_s: float,
) -> int:
    """Keep a proof under its own key; one kept already is not kept twice. Returns its id."""
    same = ProofRow.idempotency_key == occasion.idempotency_key
    known = session.scalar(select(ProofRow.id).where(same))
    if known is not None:
        return int(known)
    row = ProofRow(
        idempotency_key=occasion.idempotency_key,
        rig_id=rig_id,
        check=check,
        about=about,
        verdict=verdict,
        body=body,
        source=occasion.source,
        who=occasion.who,
        time_s=occasion.time_s,
        saved_s=saved_s,
        corrects=occasion.corrects,
    )
    session.add(row)
    chain.append(session, "proof", row)
    return row.id


def proving(session: Session, rig_id: int) -> dict[str, Any]:
    """The switching test under way; empty without one."""
    row = session.get(ProvingRow, rig_id)
    return {} if row is None else dict(row.body)


def set_proving(session: Session, rig_id: int, body: dict[str, Any]) -> None:
    """Keep where the switching test stands."""
    row = session.get(ProvingRow, rig_id)
    if row is None:
        session.add(ProvingRow(rig_id=rig_id, body=body))
    else:
        row.body = body
    session.flush()


@dataclass(frozen=True, slots=True)
class AlarmList:
    """A saved list of alarms and relay set-points, as plain values."""

    id: int
    saved_s: float
    reason: str
    body: list[Any]


def alarm_lists(session: Session, rig_id: int) -> list[AlarmList]:
    """Every saved list, oldest first."""
    rows = session.scalars(
        select(AlarmsRow).where(AlarmsRow.rig_id == rig_id).order_by(AlarmsRow.saved_s, AlarmsRow.id)
    )
    return [AlarmList(row.id, row.saved_s, row.reason, list(row.body)) for row in rows]


def add_alarms(session: Session, rig_id: int, body: list[Any], *, saved_s: float, reason: str) -> int:
    """Keep a new list."""
    row = AlarmsRow(rig_id=rig_id, saved_s=saved_s, reason=reason, body=body)
    session.add(row)
    session.flush()
    return row.id
