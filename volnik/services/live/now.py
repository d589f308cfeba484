"""What every rig says now: the last reading of each bridge, its age by arrival, the count carried on, who
listens.
"""

from __future__ import annotations

import math
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.columns import values_of
from volnik.core.count.log import LogCounter
from volnik.core.count.toward import ResetLamp, all_lit
from volnik.core.readings import COLUMNS, Row
from volnik.core.rig.rig import RigSummary
from volnik.core.watch.own_columns.passing import said_in_passing
from volnik.services.context import AppContext
from volnik.services.live.pending import bridge_gap_s
from volnik.services.log.recount import plan
from volnik.services.log.toward import lamps_of, press_words
from volnik.store import counts, tokens
from volnik.store import rigs as rig_store
from volnik.store.live import Batch
from volnik.store.tokens import Token

FRESH_INTERVALS, LEAST_FRESH_S = 3.0, 10.0  # two readings may be lost on the way before a figure is old
BELIEF_S = 5.0  # a verdict changes with the record, not with every reading
MOST_SAID = 300  # letters of what a bridge says of itself
RECENT = 4000  # readings of a rig kept at hand, more than an hour at 1 Hz


@dataclass(frozen=True, slots=True)
class LiveNow:
    """What a rig says now.

    Attributes:
        bridge: whose word it is.
        time_s: the reading's own instant [s since 1970].
        values: by column.
        age_s: since it arrived [s].
        fresh: whether that may be shown as live.
        soc, deficit_ah: the count carried on to it; NaN while unknown or nobody listens.
        others: names of further bridges heard of late, which are set aside.
        believed: whether the rig's verdict lets its charge be shown.
        lamps: what the next full reset wants and has; none while nobody listens.
        press: what to do at a monitor that finds no full by itself, "" for nothing.
        beside: what its own columns say in passing, in words.
        soc_low, soc_high: between what the charge lies, nine cases of ten [0..1]; NaN while not reckoned.
    """

    bridge: Token
    time_s: float
    values: dict[str, float]
    age_s: float
    fresh: bool
    soc: float
    deficit_ah: float
    others: tuple[str, ...] = ()
    believed: bool = True
    lamps: tuple[ResetLamp, ...] = ()
    press: str = ""
    beside: tuple[str, ...] = ()
    soc_low: float = math.nan
    soc_high: float = math.nan

    def to_dict(self) -> dict[str, Any]:
        """As sent to a listening page; what is unknown is None."""
        known = {name: value for name, value in self.values.items() if not math.isnan(value)}
        return {
            "bridge": self.bridge.name,
            "bench": self.bridge.kind == "bench",
            "time_s": self.time_s,
            **known,
            "watts": round(self.values["volts"] * self.values["amps"], 1),
            "age_s": round(self.age_s, 1),
            "fresh": self.fresh,
            "fresh_s": fresh_s(self.bridge),
            "soc": self._told(self.soc),
            "soc_low": self._told(self.soc_low),
            "soc_high": self._told(self.soc_high),
            "deficit_ah": self._told(self.deficit_ah),
            "believed": self.believed,
            "others": list(self.others),
            "lamps": [{"what": lamp.what, "lit": lamp.lit, "message": lamp.message} for lamp in self.lamps],
            "press": self.press,
            "beside": list(self.beside),
        }

    def _told(self, value: float) -> float | None:
        """What rests on the count, None where it is unknown or not believed."""
        return value if self.believed and not math.isnan(value) else None


def _around(soc: float, summary: RigSummary | None) -> tuple[float, float]:
    """Between what a charge carried on lies: as far about it as the record's band about its own [0..1]."""
    if summary is None or math.isnan(soc) or math.isnan(summary.soc + summary.low + summary.high):
        return math.nan, math.nan
    low, high = soc - (summary.soc - summary.low), soc + (summary.high - summary.soc)
    return max(0.0, low), min(1.0, high)


def fresh_s(bridge: Token) -> float:
    """How old a bridge's last reading may be and still be called live.

    Three of its intervals, at least 10 s [s].
    """
    return max(LEAST_FRESH_S, FRESH_INTERVALS * bridge.interval_s)


@dataclass(slots=True)
class _Voice:
    """One bridge as last heard: its latest reading by time, and when the last one arrived on the running
    clock [s].
    """

    bridge: Token
    row: Row
    arrived: float


def _charge_at(counter: LogCounter | None, time_ms: float) -> tuple[float, float]:
    """Charge [0..1] and Ah below full at a reading, NaN where the count has not come so far."""
    if counter is None or counter.state.last_s * 1000.0 < time_ms - 1.0:
        return math.nan, math.nan
    deficit_ah = counter.state.deficit_ah
    return counter.numbers.charge(deficit_ah), deficit_ah


def _lamps_at(counter: LogCounter | None, time_ms: float, values: dict[str, float]) -> tuple[ResetLamp, ...]:
    """The lamps of a reading, none where the count has not come so far."""
    if counter is None or counter.state.last_s * 1000.0 < time_ms - 1.0:
        return ()
    return lamps_of(values, counter.state, counter.numbers)


class Live:
    """What rigs say now, kept in memory; after a restart it begins with what was last heard.

    Attributes:
        said: how each bridge last said it stands, and when on the running clock [s], by its key's number.
        catch_up: has what came in for a rig put in its log; the one who takes readings in sets it.
    """

    def __init__(self, context: AppContext, clock: Callable[[], float] = time.monotonic) -> None:
        self.context = context
        self.clock = clock
        self._lock = threading.RLock()
        self._voices: dict[int, dict[int, _Voice]] = {}
        self._counters: dict[int, LogCounter] = {}
        self._listeners: dict[int, set[Callable[[LiveNow], None]]] = {}
        self._recent: dict[int, deque[Row]] = {}
        self._revisions: dict[int, int] = {}
        self._beliefs: dict[int, tuple[float, bool, RigSummary | None]] = {}
        self.said: dict[int, tuple[str, float]] = {}
        self.catch_up: Callable[[int], None] = lambda rig_id: None
        with context.db.reading() as session:
            known = {token.id: token for token in tokens.tokens(session)}
        for heard in context.live.heard():
            bridge = known.get(heard.bridge_id)
            if bridge is not None:
                # A wall clock set back since then would make an old reading young: it is called old instead.
                age_s = time.time() - heard.arrived_s
                voice = _Voice(bridge, heard.row, self.clock() - (age_s if age_s >= 0.0 else 1e9))
                self._voices.setdefault(heard.rig_id, {})[bridge.id] = voice
        for rig_id in self._voices:
            tail = context.live.tail(self._speaking(rig_id).bridge.id)
            if tail is not None:
                rows = zip(tail.time_s[-RECENT:], tail.volts[-RECENT:], tail.amps[-RECENT:], strict=True)
                self._recent[rig_id] = deque(
                    (
                        (round(at * 1000.0), float(volts), float(amps), None, None, None, None)
                        for at, volts, amps in rows
                    ),
                    RECENT,
                )

    def says(self, bridge: Token, words: str) -> None:
        """Keep how a bridge says it stands.

        Args:
            bridge: whose word it is.
            words: in one line.
        """
        self.said[bridge.id] = (words[:MOST_SAID], self.clock())

    def said_by(self, bridge_id: int) -> tuple[str, float] | None:
        """How a bridge last said it stands, and how long ago [s]; None since Volnik started.

        Args:
            bridge_id: number of its key.
        """
        said = self.said.get(bridge_id)
        return None if said is None else (said[0], self.clock() - said[1])

    def heard(self, bridge: Token, batch: Batch) -> None:
        """A bridge's readings were kept: tell whoever listens."""
        with self._lock:
            voices = self._voices.setdefault(batch.rig_id, {})
            last = max(batch.rows, key=lambda row: row[0])
            before = voices.get(bridge.id)
            late = before is not None and before.row[0] >= last[0]
            voices[bridge.id] = _Voice(bridge, before.row if late and before else last, self.clock())
            listeners = list(self._listeners.get(batch.rig_id, ()))
            if self._speaking(batch.rig_id).bridge.id == bridge.id:
                self._recent.setdefault(batch.rig_id, deque(maxlen=RECENT)).extend(batch.rows)
                if listeners:
                    self._count(batch.rig_id, bridge, batch.rows)
            now = self.now(batch.rig_id) if listeners else None
        for listener in listeners:
            assert now is not None
            listener(now)

    def recent(self, rig_id: int, *, since_s: float) -> tuple[Floats, Floats]:
        """Instants and amps of the last readings, in order of time [s, A].

        Args:
            since_s: from this instant on; a negative one counts back from the last reading.
        """
        with self._lock:
            rows = sorted({row[0]: row for row in self._recent.get(rig_id, ())}.values())
        if not rows:
            return np.empty(0), np.empty(0)
        table = np.array([(row[0] / 1000.0, row[2]) for row in rows])
        since_s = table[-1, 0] + since_s if since_s < 0 else since_s
        chosen = table[table[:, 0] >= since_s]
        return chosen[:, 0], chosen[:, 1]

    def reporting(self) -> list[int]:
        """Rigs of which a bridge was heard since the start, or is remembered from before."""
        with self._lock:
            return sorted(self._voices)

    def last_ms(self, bridge: Token) -> int | None:
        """Instant of a bridge's latest reading [ms], or None."""
        voice = self._voices.get(bridge.rig_id or 0, {}).get(bridge.id)
        return None if voice is None else voice.row[0]

    def _speaking(self, rig_id: int) -> _Voice:
        """Of several bridges the one known longest while it is fresh; else the one heard last."""
        voices = list(self._voices[rig_id].values())
        fresh = [voice for voice in voices if self.clock() - voice.arrived <= fresh_s(voice.bridge)]
        return (
            min(fresh, key=lambda voice: voice.bridge.id)
            if fresh
            else max(voices, key=lambda voice: voice.arrived)
        )

    def now(self, rig_id: int) -> LiveNow | None:
        """What a rig says now, or None while no bridge was ever heard."""
        believed, summary = self._belief(rig_id)
        with self._lock:
            if not self._voices.get(rig_id):
                return None
            voice = self._speaking(rig_id)
            others = tuple(
                item.bridge.name
                for item in self._voices[rig_id].values()
                if item is not voice and self.clock() - item.arrived <= fresh_s(item.bridge)
            )
            age_s = self.clock() - voice.arrived
            counter = self._counters.get(rig_id)
            soc, deficit_ah = _charge_at(counter, voice.row[0])
            values = {
                **dict.fromkeys(COLUMNS, math.nan),
                **values_of(voice.row),
            }
            lamps = _lamps_at(counter, voice.row[0], values)
            return LiveNow(
                voice.bridge,
                voice.row[0] / 1000.0,
                values,
                age_s,
                age_s <= fresh_s(voice.bridge),
                soc,
                deficit_ah,
                others,
                believed,
                lamps,
                self._press(rig_id, lamps),
                said_in_passing(values),
                *_around(soc, summary),
            )

    def _press(self, rig_id: int, lamps: tuple[ResetLamp, ...]) -> str:
        """What to do at the rig's monitor now, "" for nothing."""
        if not all_lit(lamps):
            return ""
        with self.context.db.reading() as session:
            return press_words(session, self.context, rig_id, lamps)

    def _belief(self, rig_id: int) -> tuple[bool, RigSummary | None]:
        """Whether a rig's charge may be shown, and its figures on record, as of some seconds ago."""
        now = self.clock()
        read, believed, found = self._beliefs.get(rig_id, (-math.inf, True, None))
        if now - read >= BELIEF_S:
            with self.context.db.reading() as session:
                found = rig_store.summaries(session, [rig_id]).get(rig_id)
            believed = found is None or found.believed != "not"
            self._beliefs[rig_id] = (now, believed, found)
        return believed, found

    def listen(self, rig_id: int, listener: Callable[[LiveNow], None]) -> Callable[[], None]:
        """Call `listener` at every reading of a rig, from the thread that keeps them.

        Returns what ends it.
        """
        self.recount(rig_id)
        with self._lock:
            self._listeners.setdefault(rig_id, set()).add(listener)

        def end() -> None:
            with self._lock:
                self._listeners.get(rig_id, set()).discard(listener)
                if not self._listeners.get(rig_id):
                    self._counters.pop(rig_id, None)

        return end

    def refresh(self, rig_id: int) -> None:
        """Carry the live count on anew where the record was counted anew since.

        Other numbers, an entry, late readings.
        """
        with self.context.db.reading() as session:
            revision = rig_store.rig(session, rig_id).count_revision
        if revision != self._revisions.get(rig_id):
            self.recount(rig_id)

    def recount(self, rig_id: int) -> None:
        """Carry the live count on from the count of record.

        What takes long to settle is met later: settled, the record has another revision, and `refresh` sees
        it.
        """
        self.catch_up(rig_id)
        counter = None
        with self.context.db.reading() as session:
            self._revisions[rig_id] = rig_store.rig(session, rig_id).count_revision
            on = plan(session, rig_id)
            segments = counts.segments(session, rig_id) if on is not None else []
            if on is not None and segments:
                from volnik.services.log.counted_log import moment, open_counted_log

                counted_log = open_counted_log(session, self.context, rig_id)
                if counted_log is not None:
                    at = moment(session, self.context, counted_log)
                    counter = LogCounter(at.numbers, at.state)
            elif on is not None:
                counter = LogCounter.opened(on.opening.numbers, on.entries)
        with self._lock:
            if counter is None:
                self._counters.pop(rig_id, None)
            else:
                self._counters[rig_id] = counter

    def _count(self, rig_id: int, bridge: Token, rows: list[Row]) -> None:
        counter = self._counters.get(rig_id)
        if counter is None:
            return
        last_ms = counter.state.last_s * 1000.0
        # By instant alone: the quantities of a reading may be None, which has no order.
        following = sorted((row for row in rows if row[0] > last_ms), key=lambda row: row[0])
        following = [row for at, row in enumerate(following) if not at or row[0] > following[at - 1][0]]
        if following:
            table = np.array([row[:3] for row in following], dtype=np.float64)
            counter.feed(
                table[:, 0] / 1000.0, table[:, 1], table[:, 2], gap_s=bridge_gap_s(bridge.interval_s)
            )

    def rig_now(self, rig_id: int) -> float:
        """The rig's now [s since 1970]: the wall clock while a bridge reports, the bench clock on a bench
        rig, else its last reading.
        """
        now = self.now(rig_id)
        if now is None or not now.fresh:
            with self.context.db.reading() as session:
                at_s = rig_store.rig(session, rig_id).summary.at_s
            last = max(
                (value for value in (at_s, now.time_s if now else math.nan) if not math.isnan(value)),
                default=math.nan,
            )
            return self.context.now() if math.isnan(last) else last
        return now.time_s if now.bridge.kind == "bench" else self.context.now()
