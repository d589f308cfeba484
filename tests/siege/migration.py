"""Bringing data of every older version to this one, killed at its steps and on disks that are too small."""

import contextlib
import shutil
import sqlite3
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

from tests.siege.disks import enlarge, small_disk
from tests.siege.killing import killed_at
from volnik.store import migrating
from volnik.store.database import Database
from volnik.store.live import Batch, LiveStore
from volnik.store.migrating import MIGRATIONS, StoreRefused, versions

ROWS, READINGS = 400, 60
ROOM = 64 << 20
OLDER = [None, *versions()[:-1]]
"""What a start may meet: an empty folder, or data of each older version."""


@dataclass
class Outcome:
    """What came of trials: how many, how many were hit, what did not start, rows that are gone."""

    trials: int = 0
    hit: int = 0
    stuck: int = 0
    lost: int = 0

    @property
    def good(self) -> bool:
        """Whether every one started, with every row."""
        return self.hit > 0 and (self.stuck, self.lost) == (0, 0)

    def __add__(self, other: "Outcome") -> "Outcome":
        return Outcome(
            self.trials + other.trials, self.hit + other.hit, self.stuck + other.stuck, self.lost + other.lost
        )

    def __str__(self) -> str:
        return f"{self.trials} trials, {self.hit} hit: {self.stuck} did not start, {self.lost} rows lost"


@contextmanager
def as_of(version: str | None) -> Iterator[Path]:
    """A data folder as that version of Volnik left it: a rig, entries and readings not settled yet."""
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held) / "data"
        folder.mkdir()
        if version is not None:
            _fill(folder, version, Path(held) / "migrations")
        yield folder


def _fill(folder: Path, version: str, older: Path) -> None:
    shutil.copytree(MIGRATIONS, older, ignore=shutil.ignore_patterns("__pycache__"))
    for script in (older / "versions").glob("[0-9]*.py"):
        if script.name[:4] > version:
            script.unlink()
    with mock.patch.object(migrating, "MIGRATIONS", older):
        Database(folder).close()
    with contextlib.closing(sqlite3.connect(folder / "volnik.sqlite3")) as old, old:
        given = {"id": 7, "name": "Old", "silhouette": "van", "what": "", "zone": "UTC", "created_s": 1}
        for _, name, kind, needed, default, _ in old.execute("PRAGMA table_info(rigs)").fetchall():
            if needed and default is None and name not in given:
                given[name] = "" if kind.startswith(("VARCHAR", "TEXT")) else "{}" if kind == "JSON" else 0
        old.execute(
            f"INSERT INTO rigs ({', '.join(given)}) VALUES ({', '.join('?' * len(given))})",
            list(given.values()),
        )
        old.executemany(
            "INSERT INTO entries (rig_id, time_s, written_s, kind, body, note) "
            "VALUES (7, ?, 1, 'full', '{}', 'kept')",
            [(at,) for at in range(ROWS)],
        )
    live = LiveStore(folder)
    live.keep([Batch(1, 7, 0.0, [(1000 * at, 13.0, -1.0, None, None, None, None) for at in range(READINGS)])])
    live.close()


def _lost(folder: Path, version: str | None) -> int:
    """Rows that are gone after the data was opened."""
    if version is None:
        return 0
    with contextlib.closing(sqlite3.connect(folder / "volnik.sqlite3")) as opened:
        entries = opened.execute("SELECT count(*) FROM entries JOIN rigs ON rigs.id = rig_id").fetchone()[0]
    with contextlib.closing(sqlite3.connect(folder / "live.sqlite3")) as opened:
        readings = opened.execute("SELECT count(*) FROM tail").fetchone()[0]
    return int(ROWS + READINGS - entries - readings)


def _open(folder: Path) -> None:
    Database(folder).close()


def _judge(outcome: Outcome, folder: Path, version: str | None) -> None:
    try:
        _open(folder)
    except StoreRefused:
        outcome.stuck += 1
        return
    outcome.lost += _lost(folder, version)
    with contextlib.closing(sqlite3.connect(folder / "volnik.sqlite3")) as opened:
        found = opened.execute("SELECT version_num FROM alembic_version").fetchone()[0]
        sound = opened.execute("PRAGMA integrity_check").fetchone()[0]
    outcome.stuck += (found, sound) != (versions()[-1], "ok")


def kills(version: str | None, steps: Iterable[int]) -> Outcome:
    """Opening data of a version, killed at each of these steps, then opened again."""
    outcome = Outcome()
    with as_of(version) as whole:
        for step in steps:
            with tempfile.TemporaryDirectory() as held:
                folder = Path(held) / "data"
                shutil.copytree(whole, folder)
                killed = killed_at(step, lambda folder=folder: _open(folder))
                outcome.trials, outcome.hit = outcome.trials + 1, outcome.hit + killed
                _judge(outcome, folder, version)
            if not killed:
                break
    return outcome


def full_disks(version: str | None, shares: Iterable[float]) -> Outcome:
    """Opening data of a version where that share of its own size is free, then again once there is room."""
    outcome = Outcome()
    with as_of(version) as whole:
        size = sum(path.stat().st_size for path in whole.iterdir())
        for share in shares:
            with small_disk(ROOM) as disk:
                folder = disk / "data"
                shutil.copytree(whole, folder)
                enlarge(disk, int(size * (1 + share)) + (16 << 10))
                outcome.trials += 1
                try:
                    _open(folder)
                except StoreRefused:
                    outcome.hit += 1
                enlarge(disk, ROOM)
                _judge(outcome, folder, version)
    return outcome


def every_kill() -> Outcome:
    """Every second step of every older version."""
    return sum((kills(version, range(1, 400, 2)) for version in OLDER), Outcome())


def every_disk() -> Outcome:
    """Eight sizes of disk for every older version."""
    return sum((full_disks(version, [0, 0.05, 0.2, 0.5, 0.9, 1.2, 1.6, 2.2]) for version in OLDER), Outcome())
