"""Sheets as given out and what was read back from the monitor: rows in, plain values out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from volnik.store import chain
from volnik.store.tables import ReadBackRow, SheetRow


@dataclass(frozen=True, slots=True)
class KeptSheet:
    """A sheet as given out: when [s], from which version of the numbers, in which dialect, its plain body."""

    id: int
    made_s: float
    version_id: int | None
    dialect: str
    body: dict[str, Any]


@dataclass(frozen=True, slots=True)
class ReadBack:
    """What was entered, read back: when [s], and each value by parameter."""

    sheet_id: int
    made_s: float
    body: list[dict[str, Any]]


def add_sheet(
    session: Session,
    rig_id: int,
    *,
    made_s: float,
    version_id: int | None,
    dialect: str,
    body: dict[str, Any],
) -> int:
    """Keep a sheet; returns its number."""
    row = SheetRow(rig_id=rig_id, made_s=made_s, version_id=version_id, dialect=dialect, body=body)
    session.add(row)
    chain.append(session, "sheet", row)
    return row.id


def sheets(session: Session, rig_id: int) -> list[KeptSheet]:
    """Every sheet of a rig, oldest first."""
    rows = session.scalars(
        select(SheetRow).where(SheetRow.rig_id == rig_id).order_by(SheetRow.made_s, SheetRow.id)
    )
    return [KeptSheet(row.id, row.made_s, row.version_id, row.dialect, row.body) for row in rows]


def add_read_back(
    session: Session, rig_id: int, *, sheet_id: int, made_s: float, body: list[dict[str, Any]]
) -> None:
    """Keep what was read back."""
    session.add(ReadBackRow(rig_id=rig_id, sheet_id=sheet_id, made_s=made_s, body=body))


def last_read_back(session: Session, rig_id: int, sheet_id: int) -> ReadBack | None:
    """What stands as read back against a sheet, the latest word on each parameter, or None when
    nothing was.
    """
    rows = session.scalars(
        select(ReadBackRow)
        .where(ReadBackRow.rig_id == rig_id, ReadBackRow.sheet_id == sheet_id)
        .order_by(ReadBackRow.made_s, ReadBackRow.id)
    ).all()
    if not rows:
        return None
    latest = {entered["key"]: entered for row in rows for entered in row.body}
    return ReadBack(sheet_id, rows[-1].made_s, list(latest.values()))
