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
from volnik.core.columns import column

if TYPE_CHECKING:
    import polars as pl

Form = Literal["csv", "jsonl", "parquet", "bdf"]


@dataclass(frozen=True, slots=True)
class FileForm:
    """A form a series is written in: its name, and the ending of its files."""

    name: str
    ending: str


FORMS: dict[Form, FileForm] = {
    "csv": FileForm("CSV", ".csv"),
    "jsonl": FileForm("JSON Lines", ".jsonl"),
    "parquet": FileForm("Parquet", ".parquet"),
    "bdf": FileForm("Battery Data Format", ".bdf.csv"),
}
_BDF_HEADINGS = {
    "volts": "Voltage / V",
    "amps": "Current / A",
    "celsius": "Surface Temperature T1 / degC",
}
"""Headings of the Battery Data Format for what Volnik stores; plus charges there too.

Source: its open table of column names, with units; what has none there is named by its column."""


def write_series(path: Path, parts: Iterable[tuple[Floats, dict[str, Floats]]], form: Form) -> int:
    """Write parts of one series; returns how many rows.

    Time is ISO 8601 in UTC, in Parquet a timestamp, in the Battery Data Format seconds since 1970 and since
    the first reading; what is unknown is empty.

    Args:
        parts: (instants [s], columns by name), in order of time, each part with the same columns.

    Raises:
        OSError: when the file cannot be written.
    """
    import polars as pl

    count, first_s = 0, 0.0
    frames: list[pl.DataFrame] = []
    with path.open("wb") as out:
        for time_s, columns in parts:
            first_s = time_s[0] if count == 0 and len(time_s) else first_s
            frame = _tested(time_s, columns, first_s) if form == "bdf" else _frame(time_s, columns, form)
            if form == "parquet":
                frames.append(frame)  # its columns lie packed: a year at 1 Hz takes some hundred MB
            elif form in ("csv", "bdf"):
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


def _tested(time_s: Floats, columns: dict[str, Floats], first_s: float) -> pl.DataFrame:
    """Readings as a table of the Battery Data Format."""
    import polars as pl

    table = {"Test Time / s": time_s - first_s, "Unix Time / s": time_s}
    table |= {_bdf_heading(name): values for name, values in columns.items()}
    return pl.DataFrame(
        [pl.Series(name, np.round(values, 6)).fill_nan(None) for name, values in table.items()]
    )


def _bdf_heading(name: str) -> str:
    """A column's heading there: its words and its unit."""
    if name in _BDF_HEADINGS:
        return _BDF_HEADINGS[name]
    found = column(name)
    if found is None:
        return f"{name.replace('_', ' ').title()} / 1"
    unit = {"°C": "degC", "": "1"}.get(found.of.unit, found.of.unit)
    return f"{found.words.title()} / {unit}"
