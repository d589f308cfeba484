"""Batches of lines as text, turned into readings and reported line by line."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np
import polars as pl

from volnik.core.arrays import Floats
from volnik.core.columns import column as column_of
from volnik.core.columns import limits_of
from volnik.core.limits import ROWS, WRONG_LINES
from volnik.core.readings import Readings, tidy
from volnik.feeds.instants import instants_s
from volnik.feeds.mapping import Mapping

MOST_PROBLEMS = 10_000  # listed; all are counted
MOST_WRONG = 0.9  # share of lines without a reading at which a long file is no log
NEEDED = ("volts", "amps")
PHRASES = {"starter_volts": "starter volts", "midpoint_volts": "midpoint volts"}


class FileRefused(ValueError):
    """A file that cannot be read at all; the sentence says why and what to do."""


@dataclass(frozen=True, slots=True)
class LineProblem:
    """One line that was left out. `line` counts from 1, the heading included."""

    line: int
    reason: str


@dataclass(frozen=True, slots=True)
class Batch:
    """One row a line.

    Attributes:
        frame: our columns as strings, or already as numbers (null where the text is no plain number); the
            time
            column may be missing when `time_s` holds every instant.
        lines: each row's line number, shape (n,).
        time_s: instants already read, shape (n,) [s], NaN where they are not; or None.
        text: the fields of one row as written, for rows that were not read at once; None when `frame` is all
            text.
    """

    frame: pl.DataFrame
    lines: np.ndarray
    time_s: Floats | None = None
    text: Callable[[int], dict[str, str | None]] | None = None

    def written(self, row: int) -> dict[str, str | None]:
        """The fields of a row as written."""
        return self.frame.row(row, named=True) if self.text is None else self.text(row)


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


def gather(
    batches: Iterable[Batch],
    mapping: Mapping,
    *,
    on_progress: Callable[[], None] = lambda: None,
    believable_s: tuple[float, float] = (-np.inf, np.inf),
) -> FileRead:
    """Read every batch and bring the readings into order.

    Args:
        on_progress: called after each batch; may raise to stop.
        believable_s: earliest and latest instant a reading may bear [s since 1970]; the clock of any other
            was wrong.
    """
    times: list[Floats] = []
    columns: dict[str, list[Floats]] = {}
    lines: list[np.ndarray] = []
    problems: list[LineProblem] = []
    problem_count = read = sound = 0
    for batch in batches:
        time_s, values, good, refused, count = _read_batch(
            batch, mapping, MOST_PROBLEMS - len(problems), believable_s
        )
        # Most batches are without fault: then nothing is copied.
        whole = bool(good.all())
        times.append(time_s if whole else time_s[good])
        lines.append(batch.lines if whole else batch.lines[good])
        for name, column in values.items():
            columns.setdefault(name, []).append(column if whole else column[good])
        problems += refused
        problem_count += count
        read += len(good)
        sound += int(good.sum())
        _look_at(read, sound)
        on_progress()
    time_s = np.concatenate(times) if times else np.empty(0)
    tidied = tidy(time_s, _joined(columns))
    # Only a clock that went back needs its line; joining them for a year costs as much as the times.
    line_of = np.concatenate(lines) if lines and tidied.steps_back else np.empty(0)
    steps = [(int(line_of[at]), back) for at, back in tidied.steps_back]
    return FileRead(tidied.readings, problems, problem_count, tidied.duplicates, steps)


def _look_at(lines: int, sound: int) -> None:
    """Give up on a file that is no log, or is longer than one; raises FileRefused."""
    wrong = lines - sound
    if wrong > max(WRONG_LINES.value, MOST_WRONG * lines):
        raise FileRefused(
            f"Of the first {lines:,} lines {wrong:,} hold no reading: this is no log, or its columns were "
            "chosen wrong."
        )
    if sound > ROWS.value:
        raise FileRefused(f"It holds more than {int(ROWS):,} readings; export it in shorter stretches.")


def _joined(columns: dict[str, list[Floats]]) -> dict[str, Floats]:
    """The columns put together; of the optional ones those that hold anything."""
    whole = {name: np.concatenate(parts) for name, parts in columns.items()}
    wanted = {name: whole.get(name, np.empty(0)) for name in NEEDED}
    some = [name for name in whole if name not in NEEDED and not np.isnan(whole[name]).all()]
    return wanted | {name: whole[name] for name in some}


def _read_batch(
    batch: Batch, mapping: Mapping, room: int, believable_s: tuple[float, float]
) -> tuple[Floats, dict[str, Floats], np.ndarray, list[LineProblem], int]:
    frame = batch.frame
    time_s = _times(batch, mapping)
    good = (time_s >= believable_s[0]) & (time_s <= believable_s[1])
    values = {}
    for name in frame.columns:
        if name == "time":
            continue
        values[name] = _numbers(batch, name, mapping)
        limits = limits_of(name)
        fine = (values[name] >= limits.low) & (values[name] <= limits.high)  # NaN is not
        if name not in NEEDED:
            for blank_at in np.flatnonzero(~fine):
                fine[blank_at] = not batch.written(int(blank_at))[name]
        good &= fine
    bad = np.flatnonzero(~good)
    refused: list[LineProblem] = []
    blank = 0
    for at in bad:
        row = batch.written(int(at))
        if not any(row.values()):
            blank += 1
        elif len(refused) < room:
            found = {name: float(values[name][at]) for name in values}
            reason = _reason(row, found, float(time_s[at]), mapping, believable_s)
            refused.append(LineProblem(int(batch.lines[at]), reason))
    return time_s, values, good, refused, len(bad) - blank


def _times(batch: Batch, mapping: Mapping) -> Floats:
    if batch.time_s is None:
        return instants_s(batch.frame["time"], mapping)
    left = np.flatnonzero(np.isnan(batch.time_s))
    if not len(left):
        return batch.time_s
    time_s = batch.time_s.copy()
    text = (
        batch.frame["time"].gather(left)
        if "time" in batch.frame.columns
        else pl.Series([batch.written(int(at))["time"] for at in left], dtype=pl.String)
    )
    time_s[left] = instants_s(text, mapping)
    return time_s


def _numbers(batch: Batch, name: str, mapping: Mapping) -> Floats:
    """A column as numbers in our unit, NaN where it holds none."""
    column = batch.frame[name]
    if column.dtype == pl.String:
        text = column.str.replace(",", ".", literal=True) if mapping.decimal == "," else column
        numbers = text.cast(pl.Float64, strict=False).fill_null(np.nan).to_numpy()
    else:
        numbers = column.fill_null(np.nan).to_numpy()
        if column.null_count():
            numbers = numbers.copy()
            for row in np.flatnonzero(column.is_null().to_numpy()):
                numbers[row] = _number(batch.written(int(row))[name])
    if (scale := mapping.scale(name)) != 1.0:
        # Dividing by 1000 gives the nearest value to the digits shown; multiplying by 0.001 does not.
        numbers = numbers / round(1.0 / scale) if abs(scale) < 1.0 else numbers * scale
    return np.ascontiguousarray(numbers)


def _number(text: str | None) -> float:
    try:
        return float("nan" if not text or "_" in text else text)
    except ValueError:
        return float("nan")


def _reason(
    row: dict[str, str | None],
    values: dict[str, float],
    time_s: float,
    mapping: Mapping,
    believable_s: tuple[float, float],
) -> str:
    if not row["time"]:
        return "The time is missing."
    if np.isnan(time_s):
        hint = (
            " Times without an offset need a time zone."
            if mapping.zone is None and mapping.time_kind == "iso"
            else ""
        )
        return f"The time “{row['time'][:40]}” cannot be read.{hint}"
    if time_s > believable_s[1]:
        return f"The time “{row['time'][:40]}” lies in the future: the clock was ahead."
    if time_s < believable_s[0]:
        return f"The time “{row['time'][:40]}” lies before any such monitor: the clock was not set."
    for name, value in values.items():
        text = row[name]
        if not (refusal := limits_of(name).refusal(value)) or (name not in NEEDED and not text):
            continue
        found = column_of(name)
        word = PHRASES.get(name, found.words if found else name)
        if not text:
            return f"The {word} value is missing."
        if not np.isfinite(value):
            return f"The {word} value “{text[:40]}” is not a number."
        return f"The {word} value {refusal}"
    return "The line cannot be read."
