"""The file: a ZIP of JSON, JSON lines, JPEG and Parquet, each part named with its SHA-256."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO, cast

import numpy as np
import zstandard
from sqlalchemy import Table, select
from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.limits import RATIO, RATIO_FROM, UNPACKED
from volnik.core.readings import Readings
from volnik.store import chain, logs
from volnik.store.registry import IN_ORDER, TABLES
from volnik.store.rigs import origin
from volnik.store.tables import Base, DrawingRow, RigRow

FORMAT, FORMAT_VERSION = "volnik rig archive", 1
RIG_FIELDS = (
    "uid",
    "name",
    "silhouette",
    "what",
    "zone",
    "created_s",
    "archived_s",
    "latitude",
    "climate",
    "language",
    "bank",
    "use",
)
SINCE = {"language": "en"}
"""Fields that archives of before do not have, as they were understood then."""

LOCAL = ("id", "rig_id")
REVISIONS = "drawing_revisions"
IN_LINES = (*IN_ORDER, REVISIONS)
UNREADABLE = (
    zipfile.BadZipFile,
    zlib.error,
    LookupError,
    ValueError,
    TypeError,
    AttributeError,
    OSError,
    RecursionError,
    NotImplementedError,
)
MOST_FILES = 20_000
MOST_JSON = 256 << 20  # bytes of one part in JSON
EPOCH = (1980, 1, 1, 0, 0, 0)  # of every part: the same rig gives the same bytes


class ArchiveRefused(InvalidInput):
    """A file that is no archive, is damaged, or cannot be taken in."""


def refused(sentence: str) -> ArchiveRefused:
    """An archive refused for a reason."""
    return ArchiveRefused({"archive": sentence})


@dataclass(slots=True)
class RigArchive:
    """An archive as read: plain values, and where its files are.

    Attributes:
        rig: fields of the rig; `heads` of its drawings among them.
        records: rows by table; "n" is a record's number within the archive.
        sources: rows of sources, with "n".
        links: the chains of records, of every rig.
        made: manifest as it was written.
        opened: where the photos and readings are read from.
    """

    rig: dict[str, Any]
    records: dict[str, list[dict[str, Any]]]
    sources: list[dict[str, Any]]
    links: list[dict[str, Any]]
    made: dict[str, Any]
    opened: zipfile.ZipFile

    def blob(self, table: str, n: int, column: str) -> bytes:
        """A file that is a column of a record."""
        return self.opened.read(_blob_name(table, n, column))

    def readings(self, n: int) -> Readings:
        """The readings of a source."""
        import polars as pl

        frame = pl.read_parquet(io.BytesIO(self.opened.read(f"readings/{n}.parquet")))
        columns = {name: frame[name].to_numpy().astype(np.float64) for name in frame.columns[1:]}
        volts, amps = columns.pop("volts"), columns.pop("amps")
        return Readings(frame["time_ms"].to_numpy() / 1000.0, volts, amps, columns)


def table_of(name: str) -> Table:
    """A table by its name."""
    return Base.metadata.tables[name]


def _blob_name(table: str, n: int, column: str) -> str:
    return f"{table}/{n}-{column}.jpg"


def identity(table: str, row: dict[str, Any]) -> str:
    """What a record is known again by, whichever machine it is on."""
    told = [row[column] for column in TABLES[table].identity]
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()


def _plain(table: str, values: dict[str, Any]) -> dict[str, Any]:
    """A row as JSON: packed columns opened, files and local numbers left out."""
    kept = TABLES[table]
    row = {name: value for name, value in values.items() if name not in (*LOCAL, *kept.blobs)}
    for name in kept.packed:
        row[name] = json.loads(zstandard.ZstdDecompressor().decompress(row[name]))
    return row


def rows_of(session: Session, rig_id: int, name: str) -> list[tuple[int, dict[str, Any]]]:
    """The records of a rig in one table, oldest first: number here, and plain values."""
    table = table_of(name)
    at = TABLES[name].at
    order = (table.c[at], table.c.id) if at else (table.c.drawing, table.c.seq)
    columns = [column for column in table.c if column.name not in TABLES[name].blobs]
    found = session.execute(select(*columns).where(table.c.rig_id == rig_id).order_by(*order))
    rows = [dict(row._mapping) for row in found]
    return [(int(row.get("id", at)), _plain(name, row)) for at, row in enumerate(rows)]


def write_archive(
    session: Session,
    rig_id: int,
    target: Path,
    *,
    made_s: float,
    program: str,
    on_progress: Callable[[float], None] = lambda done: None,
) -> None:
    """Write a rig as one file; what came in for it must be settled before.

    Raises:
        NotFound: when there is no such rig.
        OSError: when it cannot be written.
    """
    half = target.with_name(f"{target.name}.part")
    digests: dict[str, str] = {}
    try:
        with zipfile.ZipFile(half, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as out:
            for share, name, body in _parts(session, rig_id):
                info = zipfile.ZipInfo(name, EPOCH)
                is_packed = name.endswith((".jpg", ".parquet"))
                info.compress_type = zipfile.ZIP_STORED if is_packed else zipfile.ZIP_DEFLATED
                out.writestr(info, body)
                digests[name] = hashlib.sha256(body).hexdigest()
                on_progress(share)
            manifest = {
                "format": FORMAT,
                "format_version": FORMAT_VERSION,
                "made_s": made_s,
                "program": program,
                "files": digests,
            }
            out.writestr(zipfile.ZipInfo("manifest.json", EPOCH), json.dumps(manifest, indent=2))
        half.replace(target)
    finally:
        half.unlink(missing_ok=True)


def _parts(session: Session, rig_id: int) -> Iterator[tuple[float, str, bytes]]:
    """Every part of an archive: share done after it, name, content."""
    numbers: dict[str, dict[int, int]] = {}
    for at, name in enumerate(IN_LINES):
        rows = rows_of(session, rig_id, name)
        numbers[name] = {local: n for n, (local, _) in enumerate(rows, 1)}
        lines = [{"n": numbers[name][local], **_abroad(name, row, numbers)} for local, row in rows]
        yield 0.2 * at / len(IN_LINES), f"records/{name}.jsonl", _lines(lines)
        for column in TABLES[name].blobs:
            for local, _ in rows:
                body = session.scalar(select(table_of(name).c[column]).where(table_of(name).c.id == local))
                yield 0.2, _blob_name(name, numbers[name][local], column), bytes(body or b"")
    yield 0.3, "rig.json", json.dumps(rig_fields(session, rig_id), indent=2, sort_keys=True).encode()
    sources, here = logs.sources(session, rig_id), origin(session)
    lines = [_source_row(n, source, here) for n, source in enumerate(sources, 1)]
    yield 0.3, "records/sources.jsonl", _lines(lines)
    yield 0.3, "chain.jsonl", _lines(chain.carried(session, rig_fields(session, rig_id)["uid"]))
    for n, source in enumerate(sources, 1):
        yield 0.3 + 0.7 * n / len(sources), f"readings/{n}.parquet", _parquet(session, source)


def _abroad(name: str, row: dict[str, Any], numbers: dict[str, dict[int, int]]) -> dict[str, Any]:
    """A row with the numbers of other records as they are within the archive."""
    row = dict(row)
    for column, other in TABLES[name].refers.items():
        row[column] = numbers.get(other, {}).get(row[column])
    return numbered(name, row, numbers)


def numbered(name: str, row: dict[str, Any], numbers: dict[str, dict[int, int]]) -> dict[str, Any]:
    """A row whose body names other records by other numbers.

    Args:
        name: of the table.
        row: its values.
        numbers: new number by old one, by table.
    """
    for key, other in TABLES[name].body_refers.items():
        if key in row["body"]:
            new, old = numbers.get(other, {}), row["body"][key]
            told = [new.get(one) for one in old] if isinstance(old, list) else new.get(old)
            row = {**row, "body": {**row["body"], key: told}}
    return row


def _lines(rows: list[dict[str, Any]]) -> bytes:
    return "".join(json.dumps(row, sort_keys=True, ensure_ascii=False) + "\n" for row in rows).encode()


def rig_fields(session: Session, rig_id: int) -> dict[str, Any]:
    """The fields of a rig as an archive has them, and where its drawings stand."""
    row = session.get(RigRow, rig_id)
    assert row is not None
    heads = session.execute(select(DrawingRow.drawing, DrawingRow.head).where(DrawingRow.rig_id == rig_id))
    return {
        **{name: getattr(row, name) for name in RIG_FIELDS},
        "heads": {row[0]: row[1] for row in heads},
    }


def _source_row(n: int, source: logs.Source, here: str) -> dict[str, Any]:
    report = {name: value for name, value in source.report.items() if name != "bridge"}
    return {
        "n": n,
        "kind": source.kind,
        "name": source.name,
        "digest": abroad_digest(source.digest, here),
        "arrived_s": source.arrived_s,
        "withdrawn_s": source.withdrawn_s,
        "gap_s": source.gap_s,
        "readings": source.readings,
        "report": report,
    }


def abroad_digest(digest: str, here: str) -> str:
    """The mark of a source as other machines know it: that of a bridge with where the bridge is known."""
    return f"from:{here}:{digest}" if digest.startswith("bridge:") else digest


def home_digest(digest: str, here: str) -> str:
    """The mark of a source as this machine knows it."""
    return digest.removeprefix(f"from:{here}:")


def _parquet(session: Session, source: logs.Source) -> bytes:
    import polars as pl

    parts = [logs.open_chunk(session, source, place.seq) for place in logs.chunk_places(session, source.id)]
    time_s = np.concatenate([part.time_s for part in parts])
    columns: dict[str, Any] = {"time_ms": np.rint(time_s * 1000.0).astype(np.int64)}
    for name in source.columns:
        columns[name] = np.concatenate([part.columns()[name] for part in parts])
    out = io.BytesIO()
    pl.DataFrame(columns).write_parquet(out, compression="zstd", statistics=False)
    return out.getvalue()


def open_archive(file: BinaryIO) -> RigArchive:
    """Read an archive, every byte of it checked.

    Raises:
        ArchiveRefused: when it is none, is damaged, unpacks to too much, or was made by a newer Volnik.
    """
    try:
        opened = zipfile.ZipFile(file)
        _weigh(opened)
        made = json.loads(_part(opened, "manifest.json"))
        if made.get("format") != FORMAT:
            raise refused("This is no archive of a rig: its manifest says so.")
        if made.get("format_version") != FORMAT_VERSION:
            raise refused("It was made by a newer Volnik. Update this one first.")
        for name, digest in made["files"].items():
            with opened.open(name) as part:
                found = hashlib.file_digest(cast(io.BufferedReader, part), "sha256").hexdigest()
            if found != digest:
                raise refused(f"It is damaged: {name} is not what it was.")
        records = {name: _rows(opened, name) for name in IN_LINES}
        rig = {**SINCE, **json.loads(_part(opened, "rig.json"))}
        links = [json.loads(line) for line in _part(opened, "chain.jsonl").splitlines()]
        return RigArchive(rig, records, _rows(opened, "sources"), links, made, opened)
    except ArchiveRefused:
        raise
    except UNREADABLE:
        raise refused("This is no archive of a rig, or it is damaged.") from None


def _weigh(opened: zipfile.ZipFile) -> None:
    """Refuse what unpacks to too much."""
    infos = opened.infolist()
    unpacked = sum(info.file_size for info in infos)
    most = min(UNPACKED.value, RATIO.value * sum(info.compress_size for info in infos))
    if len(infos) > MOST_FILES or unpacked > max(RATIO_FROM.value, most):
        raise refused("It unpacks to more than a rig can hold.")


def _part(opened: zipfile.ZipFile, name: str) -> bytes:
    if opened.getinfo(name).file_size > MOST_JSON:
        raise refused(f"Its part {name} is larger than any rig's.")
    return opened.read(name)


def _rows(opened: zipfile.ZipFile, name: str) -> list[dict[str, Any]]:
    rows = [json.loads(line) for line in _part(opened, f"records/{name}.jsonl").splitlines()]
    needed = {"n", *TABLES[name].identity}
    if any(not isinstance(row, dict) or not needed <= set(row) for row in rows):
        raise refused(f"It is damaged: records of {name} lack what they are known by.")
    return cast(list[dict[str, Any]], rows)
