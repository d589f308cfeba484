"""Readings taken in as they come: many callers, one writer, an answer only once they are kept."""

from __future__ import annotations

import logging
import math
import queue
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures import TimeoutError as FutureTimeout
from contextlib import suppress
from dataclasses import dataclass

from cachetools import LRUCache
from sqlalchemy.exc import SQLAlchemyError

from volnik.core.columns import MOST_OWN, own_values
from volnik.core.readings import NotKept, ReadingsRefused, Row
from volnik.core.signing import Counters, SignedMessage, name_of
from volnik.services.context import AppContext
from volnik.services.live import tokens
from volnik.services.live.now import Live
from volnik.services.live.pending import ingest_pending
from volnik.services.live.tokens import Token
from volnik.store.live import Batch

LOG = logging.getLogger(__name__)
AHEAD_S = 86_400.0  # a bridge's clock may be a zone off; a day ahead was never set
SETTLE_READINGS, SETTLE_S = 20_000, 300.0  # whichever comes first: a chunk is written anew each time
PAUSE_S = 0.3  # between two rounds of settling: a page that asks waits no longer
TO_DISK_S = 2.0  # what a loss of power may take
CATCH_UP_S = 2.0  # a page waits so long for readings to be settled, then shows what is there
MOST_AT_ONCE = 400  # posts a commit, so that none waits long for the others
KNOWN_KEYS = 2_000  # bridges whose key need not be looked up again


class KeyRefused(PermissionError):
    """No key, a wrong or ended one, or one for another address."""


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of readings sent together.

    New, already there by their instant, and older than the latest before them.
    """

    taken: int
    repeated: int
    late: int


@dataclass(frozen=True, slots=True)
class IngestHealth:
    """How taking readings in does.

    Attributes:
        writing, settling: whether either thread runs.
        restarts: how often one ended by itself and was started again.
        waiting: posts not kept yet.
        unsettled: rigs with readings not in their log yet.
        kept_s: when readings were last kept [s since 1970]; NaN for never since the start.
    """

    writing: bool
    settling: bool
    restarts: int
    waiting: int
    unsettled: int
    kept_s: float


@dataclass(slots=True)
class _Post:
    bridge: Token
    batch: Batch
    late: int
    answer: Future[Taken]


class Ingest:
    """Takes readings in; two threads, one that writes and one that settles."""

    def __init__(self, context: AppContext, live: Live) -> None:
        self.context, self.live = context, live
        self._posts: queue.SimpleQueue[_Post | None] = queue.SimpleQueue()
        self._keys: LRUCache[str, Token] = LRUCache(KNOWN_KEYS)
        self._counters = Counters()
        self._own: dict[int, set[str]] = {}
        self._keys_lock = threading.Lock()  # even looking one up moves it to the front
        self._waiting: dict[int, tuple[int, float]] = {
            heard.rig_id: (1, time.monotonic() - SETTLE_S) for heard in context.live.heard()
        }
        self._asked: queue.SimpleQueue[tuple[int, Future[None]] | None] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._starting = threading.Lock()
        self._writer: threading.Thread | None = None
        self._settler: threading.Thread | None = None
        self._restarts, self._kept_s = 0, math.nan
        live.catch_up = self.catch_up

    def start(self) -> None:
        """Begin to write and to settle; what was posted before is taken then.

        Called again it starts what ended by itself, which nothing should; until then nobody would be heard.
        """
        with self._starting:
            if self._stop.is_set():
                return
            self._writer = self._running(self._writer, self._write, "ingest")
            self._settler = self._running(self._settler, self._settle, "settle")

    def _running(
        self, thread: threading.Thread | None, work: Callable[[], None], name: str
    ) -> threading.Thread:
        if thread is not None and thread.is_alive():
            return thread
        if thread is not None:
            LOG.error("The thread “%s” ended by itself; it is started again.", name)
            self._restarts += 1
        fresh = threading.Thread(target=work, name=name, daemon=True)
        fresh.start()
        return fresh

    def health(self) -> IngestHealth:
        """How it does now."""
        writer, settler = self._writer, self._settler
        return IngestHealth(
            writing=writer is not None and writer.is_alive(),
            settling=settler is not None and settler.is_alive(),
            restarts=self._restarts,
            waiting=self._posts.qsize(),
            unsettled=len(self._waiting),
            kept_s=self._kept_s,
        )

    def key(self, secret: str, rig_id: int) -> Token:
        """The bridge whose key that is, for the readings of a rig.

        Raises:
            KeyRefused: with the sentence to answer.
            NotKept: when the keys cannot be looked up just now.
        """
        if not secret:
            raise KeyRefused("Readings need the bridge's key: Authorization: Bearer KEY.")
        with self._keys_lock:
            found = self._keys.get(secret)
        if found is None:
            try:
                found = tokens.find(self.context, secret)
            except SQLAlchemyError as wrong:
                raise NotKept("The keys cannot be looked up just now; send the readings again.") from wrong
            if found is None:
                raise KeyRefused(
                    "This key is not known here, or it was ended. Make a new one on the page Doors."
                )
            with self._keys_lock:
                self._keys[secret] = found
        if not found.is_bridge or found.rig_id != rig_id:
            raise KeyRefused("This key opens another address.")
        return found

    def signer(self, message: SignedMessage, rig_id: int, topic: str) -> Token:
        """The bridge that signed a message, for the readings of a rig.

        Args:
            message: as read, its signature not looked at yet.
            rig_id: of the rig.
            topic: it was signed for.

        Raises:
            KeyRefused: when its signature is by no key of the rig.
            ReadingsRefused: when it is an old message caught and sent again.
            NotKept: when the keys cannot be looked up just now.
        """
        try:
            bridges = tokens.bridges_of(self.context, rig_id)
        except SQLAlchemyError as wrong:
            raise NotKept("The keys cannot be looked up just now; send the readings again.") from wrong
        for bridge in bridges:
            if bridge.ended_s is None and name_of(bridge.digest) == message.id:
                if message.is_by(bridge.digest, topic):
                    self._counters.check(message.id, message.counter)
                    return bridge
                break
        raise KeyRefused("This message is signed by no key of this rig.")

    def forget_keys(self) -> None:
        """A key was ended or changed: look every one up again."""
        with self._keys_lock:
            self._keys.clear()

    def take(self, bridge: Token, rows: list[Row]) -> Future[Taken]:
        """Take readings in; the future is done once they are kept.

        Raises:
            ReadingsRefused: for a reading ahead of this machine's clock by more than a day; a bench rig keeps
                its own clock.
        """
        assert bridge.rig_id is not None
        if bridge.kind != "bench":
            limit_ms = (self.context.now() + AHEAD_S) * 1000.0
            for index, row in enumerate(rows):
                if row[0] > limit_ms:
                    raise ReadingsRefused(
                        "time lies more than a day ahead of this machine's clock; set the bridge's "
                        "clock, or this one's.",
                        index=index,
                        field="time",
                    )
        self._refuse_many_columns(bridge, rows)
        last_ms = self.live.last_ms(bridge)
        late = 0 if last_ms is None else sum(row[0] < last_ms for row in rows)
        post = _Post(bridge, Batch(bridge.id, bridge.rig_id, time.time(), rows), late, Future())
        self._posts.put(post)
        if self._writer is not None and not self._writer.is_alive():
            self.start()
        return post.answer

    def _refuse_many_columns(self, bridge: Token, rows: list[Row]) -> None:
        """Refuse columns of its own beyond what a rig has, whichever posts they came in.

        Raises:
            ReadingsRefused: at the first reading that brings one too many.
        """
        known = set(self._own.get(bridge.id, ()))
        for index, row in enumerate(rows):
            if row[-1] is None:
                continue
            all_of_them = known | own_values(row).keys()
            if len(all_of_them) > MOST_OWN:
                raise ReadingsRefused(
                    f"A rig has at most {MOST_OWN} columns of its own; this bridge has brought others "
                    f"before: {', '.join(sorted(known))[:300]}.",
                    index=index,
                )
            known = all_of_them
        self._own[bridge.id] = known

    def _write(self) -> None:
        while True:
            posts = [self._posts.get()]
            while len(posts) < MOST_AT_ONCE and posts[-1] is not None:
                try:
                    posts.append(self._posts.get_nowait())
                except queue.Empty:
                    break
            whole = [post for post in posts if post is not None]
            if whole:
                self._keep_or_answer(whole)
            if posts[-1] is None:
                return

    def _keep_or_answer(self, posts: list[_Post]) -> None:
        """Keep posts; whatever goes wrong is answered to their senders and never ends the writer."""
        try:
            self._keep(posts)
        except BaseException as wrong:
            LOG.exception("Readings could not be kept.")
            for post in posts:
                if not post.answer.done():
                    post.answer.set_exception(
                        NotKept(f"The readings could not be kept ({wrong}); send them again.")
                    )
            if not isinstance(
                wrong, Exception
            ):  # such as SystemExit: this thread ends, the next post begins another
                raise

    def _keep(self, posts: list[_Post]) -> None:
        try:
            new = self.context.live.keep(post.batch for post in posts)
        except (SQLAlchemyError, OSError) as wrong:
            cause = getattr(wrong, "orig", None) or wrong
            for post in posts:
                post.answer.set_exception(
                    NotKept(f"The readings could not be written ({cause}); make room and send them again.")
                )
            return
        self._kept_s = time.time()
        for post, count in zip(posts, new, strict=True):
            waiting, since = self._waiting.get(post.batch.rig_id, (0, time.monotonic()))
            self._waiting[post.batch.rig_id] = (waiting + count, since)
            try:
                self.live.heard(post.bridge, post.batch)
            except Exception:  # whoever listens can neither keep a sender from its answer nor end the writer
                LOG.exception(
                    "Readings of rig %s were kept, but did not reach who listens.", post.batch.rig_id
                )
            post.answer.set_result(Taken(count, len(post.batch.rows) - count, post.late))

    def catch_up(self, rig_id: int, within_s: float = CATCH_UP_S) -> None:
        """Have what came in for a rig put in its log, and wait a little until it is.

        For pages: they read alone, and the thread that settles writes. What takes longer shows a moment
        later.
        """
        if self._stop.is_set() or not self.context.live.waits(rig_id):
            return
        if self._settler is not None and not self._settler.is_alive():
            self.start()
        done: Future[None] = Future()
        self._asked.put((rig_id, done))
        with suppress(FutureTimeout):
            done.result(within_s)

    def _settle(self) -> None:
        round_s = time.monotonic()
        while not self._stop.is_set():
            left_s = round_s + TO_DISK_S - time.monotonic()
            if left_s <= 0.0:
                with suppress(SQLAlchemyError):
                    self.context.live.to_disk()
                self._settle_due()
                round_s = time.monotonic()
                continue
            with suppress(queue.Empty):
                if (asked := self._asked.get(timeout=left_s)) is not None:
                    self._settle_rig(asked[0])
                    asked[1].set_result(None)

    def _settle_due(self) -> None:
        """Settle every rig that waited long, or of which much waits."""
        for rig_id, (count, since) in list(self._waiting.items()):
            if count >= SETTLE_READINGS or time.monotonic() - since >= SETTLE_S:
                self._settle_rig(rig_id)
                # One at a time with pauses: whoever sends meanwhile should hardly notice.
                if self._stop.wait(PAUSE_S):
                    return

    def _settle_rig(self, rig_id: int) -> None:
        count, _ = self._waiting.pop(rig_id, (0, 0.0))
        try:
            ingest_pending(self.context, rig_id)
        except Exception:  # nothing is lost: they wait in the live file, and are tried again
            LOG.exception("Readings of rig %s could not be put in its log yet.", rig_id)
            self._waiting[rig_id] = (count, time.monotonic())

    def close(self) -> None:
        """Keep what was sent, then stop."""
        self._stop.set()
        self._posts.put(None)
        self._asked.put(None)
        for thread, patience_s in ((self._writer, 10.0), (self._settler, 30.0)):
            if thread is not None:
                thread.join(patience_s)
