"""Opening the database, one writer at a time. What brings it to this version is `migrating`."""

from __future__ import annotations

import os
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session

from volnik.store.migrating import StoreRefused, bring_up
from volnik.store.staging import MAIN


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
        self.path = folder / MAIN
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
        try:
            bring_up(folder)
        except sqlite3.DatabaseError as wrong:
            raise StoreRefused(
                f"{self.path} is not a Volnik database, or is damaged: {wrong}. Choose another folder with "
                "--data, or restore a backup: volnik restore FILE."
            ) from None
        self.engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", pragmas)

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
