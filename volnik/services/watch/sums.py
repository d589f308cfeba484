"""What a log came to: by day, week, month and trip, and in all; deepest, fullest, resets."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.epochs import Epoch, epochs
from volnik.core.rig.rig import Rig
from volnik.core.watch.cycles import Cycle, cycles_of
from volnik.core.watch.half_hours import HalfHours, grouped
from volnik.core.watch.nights import Night, nights_of
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.log.history import history
from volnik.store import counts, watching
from volnik.store import rigs as store

BY = {"cycle": "day", "day": "day", "week": "week", "month": "month"}
"""What is shown, and what its table and its exports are by."""


@dataclass(frozen=True, slots=True)
class Life:
    """What one battery has done: days, Ah and kWh out and in, full cycles' worth, deepest and mean discharge
    [0..1], volts and °C from to, resets, days since full, share of time at full, losses of supply; when the
    battery came [s] and why, -inf and "" for the first one; how deep its last discharge was [0..1].
    """

    days: float
    out_ah: float
    in_ah: float
    out_kwh: float
    in_kwh: float
    cycles: float
    deepest: float
    mean_depth: float
    low_v: float
    high_v: float
    low_c: float
    high_c: float
    resets: int
    since_full_days: float
    full_share: float
    losses: int
    since_s: float = -math.inf
    why: str = ""
    last_depth: float = math.nan


@dataclass(frozen=True, slots=True)
class Trip:
    """A named stretch and what it came to: note, from, to [s], Ah out and in, lowest charge [0..1]."""

    note: watching.Note
    start_s: float
    end_s: float
    out_ah: float
    in_ah: float
    low_soc: float


@dataclass(frozen=True, slots=True)
class SumsView:
    """Records of a rig: rows by day, week or month; resets in each; life; trips; every event; waiting.

    Pieces still to be read; changes: what people and mishaps did, latest first, with the charge before and
    after [0..1]. Life, cycles and nights are of the battery there is; `before` tells of earlier ones.
    """

    rig: Rig
    now: Moment | None
    by: str
    rows: HalfHours | None
    resets: Floats
    life: Life | None
    trips: list[Trip]
    events: list[counts.CountEvent]
    notes: list[watching.Note]
    waiting: int = 0
    changes: tuple[tuple[counts.CountEvent, float, float], ...] = ()
    before: tuple[Life, ...] = ()
    cycles: tuple[Cycle, ...] = ()
    nights: tuple[Night, ...] = ()


def sums_view(context: AppContext, rig_id: int, by: str = "day") -> SumsView:
    """The records of a rig, by a word of `BY`."""
    by = BY[by]
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        all_notes = watching.notes(session, rig_id)[::-1]
        if counted_log is None:
            return SumsView(rig, None, by, None, np.empty(0), None, [], [], all_notes)
        now = moment(session, context, counted_log)
        left = waiting(context, counted_log)
        if left > QUICK_PIECES:
            return SumsView(rig, now, by, None, np.empty(0), None, [], counted_log.events, all_notes, left)
        some = half_hours(session, context, counted_log)
        trips = [_trip(some, note) for note in all_notes if note.kind == "trip"]
        batteries = epochs(history(session, rig_id), "bank")
    lives = _lives(some, counted_log, now, batteries)
    keys = starts_of(some.start_s, rig.zone, by)
    rows = grouped(some, keys)
    reset_s = np.array([event.time_s for event in counted_log.events if event.kind == "reset"])
    place = np.searchsorted(rows.start_s, reset_s, side="right") - 1
    resets = (
        np.bincount(place[place >= 0], minlength=len(rows)).astype(float)
        if len(reset_s)
        else np.zeros(len(rows))
    )
    return SumsView(
        rig,
        now,
        by,
        rows,
        resets,
        lives[-1],
        trips,
        counted_log.events,
        all_notes,
        changes=_changes(counted_log),
        before=tuple(lives[:-1]),
        cycles=tuple(cycles_of(_within(some, batteries[-1]), _inside(reset_s, batteries[-1]))),
        nights=tuple(nights_of(_within(some, batteries[-1]), rig.zone)),
    )


def starts_of(start_s: Floats, zone: str, by: str) -> Floats:
    """The begin of the rig's own day, week (Monday) or month that each instant lies in [s]."""
    tz = ZoneInfo(zone)
    found: dict[tuple[int, int, int], float] = {}
    keys = np.empty(len(start_s))
    for at, when in enumerate(start_s.tolist()):
        local = datetime.fromtimestamp(when, tz)
        day = local.replace(hour=0, minute=0, second=0, microsecond=0)
        if by == "week":
            day -= timedelta(days=local.weekday())
        elif by == "month":
            day = day.replace(day=1)
        name = (day.year, day.month, day.day)
        if name not in found:
            found[name] = datetime(*name, tzinfo=tz).timestamp()
        keys[at] = found[name]
    return keys


def _changes(counted_log: CountedLog) -> tuple[tuple[counts.CountEvent, float, float], ...]:
    """Entries and new numbers, latest first, with the charge they found and left.

    A capacity set anew moves it too.
    """
    found = []
    for event in counted_log.events[::-1]:
        if event.kind not in ("reset", "gap"):
            before, after = counted_log.on.capacities(np.array([event.time_s, event.time_s + 1e-3]))
            found.append(
                (event, 1.0 - event.before.deficit_ah / before, 1.0 - event.after.deficit_ah / after)
            )
    return tuple(found)


def _trip(some: HalfHours, note: watching.Note) -> Trip:
    end_s = float(note.body["end_s"])
    part = some.part((some.start_s >= note.time_s - 900.0) & (some.start_s < end_s))
    low = float(np.nanmin(part.low_soc)) if len(part) and np.isfinite(part.low_soc).any() else math.nan
    return Trip(note, note.time_s, end_s, float(part.out_ah.sum()), float(part.in_ah.sum()), low)


def _lives(some: HalfHours, counted_log: CountedLog, now: Moment, batteries: list[Epoch]) -> list[Life]:
    """What each battery has done that was read of; the one there is, always."""
    return [
        _life(_within(some, battery), counted_log, now, battery)
        for battery in batteries
        if battery is batteries[-1] or len(_within(some, battery))
    ]


def _within(some: HalfHours, epoch: Epoch) -> HalfHours:
    """The half hours that begin in an epoch; the one it began in belongs to the epoch before."""
    return some.part((some.start_s >= epoch.start_s) & (some.start_s < epoch.end_s))


def _inside(instants_s: Floats, epoch: Epoch) -> list[float]:
    return [instant for instant in instants_s.tolist() if epoch.holds(instant)]


def _life(some: HalfHours, counted_log: CountedLog, now: Moment, battery: Epoch) -> Life:
    """What a battery has done, from its own half hours."""
    events = [event for event in counted_log.events if battery.holds(event.time_s)]
    resets = [event for event in events if event.kind == "reset"]
    capacity_ah = now.numbers.capacity_ah
    if math.isfinite(battery.end_s):
        capacity_ah = float(counted_log.on.capacities(np.array([battery.end_s]))[0])
    depths = [
        min(1.0, event.before.deepest_ah / capacity_ah)
        for event in resets
        if event.before.deepest_ah > 0.02 * capacity_ah
    ]
    hours = float(some.hours.sum())

    def least(values: Floats) -> float:
        return float(np.nanmin(values)) if np.isfinite(values).any() else math.nan

    low = least(some.low_soc)
    return Life(
        hours / 24.0,
        float(some.out_ah.sum()),
        float(some.in_ah.sum()),
        float(some.out_wh.sum()) / 1000.0,
        float(some.in_wh.sum()) / 1000.0,
        float(some.out_ah.sum()) / capacity_ah,
        1.0 - low,
        float(np.mean(depths)) if depths else math.nan,
        least(some.low_v),
        -least(-some.high_v),
        least(some.low_c),
        -least(-some.high_c),
        len(resets),
        (now.at_s - max((event.time_s for event in resets), default=math.nan)) / 86400.0,
        float(some.full_h.sum()) / max(hours, 1e-9),
        sum(event.kind == "supply_lost" for event in events),
        battery.start_s,
        battery.why,
        depths[-1] if depths else math.nan,
    )


def rows_for(session: Session, context: AppContext, rig_id: int, by: str) -> tuple[HalfHours, str] | None:
    """The totals of a rig for export, and its zone; None without a log."""
    rig = store.rig(session, rig_id)
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is None:
        return None
    some = half_hours(session, context, counted_log)
    return grouped(some, starts_of(some.start_s, rig.zone, by)), rig.zone
