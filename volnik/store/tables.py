"""The tables. Instants are seconds since 1970 (REAL) or milliseconds (INTEGER, named _ms)."""

from __future__ import annotations

import secrets
from typing import Any

from sqlalchemy import JSON, ForeignKey, LargeBinary, MetaData, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "ix": "ix_%(column_0_N_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    """Base of every table."""

    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON, bytes: LargeBinary}


def _new_uid() -> str:
    """A name by which a rig is known on other machines."""
    return secrets.token_hex(12)


class RigRow(Base):
    """A rig: one vehicle's or boat's battery system."""

    __tablename__ = "rigs"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    silhouette: Mapped[str]
    what: Mapped[str] = mapped_column(default="")
    zone: Mapped[str] = mapped_column(default="UTC")
    created_s: Mapped[float]
    archived_s: Mapped[float | None] = mapped_column(default=None)
    demo_key: Mapped[str | None] = mapped_column(default=None, index=True)
    demo_version: Mapped[int | None] = mapped_column(default=None)
    modified_by_user: Mapped[bool] = mapped_column("touched", default=False)
    latitude: Mapped[float | None] = mapped_column(default=None)
    climate: Mapped[str] = mapped_column(default="", server_default="")
    language: Mapped[str] = mapped_column(default="en", server_default="en")
    bank: Mapped[dict[str, Any] | None] = mapped_column(default=None)
    use: Mapped[dict[str, Any] | None] = mapped_column(default=None)
    summary: Mapped[dict[str, Any] | None] = mapped_column("standing", default=None)
    count_revision: Mapped[int] = mapped_column(default=0)
    uid: Mapped[str] = mapped_column(default=_new_uid, server_default="")


class NumbersRow(Base):
    """One saved version of a rig's numbers. Only ever added."""

    __tablename__ = "numbers"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    saved_s: Mapped[float]
    holds_from_s: Mapped[float | None]
    reason: Mapped[str]
    body: Mapped[dict[str, Any]]
    power_up: Mapped[str]


class EntryRow(Base):
    """A dated entry in a rig's record: count set, full by hand, supply lost, block swapped.

    Only ever added.
    """

    __tablename__ = "entries"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    time_s: Mapped[float]
    written_s: Mapped[float]
    kind: Mapped[str]
    body: Mapped[dict[str, Any]]
    note: Mapped[str] = mapped_column(default="")
    withdrawn_s: Mapped[float | None] = mapped_column(default=None)


class SourceRow(Base):
    """Where readings of a rig came from: a file, a bridge, a hand. Withdrawn, never deleted."""

    __tablename__ = "sources"
    __table_args__ = (UniqueConstraint("rig_id", "digest"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str]
    name: Mapped[str]
    digest: Mapped[str]
    arrived_s: Mapped[float]
    withdrawn_s: Mapped[float | None] = mapped_column(default=None)
    gap_s: Mapped[float]
    readings: Mapped[int]
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    columns: Mapped[list[Any]]
    segments: Mapped[list[Any]]
    report: Mapped[dict[str, Any]]


class ChunkRow(Base):
    """Up to 65,536 readings of a source, each column packed on its own."""

    __tablename__ = "chunks"

    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    readings: Mapped[int]
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    body: Mapped[bytes]


class OverviewRow(Base):
    """Least and greatest of each column of a source over runs of 256 readings, in one piece: read at once."""

    __tablename__ = "overviews"

    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[bytes]


class PieceRow(Base):
    """A piece of the count of record: part of one chunk, with the state the count had before it."""

    __tablename__ = "count_pieces"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    source_id: Mapped[int]
    chunk_seq: Mapped[int]
    first: Mapped[int]
    last: Mapped[int]
    start_s: Mapped[float]
    end_s: Mapped[float]
    gap_s: Mapped[float]
    state: Mapped[bytes]
    numbers_id: Mapped[int]
    entries_done: Mapped[int]


class CountOverviewRow(Base):
    """Least and greatest deficit of the count of record over runs of readings, in one piece: read at once."""

    __tablename__ = "count_overviews"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[bytes]


class EventRow(Base):
    """What happened in the count of record: a full reset, a gap, an entry."""

    __tablename__ = "count_events"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    time_s: Mapped[float]
    end_s: Mapped[float]
    before: Mapped[bytes]
    after: Mapped[bytes]
    body: Mapped[dict[str, Any]]


class DrawingRow(Base):
    """Which revision of a drawing is shown now: "found" (with devices and monitor) or "planned"."""

    __tablename__ = "drawings"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    drawing: Mapped[str] = mapped_column(primary_key=True)
    head: Mapped[int]


class RevisionRow(Base):
    """One revision of a drawing, packed; those after the head are what redo brings back."""

    __tablename__ = "drawing_revisions"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    drawing: Mapped[str] = mapped_column(primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    saved_s: Mapped[float]
    what: Mapped[str]
    body: Mapped[bytes]


class StoodRow(Base):
    """Wiring as it stands from a date on, with the devices of that day. Only ever added."""

    __tablename__ = "stood"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    from_s: Mapped[float]
    saved_s: Mapped[float]
    reason: Mapped[str]
    body: Mapped[bytes]
    touched: Mapped[list[Any]]


class PhotoRow(Base):
    """A photo of a rig, resized and without its location; taken out, never deleted; left out of papers."""

    __tablename__ = "photos"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    added_s: Mapped[float]
    removed_s: Mapped[float | None] = mapped_column(default=None)
    left_out_s: Mapped[float | None] = mapped_column(default=None)
    caption: Mapped[str] = mapped_column(default="")
    width: Mapped[int]
    height: Mapped[int]
    digest: Mapped[str]
    body: Mapped[bytes]
    small: Mapped[bytes]


class SheetRow(Base):
    """A sheet of numbers as it was given out, in one monitor's words. Only ever added."""

    __tablename__ = "sheets"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    made_s: Mapped[float]
    version_id: Mapped[int | None]
    dialect: Mapped[str]
    body: Mapped[dict[str, Any]]


class ReadBackRow(Base):
    """What was really entered in the monitor, read back against a sheet. Only ever added."""

    __tablename__ = "read_backs"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheets.id", ondelete="CASCADE"))
    made_s: Mapped[float]
    body: Mapped[list[Any]]


class TokenRow(Base):
    """A key to one address: a bridge's readings of one rig, a calendar, metrics.

    Only its digest is kept; ended, never deleted.
    """

    __tablename__ = "tokens"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    rig_id: Mapped[int | None] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    interval_s: Mapped[float]
    made_s: Mapped[float]
    ended_s: Mapped[float | None] = mapped_column(default=None)


class PairedRow(Base):
    """A phone or other browser let in from the network; ended, never deleted."""

    __tablename__ = "paired"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    paired_s: Mapped[float]
    seen_s: Mapped[float]
    ended_s: Mapped[float | None] = mapped_column(default=None)
    role: Mapped[str] = mapped_column(default="installer", server_default="installer")
    rig_id: Mapped[int | None] = mapped_column(default=None)


class TickRow(Base):
    """What was done at a step of Wire-up: ticked, taken back, skipped, noted, photographed.

    Only ever added.
    """

    __tablename__ = "ticks"

    id: Mapped[int] = mapped_column(primary_key=True)
    idempotency_key: Mapped[str] = mapped_column("mark", unique=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    job: Mapped[int]
    step: Mapped[str]
    kind: Mapped[str]
    body: Mapped[dict[str, Any]]
    who: Mapped[str]
    time_s: Mapped[float]
    saved_s: Mapped[float]


class ProofRow(Base):
    """One measurement that shows the work: immutable.

    A correction is a new entry that names the one it corrects.
    """

    __tablename__ = "proofs"

    id: Mapped[int] = mapped_column(primary_key=True)
    idempotency_key: Mapped[str] = mapped_column("mark", unique=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    check: Mapped[str]
    about: Mapped[str]
    verdict: Mapped[str]
    body: Mapped[dict[str, Any]]
    source: Mapped[str]
    who: Mapped[str]
    time_s: Mapped[float]
    saved_s: Mapped[float]
    corrects: Mapped[int | None] = mapped_column(ForeignKey("proofs.id", ondelete="CASCADE"), default=None)


class ProvingRow(Base):
    """The switching test under way on a rig, so that a reload does not lose it."""

    __tablename__ = "proving"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[dict[str, Any]]


class AlarmsRow(Base):
    """The alarms and relay set-points of a rig, one saved list. Only ever added."""

    __tablename__ = "alarms"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    saved_s: Mapped[float]
    reason: Mapped[str]
    body: Mapped[list[Any]]


class NoteRow(Base):
    """A dated note of Watch: wiring mended, second opinions, a load named, a trip, joints torqued.

    Only ever added; withdrawn, never deleted.
    """

    __tablename__ = "notes"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str]
    time_s: Mapped[float]
    saved_s: Mapped[float]
    who: Mapped[str]
    body: Mapped[dict[str, Any]]
    withdrawn_s: Mapped[float | None] = mapped_column(default=None)


class PaperRow(Base):
    """A paper as it was issued: its bytes, its words, what it rests on. Only ever added; signed once."""

    __tablename__ = "papers"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    paper: Mapped[str]
    size: Mapped[str]
    issued_s: Mapped[float]
    who: Mapped[str]
    rests_on: Mapped[str]
    record_hash: Mapped[str]
    digest: Mapped[str]
    lines: Mapped[list[Any]]
    body: Mapped[bytes]
    signed: Mapped[dict[str, Any] | None] = mapped_column(default=None)


class IncidentRow(Base):
    """One time a live alarm's level was passed.

    When it began, spoke, ended, who acknowledged it, where it was told.
    """

    __tablename__ = "incidents"
    __table_args__ = (UniqueConstraint("rig_id", "key", "start_s"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), index=True)
    key: Mapped[str]
    start_s: Mapped[float]
    end_s: Mapped[float | None] = mapped_column(default=None)
    worst: Mapped[float]
    spoke_s: Mapped[float | None] = mapped_column(default=None)
    held: Mapped[str] = mapped_column(default="")
    acked_s: Mapped[float | None] = mapped_column(default=None)
    acked_by: Mapped[str] = mapped_column(default="")
    notified: Mapped[list[Any]] = mapped_column("told")


class AlarmStateRow(Base):
    """Where the live alarms of a rig stand between two looks, by key."""

    __tablename__ = "alarm_states"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[dict[str, Any]]


class ShopRow(Base):
    """What belongs to the shop and not to a rig: shelf edits, remembered column maps."""

    __tablename__ = "shop"

    name: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]


class LinkRow(Base):
    """A link of a chain of records: its record as first written, and the hash of the link before.

    Only ever added; see `store.chain`.
    """

    __tablename__ = "links"
    __table_args__ = (UniqueConstraint("origin", "seq"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    origin: Mapped[str]
    seq: Mapped[int]
    kind: Mapped[str]
    rig_uid: Mapped[str]
    format: Mapped[int]
    body: Mapped[str | None] = mapped_column(default=None)
    body_hash: Mapped[str]
    previous: Mapped[str]
    hash: Mapped[str]


class ChangeRow(Base):
    """Who changed what when: numbers, drawings, rig data, Shelf, keys. Only ever added; outlives its rig."""

    __tablename__ = "changes"
    __table_args__ = ({"sqlite_autoincrement": True},)  # a number is never given twice

    id: Mapped[int] = mapped_column(primary_key=True)
    at_s: Mapped[float]
    rig_id: Mapped[int | None] = mapped_column(index=True)
    subject: Mapped[str]
    who: Mapped[str]
    page: Mapped[str]
    what: Mapped[str]
    fields: Mapped[dict[str, Any]]


class PractisedRow(Base):
    """A case, a log or a sum of Practice that somebody came to an end of. Of no rig; only ever added."""

    __tablename__ = "practised"

    id: Mapped[int] = mapped_column(primary_key=True)
    at_s: Mapped[float]
    who: Mapped[str] = mapped_column(index=True)
    kind: Mapped[str]
    level: Mapped[int]
    seed: Mapped[int]
    causes: Mapped[str]
    right: Mapped[bool]
    minutes: Mapped[float]
    soonest: Mapped[float]
    stopped: Mapped[bool]
    proven: Mapped[bool]
