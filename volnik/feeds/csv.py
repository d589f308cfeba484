"""CSV logs: guessing how one is written, and reading it in chunks of whole lines."""

from __future__ import annotations

import codecs
import csv
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import BinaryIO, Protocol

import numpy as np
import polars as pl

from volnik.core.limits import LINE
from volnik.feeds.batches import Batch, FileRefused
from volnik.feeds.fasttimes import utc_column
from volnik.feeds.guess import Sniffed, match_headings, scales, test_time_doubts, time_kind
from volnik.feeds.mapping import Mapping

CHUNK_BYTES = 1 << 24  # a year at 1 Hz comes in some 70 of them: memory stays flat
FIRST_BYTES = 1 << 15  # what is no log is known by its begin, before much of it is read
LINES_A_CHUNK = 1_000_000  # what is known of each line takes more memory than a short line itself
AT_ONCE = 2  # the parser leaves the lock: one chunk is read while the other is counted
HEAD_BYTES = 1 << 16
LONGEST_LINE = int(LINE)
BOMS = {b"\xef\xbb\xbf": "utf-8", b"\xff\xfe": "utf-16-le", b"\xfe\xff": "utf-16-be"}


def _decode(data: bytes) -> str:
    for mark, encoding in BOMS.items():
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, errors="replace")
    return data.decode("utf-8", errors="replace")


def _fields(line: str, separator: str) -> list[str]:
    try:
        row = next(csv.reader([line], delimiter=separator), [])
    except csv.Error:
        row = line.split(separator)
    return [value.strip() for value in row]


def sniff_csv(head: bytes) -> Sniffed:
    """Guess how a CSV log is written from its first bytes.

    Raises:
        FileRefused: when there is no line of text to go by.
    """
    text = _decode(head)
    lines = text.splitlines()
    if len(head) >= HEAD_BYTES:
        lines = lines[:-1]  # the last one may be cut
    lines = [line for line in lines if line.strip()]
    if not lines or "\x00" in text:
        raise FileRefused(
            "This is not a text file with one reading a line; export the log as CSV and try again."
        )
    separator = max(
        ("\t", ";", "|", ","), key=lambda mark: (min(lines[0].count(mark), 1), lines[0].count(mark))
    )
    headings = _fields(lines[0], separator)
    rows = [_fields(line, separator) for line in lines[1:]]
    decimal = "," if separator != "," and _commas_are_decimals(rows) else "."
    columns = match_headings(headings)
    doubts = test_time_doubts(headings, columns)
    suggestion: dict[str, object] = {"columns": columns, "separator": separator, "decimal": decimal}
    if "time" in columns:
        at = headings.index(columns["time"])
        suggestion |= time_kind([row[at] for row in rows[:200] if len(row) > at], doubts)
    suggestion |= scales(columns)
    return Sniffed(headings, rows[:8], suggestion, doubts)


def _commas_are_decimals(rows: list[list[str]]) -> bool:
    values = [value for row in rows[:200] for value in row]
    return any("," in value and value.replace(",", "", 1).lstrip("+-").isdigit() for value in values)


def parse_csv(stream: BinaryIO, mapping: Mapping, *, chunk_bytes: int = CHUNK_BYTES) -> Iterator[Batch]:
    """Read a CSV log as batches of text, one row for each line.

    Args:
        stream: the file's bytes, at its start.

    Raises:
        FileRefused: when the heading lacks a column of the mapping, or a line is endless.
    """
    source = _as_utf8(stream)
    heading = source.readline(LONGEST_LINE)
    line = 1
    while heading and not heading.strip():
        heading, line = source.readline(LONGEST_LINE), line + 1
    names = _fields(heading.decode("utf-8", errors="replace").rstrip("\r\n"), mapping.separator)
    places = {}
    for name, column in mapping.columns.items():
        if column in names:
            places[name] = names.index(column)
        elif name in ("time", "volts", "amps"):
            raise FileRefused(f"Line {line} does not name a column “{column}”, which should hold {name}.")
    with ThreadPoolExecutor(AT_ONCE) as pool:  # reading numbers lets the other core go on
        waiting: deque[Future[Batch]] = deque()
        for data in _whole_lines(source, chunk_bytes, line):
            waiting.append(pool.submit(_batch, data, places, len(names), mapping, line + 1))
            line += data.count(b"\n")
            if len(waiting) > AT_ONCE:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _whole_lines(source: ByteSource, chunk_bytes: int, line: int) -> Iterator[bytes]:
    """The rest of a stream in chunks that end with a line."""
    size = min(FIRST_BYTES, chunk_bytes)
    while data := source.read(size):
        if not data.endswith(b"\n"):
            data += source.readline(LONGEST_LINE)
        if not data.endswith(b"\n"):
            if len(data) > LONGEST_LINE and source.read(1):
                raise FileRefused(
                    f"A line after line {line} is longer than any reading can be; this is not a log."
                )
            data += b"\n"
        count = data.count(b"\n")
        line += count
        size = min(2 * size, chunk_bytes, len(data) * LINES_A_CHUNK // count)
        yield data


def _batch(data: bytes, places: dict[str, int], width: int, mapping: Mapping, first_line: int) -> Batch:
    """One row a line, whatever stands in it: the column reader is trusted only when its row count says so."""
    raw = np.frombuffer(data, dtype=np.uint8)
    ends = np.flatnonzero(raw == 10)
    lines = np.arange(first_line, first_line + len(ends))
    lengths = np.diff(ends, prepend=-1)
    empty = (lengths == 1) | ((lengths == 2) & (raw[ends - 1] == 13))
    if empty.any():  # the column reader skips them, and then every row would be another line
        raw = raw[np.repeat(~empty, lengths)]
        data, lines, ends = raw.tobytes(), lines[~empty], np.flatnonzero(raw == 10)
    if not data:
        return Batch(_line_by_line(data, places, mapping.separator), lines)
    time_s = None
    if mapping.time_kind == "iso" and b'"' not in data:
        starts = np.concatenate(([0], ends[:-1] + 1))
        time_s = utc_column(raw, starts, ord(mapping.separator), places["time"])
    wanted = {name: at for name, at in places.items() if name != "time" or time_s is None}
    frame = None
    if b'"' not in data:
        frame = _columns(data, list(wanted.values()), width, mapping, places["time"])
    if frame is None or frame.height != len(ends):
        return Batch(_line_by_line(data, places, mapping.separator), lines)
    picked = _stripped(frame.select(pl.col(f"c{at}").alias(name) for name, at in wanted.items()), data)

    def written(row: int) -> dict[str, str | None]:
        line = data[ends[row - 1] + 1 if row else 0 : ends[row]].decode("utf-8", errors="replace")
        fields = _fields(line.rstrip("\r"), mapping.separator)
        return {name: fields[at] if len(fields) > at else None for name, at in places.items()}

    return Batch(picked, lines, time_s, written)


def _stripped(frame: pl.DataFrame, data: bytes) -> pl.DataFrame:
    """The frame with blanks about its texts gone, where there are any blanks at all."""
    texts = [name for name in frame.columns if frame[name].dtype == pl.String]
    if not texts or not any(blank in data for blank in (b" ", b"\r", b"\t")):
        return frame
    return frame.with_columns(pl.col(texts).str.strip_chars())


def _columns(
    data: bytes, wanted: list[int], width: int, mapping: Mapping, time_at: int
) -> pl.DataFrame | None:
    """The wanted columns, numbers read at once where the decimal sign is a point.

    None when the reader gives up.
    """
    numeric = pl.Float64 if mapping.decimal == "." else pl.String
    try:
        return pl.read_csv(
            data,
            has_header=False,
            separator=mapping.separator,
            quote_char=None,
            schema={
                f"c{at}": pl.String if at == time_at or at not in wanted else numeric for at in range(width)
            },
            columns=sorted(set(wanted)),
            truncate_ragged_lines=True,
            ignore_errors=True,
            encoding="utf8-lossy",
        )
    except pl.exceptions.PolarsError:
        return None


def _line_by_line(data: bytes, places: dict[str, int], separator: str) -> pl.DataFrame:
    text = data.decode("utf-8", errors="replace")
    rows = [_fields(line.rstrip("\r"), separator) for line in text.split("\n")[:-1]]
    columns = {name: [row[at] if len(row) > at else None for row in rows] for name, at in places.items()}
    return pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))


class ByteSource(Protocol):
    """What is read of a file."""

    def read(self, size: int = -1, /) -> bytes:
        """At most so many bytes."""

    def readline(self, size: int = -1, /) -> bytes:
        """One line, cut after so many bytes."""


def _as_utf8(stream: BinaryIO) -> ByteSource:
    head = stream.read(3)
    for mark, encoding in BOMS.items():
        if head.startswith(mark):
            rest = head[len(mark) :]
            if encoding == "utf-8":
                return _Joined(rest, stream)
            stream.seek(len(mark))
            return codecs.EncodedFile(stream, "utf-8", encoding, errors="replace")
    return _Joined(head, stream)


class _Joined:
    """Bytes already taken from a stream, followed by the stream."""

    def __init__(self, head: bytes, stream: BinaryIO) -> None:
        self._head = head
        self._stream = stream

    def read(self, size: int = -1) -> bytes:
        head, self._head = self._head, b""
        return head + self._stream.read(size)

    def readline(self, size: int = -1) -> bytes:
        head, self._head = self._head, b""
        return head if b"\n" in head else head + self._stream.readline(size)
