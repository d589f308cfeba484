"""Parquet logs with Volnik's column names, or mapped ones."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import BinaryIO

import numpy as np
import polars as pl

from volnik.core.limits import RATIO, RATIO_FROM, ROWS
from volnik.feeds.batches import Batch, FileRefused
from volnik.feeds.mapping import Mapping

ROWS_A_BATCH = 1_000_000
WIDTH = 8  # bytes of a value, unpacked


def parquet_columns(stream: BinaryIO) -> list[str]:
    """The column names of a Parquet file."""
    try:
        return list(pl.read_parquet_schema(stream))
    except (pl.exceptions.PolarsError, OSError) as wrong:
        raise FileRefused("This Parquet file is damaged or cut short.") from wrong


def first_rows(stream: BinaryIO) -> tuple[list[str], list[list[str]]]:
    """The column names of a Parquet file and its first values as text."""
    names = parquet_columns(stream)
    stream.seek(0)
    frame = _read(stream, names, 0, 200)
    return names, [
        ["" if value is None else value for value in row]
        for row in frame.select(_as_text(frame[name]).alias(name) for name in names).iter_rows()
    ]


def _read(stream: BinaryIO, columns: list[str], first: int, count: int) -> pl.DataFrame:
    """Some rows; of the rest only what shares a row group with them is unpacked."""
    stream.seek(0)
    try:
        return pl.scan_parquet(stream).select(columns).slice(first, count).collect()
    except (pl.exceptions.PolarsError, OSError) as wrong:
        raise FileRefused("This Parquet file is damaged or cut short.") from wrong


def _rows(stream: BinaryIO, columns: int) -> int:
    """How many rows a file says it has, by its footer.

    Raises:
        FileRefused: when they are more than a log has, or too many for so small a file.
    """
    packed = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    try:
        rows = int(pl.scan_parquet(stream).select(pl.len()).collect().item())
    except (pl.exceptions.PolarsError, OSError) as wrong:
        raise FileRefused("This Parquet file is damaged or cut short.") from wrong
    unpacked = rows * columns * WIDTH
    if rows > ROWS.value:
        raise FileRefused(f"It holds more than {int(ROWS):,} readings; export it in shorter stretches.")
    if unpacked > max(RATIO_FROM.value, RATIO.value * packed):
        raise FileRefused(
            f"This Parquet file says it holds {rows:,} rows, in only {packed >> 10} kB: no log is so much "
            "the same. Export it anew."
        )
    return rows


def parse_parquet(stream: BinaryIO, mapping: Mapping) -> Iterator[Batch]:
    """Read a Parquet log as batches of text; a row's number stands for its line.

    Raises:
        FileRefused: when the file is damaged or lacks a column of the mapping.
    """
    names = parquet_columns(stream)
    stream.seek(0)
    missing = [
        column
        for name, column in mapping.columns.items()
        if name in ("time", "volts", "amps") and column not in names
    ]
    if missing:
        raise FileRefused(f"The Parquet file has no column “{missing[0]}”; it has {', '.join(names[:12])}.")
    chosen = {name: column for name, column in mapping.columns.items() if column in names}
    for start in range(0, _rows(stream, len(chosen)), ROWS_A_BATCH):
        part = _read(stream, list(chosen.values()), start, ROWS_A_BATCH)
        picked = part.select(_as_text(part[column]).alias(name) for name, column in chosen.items())
        yield Batch(picked, np.arange(start + 1, start + 1 + part.height))


def _as_text(column: pl.Series) -> pl.Series:
    if isinstance(column.dtype, pl.Datetime):
        if column.dtype.time_zone is not None:
            return column.dt.convert_time_zone("UTC").dt.strftime("%Y-%m-%dT%H:%M:%S%.3fZ")
        return column.dt.strftime("%Y-%m-%dT%H:%M:%S%.3f")
    return column.cast(pl.String, strict=False)
