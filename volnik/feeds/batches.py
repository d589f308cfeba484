"""Batches of lines as text, turned into readings and reported line by line."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np
import polars as pl

from volnik.core.count.state import Floats
from volnik.core.readings import OPTIONAL_COLUMNS, Readings, tidy
from volnik.feeds.instants import instants_s
from volnik.feeds.mapping import Mapping

MOST_PROBLEMS = 10_000
PHRASES = {"celsius": "temperature", "starter_volts": "starter volts", "midpoint_volts": "midpoint volts"}


class FileRefused(ValueError):
    """A file that cannot be read at all; the sentence says why and what to do."""


class Cancelled(Exception):
    """The reader was told to stop."""


@dataclass(frozen=True, slots=True)
class LineProblem:
    """One line that was left out. `line` counts from 1, the heading included."""

    line: int
    reason: str


@dataclass(frozen=True, slots=True)
class Batch:
    """Lines as text: `frame` holds our columns as strings, `lines` each row's line number, shape (n,)."""

    frame: pl.DataFrame
    lines: np.ndarray


@dataclass(slots=True)
class FileRead:
    """What a file held.

    Attributes:
        readings: sorted, one per instant.
        problems: lines left out, at most `MOST_PROBLEMS` of them listed.
        problem_count: how many lines were left out.
        duplicates: readings whose instant already stood.
        steps_back: (line, seconds) wherever the clock went back.
    """

    readings: Readings
    problems: list[LineProblem] = field(default_factory=list)
    problem_count: int = 0
    duplicates: int = 0
    steps_back: list[tuple[int, float]] = field(default_factory=list)


def gather(batches: Iterable[Batch], mapping: Mapping, *, watch: Callable[[], None] = lambda: None) -> FileRead:
    """Read every batch and bring the readings into order.

    Args:
        watch: called after each batch; may raise `Cancelled`.
    """
    times: list[Floats] = []
    columns: dict[str, list[Floats]] = {}
    lines: list[np.ndarray] = []
    problems: list[LineProblem] = []
    problem_count = 0
    for batch in batches:
        time_s, values, good, refused, count = _read_batch(batch, mapping, MOST_PROBLEMS - len(problems))
        whole = bool(good.all())
        times.append(time_s if whole else time_s[good])
        lines.append(batch.lines if whole else batch.lines[good])
        for name, column in values.items():
            columns.setdefault(name, []).append(column if whole else column[good])
        problems += refused
        problem_count += count
        watch()
    time_s = np.concatenate(times) if times else np.empty(0)
    joined = {name: np.concatenate(parts) for name, parts in columns.items()}
    joined = {name: joined.get(name, np.empty(0)) for name in ("volts", "amps")} | {
        name: joined[name] for name in OPTIONAL_COLUMNS if name in joined and not np.isnan(joined[name]).all()
    }
    tidied = tidy(time_s, joined)
    line_of = np.concatenate(lines) if lines and tidied.steps_back else np.empty(0)
    steps = [(int(line_of[at]), back) for at, back in tidied.steps_back]
    return FileRead(tidied.readings, problems, problem_count, tidied.duplicates, steps)


def _read_batch(
    batch: Batch, mapping: Mapping, room: int
) -> tuple[Floats, dict[str, Floats], np.ndarray, list[LineProblem], int]:
    frame = batch.frame
    time_s = instants_s(frame["time"], mapping)
    good = ~np.isnan(time_s)
    values = {}
    for name in frame.columns:
        if name == "time":
            continue
        text = frame[name]
        if mapping.decimal == ",":
            text = text.str.replace(",", ".", literal=True)
        number = text.cast(pl.Float64, strict=False)
        column = number.fill_null(np.nan).to_numpy()
        if (scale := mapping.scale(name)) != 1.0:
            # Dividing by 1000 gives the nearest value to the digits shown; multiplying by 0.001 does not.
            column = column / round(1.0 / scale) if abs(scale) < 1.0 else column * scale
        values[name] = np.ascontiguousarray(column)
        fine = np.isfinite(column)
        if name in OPTIONAL_COLUMNS:
            fine |= (text.is_null() | (text == "")).to_numpy()
        good &= fine
    bad = np.flatnonzero(~good)
    if not len(bad):
        return time_s, values, good, [], 0
    rows = frame.with_row_index("row").gather(bad) if hasattr(frame, "gather") else frame[bad.tolist()]
    refused = []
    blank = 0
    for at, row in zip(bad, rows.iter_rows(named=True), strict=True):
        row.pop("row", None)
        if all(value is None or value == "" for value in row.values()):
            blank += 1
        elif len(refused) < room:
            reason = _reason(row, {name: float(values[name][at]) for name in values}, float(time_s[at]), mapping)
            refused.append(LineProblem(int(batch.lines[at]), reason))
    return time_s, values, good, refused, len(bad) - blank


def _reason(row: dict[str, str | None], values: dict[str, float], time_s: float, mapping: Mapping) -> str:
    if not row["time"]:
        return "The time is missing."
    if np.isnan(time_s):
        hint = (
            " Times without an offset need a time zone." if mapping.zone is None and mapping.time_kind == "iso" else ""
        )
        return f"The time “{row['time'][:40]}” cannot be read.{hint}"
    for name, value in values.items():
        text = row[name]
        if np.isfinite(value) or (name in OPTIONAL_COLUMNS and not text):
            continue
        word = PHRASES.get(name, name)
        return f"The {word} value is missing." if not text else f"The {word} value “{text[:40]}” is not a number."
    return "The line cannot be read."
