"""JSON Lines logs: one object a line, with the CSV's column names."""

from __future__ import annotations

import json
from collections.abc import Iterator
from itertools import islice
from typing import BinaryIO

import numpy as np
import polars as pl

from volnik.core.limits import LINE
from volnik.feeds.batches import Batch, FileRefused
from volnik.feeds.mapping import Mapping

LINES_A_BATCH = 50_000


def parse_jsonlines(stream: BinaryIO, mapping: Mapping) -> Iterator[Batch]:
    """Read a JSON Lines log as batches of text, one row for each line.

    A line that is no object reads as its text.
    """
    first_line = 1
    while lines := list(islice(_lines(stream), LINES_A_BATCH)):
        rows = [_row(line) for line in lines]
        columns = {name: [_text(row.get(column)) for row in rows] for name, column in mapping.columns.items()}
        frame = pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))
        yield Batch(frame, np.arange(first_line, first_line + len(lines)))
        first_line += len(lines)


def _lines(stream: BinaryIO) -> Iterator[bytes]:
    """The lines of a stream; raises FileRefused for one that does not end."""
    while line := stream.readline(int(LINE)):
        if len(line) == int(LINE) and not line.endswith(b"\n"):
            raise FileRefused("A line is longer than any reading can be; this is not a log.")
        yield line


def first_objects(head: bytes) -> tuple[list[str], list[list[str]]]:
    """The keys of the first object of a JSON Lines file, and the first values under them as text."""
    rows = [row for row in map(_row, head.splitlines()[:200]) if row]
    keys = list(rows[0]) if rows else []
    return keys, [[_text(row.get(key)) or "" for key in keys] for row in rows]


def _row(line: bytes) -> dict[str, object]:
    if not line.strip():
        return {}
    try:
        row = json.loads(line)
    except (ValueError, RecursionError):
        row = None
    return row if isinstance(row, dict) else {"time": line.decode("utf-8", errors="replace").strip()}


def _text(value: object) -> str | None:
    return None if value is None else value.strip() if isinstance(value, str) else str(value)
