"""Import, backup, restore and merge killed at their steps: all or nothing, and everything still opens."""

import contextlib
import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from tests.services.shops import rig, steady, take
from tests.siege.killing import killed_at, killed_beside
from volnik.services.context import AppContext
from volnik.services.yard import archive
from volnik.services.yard.rigs import yard
from volnik.services.yard.summary import renew
from volnik.store.backup import BackupRefused, read_backup, stage_restore, write_backup
from volnik.store.database import Database
from volnik.store.staging import finish

NOW = 1_790_000_000.0
READINGS = 4000


@dataclass
class Kills:
    """What came of them: how many, how many hit, and what was neither whole nor as before."""

    trials: int = 0
    hit: int = 0
    torn: int = 0

    @property
    def good(self) -> bool:
        """Whether each left all or nothing."""
        return self.hit > 0 and self.torn == 0

    def __str__(self) -> str:
        return f"{self.trials} kills, {self.hit} hit: {self.torn} left something half done"


@contextlib.contextmanager
def shop(folder: Path):
    """The shop in a folder."""
    context = AppContext(Database(folder), lambda: NOW, renew=renew)
    try:
        yield context
    finally:
        context.close()


def _tried(
    make: Callable[[Path], None],
    kill: Callable[[int, Path], bool],
    is_sound: Callable[[Path], bool],
    steps: Iterable[int],
) -> Kills:
    """Work on a folder killed at each of these steps; then it must be sound, and open."""
    found = Kills()
    with tempfile.TemporaryDirectory() as held:
        whole = Path(held) / "whole"
        whole.mkdir()
        make(whole)
        for step in steps:
            folder = Path(held) / "tried"
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(whole, folder)
            killed = kill(step, folder)
            found.trials, found.hit = found.trials + 1, found.hit + killed
            found.torn += not (is_sound(folder) and _opens(folder / "shop"))
            if not killed:
                break
    return found


def _forked(work: Callable[[Path], None]) -> Callable[[int, Path], bool]:
    return lambda step, folder: killed_at(step, partial(work, folder))


def _opens(folder: Path) -> bool:
    Database(folder).close()
    with contextlib.closing(sqlite3.connect(folder / "volnik.sqlite3")) as opened:
        return bool(opened.execute("PRAGMA integrity_check").fetchone()[0] == "ok")


def _make_shop(folder: Path) -> None:
    with shop(folder / "shop") as context:
        rig_id = rig(context)
        take(context, rig_id, steady(-1.0, 50))
    (folder / "shop" / "secret").write_text("s" * 43)


def imports(steps: Iterable[int]) -> Kills:
    """A log taken in."""

    def work(folder: Path) -> None:
        with shop(folder / "shop") as context:
            take(context, 1, steady(-2.0, READINGS, start_s=NOW - 1e6, step_s=1.0), name="more.csv")

    def is_sound(folder: Path) -> bool:
        with contextlib.closing(sqlite3.connect(folder / "shop" / "volnik.sqlite3")) as opened:
            kept = opened.execute("SELECT coalesce(sum(readings), 0) FROM sources WHERE name = 'more.csv'")
            chunks = opened.execute("SELECT coalesce(sum(readings), 0) FROM chunks WHERE source_id > 1")
            return kept.fetchone()[0] == chunks.fetchone()[0]

    return _tried(_make_shop, _forked(work), is_sound, steps)


def backups(steps: Iterable[int]) -> Kills:
    """A backup written over an older one."""

    def make(folder: Path) -> None:
        _make_shop(folder)
        write_backup(folder / "shop", folder / "old.backup", made_s=NOW, program="0")

    def work(folder: Path) -> None:
        write_backup(folder / "shop", folder / "old.backup", made_s=NOW + 1, program="0")

    def is_sound(folder: Path) -> bool:
        try:
            return read_backup(folder / "old.backup").made_s in (NOW, NOW + 1)
        except BackupRefused:
            return False

    return _tried(make, _forked(work), is_sound, steps)


def restores(steps: Iterable[int]) -> Kills:
    """A backup brought back over a shop that went on."""

    def make(folder: Path) -> None:
        _make_shop(folder)
        write_backup(folder / "shop", folder / "old.backup", made_s=NOW, program="0")
        with shop(folder / "shop") as context:
            rig(context, name="Later")

    def work(folder: Path) -> None:
        stage_restore(folder / "old.backup", folder / "shop", aside="aside")
        finish(folder / "shop")

    def is_sound(folder: Path) -> bool:
        finish(folder / "shop")
        with shop(folder / "shop") as context:
            names = {strip.rig.name for strip in yard(context)}
        return names in ({"Tern"}, {"Tern", "Later"})

    return _tried(make, _forked(work), is_sound, steps)


def merges(steps: Iterable[int]) -> Kills:
    """The archive of a rig that went on elsewhere."""

    def make(folder: Path) -> None:
        _make_shop(folder)
        shutil.copytree(folder / "shop", folder / "elsewhere")
        with shop(folder / "elsewhere") as context:
            take(context, 1, steady(-2.0, READINGS, start_s=NOW - 1e6, step_s=1.0), name="more.csv")
            archive.give_out(context, 1, folder / "rig.zip", program="0")

    def kill(step: int, folder: Path) -> bool:
        return killed_beside(step, "tests.siege.merging", str(folder))

    def is_sound(folder: Path) -> bool:
        with contextlib.closing(sqlite3.connect(folder / "shop" / "volnik.sqlite3")) as opened:
            (told,) = opened.execute("SELECT sum(readings) FROM sources").fetchone()
            (kept,) = opened.execute("SELECT sum(readings) FROM chunks").fetchone()
        return told == kept and told in (50, 50 + READINGS)

    return _tried(make, kill, is_sound, steps)


WORKS = {"import": imports, "backup": backups, "restore": restores}


def every() -> Kills:
    """Every third step of each; every eighth of a merge, which is a process of its own each time."""
    whole = Kills()
    for found in (*(work(range(1, 600, 3)) for work in WORKS.values()), merges(range(1, 600, 8))):
        whole = Kills(whole.trials + found.trials, whole.hit + found.hit, whole.torn + found.torn)
    return whole
