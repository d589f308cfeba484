"""The record of changes: rows in, plain values out. Only ever added to."""

from __future__ import annotations

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from volnik.core.changes import Change, Fields
from volnik.store.tables import ChangeRow


def add(
    session: Session,
    *,
    at_s: float,
    rig_id: int | None,
    subject: str,
    who: str,
    page: str,
    what: str,
    fields: Fields,
) -> int:
    """Keep a change; returns its number."""
    row = ChangeRow(
        at_s=at_s,
        rig_id=rig_id,
        subject=subject,
        who=who,
        page=page,
        what=what,
        fields={name: list(values) for name, values in fields.items()},
    )
    session.add(row)
    session.flush()
    return row.id


def newest(session: Session) -> int:
    """The number of the last change of the shop, 0 before the first."""
    return session.scalar(select(func.max(ChangeRow.id))) or 0


def since(session: Session, *, rig_id: int | None, subject: str, seen: int, page: str) -> list[Change]:
    """What others changed in a subject, a part of it or what holds it, after a change was seen, oldest first.

    Args:
        page: whose own changes are left out; "" for none.
    """
    rows = session.scalars(
        select(ChangeRow)
        .where(
            ChangeRow.id > seen,
            ChangeRow.rig_id.is_(None) if rig_id is None else ChangeRow.rig_id == rig_id,
            or_(
                ChangeRow.subject.in_(_and_what_holds(subject)),
                ChangeRow.subject.startswith(f"{subject}/", autoescape=True),
            ),
            or_(ChangeRow.page == "", ChangeRow.page != page),
        )
        .order_by(ChangeRow.id)
    )
    return [_plain(row) for row in rows]


def _and_what_holds(subject: str) -> list[str]:
    """A subject and those above it: "a/b" and "a"."""
    parts = subject.split("/")
    return ["/".join(parts[: at + 1]) for at in range(len(parts))]


def listing(
    session: Session, *, rig_id: int | None = None, before: int | None = None, most: int = 200
) -> list[Change]:
    """Changes, newest first.

    Args:
        rig_id: of one rig alone, or None for all.
        before: only those before this one.
    """
    asked = select(ChangeRow).order_by(ChangeRow.id.desc()).limit(most)
    if rig_id is not None:
        asked = asked.where(ChangeRow.rig_id == rig_id)
    if before is not None:
        asked = asked.where(ChangeRow.id < before)
    return [_plain(row) for row in session.scalars(asked)]


def _plain(row: ChangeRow) -> Change:
    fields = {name: (values[0], values[1]) for name, values in row.fields.items()}
    return Change(row.id, row.at_s, row.rig_id, row.subject, row.who, row.what, fields)
