"""What every service needs: the database, the clock and the chunks at hand."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from cachetools import LRUCache
from sqlalchemy.orm import Session

from volnik.core.changes import Stale, differences
from volnik.core.errors import NotWritten
from volnik.core.sizes import SizedCache
from volnik.services.acting import acting
from volnik.store import chain, changes, rigs
from volnik.store.database import Database
from volnik.store.disk import disk_trouble, why_not_written
from volnik.store.live import LiveStore
from volnik.store.logs import ChunkShelf

MOST_LOGS = 24  # opened counts of record; what is large of them is in `counted`
MOST_DRAWINGS = 24  # judged ones kept: a rig has two, some rigs are open at once
LOOK_BYTES = 48 << 20  # what was reckoned of logs: a band of a year takes 2 MB, its check-up 8
STUDY_BYTES = 64 << 20  # some 8 MB each
SEGMENT_BYTES = 24 << 20  # half hours of all rigs, some 5 kB a segment
COUNTED_BYTES = 48 << 20  # readings with their count: some 4 MB a piece, a page pans over a few
MOST_WORDS = 200  # letters of what was done


Renewer = Callable[[Session, "AppContext", int], None]
"""Renews what the Yard shows of a rig, inside the transaction that changed it."""


def no_renewal(_session: Session, _context: AppContext, _rig_id: int) -> None:
    """Where nobody shows a Yard."""


@dataclass(slots=True)
class UnitOfWork:
    """One change under way.

    Attributes:
        session: to read and write by.
        context: the running shop.
        rig_id: the rig it is about, or None.
        by_user: whether it is the shop's own doing.
    """

    session: Session
    context: AppContext
    rig_id: int | None
    by_user: bool
    _more: set[int] = field(default_factory=set)
    _idle: bool = False

    def touch(self, rig_id: int) -> None:
        """Name one more rig whose summary this change may alter."""
        self._more.add(rig_id)

    def touch_all(self, chemistry: str = "") -> None:
        """Name every rig with a bank: what was changed is the shop's, and any of them may rest on it.

        Args:
            chemistry: only rigs with a bank of that chemistry; "" for all.
        """
        for archived in (False, True):
            for rig in rigs.all_rigs(self.session, archived=archived):
                if rig.bank is not None and chemistry in ("", rig.bank.chemistry):
                    self._more.add(rig.id)

    def recounted(self) -> None:
        """Say that the rig's count of record was counted anew, so that no kept reckoning of it holds."""
        assert self.rig_id is not None
        rigs.next_revision(self.session, self.rig_id)

    def nothing_changed(self) -> None:
        """Say that it came to nothing: no summary is renewed."""
        self._idle = True

    def record(
        self,
        subject: str,
        what: str,
        *,
        before: Mapping[str, Any] | None = None,
        after: Mapping[str, Any] | None = None,
        rig_id: int | None = None,
        adds: bool = False,
    ) -> None:
        """Put on record that a subject was changed, by whoever is at work; Volnik's own doing is not.

        Args:
            subject: see `core.changes`.
            what: what was done, in a few words.
            before, after: its fields as plain values; where both are alike, nothing was changed.
            rig_id: the rig it is about, by default that of this change.
            adds: it writes over nothing, so that it matters to nobody's page.

        Raises:
            Stale: when it was changed by others since the page this comes from was made.
        """
        who, about = acting(), self.rig_id if rig_id is None else rig_id
        fields = differences(before or {}, after or {})
        if who is None or (before is not None and not fields):
            return
        if who.seen is not None and not adds:
            missed = changes.since(self.session, rig_id=about, subject=subject, seen=who.seen, page=who.page)
            if missed:
                raise Stale(missed)
        who.made = changes.add(
            self.session,
            at_s=self.context.now(),
            rig_id=about,
            subject=subject,
            who=who.who,
            page=who.page,
            what=what[:MOST_WORDS],
            fields=fields,
        )

    def finish(self) -> None:
        """Renew each summary once; called by `AppContext.change` alone."""
        if self._idle:
            return
        if self.rig_id is not None and self.by_user:
            rigs.change_rig(self.session, self.rig_id, modified_by_user=True)
        self.session.flush()
        for rig_id in self.rig_ids:
            self.context.renew(self.session, self.context, rig_id)

    @property
    def rig_ids(self) -> set[int]:
        """Every rig whose summary this change may alter."""
        return self._more if self.rig_id is None else {*self._more, self.rig_id}


@dataclass(slots=True)
class AppContext:
    """The running shop.

    Attributes:
        db: the database.
        now: the wall clock [s since 1970]; a set instant in tests and screenshots.
        chunks: opened chunks of readings.
        counted_logs: opened counts of record, by rig and revision.
        paths: drawings solved and judged, by all that went into them.
        live: readings as they come in, not yet settled into the log.
        half_hours: of each piece of a count.
        counted: pieces of counts with their readings, by log and number.
        looks: what Watch reckoned of a log: bands, check-ups, loads, dry runs.
        renew: renews a rig's summary at the end of a change; main names it.
        works: what took long to reckon, seasons, maps, recommendations, by the hash of all that went into
            them.
    """

    db: Database
    now: Callable[[], float]
    chunks: ChunkShelf = field(default_factory=ChunkShelf)
    counted_logs: LRUCache[tuple[int, int], Any] = field(default_factory=lambda: LRUCache(MOST_LOGS))
    paths: LRUCache[tuple[Any, ...], Any] = field(default_factory=lambda: LRUCache(MOST_DRAWINGS))
    works: LRUCache[str, Any] = field(default_factory=lambda: SizedCache(STUDY_BYTES))
    half_hours: LRUCache[Any, Any] = field(default_factory=lambda: SizedCache(SEGMENT_BYTES))
    counted: LRUCache[Any, Any] = field(default_factory=lambda: SizedCache(COUNTED_BYTES))
    looks: LRUCache[str, Any] = field(default_factory=lambda: SizedCache(LOOK_BYTES))
    lock: threading.RLock = field(default_factory=threading.RLock)
    renew: Renewer = no_renewal
    live: LiveStore = field(init=False)

    def __post_init__(self) -> None:
        self.live = LiveStore(self.db.folder)

    def recalled(self, key: str) -> Any:
        """What was reckoned under a key that names all that went into it, or None."""
        with self.lock:
            return self.looks.get(key)

    def remember(self, key: str, value: Any) -> None:
        """Keep it; what was not asked for longest is let go."""
        with self.lock:
            self.looks[key] = value

    def newest_change(self) -> int:
        """The number of the last change on record."""
        with self.db.reading() as session:
            return changes.newest(session)

    @contextmanager
    def change(self, rig_id: int | None = None, *, by_user: bool = True) -> Iterator[UnitOfWork]:
        """The one way to keep a change: one read and write transaction, kept whole at its end or not at all.

        The summary of every rig it touches is renewed once, in the same transaction.

        Args:
            rig_id: the rig it touches, or None; more can be named on the unit of work.
            by_user: whether it is the shop's own doing; False for the demo's.
        """
        rig_ids: set[int] = set()
        try:
            with self.db.writing() as session:
                work = UnitOfWork(session, self, rig_id, by_user)
                try:
                    yield work
                    work.finish()
                finally:
                    rig_ids = work.rig_ids
        except (
            BaseException
        ) as wrong:  # of the commit too: what was opened under the next revision is not there
            self._forget_counts(rig_ids)
            if sentence := why_not_written(wrong, self.db.folder):
                raise NotWritten(sentence) from wrong
            raise

    def record_head(self) -> str:
        """One hash for all proofs, ticks and sheets as they stand; "" while there is none."""
        with self.db.reading() as session:
            return chain.head(session)

    def why_not_written(self, wrong: BaseException) -> str:
        """Why something could not be written, where the disk is to blame; "" where it is not."""
        return why_not_written(wrong, self.db.folder)

    def disk_trouble(self) -> str:
        """What keeps the data from being written to, in a sentence, or ""."""
        return disk_trouble(self.db.folder)

    def _forget_counts(self, rig_ids: set[int]) -> None:
        """Let go of counts opened inside a change that is undone: the next one gets the same revision."""
        with self.lock:
            for key in [key for key in self.counted_logs if key[0] in rig_ids]:
                del self.counted_logs[key]

    def close(self) -> None:
        """Let go of both files."""
        self.live.close()
        self.db.close()
