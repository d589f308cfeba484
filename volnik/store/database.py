"""Opening the database: folder, copy put aside, migrations, one writer at a time."""

from __future__ import annotations

import os
import shutil
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager
from contextvars import ContextVar
from pathlib import Path

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"
COPIES_KEPT = 3  # put aside before a migration; the shop's own backups come on top


def versions() -> list[str]:
    """The versions a database can have, oldest first, by the names of their migrations."""
    return sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


class StoreRefused(Exception):
    """The data folder or database cannot be used; the sentence says why and what to do."""


class _SharedReading:
    """One session for several readings, opened when the first of them asks."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._session: Session | None = None

    def session(self) -> Session:
        if self._session is None:
            self._session = Session(self._engine, expire_on_commit=False)
            # Python's driver begins no transaction for reading: without this each query has its own instant.
            self._session.connection().exec_driver_sql("BEGIN")
        return self._session

    def end(self) -> None:
        if self._session is not None:
            self._session.close()
            self._session = None


_shared: ContextVar[_SharedReading | None] = ContextVar("one reading", default=None)


class Database:
    """One SQLite file. Reads run side by side; writes take turns."""

    def __init__(self, folder: Path) -> None:
        """Open, and migrate, the database in `folder`.

        Raises:
            StoreRefused: when the folder cannot be written, the file is no database, or is of a newer
                version.
        """
        self.folder = folder
        self.path = folder / "volnik.sqlite3"
        self._writer = threading.RLock()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            probe = folder / f".write-{os.getpid()}"
            probe.touch()
            probe.unlink()
        except OSError as wrong:
            raise StoreRefused(
                f"The data folder {folder} cannot be written ({wrong.strerror}). Choose another with --data."
            ) from None
        self.engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", pragmas)
        try:
            self._migrate()
        except (DatabaseError, sqlite3.DatabaseError) as wrong:
            raise StoreRefused(
                f"{self.path} is not a Volnik database, or is damaged: {wrong.__cause__ or wrong}"
            ) from None

    def _migrate(self) -> None:
        known, current = versions(), self._version()
        head = known[-1]
        if current == head:
            return
        if current is not None and current not in known:
            raise StoreRefused(
                f"{self.path} was written by a newer Volnik. Update Volnik, or choose another folder "
                "with --data."
            )
        earlier = self._copies(head)
        try:
            if current is not None:
                self._put_aside(head)
            self._upgrade()
        except Exception as wrong:
            if not earlier or not self._retry_from(earlier[0]):
                cause = getattr(wrong, "orig", None) or wrong
                raise StoreRefused(
                    f"{self.path} could not be brought to this version and was put back as it was: {cause}"
                ) from None
        self._forget_old_copies()

    def _version(self) -> str | None:
        """The version the file is of, None while it is new."""
        with self.engine.connect() as connection:
            tables = connection.exec_driver_sql("SELECT name FROM sqlite_master").scalars().all()
            if "alembic_version" not in tables:
                return None
            found = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
            return None if found is None else str(found)

    def _forget_old_copies(self) -> None:
        copies = sorted(self.folder.glob("volnik-before-*.sqlite3"), key=lambda path: path.stat().st_mtime)
        for old in copies[:-COPIES_KEPT]:
            old.unlink()

    def _copies(self, head: str) -> list[Path]:
        """Copies put aside before a migration to that version, oldest first."""
        found = self.folder.glob(f"volnik-before-{head}*.sqlite3")
        return sorted(found, key=lambda path: path.stat().st_mtime)

    def _put_aside(self, head: str) -> None:
        """Copy the database under a name that is not taken yet; a copy that stands is never written over."""
        half = self.folder / f"volnik-before-{head}.part"
        half.unlink(missing_ok=True)  # what a kill amid an earlier copy left
        self.engine.dispose()
        with closing(sqlite3.connect(self.path)) as source, closing(sqlite3.connect(half)) as copy:
            source.backup(copy)
        aside = self.folder / f"volnik-before-{head}.sqlite3"
        number = 2
        while aside.exists():
            aside = self.folder / f"volnik-before-{head}-{number}.sqlite3"
            number += 1
        half.replace(aside)

    def _upgrade(self) -> None:
        """Migrate to this version in one transaction: killed at any instant, the file stands as it was."""
        # Imported by what migrates: it would be a tenth of every other start.
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            # SQLite changes tables within a transaction, but Python's driver begins one only before changing
            # rows.
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def _retry_from(self, copy: Path) -> bool:
        """Begin again from a copy that an earlier, killed migration put aside.

        Returns whether that led to this version.
        """
        self.engine.dispose()
        for left in ("-wal", "-shm"):  # what a half-done migration wrote must not be replayed onto the copy
            self.path.with_name(self.path.name + left).unlink(missing_ok=True)
        fresh = self.path.with_name("volnik.part")
        shutil.copyfile(copy, fresh)
        fresh.replace(self.path)
        try:
            self._upgrade()
        except Exception:
            return False
        return True

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for reading; inside `one_reading`, the one session of all that is read there."""
        shared = _shared.get()
        if shared is not None:
            yield shared.session()
            return
        with Session(self.engine, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def one_reading(self) -> Iterator[None]:
        """All that this thread or task reads inside is read as of one instant, that of the first reading.

        What is written meanwhile by others is not seen; what is written inside is seen by all that comes
        after.
        """
        shared = _SharedReading(self.engine)
        token = _shared.set(shared)
        try:
            yield
        finally:
            _shared.reset(token)
            shared.end()

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session whose changes are kept whole at the end, or not at all; one writer at a time."""
        with self._writer, Session(self.engine, expire_on_commit=False) as session, session.begin():
            yield session
        self.read_anew()

    def read_anew(self) -> None:
        """Let what is read from here on, inside `one_reading`, be of a new instant."""
        shared = _shared.get()
        if shared is not None:
            shared.end()

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


def pragmas(connection: sqlite3.Connection, _record: object) -> None:
    """How every connection is opened."""
    for pragma in (
        "journal_mode=WAL",
        "synchronous=NORMAL",
        "foreign_keys=ON",
        "busy_timeout=30000",
        "cache_size=-65536",
    ):
        connection.execute(f"PRAGMA {pragma}")
