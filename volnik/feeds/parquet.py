"""Parquet logs with Volnik's column names, or mapped ones."""

from __future__ import annotations

from collections.abc import Iterator
from typing import BinaryIO

import numpy as np
import polars as pl

from volnik.feeds.batches import Batch, FileRefused
from volnik.feeds.mapping import Mapping

ROWS_A_BATCH = 1_000_000


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
    frame = _read(stream, names, n_rows=200)
    return names, [
        ["" if value is None else value for value in row]
        for row in frame.select(_as_text(frame[name]).alias(name) for name in names).iter_rows()
    ]


def _read(stream: BinaryIO, columns: list[str], n_rows: int | None = None) -> pl.DataFrame:
    try:
        return pl.read_parquet(stream, columns=columns, n_rows=n_rows)
    except (pl.exceptions.PolarsError, OSError) as wrong:
        raise FileRefused("This Parquet file is damaged or cut short.") from wrong


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
    frame = _read(stream, list(chosen.values()))
    for start in range(0, frame.height, ROWS_A_BATCH):
        part = frame.slice(start, ROWS_A_BATCH)
        picked = part.select(_as_text(part[column]).alias(name) for name, column in chosen.items())
        yield Batch(picked, np.arange(start + 1, start + 1 + part.height))


def _as_text(column: pl.Series) -> pl.Series:
    if isinstance(column.dtype, pl.Datetime):
        if column.dtype.time_zone is not None:
            return column.dt.convert_time_zone("UTC").dt.strftime("%Y-%m-%dT%H:%M:%S%.3fZ")
        return column.dt.strftime("%Y-%m-%dT%H:%M:%S%.3f")
    return column.cast(pl.String, strict=False)
