"""The shop's own backups: one a day beside its data, some kept, and how old the last one is."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path

from volnik import __version__
from volnik.store.backup import BackupRefused, Manifest, write_backup

LOG = logging.getLogger("volnik")
DAY_S = 86_400.0
LOOK_EVERY_S = 900.0  # a laptop sleeps through any fixed hour
KEPT_DAYS, KEPT_WEEKS = 7, 5  # the last of each of so many days, and of so many weeks before them
ENDING = ".volnik-backup"
STAMP = "%Y-%m-%d-%H%M%S"


@dataclass(frozen=True, slots=True)
class KeptBackup:
    """One of the shop's own backups: where it lies, when it was made [s since 1970], its size [bytes]."""

    path: Path
    made_s: float
    size: int


class BackupKeeper:
    """Makes a backup when the last is older than a day, and lets old ones go."""

    def __init__(
        self,
        folder: Path,
        clock: Callable[[], float] = time.time,
        *,
        also: Callable[[], None] = lambda: None,
    ) -> None:
        """Of a data folder; `also` is done at each look, whether one is due or not."""
        self._data, self._folder, self._clock, self._also = folder, folder / "backups", clock, also
        self._making = threading.Lock()
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self.trouble = ""  # why the last one could not be made

    def kept(self) -> list[KeptBackup]:
        """Those there are, oldest first."""
        found = [(made_s, path) for path in self._folder.glob(f"*{ENDING}") if (made_s := _made_s(path))]
        return [KeptBackup(path, made_s, path.stat().st_size) for made_s, path in sorted(found)]

    def make(self) -> Manifest:
        """Make one now.

        Raises:
            BackupRefused: when it cannot be made.
        """
        with self._making:
            now_s = self._clock()
            name = datetime.fromtimestamp(now_s, UTC).strftime(STAMP) + ENDING
            try:
                manifest = write_backup(self._data, self._folder / name, made_s=now_s, program=__version__)
            except BackupRefused as wrong:
                self.trouble = " ".join(wrong.problems.values())
                raise
            self.trouble = ""
            self._thin()
            return manifest

    def make_due(self) -> None:
        """Make one if the last is older than a day."""
        kept = self.kept()
        if kept and self._clock() - kept[-1].made_s < DAY_S:
            return
        try:
            manifest = self.make()
            LOG.info("Backed up: %d rigs, %d readings.", manifest.rigs, manifest.readings)
        except BackupRefused as wrong:
            LOG.error("No backup could be made: %s", " ".join(wrong.problems.values()))

    def _thin(self) -> None:
        """Let go of those that no rule keeps; the newest always stays."""
        for kept in superfluous(self.kept()):
            kept.path.unlink(missing_ok=True)

    def start(self) -> None:
        """Look now and then whether one is due."""
        self._thread = threading.Thread(target=self._watch, name="backups", daemon=True)
        self._thread.start()

    def _watch(self) -> None:
        while not self._stop.is_set():
            try:
                self._also()
                self.make_due()
            except Exception:  # it must be tried again tomorrow, whatever went wrong today
                LOG.exception("A backup failed.")
            self._stop.wait(LOOK_EVERY_S)

    def close(self) -> None:
        """Stop looking; one that is being made is finished."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(60.0)


def superfluous(kept: list[KeptBackup]) -> list[KeptBackup]:
    """Those of some backups, oldest first, that are neither the last of a late day nor of a late week."""
    last_of_day: dict[date, KeptBackup] = {}
    last_of_week: dict[tuple[int, int], KeptBackup] = {}
    for backup in kept:
        day = datetime.fromtimestamp(backup.made_s, UTC).date()
        last_of_day[day] = backup
        last_of_week[day.isocalendar()[:2]] = backup
    wanted = [*list(last_of_day.values())[-KEPT_DAYS:], *list(last_of_week.values())[-KEPT_WEEKS:]]
    return [backup for backup in kept if backup not in wanted]


def _made_s(path: Path) -> float:
    """When a backup was made, by its name; 0 for a file that is none of ours."""
    try:
        return datetime.strptime(path.name.removesuffix(ENDING), STAMP).replace(tzinfo=UTC).timestamp()
    except ValueError:
        return 0.0
