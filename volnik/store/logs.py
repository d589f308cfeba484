"""Sources of readings and their chunks."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.readings import Readings, tidy
from volnik.core.rig.rig import NotFound
from volnik.core.sizes import SizedCache
from volnik.store.codec import (
    BUCKET_READINGS,
    CHUNK_READINGS,
    head_of_overview,
    join_overviews,
    overview_of,
    pack_times,
    pack_values,
    unpack,
)
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

    @property
    def start_s(self) -> float:
        """First instant [s since 1970]."""
        return self.start_ms / 1000.0

    @property
    def end_s(self) -> float:
        """Last instant [s since 1970]."""
        return self.end_ms / 1000.0


def _source(row: SourceRow) -> Source:
    return Source(
        row.id,
        row.kind,
        row.name,
        row.digest,
        row.arrived_s,
        row.withdrawn_s,
        row.gap_s,
        row.readings,
        row.start_ms,
        row.end_ms,
        list(row.columns),
        [tuple(segment) for segment in row.segments],
        row.report,
    )


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
        raise NotFound("source", source_id)
    row.withdrawn_s = withdrawn_s
    session.flush()
    return _source(row)


def _packed(source_id: int, seq: int, time_ms: NDArray[np.int64], columns: list[Floats]) -> dict[str, Any]:
    return {
        "source_id": source_id,
        "seq": seq,
        "readings": len(time_ms),
        "start_ms": int(time_ms[0]),
        "end_ms": int(time_ms[-1]),
        "body": pack_times(time_ms) + b"".join(pack_values(column) for column in columns),
    }


def _segments(time_ms: NDArray[np.int64], gap_s: float) -> list[list[int]]:
    breaks = np.flatnonzero(np.diff(time_ms) > 1000.0 * gap_s)
    firsts, lasts = np.concatenate(([0], breaks + 1)), np.concatenate((breaks, [len(time_ms) - 1]))
    return [[int(time_ms[a]), int(time_ms[b])] for a, b in zip(firsts, lasts, strict=True)]


def add_source(
    session: Session,
    rig_id: int,
    readings: Readings,
    *,
    kind: str,
    name: str,
    digest: str,
    arrived_s: float,
    gap_s: float,
    report: dict[str, Any],
    on_progress: Callable[[float], None] = lambda done: None,
) -> Source:
    """Keep the readings of a source, whose instants are whole milliseconds.

    Args:
        on_progress: told the share done, 0..1; may raise to stop, and then nothing is kept.
    """
    time_ms = np.rint(readings.time_s * 1000.0).astype(np.int64)
    columns = readings.columns()
    row = SourceRow(
        rig_id=rig_id,
        kind=kind,
        name=name,
        digest=digest,
        arrived_s=arrived_s,
        gap_s=gap_s,
        readings=len(readings),
        start_ms=int(time_ms[0]),
        end_ms=int(time_ms[-1]),
        columns=list(columns),
        report=report,
        segments=_segments(time_ms, gap_s),
    )
    session.add(row)
    session.flush()

    def pack(start: int) -> dict[str, Any]:
        part = slice(start, start + CHUNK_READINGS)
        return _packed(
            row.id, start // CHUNK_READINGS, time_ms[part], [column[part] for column in columns.values()]
        )

    session.add(OverviewRow(source_id=row.id, body=overview_of(readings.time_s, list(columns.values()))))
    starts = range(0, len(time_ms), CHUNK_READINGS)
    with ThreadPoolExecutor(2) as pool:
        for done, chunk in enumerate(pool.map(pack, starts)):
            session.execute(insert(ChunkRow), [chunk])
            on_progress((done + 1) / len(starts))
    return _source(row)


def append(session: Session, source: Source, readings: Readings) -> tuple[Source, float]:
    """Add readings to a source that goes on, late ones in their place; of one instant the first stands.

    Chunks before the first new instant stay as they are.

    Args:
        readings: instants in whole milliseconds; columns the source does not have are dropped.

    Returns:
        The source as it is now, and the instant from which its readings may have changed [s].
    """
    row = session.get(SourceRow, source.id)
    assert row is not None
    first_ms = round(float(readings.time_s[0]) * 1000.0)
    places = chunk_places(session, source.id)
    touched = next((place.seq for place in reversed(places) if place.start_ms <= first_ms), 0)
    late = first_ms <= source.end_ms
    kept = [open_chunk(session, source, place.seq) for place in places[touched:]]
    since_s = min(float(kept[0].time_s[0]), first_ms / 1000.0) if late else source.end_ms / 1000.0
    merged = _merged(source, [*kept, readings])
    time_ms = np.rint(merged.time_s * 1000.0).astype(np.int64)
    _rewrite_chunks(session, source, touched, merged, time_ms)
    row.segments = _joined_segments(source, time_ms)
    row.readings = sum(place.readings for place in places[:touched]) + len(time_ms)
    row.start_ms, row.end_ms = min(row.start_ms, int(time_ms[0])), max(row.end_ms, int(time_ms[-1]))
    row.report = {**row.report, "rewritten": int(row.report.get("rewritten", 0)) + int(late)}
    session.flush()
    return _source(row), since_s


def _merged(source: Source, parts: list[Readings]) -> Readings:
    """Parts of a source put together in order of time; what a part lacks is NaN."""
    columns = {
        name: np.concatenate([part.columns().get(name, np.full(len(part), np.nan)) for part in parts])
        for name in source.columns
    }
    return tidy(np.concatenate([part.time_s for part in parts]), columns).readings


def _rewrite_chunks(
    session: Session, source: Source, first_seq: int, readings: Readings, time_ms: NDArray[np.int64]
) -> None:
    """Put readings in the place of all chunks from a number on, in the overview too."""
    session.execute(delete(ChunkRow).where(ChunkRow.source_id == source.id, ChunkRow.seq >= first_seq))
    values = [readings.columns()[name] for name in source.columns]
    chunks: list[dict[str, Any]] = []
    overviews: list[bytes] = []
    for start in range(0, len(time_ms), CHUNK_READINGS):
        part = slice(start, start + CHUNK_READINGS)
        mine = [value[part] for value in values]
        chunks.append(_packed(source.id, first_seq + len(chunks), time_ms[part], mine))
        overviews.append(overview_of(readings.time_s[part], mine))
    session.execute(insert(ChunkRow), chunks)
    body = session.get(OverviewRow, source.id)
    assert body is not None
    if first_seq:
        overviews.insert(0, head_of_overview(body.body, first_seq * (CHUNK_READINGS // BUCKET_READINGS)))
    body.body = join_overviews(overviews)


def _joined_segments(source: Source, time_ms: NDArray[np.int64]) -> list[list[int]]:
    """The segments of a source whose readings from the first of these instants on are new [ms].

    A segment that runs through the seam between chunks, or ends within the gap before it, goes on.
    """
    earlier = [list(segment) for segment in source.segments if segment[1] < time_ms[0]]
    through = [segment for segment in source.segments if segment[0] < time_ms[0] <= segment[1]]
    segments = _segments(time_ms, source.gap_s)
    if through:
        segments[0][0] = through[0][0]
    elif earlier and segments[0][0] - earlier[-1][1] <= 1000.0 * source.gap_s:
        segments[0][0] = earlier.pop()[0]
    return [*earlier, *segments]


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


def open_chunk(session: Session, source: Source, seq: int) -> Readings:
    """The readings of one chunk, unpacked."""
    return _unpacked(source, _body(session, source, seq))


def _body(session: Session, source: Source, seq: int) -> bytes:
    body = session.scalar(select(ChunkRow.body).where(ChunkRow.source_id == source.id, ChunkRow.seq == seq))
    if body is None:
        raise NotFound("source", source.id)
    return body


def _unpacked(source: Source, body: bytes) -> Readings:
    time_ms, offset = unpack(body)
    values = {}
    for name in source.columns:
        values[name], offset = unpack(body, offset)
    extra = {name: column for name, column in values.items() if name not in ("volts", "amps")}
    return Readings(time_ms / 1000.0, values["volts"], values["amps"], extra)


FETCHED_AHEAD = 3
CHUNK_BYTES = 64 << 20  # some 2 MB each


class ChunkShelf:
    """Opened chunks kept at hand, named so that none is ever stale.

    The last chunk of a source by what the source then held.
    """

    def __init__(self, most_bytes: int = CHUNK_BYTES) -> None:
        self._open: LRUCache[tuple[int, int, int, int], Readings] = SizedCache(most_bytes)
        self._lock = threading.Lock()

    def chunk(self, session: Session, source: Source, seq: int) -> Readings:
        """All readings of one chunk."""
        key = self._key(source, seq)
        found = self._at_hand(key)
        return found if found is not None else self._keep(key, open_chunk(session, source, seq))

    def following(self, session: Session, source: Source, seqs: list[int]) -> Iterator[Readings]:
        """Chunks one after the other, the next ones opened meanwhile.

        A long log is read and counted at the same time.
        """
        with ThreadPoolExecutor(2) as pool:
            waiting: deque[tuple[tuple[int, int, int, int], Readings | Future[Readings]]] = deque()
            coming = iter(seqs)

            def fetch() -> None:
                seq = next(coming, None)
                if seq is not None:
                    key = self._key(source, seq)
                    found = self._at_hand(key)
                    waiting.append(
                        (
                            key,
                            found
                            if found is not None
                            else pool.submit(_unpacked, source, _body(session, source, seq)),
                        )
                    )

            for _ in range(FETCHED_AHEAD):
                fetch()
            while waiting:
                key, readings = waiting.popleft()
                fetch()
                yield readings if isinstance(readings, Readings) else self._keep(key, readings.result())

    @staticmethod
    def _key(source: Source, seq: int) -> tuple[int, int, int, int]:
        last = (seq + 1) * CHUNK_READINGS > source.readings
        return (source.id, seq, int(source.report.get("rewritten", 0)), source.readings if last else 0)

    def _at_hand(self, key: tuple[int, int, int, int]) -> Readings | None:
        with self._lock:
            found: Readings | None = self._open.get(key)
            return found

    def _keep(self, key: tuple[int, int, int, int], readings: Readings) -> Readings:
        with self._lock:
            self._open[key] = readings
        return readings


def overview(session: Session, source_id: int) -> bytes:
    """The overview of a source, its runs never reaching from one chunk into the next."""
    body = session.scalar(select(OverviewRow.body).where(OverviewRow.source_id == source_id))
    if body is None:
        raise NotFound("source", source_id)
    return body


def bytes_of(session: Session, source_id: int) -> int:
    """What a source takes up on disk, its overview too [bytes]."""
    chunks = session.scalar(
        select(func.coalesce(func.sum(func.length(ChunkRow.body)), 0)).where(ChunkRow.source_id == source_id)
    )
    look = session.scalar(select(func.length(OverviewRow.body)).where(OverviewRow.source_id == source_id))
    return int(chunks or 0) + int(look or 0)


def remove_source(session: Session, source_id: int) -> None:
    """Remove a source whose readings a thinned one has taken the place of."""
    session.execute(delete(SourceRow).where(SourceRow.id == source_id))
    session.flush()
