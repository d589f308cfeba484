"""Bringing a data folder to this version: both databases are copied, changed, and take the others' place.

Whatever ends it, a kill, a full disk or a fault in a migration, the data stands as it was until the new set
is whole; the old one stays aside.
"""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from sqlalchemy import create_engine
from sqlalchemy.pool import NullPool

from volnik.store.staging import DATABASES, MAIN, finish, free_name, plan, stage, unstage

MIGRATIONS = Path(__file__).parent / "migrations"
SETS_KEPT = 3  # put aside by migrations; the shop's own backups come on top
ASIDE = "of-version-"


class StoreRefused(Exception):
    """The data folder or database cannot be used; the sentence says why and what to do."""


def versions() -> list[str]:
    """The versions a database can have, oldest first, by the names of their migrations."""
    return sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def version_of(database: Path) -> str | None:
    """The version a file is of; None where it is not there, is empty, or its first start was cut short.

    Raises:
        StoreRefused: when it is no database of Volnik's.
        sqlite3.DatabaseError: when it is no database at all.
    """
    if not database.is_file():
        return None
    with closing(sqlite3.connect(database)) as opened:
        tables = [
            str(row[0]) for row in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        ]
        if not tables:
            return None
        if "alembic_version" not in tables:
            raise StoreRefused(f"{database} is not a Volnik database. Choose another folder with --data.")
        found = opened.execute("SELECT version_num FROM alembic_version").fetchone()
        if found is not None:
            return str(found[0])
        # A first start of an early Volnik, killed: its tables were made one by one, and hold nothing.
        if any(opened.execute(f'SELECT 1 FROM "{name}" LIMIT 1').fetchone() for name in tables):
            raise StoreRefused(f"{database} does not say its version. Restore a backup: volnik restore FILE.")
    return None


def bring_up(folder: Path) -> None:
    """Bring a data folder to this version, from whatever an earlier one, or a killed start, left.

    Raises:
        StoreRefused: when it is of a newer version, or cannot be brought there; the data is as it was.
        sqlite3.DatabaseError: when it is no database, or damaged.
    """
    finish(folder)
    known, main = versions(), folder / MAIN
    current = version_of(main)
    if current == known[-1]:
        return
    if current is not None and current not in known:
        raise StoreRefused(
            f"{main} was written by a newer Volnik. Update Volnik, or choose another folder with --data."
        )
    refusal = ""
    for base in _bases(main, current):
        try:
            _migrate(folder, base)
        except Exception as wrong:
            unstage(folder)
            cause = getattr(wrong, "orig", None) or wrong
            refusal = refusal or f"{main} could not be brought to this version and is as it was: {cause}."
            continue
        plan(folder, free_name(folder, f"{ASIDE}{current or 'none'}"))
        finish(folder)
        _forget_old_sets(folder)
        return
    raise StoreRefused(f"{refusal}{_room_needed(folder)}")


def _bases(main: Path, current: str | None) -> Iterator[Path | None]:
    """What to begin from: nothing, the file as it stands, or the copy beside one that is half migrated."""
    if current is None:
        yield None
        return
    yield main
    # An early Volnik migrated in place; killed, it left tables of two versions, and a copy beside.
    shape = _shape(main)
    for copy in sorted(main.parent.glob("volnik-before-*.sqlite3"), key=lambda path: path.stat().st_mtime):
        if version_of(copy) == current and _shape(copy) != shape:
            yield copy


def _shape(database: Path) -> list[str]:
    with closing(sqlite3.connect(database)) as opened:
        return sorted(str(row[0]) for row in opened.execute("SELECT sql FROM sqlite_master"))


def _migrate(folder: Path, base: Path | None) -> None:
    """Make the set of this version ready beside the one that stands."""
    staged = stage(folder)
    for name in DATABASES:
        source = base if name == MAIN else folder / name
        if source is not None and source.is_file():
            copy_database(source, staged / name)
    engine = create_engine(f"sqlite:///{staged / MAIN}", poolclass=NullPool)
    try:
        # Imported by what migrates: it would be a tenth of every other start.
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    finally:
        engine.dispose()


def copy_database(source: Path, copy: Path) -> None:
    """One database as of one instant, checked whole, as one file.

    Raises:
        sqlite3.Error: when it cannot be read or written, or is damaged.
    """
    with (
        closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as reads,
        closing(sqlite3.connect(copy)) as writes,
    ):
        reads.backup(writes)
        writes.execute("PRAGMA journal_mode = DELETE")  # without it the copy would be a file and its log
        found = writes.execute("PRAGMA quick_check(1)").fetchone()[0]
        if found != "ok":
            raise sqlite3.DatabaseError(f"{source.name}: {found}")


def _room_needed(folder: Path) -> str:
    """What to do where room is short, or ""."""
    needed = 2 * sum((folder / name).stat().st_size for name in DATABASES if (folder / name).is_file())
    free = shutil.disk_usage(folder).free
    if free > needed:
        return ""
    return f" It needs {needed / 1e6:.1f} MB free, and {free / 1e6:.1f} are: make room, and start again."


def _forget_old_sets(folder: Path) -> None:
    kept = sorted(folder.glob(f"{ASIDE}*"), key=lambda path: path.stat().st_mtime)
    for old in kept[:-SETS_KEPT]:
        shutil.rmtree(old, ignore_errors=True)
