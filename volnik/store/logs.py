"""Sources of readings and their chunks."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from volnik.core.readings import Readings
from volnik.core.rig.rig import UnknownRig
from volnik.store.codec import CHUNK_READINGS, overview_of, pack_times, pack_values, unpack
from volnik.store.tables import ChunkRow, OverviewRow, SourceRow


@dataclass(frozen=True, slots=True)
class Source:
    """A source of readings as kept.

    Attributes:
        id, kind, name, digest, arrived_s, withdrawn_s: as in the table.
        gap_s: longest interval of this source that is counted [s].
        readings: how many it holds.
        start_ms, end_ms: first and last instant [ms].
        columns: stored quantities beside time, in order.
        segments: unbroken stretches [ms].
        report: what the import left out, and why.
    """

    id: int
    kind: str
    name: str
    digest: str
    arrived_s: float
    withdrawn_s: float | None
    gap_s: float
    readings: int
    start_ms: int
    end_ms: int
    columns: list[str]
    segments: list[tuple[int, int]]
    report: dict[str, Any] = field(default_factory=dict)


def _source(row: SourceRow) -> Source:
    return Source(
        row.id, row.kind, row.name, row.digest, row.arrived_s, row.withdrawn_s, row.gap_s, row.readings, row.start_ms,
        row.end_ms, list(row.columns), [tuple(segment) for segment in row.segments], row.report,
    )  # fmt: skip


def sources(session: Session, rig_id: int, *, withdrawn: bool = True) -> list[Source]:
    """The sources of a rig in order of arrival."""
    query = select(SourceRow).where(SourceRow.rig_id == rig_id).order_by(SourceRow.arrived_s, SourceRow.id)
    return [_source(row) for row in session.scalars(query) if withdrawn or row.withdrawn_s is None]


def source_by_digest(session: Session, rig_id: int, digest: str) -> Source | None:
    """The source that holds exactly these readings, or None."""
    row = session.scalar(select(SourceRow).where(SourceRow.rig_id == rig_id, SourceRow.digest == digest))
    return None if row is None else _source(row)


def withdraw_source(session: Session, rig_id: int, source_id: int, withdrawn_s: float | None) -> Source:
    """Withdraw a source, or take the withdrawal back with None."""
    row = session.get(SourceRow, source_id)
    if row is None or row.rig_id != rig_id:
        raise UnknownRig(source_id)
    row.withdrawn_s = withdrawn_s
    session.flush()
    return _source(row)


def add_source(
    session: Session, rig_id: int, readings: Readings, *, kind: str, name: str, digest: str, arrived_s: float,
    gap_s: float, report: dict[str, Any], watch: Callable[[float], None] = lambda done: None,
) -> Source:  # fmt: skip
    """Keep the readings of a source, whose instants are whole milliseconds.

    Args:
        watch: told the share done, 0..1; may raise to stop, and then nothing is kept.
    """
    time_ms = np.rint(readings.time_s * 1000.0).astype(np.int64)
    breaks = np.flatnonzero(np.diff(readings.time_s) > gap_s)
    firsts, lasts = np.concatenate(([0], breaks + 1)), np.concatenate((breaks, [len(time_ms) - 1]))
    columns = readings.columns()
    row = SourceRow(
        rig_id=rig_id, kind=kind, name=name, digest=digest, arrived_s=arrived_s, gap_s=gap_s, readings=len(readings),
        start_ms=int(time_ms[0]), end_ms=int(time_ms[-1]), columns=list(columns), report=report,
        segments=[[int(time_ms[a]), int(time_ms[b])] for a, b in zip(firsts, lasts, strict=True)],
    )  # fmt: skip
    session.add(row)
    session.flush()

    def pack(start: int) -> dict[str, Any]:
        part = slice(start, start + CHUNK_READINGS)
        values = [column[part] for column in columns.values()]
        body = pack_times(time_ms[part]) + b"".join(pack_values(column) for column in values)
        return {
            "source_id": row.id, "seq": start // CHUNK_READINGS, "readings": len(time_ms[part]),
            "start_ms": int(time_ms[part][0]), "end_ms": int(time_ms[part][-1]), "body": body,
        }  # fmt: skip

    session.add(OverviewRow(source_id=row.id, body=overview_of(readings.time_s, list(columns.values()))))
    starts = range(0, len(time_ms), CHUNK_READINGS)
    with ThreadPoolExecutor(2) as pool:
        for done, chunk in enumerate(pool.map(pack, starts)):
            session.execute(insert(ChunkRow), [chunk])
            watch((done + 1) / len(starts))
    return _source(row)


@dataclass(frozen=True, slots=True)
class ChunkPlace:
    """Where a chunk lies: its source, number, readings and instants [ms]."""

    source_id: int
    seq: int
    readings: int
    start_ms: int
    end_ms: int


def chunk_places(session: Session, source_id: int) -> list[ChunkPlace]:
    """The chunks of a source in order."""
    query = (
        select(ChunkRow.seq, ChunkRow.readings, ChunkRow.start_ms, ChunkRow.end_ms)
        .where(ChunkRow.source_id == source_id)
        .order_by(ChunkRow.seq)
    )
    return [ChunkPlace(source_id, *row) for row in session.execute(query)]


class ChunkShelf:
    """Opened chunks kept at hand. A chunk never changes once kept, so it can never be stale."""

    def __init__(self, most: int = 96) -> None:
        self._most = most
        self._open: OrderedDict[tuple[int, int], Readings] = OrderedDict()
        self._lock = threading.Lock()

    def chunk(self, session: Session, source: Source, seq: int) -> Readings:
        """All readings of one chunk."""
        key = (source.id, seq)
        with self._lock:
            if key in self._open:
                self._open.move_to_end(key)
                return self._open[key]
        body = session.scalar(select(ChunkRow.body).where(ChunkRow.source_id == source.id, ChunkRow.seq == seq))
        if body is None:
            raise UnknownRig(source.id)
        time_ms, offset = unpack(body)
        values = {}
        for name in source.columns:
            values[name], offset = unpack(body, offset)
        extra = {name: column for name, column in values.items() if name not in ("volts", "amps")}
        readings = Readings(time_ms / 1000.0, values["volts"], values["amps"], extra)
        with self._lock:
            self._open[key] = readings
            while len(self._open) > self._most:
                self._open.popitem(last=False)
        return readings


def overview(session: Session, source_id: int) -> bytes:
    """The overview of a source, its runs never reaching from one chunk into the next."""
    body = session.scalar(select(OverviewRow.body).where(OverviewRow.source_id == source_id))
    if body is None:
        raise UnknownRig(source_id)
    return body
