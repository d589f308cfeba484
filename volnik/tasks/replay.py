"""`volnik replay`: one file of readings counted under one file of settings, without a database."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from volnik.core.count.log import Counted, LogCounter, gap_limit_s
from volnik.core.count.runtime import Runtime, mean_rate_a, runtime
from volnik.core.settings import Numbers, SettingsError, numbers_from_dict
from volnik.feeds.batches import FileRead, FileRefused
from volnik.feeds.files import open_log, read_log


class ReplayRefused(ValueError):
    """Input that cannot be replayed, in a sentence for the person at the terminal."""


@dataclass(frozen=True, slots=True)
class Replay:
    """A counted file and what its last readings mean."""

    read: FileRead
    counted: Counted
    runtime: Runtime


def load_settings(path: Path) -> Numbers:
    """Read SETTINGS.json.

    Raises:
        ReplayRefused: naming each key at fault.
    """
    try:
        given = json.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as wrong:
        raise ReplayRefused(f"{path}: {wrong.strerror or 'cannot be read'}.") from None
    except (ValueError, RecursionError):
        raise ReplayRefused(f"{path}: is not valid JSON.") from None
    try:
        return numbers_from_dict(given)
    except SettingsError as wrong:
        lines = "\n".join(f"  {key} {sentence}" for key, sentence in wrong.problems.items())
        raise ReplayRefused(f"{path}: these settings cannot be used:\n{lines}") from None


def read_file(readings: Path) -> FileRead:
    """A file of readings.

    Raises:
        ReplayRefused: when it cannot be read as one.
    """
    try:
        with readings.open("rb") as raw:
            return read_log(open_log(raw))
    except OSError as wrong:
        raise ReplayRefused(f"{readings}: {wrong.strerror or 'cannot be read'}.") from None
    except FileRefused as wrong:
        raise ReplayRefused(f"{readings}: {wrong}") from None


def replay(readings: Path, settings: Path) -> Replay:
    """Count a file.

    Raises:
        ReplayRefused: when the settings or the file cannot be used, or hold no good reading.
    """
    numbers = load_settings(settings)
    read = read_file(readings)
    if not len(read.readings):
        first = f" Line {read.problems[0].line}: {read.problems[0].reason}" if read.problems else ""
        raise ReplayRefused(f"{readings}: not one line holds a good reading.{first}")
    return count_file(read, numbers)


def count_file(read: FileRead, numbers: Numbers) -> Replay:
    """Count readings already read, and say what the end means."""
    log = read.readings
    gap_s = gap_limit_s(log.time_s)
    counted = LogCounter.opened(numbers).feed(log.time_s, log.volts, log.amps, gap_s=gap_s)
    end_s = float(log.time_s[-1])
    first = max(0, int(np.searchsorted(log.time_s, end_s - numbers.runtime_window_s, side="right")) - 1)
    rate_a = mean_rate_a(
        log.time_s[first:],
        counted.effective_a[first:],
        at_s=end_s,
        window_s=numbers.runtime_window_s,
        gap_s=gap_s,
    )
    return Replay(read, counted, runtime(rate_a, counted.state.deficit_ah, numbers))
