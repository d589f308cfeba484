"""What an archive holds, taken in: records that are not here yet, drawings that go on, readings."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

import zstandard
from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from volnik.store import drawings, logs
from volnik.store.archive.file import (
    LOCAL,
    REVISIONS,
    RIG_FIELDS,
    RigArchive,
    home_digest,
    identity,
    numbered,
    rows_of,
    table_of,
)
from volnik.store.registry import IN_ORDER, TABLES
from volnik.store.rigs import origin
from volnik.store.tables import DrawingRow, RigRow


@dataclass(slots=True)
class Taken:
    """Where the records of an archive are here: number here by number in the archive, by table."""

    numbers: dict[str, dict[int, int]] = field(default_factory=dict)
    new: dict[str, int] = field(default_factory=dict)


def take_records(session: Session, rig_id: int, archive: RigArchive) -> Taken:
    """Take in every record that is not here yet; what was set later on one that is, is set here too."""
    taken = Taken()
    for name in IN_ORDER:
        known = {identity(name, row): local for local, row in rows_of(session, rig_id, name)}
        numbers: dict[int, int] = {}
        taken.numbers[name] = numbers  # a correction refers to a record of its own table
        new = 0
        for row in archive.records[name]:
            mine = _at_home(name, row, taken)
            local = known.get(identity(name, mine))
            if local is None:
                blobs = {column: archive.blob(name, row["n"], column) for column in TABLES[name].blobs}
                local = _insert(session, name, {**mine, **blobs, "rig_id": rig_id})
                new += 1
            else:
                _set_later(session, name, local, mine)
            numbers[row["n"]] = local
        taken.new[name] = new
    return taken


def _at_home(name: str, row: dict[str, Any], taken: Taken) -> dict[str, Any]:
    """A row of the archive with the numbers of other records as they are here."""
    columns = {column.name for column in table_of(name).c}
    mine = {column: value for column, value in row.items() if column in columns and column not in LOCAL}
    for column, other in TABLES[name].refers.items():
        mine[column] = taken.numbers.get(other, {}).get(row[column])
    return numbered(name, mine, taken.numbers)


def _insert(session: Session, name: str, row: dict[str, Any]) -> int:
    opened = TABLES[name].packed
    values = {column: packed(value) if column in opened else value for column, value in row.items()}
    made = session.execute(insert(table_of(name)).values(**values))
    return int(made.inserted_primary_key[0])  # type: ignore[attr-defined]


def packed(body: Any) -> bytes:
    """Plain values as they are kept packed."""
    return zstandard.ZstdCompressor(level=3).compress(json.dumps(body, separators=(",", ":")).encode())


def _set_later(session: Session, name: str, local: int, row: dict[str, Any]) -> None:
    """Set on a record here what was set on it elsewhere; what is set here stands."""
    table = table_of(name)
    for column in TABLES[name].settable:
        there = row.get(column)
        if there in (None, "", []):
            continue
        here = session.scalar(select(table.c[column]).where(table.c.id == local))
        if here in (None, "", []):
            session.execute(update(table).where(table.c.id == local).values({column: there}))


Revisions = dict[tuple[str, int], dict[str, Any]]
"""Revisions of drawings, by drawing and number."""


def revisions_here(session: Session, rig_id: int) -> Revisions:
    """The revisions of a rig's drawings that are here."""
    return {(row["drawing"], row["seq"]): row for _, row in rows_of(session, rig_id, REVISIONS)}


def revisions_there(archive: RigArchive) -> Revisions:
    """The revisions an archive holds."""
    return {(row["drawing"], row["seq"]): row for row in archive.records[REVISIONS]}


def diverged(here: Revisions, there: Revisions, drawing: str) -> bool:
    """Whether a drawing was changed on both sides since they last were the same."""
    both = [key for key in here if key in there and key[0] == drawing]
    apart = any(identity(REVISIONS, here[key]) != identity(REVISIONS, there[key]) for key in both)
    ours, theirs = ({key for key in side if key[0] == drawing} for side in (here, there))
    return bool(ours and theirs) and (apart or not both)


def take_drawing(session: Session, rig_id: int, archive: RigArchive, drawing: str, *, theirs: bool) -> int:
    """Bring a drawing to where the archive has it, where that goes on from here; returns how many are new.

    Args:
        theirs: where both were changed, put the archive's on top of what is here; otherwise it is left out.
    """
    here, there = revisions_here(session, rig_id), revisions_there(archive)
    head = archive.rig["heads"].get(drawing)
    if head is None:
        return 0
    if diverged(here, there, drawing):
        if theirs:
            shown = there[drawing, head]
            drawings.push(
                session, rig_id, drawing, shown["body"], what="as in the archive", saved_s=shown["saved_s"]
            )
        return int(theirs)
    new = [key for key in there if key[0] == drawing and key not in here]
    for key in new:
        row = {name: there[key][name] for name in ("drawing", "seq", "saved_s", "what", "body")}
        _insert(session, REVISIONS, {**row, "rig_id": rig_id})
    if new:
        stands = session.get(DrawingRow, (rig_id, drawing))
        if stands is None:
            session.add(DrawingRow(rig_id=rig_id, drawing=drawing, head=head))
        else:
            stands.head = head
        session.flush()
    return len(new)


def rig_here(session: Session, uid: str) -> int | None:
    """The number of the rig known by that name elsewhere, or None."""
    return session.scalar(select(RigRow.id).where(RigRow.uid == uid)) if uid else None


def set_rig_fields(session: Session, rig_id: int, fields: dict[str, Any]) -> None:
    """Set fields of a rig as an archive has them."""
    session.execute(update(RigRow).where(RigRow.id == rig_id).values(**fields))
    session.expire_all()


def add_rig(session: Session, archive: RigArchive) -> int:
    """Keep the rig of an archive as a new one; its records are taken in after."""
    row = RigRow(**{name: archive.rig[name] for name in RIG_FIELDS})
    session.add(row)
    session.flush()
    return row.id


def take_source(session: Session, rig_id: int, archive: RigArchive, row: dict[str, Any]) -> int:
    """Take in a source, or what it has more than here; returns how many readings came in."""
    digest = home_digest(row["digest"], origin(session))
    known = logs.source_by_digest(session, rig_id, digest)
    if known is None:
        source = logs.add_source(
            session,
            rig_id,
            archive.readings(row["n"]),
            **{name: row[name] for name in ("kind", "name", "arrived_s", "gap_s", "report")},
            digest=digest,
        )
        if row["withdrawn_s"] is not None:
            logs.withdraw_source(session, rig_id, source.id, row["withdrawn_s"])
        return source.readings
    if row["withdrawn_s"] is not None and known.withdrawn_s is None:
        logs.withdraw_source(session, rig_id, known.id, row["withdrawn_s"])
    if known.readings == row["readings"] or not digest.startswith(("bridge:", "from:")):
        return 0
    return logs.append(session, known, archive.readings(row["n"]))[0].readings - known.readings
