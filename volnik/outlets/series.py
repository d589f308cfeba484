"""Readings, counted series and totals as CSV, JSON Lines or Parquet, part by part, so that a long log never
lies in memory whole.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

from volnik.core.arrays import Floats

if TYPE_CHECKING:
    import polars as pl

Form = Literal["csv", "jsonl", "parquet"]


@dataclass(frozen=True, slots=True)
class FileForm:
    """A form a series is written in: its name, and the ending of its files."""

    name: str
    ending: str


FORMS: dict[Form, FileForm] = {
    "csv": FileForm("CSV", ".csv"),
    "jsonl": FileForm("JSON Lines", ".jsonl"),
    "parquet": FileForm("Parquet", ".parquet"),
}


def write_series(path: Path, parts: Iterable[tuple[Floats, dict[str, Floats]]], form: Form) -> int:
    """Write parts of one series; returns how many rows.

    Time is ISO 8601 in UTC, in Parquet a timestamp; what is unknown is empty.

    Args:
        parts: (instants [s], columns by name), in order of time, each part with the same columns.

    Raises:
        OSError: when the file cannot be written.
    """
    import polars as pl

    count = 0
    frames: list[pl.DataFrame] = []
    with path.open("wb") as out:
        for time_s, columns in parts:
            frame = _frame(time_s, columns, form)
            if form == "parquet":
                frames.append(frame)  # its columns lie packed: a year at 1 Hz takes some hundred MB
            elif form == "csv":
                frame.write_csv(out, include_header=count == 0)
            else:
                frame.write_ndjson(out)
            count += len(frame)
        if form == "parquet":
            (pl.concat(frames, how="diagonal") if frames else pl.DataFrame({"time": []})).write_parquet(out)
    return count


def _frame(time_s: Floats, columns: dict[str, Floats], form: Form) -> pl.DataFrame:
    import polars as pl

    moments = pl.Series("time", np.round(time_s * 1000.0).astype(np.int64)).cast(pl.Datetime("ms", "UTC"))
    times = (
        moments
        if form == "parquet"
        else moments.dt.strftime("%Y-%m-%dT%H:%M:%S%.3fZ").str.replace(r"\.000Z$", "Z")
    )
    return pl.DataFrame(
        [times, *(pl.Series(name, np.round(values, 6)).fill_nan(None) for name, values in columns.items())]
    )


def decimals(value: float) -> float | None:
    """A figure for a row, None where it is not known."""
    return None if math.isnan(value) else value
