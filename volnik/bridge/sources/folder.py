"""A folder in which log files appear: each is read once, whole, and stays where it is."""

from __future__ import annotations

import hashlib
import threading
import time
from pathlib import Path

import numpy as np

from volnik.bridge.plan import FolderSource
from volnik.bridge.sources.heard import Ear
from volnik.core.columns import row_of
from volnik.core.readings import Readings, Row
from volnik.feeds.batches import FileRefused
from volnik.feeds.files import open_log, read_log
from volnik.feeds.mapping import MappingError

LOOK_S = 5.0
PORTION = 20_000  # readings kept at once


def rows_of(readings: Readings) -> list[Row]:
    """Readings as rows.

    Args:
        readings: of a file.
    """
    columns = readings.columns()
    found: list[Row] = []
    for at, time_s in enumerate(readings.time_s):
        values = {name: float(each[at]) for name, each in columns.items() if not np.isnan(each[at])}
        found.append(row_of(round(float(time_s) * 1000.0), values))
    return found


class FolderListening:
    """A folder that is looked into, in a thread of its own."""

    def __init__(self, source: FolderSource, ear: Ear) -> None:
        self.source, self.ear = source, ear
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="folder", daemon=True)
        self._refused: dict[tuple[str, float], str] = {}

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def close(self) -> None:
        """End."""
        self._ended.set()
        if self._thread.is_alive():
            self._thread.join(30.0)

    def _run(self) -> None:
        while not self._ended.is_set():
            self.look()
            self._ended.wait(LOOK_S)

    def look(self) -> int:
        """Read every file that is new and lies still; returns how many were read."""
        if not self.source.path.is_dir():
            self.ear.trouble = f"{self.source.path} is no folder"
            return 0
        read = 0
        for file in sorted(self.source.path.iterdir()):
            still = file.is_file() and time.time() - file.stat().st_mtime >= self.source.settle_s
            if still and (str(file), file.stat().st_mtime) not in self._refused:
                read += self._read(file)
        self.ear.trouble = "; ".join(list(self._refused.values())[-3:])
        return read

    def _read(self, file: Path) -> int:
        box, rig_id = self.ear.box, self.ear.rig_id
        with file.open("rb") as stream:
            digest = hashlib.file_digest(stream, "sha256").hexdigest()
        if not box.is_new(rig_id, digest):
            return 0
        try:
            with file.open("rb") as stream:
                log = open_log(stream)
                readings = read_log(log).readings
        except (FileRefused, MappingError, OSError) as wrong:
            self._refused[str(file), file.stat().st_mtime] = f"{file.name}: {wrong}"
            return 0
        for first in range(0, len(readings), PORTION):
            box.put(rig_id, rows_of(readings.part(first, first + PORTION)))
        box.was_read(rig_id, digest)
        return 1
