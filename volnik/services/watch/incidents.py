"""Alarms of a rig: the dry run over its log, and what its live alarms said."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np

from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import KINDS, Alarm, Alarms, most_charge_a
from volnik.core.numbers.ladder import limits
from volnik.core.readings import Readings
from volnik.core.rig.rig import Rig
from volnik.core.watch.alarm_engine import JUDGED, DryRun, dry, judge, judge_silence, values_for
from volnik.core.watch.alarm_levels import Proposal, Tried, nearest, proposal
from volnik.core.watch.reminders import Due, LeftForNow, Milestones, due_dates
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, moment, open_counted_log
from volnik.services.log.toward import must_be_told_full
from volnik.services.numbers.alarms import alarms_view
from volnik.services.watch.view import width_now
from volnik.store import drawings as drawing_store
from volnik.store import rigs as store
from volnik.store import watching
from volnik.store.counts import CountSegment
from volnik.store.watching import KeptIncident

SPAN_READINGS = 3_000_000  # the dry run of a very long log is told of its latest readings


@dataclass(frozen=True, slots=True)
class AlarmsWatched:
    """The alarms page of Watch.

    Attributes:
        rig: whose.
        alarms: the list in force, None while it cannot be made.
        saved: whether one was saved.
        dry: a dry run each, loudest first.
        since_s, until_s: of the dry run [s].
        incidents: of live alarms, latest first.
        due: what is due by the calendar.
        nearest: how near each alarm came, by key, in its unit.
        better: level and delay that would have spoken rightly, by key.
    """

    rig: Rig
    alarms: Alarms | None
    saved: bool
    dry: list[DryRun]
    since_s: float
    until_s: float
    incidents: list[KeptIncident]
    due: list[Due]
    trouble: str = ""
    nearest: dict[str, float] = field(default_factory=dict)
    better: dict[str, Proposal] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class _Dry:
    """A dry run: every alarm, the instant it begins [s], how near each came, what would have been right."""

    runs: list[DryRun]
    since_s: float
    nearest: dict[str, float]
    better: dict[str, Proposal]


def alarms_of(context: AppContext, rig_id: int) -> tuple[Alarms, bool]:
    """The list in force, or where to start; whether it was saved. Raises as `alarms_view`."""
    view = alarms_view(context, rig_id)
    return view.alarms, view.saved


def alarms_watched(context: AppContext, rig_id: int) -> AlarmsWatched:
    """What a rig's alarms did, and would have done."""
    trouble = ""
    try:
        alarms, saved = alarms_of(context, rig_id)
    except InvalidInput as wrong:
        alarms, saved, trouble = None, False, " ".join(wrong.problems.values())
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        kept = watching.incidents(session, rig_id)
    due = dates_due(context, rig_id)
    if alarms is None or counted_log is None:
        return AlarmsWatched(
            rig,
            alarms,
            saved,
            [],
            math.nan,
            math.nan,
            kept,
            due,
            trouble or "There is no log yet for a dry run.",
        )
    dry_run = _dry(context, rig, counted_log, alarms, _bounds(context, rig_id))
    return AlarmsWatched(
        rig,
        alarms,
        saved,
        sorted(dry_run.runs, key=lambda run: -run.spoke),
        dry_run.since_s,
        counted_log.end_s,
        kept,
        due,
        nearest=dry_run.nearest,
        better=dry_run.better,
    )


def _bounds(context: AppContext, rig_id: int) -> dict[str, float]:
    """Levels beyond which an alarm would come too late, by key: cut-offs, main fuse, charge limit."""
    view = alarms_view(context, rig_id)
    vehicle = view.given.vehicle
    low, high = limits(vehicle)
    found = {"low_volts": low * vehicle.bank.cells, "over_charge": most_charge_a(vehicle) + 0.5}
    if high is not None:
        found["high_volts"] = high * vehicle.bank.cells
    if view.fuse_a is not None:
        found["over_current"] = view.fuse_a
    return found


def is_judged(alarm: Alarm) -> bool:
    """Whether Volnik judges an alarm by readings."""
    return alarm.on and alarm.volnik and alarm.key in JUDGED


def _dry(
    context: AppContext, rig: Rig, counted_log: CountedLog, alarms: Alarms, bounds: dict[str, float]
) -> _Dry:
    """Every alarm judged over the log, as kept, with a better level within bounds."""
    key = f"dry:{rig.id}:{rig.count_revision}:{hash(alarms.model_dump_json())}"
    found = context.recalled(key)
    if found is not None:
        return found  # type: ignore[no-any-return]
    readings, soc, gap_s = _counted(context, counted_log)
    numbers = counted_log.on.opening.numbers
    for entry in counted_log.on.entries:
        numbers = entry.numbers or numbers
    full_s = np.array([event.time_s for event in counted_log.events if event.kind in ("reset", "full")])
    since_s = float(readings.time_s[0])
    runs: list[DryRun] = []
    near: dict[str, float] = {}
    better: dict[str, Proposal] = {}
    for alarm in (alarm for alarm in alarms.alarms if is_judged(alarm)):
        if alarm.key == "no_reading":
            incidents = judge_silence(alarm, _gaps(counted_log, since_s), zone=rig.zone)
        else:
            values = values_for(alarm, readings, soc, full_s, numbers, first_s=counted_log.start_s)
            incidents = judge(alarm, readings.time_s, values, gap_s=gap_s, zone=rig.zone).incidents
        run = dry(alarm, incidents, start_s=since_s, end_s=counted_log.end_s)
        if alarm.key != "no_reading":
            tried = Tried(readings.time_s, values, soc, numbers.reserve_pct, gap_s, rig.zone)
            bound = bounds.get(alarm.key, -math.inf if KINDS[alarm.key].below else math.inf)
            near[alarm.key] = nearest(alarm, values)
            if (found_better := proposal(alarm, tried, bound)) is not None:
                better[alarm.key] = found_better
        runs.append(run)
    made = _Dry(runs, since_s, near, better)
    context.remember(key, made)
    return made


def _gaps(counted_log: CountedLog, since_s: float) -> list[tuple[float, float]]:
    """When nothing was read, from an instant on (from, to) [s]."""
    return [
        (gap.time_s, gap.end_s) for gap in counted_log.events if gap.kind == "gap" and gap.time_s >= since_s
    ]


def _counted(context: AppContext, counted_log: CountedLog) -> tuple[Readings, np.ndarray, float]:
    latest = _latest_segments(counted_log)
    parts, charges = [], []
    with context.db.reading() as session:
        for segment in latest:
            reading = counted_log.readings(session, context, segment)
            counter = counted_log.counter(segment)
            counted = counter.feed(reading.time_s, reading.volts, reading.amps, gap_s=segment.gap_s)
            parts.append(reading)
            charges.append(np.maximum(0.0, 1.0 - counted.deficit_ah / counter.numbers.capacity_ah))
    names = sorted({name for readings in parts for name in readings.extra})
    extra = {
        name: np.concatenate([readings.extra.get(name, np.full(len(readings), np.nan)) for readings in parts])
        for name in names
    }
    time_s, volts, amps = (
        np.concatenate([getattr(readings, name) for readings in parts])
        for name in ("time_s", "volts", "amps")
    )
    readings = Readings(time_s, volts, amps, extra)
    return readings, np.concatenate(charges), max(segment.gap_s for segment in latest)


def _latest_segments(counted_log: CountedLog) -> list[CountSegment]:
    """The last segments of a log, as many as hold so many readings; at least one."""
    found: list[CountSegment] = []
    total = 0
    for segment in reversed(counted_log.segments):
        total += segment.last - segment.first
        if found and total > SPAN_READINGS:
            break
        found.insert(0, segment)
    return found


def acknowledge(context: AppContext, rig_id: int, incident_id: int, *, who: str) -> KeptIncident:
    """Note that someone has seen an incident."""
    with context.change(rig_id) as work:
        session = work.session
        return watching.acknowledge(session, rig_id, incident_id, at_s=context.now(), who=who)


def _known_last(instant_s: float) -> float:
    return -math.inf if math.isnan(instant_s) else instant_s


def _left_for_now(some: list[watching.Note]) -> tuple[LeftForNow, ...]:
    """What was left for now and still stands, with the day by which it is to be put right."""
    cleared = {note.body["of"] for note in some if note.kind == "cleared"}
    found = []
    for note in some:
        if note.kind == "temporary" and note.id not in cleared and note.body.get("due"):
            due = datetime.fromisoformat(str(note.body["due"])).replace(tzinfo=UTC)
            found.append(LeftForNow(note.id, str(note.body["note"]), due.timestamp()))
    return tuple(found)


def _review(some: list[watching.Note]) -> float:
    """When a trial is to be looked at again [s], NaN for no trial."""
    asked = [note.body for note in some if note.kind == "enquiry"]
    if not asked or not asked[-1].get("trial") or not asked[-1].get("review"):
        return math.nan
    return datetime.fromisoformat(str(asked[-1]["review"])).replace(tzinfo=UTC).timestamp()


def dates_due(context: AppContext, rig_id: int) -> list[Due]:
    """What is due on a rig by the calendar, soonest first."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        last_full_s, width = math.nan, None
        if counted_log is not None:
            last_full_s = moment(session, context, counted_log).last_full_s
            width = width_now(session, context, counted_log, math.inf)
        some = watching.notes(session, rig_id)
        built_s = drawing_store.last_built_s(session, rig_id)
        pressed = must_be_told_full(session, context, rig_id)
    try:
        alarms = alarms_of(context, rig_id)[0]
    # Dates also hold for a rig whose alarms cannot be judged yet.
    except InvalidInput:
        alarms = Alarms()
    done = {
        kind: max((note.time_s for note in some if note.kind == kind), default=math.nan)
        for kind in ("torqued", "equalised", "firmware", "monitor_changed", "laid_up")
    }
    begin_s, end_s, sources = math.nan, math.nan, []
    if counted_log is not None:
        begin_s, end_s = counted_log.start_s, counted_log.end_s
        sources = list(counted_log.sources.values())
    milestones = Milestones(
        last_full_s=last_full_s,
        log_begin_s=begin_s,
        log_end_s=end_s,
        built_s=math.nan if built_s is None else built_s,
        torqued_s=done["torqued"],
        equalised_s=done["equalised"],
        firmware_s=max((done[kind] for kind in ("firmware", "monitor_changed")), key=_known_last),
        laid_up_s=done["laid_up"],
        half=math.nan if width is None or math.isnan(width.centre) else width.half,
        latitude=math.nan if rig.latitude is None else rig.latitude,
        left=_left_for_now(some),
        pressed=pressed,
        review_s=_review(some),
    )
    return due_dates(
        alarms,
        milestones,
        chemistry="" if rig.bank is None else rig.bank.chemistry,
        bridged=any(source.kind == "bridge" for source in sources),
    )
