"""The watchman: judges the live alarms of every rig whose bridge reports, keeps what they say, hands on what
must be told.
"""

from __future__ import annotations

import logging
import math
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from volnik.core.count.log import LogCounter
from volnik.core.numbers.alarms import Alarm
from volnik.core.readings import Readings, tidy
from volnik.core.rig.rig import Rig
from volnik.core.settings import Numbers
from volnik.core.watch.alarm_engine import AlarmState, Judged, describe, judge, values_for
from volnik.services.context import AppContext
from volnik.services.live.now import Live, LiveNow
from volnik.services.live.pending import bridge_gap_s
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.numbers.alarms import saved_alarms
from volnik.services.watch.incidents import is_judged
from volnik.store import rigs as store
from volnik.store import watching

AGAIN = "again"  # how a second telling is noted
LOOK_EVERY_S = 10.0  # alarms wait a minute and more


@dataclass(frozen=True, slots=True)
class RaisedAlarm:
    """An alarm that speaks now: rig, its name and zone, the incident as kept, in a sentence."""

    rig_id: int
    rig: str
    zone: str
    kept: watching.KeptIncident
    sentence: str


log = logging.getLogger("volnik")

Way = tuple[str, Callable[[RaisedAlarm], None]]
"""A way to tell: its name, and what tells; it raises OSError with a reason when it cannot."""


class Watchman:
    """Looks every few seconds, in a thread of its own."""

    def __init__(
        self,
        context: AppContext,
        live: Live,
        ways: list[Way] | None = None,
        *,
        say: Callable[[int, dict[str, Any]], None] | None = None,
    ) -> None:
        """`say` is told every rig's counted state as readings come, None for nobody."""
        self.context, self.live, self.ways, self.say = context, live, ways or [], say
        self._heard: dict[int, Callable[[], None]] = {}
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin to look."""
        self._thread = threading.Thread(target=self._run, name="watchman", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(15.0)
        for end in self._heard.values():
            end()

    def _run(self) -> None:
        while not self._stop.wait(LOOK_EVERY_S):
            for rig_id in self.live.reporting():
                if self._stop.is_set():
                    return
                self._listen(rig_id)
                try:
                    self.check_rig(rig_id)
                except Exception as wrong:  # one rig's trouble keeps no other rig unwatched
                    log.error("The alarms of rig %d could not be judged.", rig_id, exc_info=wrong)

    def _listen(self, rig_id: int) -> None:
        """Hand a rig's counted state on from its first reading on."""
        say = self.say
        if say is not None and rig_id not in self._heard:
            self._heard[rig_id] = self.live.listen(rig_id, lambda now: say(rig_id, now.to_dict()))

    def check_rig(self, rig_id: int) -> list[RaisedAlarm]:
        """Judge what came in since the last look; returns what speaks now."""
        now = self.live.now(rig_id)
        with self.context.db.reading() as session:
            alarms = saved_alarms(session, rig_id)
            rig = store.rig(session, rig_id)
            states = watching.alarm_states(session, rig_id)
        watched = [] if alarms is None else list(filter(is_judged, alarms.alarms))
        if now is None or not watched:
            return []
        came = self._came(rig_id, now, states)
        speaks: list[RaisedAlarm] = []
        with self.context.change() as work:
            session = work.session
            for alarm in watched:
                made = self._judged(alarm, states.get(alarm.key, AlarmState()), came, now, rig.zone)
                states[alarm.key] = made.state
                for incident in made.incidents:
                    kept = watching.keep_incident(session, rig_id, incident)
                    if not math.isnan(incident.spoke_s) and not kept.notified:
                        speaks.append(RaisedAlarm(rig_id, rig.name, rig.zone, kept, describe(incident)))
                        watching.note_told(session, kept.id, "page", self.context.now(), "")
            watching.set_alarm_states(session, rig_id, states)
        speaks += self._again(rig_id, watched, rig)
        for spoken in speaks:
            self._tell(spoken)
        return speaks

    def _again(self, rig_id: int, watched: list[Alarm], rig: Rig) -> list[RaisedAlarm]:
        """What nobody has seen for as long as its alarm says; told again once."""
        limits_min: dict[str, float] = {
            alarm.key: alarm.again_min for alarm in watched if alarm.again_min is not None
        }
        if not limits_min:
            return []
        found = []
        now_s = self.context.now()
        with self.context.change() as work:
            session = work.session
            for kept in watching.incidents(session, rig_id, open_only=True):
                limit_min = limits_min.get(kept.incident.key, math.inf)
                if not _is_overlooked(kept, limit_min, now_s):
                    continue
                watching.note_told(session, kept.id, AGAIN, now_s, "")
                sentence = f"Still open, and seen by nobody for {limit_min:g} min: {describe(kept.incident)}"
                found.append(RaisedAlarm(rig_id, rig.name, rig.zone, kept, sentence))
        return found

    def _came(self, rig_id: int, now: LiveNow, states: dict[str, AlarmState]) -> _Came:
        """The readings since the last look, settled meanwhile or not, and the count carried on to each."""
        judged_s = [
            state.last_s
            for key, state in states.items()
            if key != "no_reading" and not math.isnan(state.last_s)
        ]
        since_s = min(judged_s, default=-math.inf)
        with self.context.db.reading() as session:
            counted_log = open_counted_log(session, self.context, rig_id)
            at = None if counted_log is None else moment(session, self.context, counted_log)
        tail = self.context.live.tail(now.bridge.id)
        if counted_log is None or at is None:
            return _Came(
                _NOTHING, np.empty(0), None, np.empty(0), math.nan, bridge_gap_s(now.bridge.interval_s)
            )
        tail = _joined(self._settled(rig_id, since_s), tail, after_s=counted_log.end_s)
        fresh = (
            _NOTHING
            if tail is None
            else tail.part(int(np.searchsorted(tail.time_s, since_s, side="right")), len(tail))
        )
        gap_s = bridge_gap_s(now.bridge.interval_s)
        soc = self._charge(fresh, LogCounter(at.numbers, at.state), gap_s)
        full_s = np.array([] if math.isnan(at.last_full_s) else [at.last_full_s])
        return _Came(fresh, soc, at.numbers, full_s, counted_log.start_s, gap_s)

    def _judged(self, alarm: Alarm, state: AlarmState, came: _Came, now: LiveNow, zone: str) -> Judged:
        """One alarm over what came; without numbers only the silence can be judged."""
        if alarm.key == "no_reading":
            return self._silence(alarm, now.age_s, now.time_s, state)
        if came.numbers is None:
            return Judged([], state)
        first = (
            0
            if math.isnan(state.last_s)
            else int(np.searchsorted(came.readings.time_s, state.last_s, side="right"))
        )
        later = came.readings.part(first, len(came.readings))
        values = values_for(alarm, later, came.soc[first:], came.full_s, came.numbers, first_s=came.first_s)
        return judge(alarm, later.time_s, values, gap_s=came.gap_s, zone=zone, state=state)

    def _settled(self, rig_id: int, since_s: float) -> Readings | None:
        """Readings that a page settled into the log since the last look."""
        if math.isinf(since_s):
            return None
        with self.context.db.reading() as session:
            counted_log = open_counted_log(session, self.context, rig_id)
            if counted_log is None or counted_log.end_s <= since_s:
                return None
            parts = [
                counted_log.readings(session, self.context, segment)
                for segment in counted_log.segments
                if segment.end_s > since_s
            ]
        columns = {
            name: np.concatenate(
                [readings.columns().get(name, np.full(len(readings), np.nan)) for readings in parts]
            )
            for name in parts[-1].columns()
        }
        return tidy(np.concatenate([readings.time_s for readings in parts]), columns).readings

    def _charge(self, fresh: Readings, counter: LogCounter, gap_s: float) -> np.ndarray:
        """Charge at each fresh reading [0..1]; what the count already holds is told as it stands now."""
        if not len(fresh):
            return np.empty(0)
        first = (
            int(np.searchsorted(fresh.time_s, counter.state.last_s, side="right"))
            if not math.isnan(counter.state.last_s)
            else 0
        )
        soc = np.full(len(fresh), counter.numbers.charge(counter.state.deficit_ah))
        later = fresh.part(first, len(fresh))
        counted = counter.feed(later.time_s, later.volts, later.amps, gap_s=gap_s)
        soc[first:] = np.maximum(0.0, 1.0 - counted.deficit_ah / counter.numbers.capacity_ah)
        return soc

    def _silence(self, alarm: Alarm, age_s: float, last_s: float, state: AlarmState) -> Judged:
        """No reading: judged by how long ago the last one arrived, told on the rig's own clock."""
        silent = age_s / 60.0 > alarm.level
        at_s = last_s + (age_s if silent else 0.0)
        if not math.isnan(state.last_s) and at_s <= state.last_s:
            at_s = state.last_s + 1e-3
        value = age_s / 60.0 if silent else 0.0
        return judge(
            alarm.changed(delay_s=0.0),
            np.array([at_s]),
            np.array([value]),
            gap_s=math.inf,
            zone="UTC",
            state=state,
        )

    def _tell(self, alarm: RaisedAlarm) -> None:
        for name, way in self.ways:
            trouble = ""
            try:
                way(alarm)
            except OSError as wrong:
                trouble = str(wrong)[:200] or type(wrong).__name__
                log.warning("%s: “%s” could not be sent by %s: %s", alarm.rig, alarm.sentence, name, trouble)
            with self.context.change() as work:
                session = work.session
                watching.note_told(session, alarm.kept.id, name, self.context.now(), trouble)


def _is_overlooked(kept: watching.KeptIncident, limit_min: float, now_s: float) -> bool:
    """Whether an incident was told so many minutes ago, only once, and nobody has seen it."""
    ways = [way for way, _, _ in kept.notified]
    if kept.acked_s is not None or AGAIN in ways or "page" not in ways:
        return False
    told_s = min(float(at) for way, at, _ in kept.notified if way == "page")
    return now_s - told_s >= 60.0 * limit_min


@dataclass(frozen=True, slots=True)
class _Came:
    """What came in since the last look: readings, charge at each, numbers that hold (None.

    Nothing is counted), full resets, begin of the log, longest interval.
    """

    readings: Readings
    soc: np.ndarray
    numbers: Numbers | None
    full_s: np.ndarray
    first_s: float
    gap_s: float


_NOTHING = Readings(np.empty(0), np.empty(0), np.empty(0))


def _joined(settled: Readings | None, tail: Readings | None, *, after_s: float) -> Readings | None:
    """What was settled and what was not, in order of time."""
    if settled is None:
        return tail
    if tail is None:
        return settled
    late = tail.part(int(np.searchsorted(tail.time_s, after_s, side="right")), len(tail))
    names = sorted({*settled.extra, *late.extra})
    columns = {
        name: np.concatenate(
            [readings.columns().get(name, np.full(len(readings), np.nan)) for readings in (settled, late)]
        )
        for name in ("volts", "amps", *names)
    }
    return tidy(np.concatenate([settled.time_s, late.time_s]), columns).readings
