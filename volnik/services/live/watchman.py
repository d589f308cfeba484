"""The watchman: judges the live alarms of every rig whose bridge reports, keeps what they say, hands on what must be told."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from volnik.core.count.log import LogCounter
from volnik.core.numbers.alarms import KINDS, Alarm
from volnik.core.readings import Readings, tidy
from volnik.core.refused import Refused
from volnik.core.watch.spoken import JUDGED, AlarmState, Incident, judge, told, values_for
from volnik.services.house import House
from volnik.services.live.now import Live
from volnik.services.live.settle import bridge_gap_s
from volnik.services.watch.incidents import alarms_of
from volnik.services.watch.tape import moment, open_tape
from volnik.store import rigs as store
from volnik.store import watching

LOOK_EVERY_S = 10.0


@dataclass(frozen=True, slots=True)
class Spoken:
    """An alarm that speaks now: rig, its name and zone, the incident as kept, in a sentence."""

    rig_id: int
    rig: str
    zone: str
    kept: watching.KeptIncident
    sentence: str


Way = tuple[str, Callable[[Spoken], None]]
"""A way to tell: its name, and what tells; it raises OSError with a reason when it cannot."""


class Watchman:
    """Looks every few seconds, in a thread of its own."""

    def __init__(
        self, house: House, live: Live, ways: list[Way] | None = None, *, say: Callable[[int, dict[str, Any]], None] | None = None,
        log: Callable[[str], None] = print,
    ) -> None:  # fmt: skip
        """`say` is told every rig's counted state as readings come, None for nobody."""
        self.house, self.live, self.ways, self.log, self.say = house, live, ways or [], log, say
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
                    self.look(rig_id)
                except Exception as wrong:  # one rig's trouble keeps no other rig unwatched
                    self.log(f"the alarms of rig {rig_id} could not be judged: {wrong!r}")

    def _listen(self, rig_id: int) -> None:
        """Hand a rig's counted state on from its first reading on."""
        say = self.say
        if say is not None and rig_id not in self._heard:
            self._heard[rig_id] = self.live.listen(rig_id, lambda now: say(rig_id, now.plain()))

    def look(self, rig_id: int) -> list[Spoken]:
        """Judge what came in since the last look; returns what speaks now."""
        now = self.live.now(rig_id)
        if now is None:
            return []
        try:
            alarms, saved = alarms_of(self.house, rig_id)
        except Refused:
            return []
        watched = [one for one in alarms.alarms if saved and one.on and one.volnik and one.key in JUDGED]
        if not watched:
            return []
        with self.house.db.reading() as session:
            rig = store.rig(session, rig_id)
            tape = open_tape(session, self.house, rig_id)
            states = watching.alarm_states(session, rig_id)
            at = None if tape is None else moment(session, self.house, tape)
        tail = self.house.live.tail(now.bridge.id)
        # Judged once before, only what is later is judged; a first look begins at what is not settled yet.
        judged_s = [
            state.last_s for key, state in states.items() if key != "no_reading" and not math.isnan(state.last_s)
        ]
        since_s = min(judged_s, default=-math.inf)
        fresh = Readings(np.empty(0), np.empty(0), np.empty(0))
        if tape is not None and at is not None:
            counter = LogCounter(at.numbers, at.state)
            settled = self._settled(rig_id, since_s)
            tail = _joined(settled, tail, after_s=tape.end_s)
        else:
            counter = None
        if tail is not None:
            fresh = tail.part(int(np.searchsorted(tail.time_s, since_s, side="right")), len(tail))
        gap_s = bridge_gap_s(now.bridge.interval_s)
        soc = self._charge(fresh, counter, gap_s)
        full_s = np.array([] if at is None or math.isnan(at.last_full_s) else [at.last_full_s])
        first_s = tape.start_s if tape is not None else (float(fresh.time_s[0]) if len(fresh) else math.nan)
        speaks: list[Spoken] = []
        with self.house.db.writing() as session:
            for alarm in watched:
                state = states.get(alarm.key, AlarmState())
                if alarm.key == "no_reading":
                    incidents, after = self._silence(alarm, now.age_s, now.time_s, state)
                else:
                    numbers = at.numbers if at is not None else None
                    if numbers is None:
                        continue
                    later = fresh.part(
                        int(np.searchsorted(fresh.time_s, state.last_s, side="right"))
                        if not math.isnan(state.last_s)
                        else 0,
                        len(fresh),
                    )
                    values = values_for(alarm, later, soc[len(fresh) - len(later) :], full_s, numbers, first_s=first_s)
                    made = judge(alarm, later.time_s, values, gap_s=gap_s, zone=rig.zone, state=state)
                    incidents, after = made.incidents, made.state
                states[alarm.key] = after
                for one in incidents:
                    kept = watching.keep_incident(session, rig_id, one)
                    if not math.isnan(one.spoke_s) and not kept.told:
                        speaks.append(Spoken(rig_id, rig.name, rig.zone, kept, told(one)))
                        watching.note_told(session, kept.id, "page", self.house.now(), "")
            watching.set_alarm_states(session, rig_id, states)
        for spoken in speaks:
            self._tell(spoken)
        return speaks

    def _settled(self, rig_id: int, since_s: float) -> Readings | None:
        """Readings that a page settled into the log since the last look."""
        if math.isinf(since_s):
            return None
        with self.house.db.reading() as session:
            tape = open_tape(session, self.house, rig_id)
            if tape is None or tape.end_s <= since_s:
                return None
            parts = [tape.readings(session, self.house, one) for one in tape.pieces if one.end_s > since_s]
        columns = {
            name: np.concatenate([one.columns().get(name, np.full(len(one), np.nan)) for one in parts])
            for name in parts[-1].columns()
        }
        return tidy(np.concatenate([one.time_s for one in parts]), columns).readings

    def _charge(self, fresh: Readings, counter: LogCounter | None, gap_s: float) -> np.ndarray:
        """Charge at each fresh reading [0..1]; what the count already holds is told as it stands now."""
        if counter is None or not len(fresh):
            return np.full(len(fresh), np.nan)
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

    def _silence(
        self, alarm: Alarm, age_s: float, last_s: float, state: AlarmState
    ) -> tuple[list[Incident], AlarmState]:
        """No reading: judged by how long ago the last one arrived, told on the rig's own clock."""
        silent = age_s / 60.0 > alarm.level
        values = np.array([alarm.level + 1.0 if silent else 0.0])
        at_s = last_s + (age_s if silent else 0.0)
        if not math.isnan(state.last_s) and at_s <= state.last_s:
            at_s = state.last_s + 1e-3
        made = judge(alarm.changed(delay_s=0.0), np.array([at_s]), values, gap_s=math.inf, zone="UTC", state=state)
        return [
            one if not one.is_open else Incident(one.key, one.start_s, one.end_s, age_s / 60.0, one.spoke_s, one.held)
            for one in made.incidents
        ], made.state

    def _tell(self, one: Spoken) -> None:
        for name, way in self.ways:
            trouble = ""
            try:
                way(one)
            except OSError as wrong:
                trouble = str(wrong)[:200] or type(wrong).__name__
                self.log(f"{one.rig}: “{one.sentence}” could not be told by {name}: {trouble}")
            with self.house.db.writing() as session:
                watching.note_told(session, one.kept.id, name, self.house.now(), trouble)


def _joined(settled: Readings | None, tail: Readings | None, *, after_s: float) -> Readings | None:
    """What was settled and what was not, in order of time."""
    if settled is None:
        return tail
    if tail is None:
        return settled
    late = tail.part(int(np.searchsorted(tail.time_s, after_s, side="right")), len(tail))
    names = sorted({*settled.extra, *late.extra})
    columns = {
        name: np.concatenate([one.columns().get(name, np.full(len(one), np.nan)) for one in (settled, late)])
        for name in ("volts", "amps", *names)
    }
    return tidy(np.concatenate([settled.time_s, late.time_s]), columns).readings


def names_of() -> dict[str, str]:
    """Alarms by key, for whoever tells them."""
    return {key: kind.name for key, kind in KINDS.items()}
