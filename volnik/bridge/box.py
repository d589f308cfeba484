"""What waits to be brought: readings in a small SQLite file, let go once Volnik has kept them.

A reading takes some 60 bytes: a week at 1 Hz is under 40 MB. Nothing of it is lost at a restart.
"""

from __future__ import annotations

import threading
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from volnik.core.readings import COLUMNS, Row

GIVEN = (*COLUMNS, "own")

MOST_ROWS = 2_000_000  # three weeks at 1 Hz; then the oldest go
TABLES = sa.MetaData()
WAITING = sa.Table(
    "waiting",
    TABLES,
    sa.Column("id", sa.Integer, primary_key=True),
    sa.Column("rig_id", sa.Integer, nullable=False, index=True),
    sa.Column("time_ms", sa.BigInteger, nullable=False),
    sa.Column("by_clock", sa.Boolean, nullable=False),
    *(sa.Column(name, sa.Float) for name in COLUMNS),
    sa.Column("own", sa.Text),
)
FILES = sa.Table(
    "files",
    TABLES,
    sa.Column("rig_id", sa.Integer, primary_key=True),
    sa.Column("digest", sa.String, primary_key=True),
)


class Box:
    """Readings that wait, by rig."""

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True)
        self._engine = sa.create_engine(f"sqlite:///{file}", connect_args={"check_same_thread": False})
        self._lock = threading.Lock()
        with self._engine.begin() as connection:
            connection.execute(sa.text("PRAGMA journal_mode=WAL"))
            TABLES.create_all(connection)
            if "own" not in {found["name"] for found in sa.inspect(connection).get_columns("waiting")}:
                connection.execute(sa.text("ALTER TABLE waiting ADD COLUMN own TEXT"))

    def put(self, rig_id: int, rows: Iterable[Row], *, by_clock: bool = False) -> None:
        """Keep readings until they are brought.

        Args:
            rig_id: they are of.
            rows: in order of time.
            by_clock: whether the bridge's own clock stamped them, rather than whoever measured.
        """
        given = [{**_told(rig_id, row), "by_clock": by_clock} for row in rows]
        if not given:
            return
        with self._lock, self._engine.begin() as connection:
            connection.execute(WAITING.insert(), given)
            newest = connection.scalar(sa.select(sa.func.max(WAITING.c.id))) or 0
            connection.execute(WAITING.delete().where(WAITING.c.id <= newest - MOST_ROWS))

    def first(self, rig_id: int, count: int) -> list[tuple[int, Row]]:
        """The readings of a rig that wait longest, with their numbers.

        Args:
            rig_id: of the rig.
            count: at most so many.
        """
        asked = sa.select(WAITING).where(WAITING.c.rig_id == rig_id).order_by(WAITING.c.id).limit(count)
        with self._lock, self._engine.begin() as connection:
            found = connection.execute(asked).all()
        return [(each.id, (each.time_ms, *(getattr(each, name) for name in GIVEN))) for each in found]

    def let_go(self, rig_id: int, until: int) -> None:
        """Forget readings that were brought.

        Args:
            rig_id: they are of.
            until: number of the last of them.
        """
        gone = WAITING.delete().where(WAITING.c.rig_id == rig_id, WAITING.c.id <= until)
        with self._lock, self._engine.begin() as connection:
            connection.execute(gone)

    def waits(self, rig_id: int) -> int:
        """How many readings of a rig wait.

        Args:
            rig_id: of the rig.
        """
        asked = sa.select(sa.func.count()).where(WAITING.c.rig_id == rig_id)
        with self._lock, self._engine.begin() as connection:
            return int(connection.scalar(asked) or 0)

    def moved(self, after: int, by_ms: int) -> None:
        """Put readings that a clock stamped which stood wrong where they belong; others keep their time.

        Args:
            after: number of the last one that is right.
            by_ms: how much later they belong [ms].
        """
        moved = (
            WAITING.update()
            .where(WAITING.c.id > after, WAITING.c.by_clock)
            .values(time_ms=WAITING.c.time_ms + by_ms)
        )
        with self._lock, self._engine.begin() as connection:
            connection.execute(moved)

    def newest(self) -> int:
        """Number of the newest reading, 0 for none."""
        with self._lock, self._engine.begin() as connection:
            return int(connection.scalar(sa.select(sa.func.max(WAITING.c.id))) or 0)

    def is_new(self, rig_id: int, digest: str) -> bool:
        """Whether a file was not read before.

        Args:
            rig_id: it is of.
            digest: of its bytes.
        """
        asked = sa.select(FILES).where(FILES.c.rig_id == rig_id, FILES.c.digest == digest)
        with self._lock, self._engine.begin() as connection:
            return connection.execute(asked).first() is None

    def was_read(self, rig_id: int, digest: str) -> None:
        """Remember a file.

        Args:
            rig_id: it is of.
            digest: of its bytes.
        """
        with self._lock, self._engine.begin() as connection:
            connection.execute(FILES.insert().prefix_with("OR IGNORE"), {"rig_id": rig_id, "digest": digest})

    def close(self) -> None:
        """Close the file."""
        self._engine.dispose()


def _told(rig_id: int, row: Row) -> dict[str, Any]:
    return {"rig_id": rig_id, "time_ms": row[0], **dict(zip(GIVEN, row[1:], strict=True))}
