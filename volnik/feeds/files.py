"""Any log file, told apart by its content and never by its name."""

from __future__ import annotations

import gzip
import io
import math
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, BinaryIO, Literal, cast

from volnik.core.limits import RATIO, RATIO_FROM, UNPACKED
from volnik.feeds.batches import FileRead, FileRefused, gather
from volnik.feeds.csv import HEAD_BYTES, parse_csv, sniff_csv
from volnik.feeds.guess import Sniffed, match_headings, scales, test_time_doubts, time_kind
from volnik.feeds.jsonlines import first_objects, parse_jsonlines
from volnik.feeds.mapping import Mapping, MappingError
from volnik.feeds.parquet import first_rows, parse_parquet

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer

MOST_AT_ONCE = 1 << 20  # bytes unpacked at once
FileKind = Literal["csv", "jsonlines", "parquet"]


class Unpacked(gzip.GzipFile):
    """A gzip stream that is given up where it unpacks to more than a log can hold."""

    def __init__(self, raw: BinaryIO) -> None:
        super().__init__(fileobj=raw)
        self._raw = raw

    def readinto(self, buffer: WriteableBuffer) -> int:
        """Unpack into a buffer.

        Raises:
            FileRefused: when there is too much of it.
        """
        taken = super().readinto(buffer)
        so_far = self.tell()
        most = min(UNPACKED.value, RATIO.value * self._raw.tell())
        if so_far > RATIO_FROM.value and so_far > most:
            raise FileRefused(
                f"This gzip file unpacks to more than a log can hold: {so_far >> 20} MB already, from "
                f"{self._raw.tell() >> 10} kB. Export the log anew."
            )
        return taken


@dataclass(frozen=True, slots=True)
class OpenedLog:
    """A log file at its start, unpacked if it was gzipped."""

    kind: FileKind
    stream: BinaryIO
    head: bytes


def open_log(raw: BinaryIO) -> OpenedLog:
    """Tell what kind of log a stream holds, from its first bytes.

    Raises:
        FileRefused: when it is empty or of no kind Volnik reads.
    """
    raw.seek(0)
    stream = raw
    if raw.read(2) == b"\x1f\x8b":
        raw.seek(0)
        stream = cast(BinaryIO, io.BufferedReader(Unpacked(raw), MOST_AT_ONCE))
    else:
        raw.seek(0)
    try:
        head = stream.read(HEAD_BYTES)
        stream.seek(0)
    except (OSError, EOFError, zlib.error) as wrong:
        raise FileRefused("This gzip file is damaged or cut short.") from wrong
    if not head.strip():
        raise FileRefused("The file is empty.")
    if head.startswith(b"PAR1"):
        return OpenedLog("parquet", stream, head)
    if head.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        return OpenedLog("jsonlines", stream, head)
    return OpenedLog("csv", stream, head)


def sniff(log: OpenedLog) -> Sniffed:
    """The headings, first rows and suggested mapping of a log.

    Raises:
        FileRefused: when it cannot be read at all.
    """
    if log.kind == "csv":
        return sniff_csv(log.head)
    headings, rows = first_objects(log.head) if log.kind == "jsonlines" else first_rows(log.stream)
    log.stream.seek(0)
    columns = match_headings(headings)
    doubts: list[str] = test_time_doubts(headings, columns)
    suggestion: dict[str, object] = {"columns": columns, **scales(columns)}
    if "time" in columns:
        at = headings.index(columns["time"])
        suggestion |= time_kind([row[at] for row in rows], doubts)
    return Sniffed(headings, rows[:8], suggestion, doubts)


def standard_mapping(log: OpenedLog) -> Mapping:
    """The mapping of a log whose headings say what they are.

    Raises:
        FileRefused: when a needed column is not among them.
    """
    sniffed = sniff(log)
    try:
        return Mapping(**sniffed.suggestion)  # type: ignore[arg-type]
    except MappingError as wrong:
        missing = ", ".join(name for name in ("time", "volts", "amps") if name in wrong.problems)
        found = ", ".join(heading[:40] for heading in sniffed.headings[:12])
        raise FileRefused(
            f"The columns time, volts and amps are needed; missing: {missing}; found: {found}."
        ) from None


def read_log(
    log: OpenedLog,
    mapping: Mapping | None = None,
    *,
    on_progress: Callable[[], None] = lambda: None,
    believable_s: tuple[float, float] = (-math.inf, math.inf),
) -> FileRead:
    """Read a log from its start.

    Args:
        mapping: how it is written; by default what its headings say.
        on_progress: called after each batch; may raise to stop.
        believable_s: earliest and latest instant a reading may bear [s since 1970].

    Raises:
        FileRefused: when the file cannot be read at all.
    """
    parse = {"csv": parse_csv, "jsonlines": parse_jsonlines, "parquet": parse_parquet}[log.kind]
    mapping = mapping or standard_mapping(log)
    log.stream.seek(0)
    try:
        return gather(parse(log.stream, mapping), mapping, on_progress=on_progress, believable_s=believable_s)
    except (EOFError, gzip.BadGzipFile, zlib.error) as wrong:
        raise FileRefused("This gzip file is damaged or cut short.") from wrong
