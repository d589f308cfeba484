"""What every service needs: the database, the clock and the chunks at hand."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from volnik.store.database import Database
from volnik.store.live import LiveStore
from volnik.store.logs import ChunkShelf

MOST_READINGS = 12_000_000  # of all that is remembered of logs; some 100 bytes each


@dataclass(slots=True)
class AppContext:
    """The running shop.

    Attributes:
        db: the database.
        now: the wall clock [s since 1970]; a set instant in tests and screenshots.
        chunks: opened chunks of readings.
        tapes: opened counts of record, by rig and revision.
        paths: drawings solved and judged, by all that went into them.
        live: readings as they come in, not yet settled into the log.
        slots: half hours of each piece of a count.
        looks: what Watch reckoned of a log: bands, check-ups, loads, dry runs.
        works: what took long to reckon, seasons, maps, recommendations, by the hash of all that went into
            them.
    """

    db: Database
    now: Callable[[], float]
    chunks: ChunkShelf = field(default_factory=ChunkShelf)
    counted_logs: OrderedDict[tuple[int, int], Any] = field(default_factory=OrderedDict)
    paths: OrderedDict[tuple[Any, ...], Any] = field(default_factory=OrderedDict)
    works: OrderedDict[str, Any] = field(default_factory=OrderedDict)
    half_hours: OrderedDict[Any, Any] = field(default_factory=OrderedDict)
    looks: OrderedDict[str, tuple[Any, int]] = field(default_factory=OrderedDict)
    lock: threading.RLock = field(default_factory=threading.RLock)
    live: LiveStore = field(init=False)

    def __post_init__(self) -> None:
        self.live = LiveStore(self.db.folder)

    def recalled(self, key: str) -> Any:
        """What was reckoned under a key that names all that went into it, or None."""
        with self.lock:
            found = self.looks.get(key)
            if found is None:
                return None
            self.looks.move_to_end(key)
            return found[0]

    def remember(self, key: str, value: Any, *, readings: int) -> None:
        """Keep it, with how many readings it rests on; what was not asked for longest is let go."""
        with self.lock:
            self.looks[key] = (value, readings)
            self.looks.move_to_end(key)
            while len(self.looks) > 1 and sum(size for _, size in self.looks.values()) > MOST_READINGS:
                self.looks.popitem(last=False)

    def close(self) -> None:
        """Let go of both files."""
        self.live.close()
        self.db.close()
