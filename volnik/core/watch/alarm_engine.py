"""Alarms judged: when each speaks, falls silent, is held back by quiet hours or by its limit of words a day.

One way for the dry run over a log and for live readings: a state is carried from one span of readings to the
next.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.numbers.alarms import KINDS, Alarm
from volnik.core.readings import Readings
from volnik.core.settings import Numbers

CHARGING_SHARE = 0.002  # of capacity: amps above it charge; for the cold alarm
JUDGED = frozenset(KINDS) - {
    "equalise_due",
    "retorque_due",
    "relay",
    "surplus",
}  # those are due dates, or the monitor's own


@dataclass(frozen=True, slots=True)
class Incident:
    """One time an alarm's level was passed for as long as its delay.

    Attributes:
        key: of KINDS.
        start_s: when the delay was over [s].
        end_s: when it was released [s], NaN while open.
        worst: furthest value, in the kind's unit.
        spoke_s: when it spoke [s], NaN when it never did;
        held: why not, or why later: "quiet", "limit" or "".
    """

    key: str
    start_s: float
    end_s: float
    worst: float
    spoke_s: float
    held: str = ""

    @property
    def is_open(self) -> bool:
        """Whether it lasts."""
        return math.isnan(self.end_s)


@dataclass(frozen=True, slots=True)
class AlarmState:
    """Where one alarm stands between two spans.

    Since when its level is passed [s, NaN], the open incident or None, when it spoke of late [s], last
    reading [s].
    """

    since_s: float = math.nan
    now: Incident | None = None
    spoken: tuple[float, ...] = ()
    last_s: float = math.nan


@dataclass(frozen=True, slots=True)
class Judged:
    """What an alarm did in a span: incidents that ended, or are open, in order; the state after it."""

    incidents: list[Incident] = field(default_factory=list)
    state: AlarmState = field(default_factory=AlarmState)


def values_for(
    alarm: Alarm, readings: Readings, soc: Floats, full_s: Floats, numbers: Numbers, *, first_s: float
) -> Floats:
    """What an alarm looks at, at each reading, in its own unit, shape (n,); NaN where it is not known.

    Args:
        soc: charge 0..1.
        full_s: instants of full resets, in order [s].
        first_s: begin of the log, where no reset was yet [s].
        readings: in order of time.
        numbers: the settings it is counted by.
    """
    extra = readings.extra
    nothing = np.full(len(readings), np.nan)
    if alarm.key == "low_charge":
        return 100.0 * soc
    if alarm.key in ("low_volts", "high_volts"):
        return readings.volts
    if alarm.key == "over_current":
        return -readings.amps
    if alarm.key == "over_charge":
        return readings.amps
    if alarm.key == "hot":
        return extra.get("celsius", nothing)
    if alarm.key == "starter_low":
        return extra.get("starter_volts", nothing)
    if alarm.key == "cold_charge":  # only while it charges; a bank that rests in the cold takes no harm
        celsius = extra.get("celsius", nothing)
        return np.where(
            readings.amps > CHARGING_SHARE * numbers.capacity_ah,
            celsius,
            np.maximum(celsius, alarm.release + 1.0),
        )
    if alarm.key == "days_since_full":
        at = np.searchsorted(full_s, readings.time_s, side="right") - 1
        last = (
            np.where(at >= 0, full_s[np.maximum(at, 0)], first_s)
            if len(full_s)
            else np.full(len(readings), first_s)
        )
        return np.asarray((readings.time_s - last) / 86400.0)
    return nothing


def in_quiet(alarm: Alarm, at_s: float, zone: str) -> bool:
    """Whether an instant lies in the alarm's quiet hours.

    Args:
        at_s: the instant [s].
        zone: the rig's time zone.
    """
    if alarm.quiet is None:
        return False
    begin, end = alarm.quiet
    local = datetime.fromtimestamp(at_s, ZoneInfo(zone))
    hour = local.hour + local.minute / 60.0 + local.second / 3600.0
    return begin <= hour < end if begin <= end else hour >= begin or hour < end


def after_quiet(alarm: Alarm, at_s: float, zone: str) -> float:
    """The end of the quiet hours an instant lies in [s]; the instant itself outside them.

    Args:
        alarm: with its level, release and delay.
        at_s: the instant [s].
        zone: the rig's time zone.
    """
    if not in_quiet(alarm, at_s, zone) or alarm.quiet is None:
        return at_s
    local = datetime.fromtimestamp(at_s, ZoneInfo(zone))
    end = alarm.quiet[1]
    stop = local.replace(hour=int(end) % 24, minute=round(end % 1 * 60) % 60, second=0, microsecond=0)
    return (stop if stop > local else stop + timedelta(days=1)).timestamp()


def judge(
    alarm: Alarm, time_s: Floats, values: Floats, *, gap_s: float, zone: str, state: AlarmState | None = None
) -> Judged:
    """Judge one alarm over a span of readings.

    Args:
        alarm: as set.
        time_s: instants, shape (n,) [s].
        values: as of `values_for`, shape (n,).
        gap_s: a longer silence breaks the delay [s].
        zone: in which quiet hours are meant.
        state: where it stood before.
    """
    state = state or AlarmState()
    if not len(time_s):
        return Judged([], state)
    below = KINDS[alarm.key].below
    # NaN, an unknown value, neither meets a level nor releases one.
    with np.errstate(invalid="ignore"):
        met = values < alarm.level if below else values > alarm.level
        released = values > alarm.release if below else values < alarm.release
    # What a silence hides cannot be counted towards a delay, also between two looks.
    broken = np.diff(time_s, prepend=time_s[0] if math.isnan(state.last_s) else state.last_s) > gap_s
    walk = _Walk(alarm, time_s, values, zone, _Turns(met, released, broken), list(state.spoken))
    found: list[Incident] = []
    at, since, now = 0, state.since_s, state.now
    while at < len(time_s):
        if now is None:
            fresh = math.isnan(since) or bool(broken[at]) or not met[at]
            at, since, now = walk.begin(at, math.nan if fresh else since)
            continue
        at, now = walk.go_on(at, now)
        if not math.isnan(now.end_s):
            found.append(now)
            now, since = None, math.nan
    # The limit a day looks back 24 hours; older ones need not be known.
    kept = tuple(spoke_s for spoke_s in walk.spoken if spoke_s > float(time_s[-1]) - 2 * 86400.0)
    open_now = [] if now is None else [now]
    return Judged([*found, *open_now], AlarmState(since, now, kept, float(time_s[-1])))


@dataclass(slots=True)
class _Walk:
    """One alarm followed from turn to turn of a span."""

    alarm: Alarm
    time_s: Floats
    values: Floats
    zone: str
    turns: _Turns
    spoken: list[float]

    def begin(self, at: int, since: float) -> tuple[int, float, Incident | None]:
        """Go to where the level has been passed for the whole delay.

        Returns:
            The place to go on from, since when the level is passed [s] or NaN, and the incident that begins.
        """
        count = len(self.time_s)
        if math.isnan(since):
            at = self.turns.next_met(at)
            if at == count:
                return at, math.nan, None
            since = float(self.time_s[at])
        stop = self.turns.end_of_run(at)
        due = int(np.searchsorted(self.time_s[at:stop], since + self.alarm.delay_s - 1e-9)) + at
        if due >= stop:
            return stop, since if stop == count else math.nan, None
        first = Incident(self.alarm.key, float(self.time_s[due]), math.nan, float(self.values[due]), math.nan)
        return due, since, first

    def go_on(self, at: int, now: Incident) -> tuple[int, Incident]:
        """Follow an incident to its release, or to the end of the span; it may speak on the way.

        Args:
            at: index of the reading.
            now: the open incident.
        """
        count = len(self.time_s)
        stop = self.turns.next_released(at)
        inside = self.values[at : min(stop + 1, count)]
        below = KINDS[self.alarm.key].below
        worst = float(np.fmin.reduce(inside)) if below else float(np.fmax.reduce(inside))
        now = replace(now, worst=min(now.worst, worst) if below else max(now.worst, worst))
        end_s = float(self.time_s[stop]) if stop < count else math.nan
        now = _speak(self.alarm, now, end_s, float(self.time_s[-1]), self.zone, spoken=self.spoken)
        return min(stop + 1, count), replace(now, end_s=end_s)


def _speak(
    alarm: Alarm, now: Incident, end_s: float, seen_s: float, zone: str, *, spoken: list[float]
) -> Incident:
    """Let an incident speak if it may.

    After quiet hours if it still lasts, and not more often a day than its limit.
    """
    if not math.isnan(now.spoke_s) or now.held == "limit":
        return now
    at_s = after_quiet(alarm, now.start_s, zone)
    if at_s > (seen_s if math.isnan(end_s) else end_s):
        return replace(now, held="quiet")
    if sum(at_s - 86400.0 < item <= at_s for item in spoken) >= alarm.most_a_day:
        return replace(now, held="limit")
    spoken.append(at_s)
    return replace(now, spoke_s=at_s, held="quiet" if at_s > now.start_s else "")


class _Turns:
    """Where the level is passed, left and released, found by search instead of by walking."""

    def __init__(
        self, met: NDArray[np.bool_], released: NDArray[np.bool_], broken: NDArray[np.bool_]
    ) -> None:
        self.count = len(met)
        self.met = np.flatnonzero(met)
        self.ends = np.flatnonzero(~met | broken)
        self.released = np.flatnonzero(released)

    def _next(self, places: NDArray[np.int64], at: int) -> int:
        place = int(np.searchsorted(places, at))
        return int(places[place]) if place < len(places) else self.count

    def next_met(self, at: int) -> int:
        """First place from `at` on where the level is passed."""
        return self._next(self.met, at)

    def end_of_run(self, at: int) -> int:
        """First place after `at` where it is no longer passed without a break."""
        return self._next(self.ends, at + 1)

    def next_released(self, at: int) -> int:
        """First place from `at` on where it is released."""
        return self._next(self.released, at)


def judge_silence(alarm: Alarm, gaps: list[tuple[float, float]], *, zone: str) -> list[Incident]:
    """Dry run of "no reading": each silence longer than its level [min] is an incident. `gaps` are (last
    reading, next one) [s].

    Args:
        alarm: with its level, release and delay.
        zone: the rig's time zone.
    """
    found: list[Incident] = []
    spoken: list[float] = []
    for begin, end in gaps:
        start_s = begin + 60.0 * alarm.level + alarm.delay_s
        if end > start_s:
            incident = Incident(alarm.key, start_s, math.nan, (end - begin) / 60.0, math.nan)
            found.append(replace(_speak(alarm, incident, end, end, zone, spoken=spoken), end_s=end))
    return found


@dataclass(frozen=True, slots=True)
class DryRun:
    """What an alarm would have done over a log.

    Incidents, how often it would have spoken, most in one night, share of the time it was on.
    """

    alarm: Alarm
    incidents: list[Incident]
    spoke: int
    most_a_night: int
    share: float


def dry(alarm: Alarm, incidents: list[Incident], *, start_s: float, end_s: float) -> DryRun:
    """Sum up a dry run between two instants [s].

    Args:
        alarm: with its level, release and delay.
        incidents: of the alarm.
        start_s: of the log [s].
        end_s: of the log [s].
    """
    spoke = [incident.spoke_s for incident in incidents if not math.isnan(incident.spoke_s)]
    nights: dict[int, int] = {}
    for at in spoke:
        if not 7.0 <= at / 3600.0 % 24.0 < 22.0:
            night = int((at - 43200.0) // 86400.0)
            nights[night] = nights.get(night, 0) + 1
    on = sum((end_s if incident.is_open else incident.end_s) - incident.start_s for incident in incidents)
    return DryRun(
        alarm,
        incidents,
        len(spoke),
        max(nights.values(), default=0),
        min(1.0, on / max(1.0, end_s - start_s)),
    )


def describe(incident: Incident) -> str:
    """An incident in a sentence: "Low volts: down to 11.60 V"."""
    kind = KINDS[incident.key]
    digits = {"V": 2, "min": 0, "days": 0}.get(kind.unit, 1)
    return f"{kind.name}: {'down to' if kind.below else 'up to'} {incident.worst:.{digits}f} {kind.unit}"
