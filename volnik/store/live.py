"""Readings as they come in, in a file of their own: nobody who imports or recounts makes a bridge wait.

A bridge's readings lie here until they are settled into its source. A process that dies loses nothing that
was acknowledged; rows that were settled but not yet forgotten are met again as duplicates and dropped.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import (
    Column,
    Float,
    Integer,
    MetaData,
    Table,
    Text,
    create_engine,
    delete,
    event,
    inspect,
    select,
    text,
)

from volnik.core.arrays import Floats
from volnik.core.columns import own_values
from volnik.core.readings import COLUMNS, Readings, Row
from volnik.store.database import pragmas

_META = MetaData()
_TAIL = Table(
    "tail",
    _META,
    Column("bridge_id", Integer, primary_key=True),
    Column("time_ms", Integer, primary_key=True),
    *(Column(name, Float) for name in COLUMNS),
    Column("own", Text),
    sqlite_with_rowid=False,
)
_HEARD = Table(
    "heard",
    _META,
    Column("bridge_id", Integer, primary_key=True, autoincrement=False),
    Column("rig_id", Integer, nullable=False),
    Column("arrived_s", Float, nullable=False),
    Column("time_ms", Integer, nullable=False),
    *(Column(name, Float) for name in COLUMNS),
    Column("own", Text),
)


_GIVEN = (*COLUMNS, "own")
_LATER = "excluded.time_ms >= heard.time_ms"
_KEEP = (
    f"INSERT OR IGNORE INTO tail (bridge_id, time_ms, {', '.join(_GIVEN)}) VALUES (?, ?, "
    f"{', '.join('?' * len(_GIVEN))})"
)
_NOTE = (
    f"INSERT INTO heard (bridge_id, rig_id, arrived_s, time_ms, {', '.join(_GIVEN)}) VALUES (?, "
    f"?, ?, ?, {', '.join('?' * len(_GIVEN))}) "
    "ON CONFLICT (bridge_id) DO UPDATE SET arrived_s = excluded.arrived_s, "
    + ", ".join(
        f"{name} = CASE WHEN {_LATER} THEN excluded.{name} ELSE heard.{name} END"
        for name in (*_GIVEN, "time_ms")
    )
)


def _instant(row: Row) -> int:
    return row[0]


@dataclass(frozen=True, slots=True)
class Heard:
    """What a bridge said last: its latest reading by time, and when the last one arrived on this machine's
    clock [s since 1970].
    """

    bridge_id: int
    rig_id: int
    arrived_s: float
    row: Row


@dataclass(frozen=True, slots=True)
class Batch:
    """Readings of one bridge that arrived together."""

    bridge_id: int
    rig_id: int
    arrived_s: float
    rows: list[Row]


def _own_columns(rows: Sequence[Any]) -> dict[str, Floats]:
    """The columns of a rig's own that came with rows, NaN where one was not given."""
    found: dict[str, Floats] = {}
    for at, row in enumerate(rows):
        if row[-1] is None:
            continue
        for name, value in own_values(row).items():
            if name not in found:
                found[name] = np.full(len(rows), np.nan)
            found[name][at] = value
    return {name: found[name] for name in sorted(found)}


class LiveStore:
    """The readings not yet settled. One thread writes; anyone reads."""

    def __init__(self, folder: Path) -> None:
        self.engine = create_engine(f"sqlite:///{folder / 'live.sqlite3'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", pragmas)
        _META.create_all(self.engine)
        with self.engine.begin() as connection:
            for table in (_TAIL, _HEARD):  # of files made before rigs had columns of their own
                if "own" not in {found["name"] for found in inspect(connection).get_columns(table.name)}:
                    connection.execute(text(f"ALTER TABLE {table.name} ADD COLUMN own TEXT"))

    def keep(self, batches: Iterable[Batch]) -> list[int]:
        """Keep batches, all or none; returns how many readings of each were new.

        Of one instant the first stands.
        """
        new = []
        heard = []
        with self.engine.begin() as connection:
            driver = connection.connection.dbapi_connection
            for batch in batches:
                before = driver.total_changes  # type: ignore[union-attr]
                connection.exec_driver_sql(_KEEP, [(batch.bridge_id, *row) for row in batch.rows])
                new.append(driver.total_changes - before)  # type: ignore[union-attr]
                heard.append((batch.bridge_id, batch.rig_id, batch.arrived_s, *max(batch.rows, key=_instant)))
            connection.exec_driver_sql(_NOTE, heard)
        return new

    def heard(self) -> list[Heard]:
        """What every bridge said last."""
        with self.engine.connect() as connection:
            rows = connection.execute(select(_HEARD)).all()
        return [Heard(row[0], row[1], row[2], tuple(row[3:])) for row in rows]

    def tail(self, bridge_id: int) -> Readings | None:
        """The readings of a bridge not settled yet, in order of time, or None.

        Columns nobody gave are left out.
        """
        with self.engine.connect() as connection:
            rows = connection.execute(
                select(_TAIL.c.time_ms, *(_TAIL.c[name] for name in _GIVEN))
                .where(_TAIL.c.bridge_id == bridge_id)
                .order_by(_TAIL.c.time_ms)
            ).all()
        if not rows:
            return None
        table = np.array([tuple(row)[:-1] for row in rows], dtype=np.float64)
        extra = {
            name: table[:, at]
            for at, name in enumerate(COLUMNS, 1)
            if at > 2 and not np.isnan(table[:, at]).all()
        }
        return Readings(table[:, 0] / 1000.0, table[:, 1], table[:, 2], extra | _own_columns(rows))

    def waits(self, rig_id: int) -> bool:
        """Whether anything that came in for a rig is not settled yet."""
        bridges = select(_HEARD.c.bridge_id).where(_HEARD.c.rig_id == rig_id)
        with self.engine.connect() as connection:
            found = connection.execute(select(_TAIL.c.time_ms).where(_TAIL.c.bridge_id.in_(bridges)).limit(1))
            return found.first() is not None

    def forget(self, bridge_id: int, readings: Readings) -> None:
        """Let go of readings that were settled."""
        kept_ms = np.rint(readings.time_s * 1000.0).astype(np.int64).tolist()
        with self.engine.begin() as connection:
            connection.exec_driver_sql(
                "DELETE FROM tail WHERE bridge_id = ? AND time_ms = ?",
                [(bridge_id, kept_m) for kept_m in kept_ms],
            )

    def drop(self, bridge_ids: list[int]) -> None:
        """Let go of all that bridges of a removed rig said."""
        with self.engine.begin() as connection:
            for table in (_TAIL, _HEARD):
                connection.execute(delete(table).where(table.c.bridge_id.in_(bridge_ids)))

    def to_disk(self) -> None:
        """Bring what was kept so far onto the disk.

        A killed process loses nothing anyway; this bounds what a loss of power takes.
        """
        with self.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(PASSIVE)")

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()
