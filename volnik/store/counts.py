"""The count of record: its pieces, each with the state before it, and its events."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from volnik.core.count.state import CountState
from volnik.store.codec import head_of_overview, open_overview
from volnik.store.tables import CountOverviewRow, EventRow, PieceRow


@dataclass(frozen=True, slots=True)
class CountSegment:
    """Part of a chunk in the count of record.

    Attributes:
        seq: its place in the count.
        source_id, chunk_seq, first, last: readings [first, last) of that chunk.
        start_s, end_s: first and last instant [s].
        gap_s: of its source [s].
        state: the count before the piece.
        numbers_id: the version that held before it.
        entries_done: how many dated entries had acted before it.
    """

    seq: int
    source_id: int
    chunk_seq: int
    first: int
    last: int
    start_s: float
    end_s: float
    gap_s: float
    state: CountState
    numbers_id: int
    entries_done: int


@dataclass(frozen=True, slots=True)
class CountEvent:
    """Something that happened in the count: kind "reset", "gap", or that of an entry.

    The count before and after.
    """

    kind: str
    time_s: float
    end_s: float
    before: CountState
    after: CountState
    body: dict[str, Any]


def _pack(state: CountState) -> bytes:
    return state.row().tobytes()


def _open(blob: bytes) -> CountState:
    return CountState.from_row(np.frombuffer(blob, dtype=np.float64))


def clear(session: Session, rig_id: int) -> None:
    """Forget the count of a rig, to write it anew in the same transaction."""
    session.execute(delete(PieceRow).where(PieceRow.rig_id == rig_id))
    session.execute(delete(EventRow).where(EventRow.rig_id == rig_id))
    session.execute(delete(CountOverviewRow).where(CountOverviewRow.rig_id == rig_id))


def cut(session: Session, rig_id: int, segment: CountSegment) -> tuple[int, bytes | None]:
    """Forget the count from a piece on.

    Returns how many events stand, and the overview of what stands, or None.
    """
    session.execute(delete(PieceRow).where(PieceRow.rig_id == rig_id, PieceRow.seq >= segment.seq))
    standing, entered = 0, 0
    rows = session.execute(
        select(EventRow.kind, EventRow.end_s).where(EventRow.rig_id == rig_id).order_by(EventRow.seq)
    )
    for kind, end_s in rows:
        # An event of the readings stands when it ended before the piece; of the entries those that had acted
        # by then.
        if kind in ("reset", "gap"):
            if end_s >= segment.start_s:
                break
        elif entered == segment.entries_done:
            break
        else:
            entered += 1
        standing += 1
    session.execute(delete(EventRow).where(EventRow.rig_id == rig_id, EventRow.seq >= standing))
    body = overview(session, rig_id)
    session.execute(delete(CountOverviewRow).where(CountOverviewRow.rig_id == rig_id))
    if body is None or not segment.seq:
        return standing, None
    runs = int(np.searchsorted(open_overview(body)[0], segment.start_s - 1e-6))
    return standing, head_of_overview(body, runs)


def add_pieces(session: Session, rig_id: int, segments: Iterable[CountSegment]) -> None:
    """Keep pieces of the count."""
    rows = [
        {
            "rig_id": rig_id,
            "seq": segment.seq,
            "source_id": segment.source_id,
            "chunk_seq": segment.chunk_seq,
            "first": segment.first,
            "last": segment.last,
            "start_s": segment.start_s,
            "end_s": segment.end_s,
            "gap_s": segment.gap_s,
            "state": _pack(segment.state),
            "numbers_id": segment.numbers_id,
            "entries_done": segment.entries_done,
        }
        for segment in segments
    ]
    if rows:
        session.execute(insert(PieceRow), rows)


def add_events(session: Session, rig_id: int, events: list[CountEvent], *, after: int = 0) -> None:
    """Keep the events of a count, in order of time, after those that stand."""
    rows = [
        {
            "rig_id": rig_id,
            "seq": seq,
            "kind": event.kind,
            "time_s": event.time_s,
            "end_s": event.end_s,
            "before": _pack(event.before),
            "after": _pack(event.after),
            "body": event.body,
        }
        for seq, event in enumerate(events, after)
    ]
    if rows:
        session.execute(insert(EventRow), rows)


def segments(session: Session, rig_id: int) -> list[CountSegment]:
    """The pieces of a rig's count in order."""
    query = (
        select(
            PieceRow.seq,
            PieceRow.source_id,
            PieceRow.chunk_seq,
            PieceRow.first,
            PieceRow.last,
            PieceRow.start_s,
            PieceRow.end_s,
            PieceRow.gap_s,
            PieceRow.state,
            PieceRow.numbers_id,
            PieceRow.entries_done,
        )
        .where(PieceRow.rig_id == rig_id)
        .order_by(PieceRow.seq)
    )
    found = []
    for row in session.execute(query):
        found.append(CountSegment(*row[:8], _open(row[8]), row[9], row[10]))
    return found


def set_overview(session: Session, rig_id: int, body: bytes) -> None:
    """Keep the deficit overview of a rig's whole count."""
    session.add(CountOverviewRow(rig_id=rig_id, body=body))


def overview(session: Session, rig_id: int) -> bytes | None:
    """The deficit overview of a rig's whole count, or None while there is none."""
    return session.scalar(select(CountOverviewRow.body).where(CountOverviewRow.rig_id == rig_id))


def events(session: Session, rig_id: int) -> list[CountEvent]:
    """What happened in a rig's count, in order of time."""
    query = select(EventRow).where(EventRow.rig_id == rig_id).order_by(EventRow.seq)
    return [
        CountEvent(row.kind, row.time_s, row.end_s, _open(row.before), _open(row.after), row.body)
        for row in session.scalars(query)
    ]
