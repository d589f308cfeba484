"""Alarms of a rig: the dry run over its log, and what its live alarms said."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.errors import Refused
from volnik.core.numbers.alarms import Alarms
from volnik.core.readings import Readings
from volnik.core.rig.rig import Rig
from volnik.core.watch.alarm_engine import JUDGED, DryRun, dry, judge, judge_silence, values_for
from volnik.core.watch.reminders import Due, due_dates
from volnik.services.context import House
from volnik.services.log.counted_log import Tape, moment, open_tape
from volnik.services.numbers.alarms import alarms_view
from volnik.store import drawings as drawing_store
from volnik.store import rigs as store
from volnik.store import watching
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
        due: what is due by the calendar. live: whether a bridge reports.
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


def alarms_of(house: House, rig_id: int) -> tuple[Alarms, bool]:
    """The list in force, or where to start; whether it was saved. Raises as `alarms_view`."""
    view = alarms_view(house, rig_id)
    return view.alarms, view.saved


def alarms_watched(house: House, rig_id: int) -> AlarmsWatched:
    """What a rig's alarms did, and would have done."""
    trouble = ""
    try:
        alarms, saved = alarms_of(house, rig_id)
    except Refused as wrong:
        alarms, saved, trouble = None, False, " ".join(wrong.problems.values())
    with house.db.reading() as session:
        rig = store.rig(session, rig_id)
        tape = open_tape(session, house, rig_id)
        kept = watching.incidents(session, rig_id)
    due = due_of(house, rig_id)
    if alarms is None or tape is None:
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
    runs, since_s = _dry(house, rig, tape, alarms)
    return AlarmsWatched(
        rig, alarms, saved, sorted(runs, key=lambda run: -run.spoke), since_s, tape.end_s, kept, due
    )


def _dry(house: House, rig: Rig, tape: Tape, alarms: Alarms) -> tuple[list[DryRun], float]:
    """Every alarm judged over the log, as kept; the instant it begins [s]."""
    key = f"dry:{rig.id}:{rig.count_revision}:{hash(alarms.model_dump_json())}"
    found = house.recalled(key)
    if found is not None:
        return found  # type: ignore[no-any-return]
    readings, soc, gap_s = _counted(house, tape)
    numbers = tape.on.opening.numbers
    for entry in tape.on.entries:
        numbers = entry.numbers or numbers
    full_s = np.array([event.time_s for event in tape.events if event.kind in ("reset", "full")])
    since_s = float(readings.time_s[0])
    runs = []
    for alarm in alarms.alarms:
        if not alarm.on or not alarm.volnik or alarm.key not in JUDGED:
            continue
        if alarm.key == "no_reading":
            gaps = [
                (gap.time_s, gap.end_s) for gap in tape.events if gap.kind == "gap" and gap.time_s >= since_s
            ]
            incidents = judge_silence(alarm, gaps, zone=rig.zone)
        else:
            values = values_for(alarm, readings, soc, full_s, numbers, first_s=tape.start_s)
            incidents = judge(alarm, readings.time_s, values, gap_s=gap_s, zone=rig.zone).incidents
        runs.append(dry(alarm, incidents, start_s=since_s, end_s=tape.end_s))
    house.remember(key, (runs, since_s), readings=1000)
    return runs, since_s


def _counted(house: House, tape: Tape) -> tuple[Readings, np.ndarray, float]:
    first = len(tape.pieces) - 1
    total = tape.pieces[first].last - tape.pieces[first].first
    while first > 0 and total + tape.pieces[first - 1].last - tape.pieces[first - 1].first <= SPAN_READINGS:
        first -= 1
        total += tape.pieces[first].last - tape.pieces[first].first
    parts, charges = [], []
    with house.db.reading() as session:
        for piece in tape.pieces[first:]:
            reading = tape.readings(session, house, piece)
            counter = tape.counter(piece)
            counted = counter.feed(reading.time_s, reading.volts, reading.amps, gap_s=piece.gap_s)
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
    return readings, np.concatenate(charges), max(piece.gap_s for piece in tape.pieces[first:])


def acknowledge(house: House, rig_id: int, incident_id: int, *, who: str) -> KeptIncident:
    """Note that someone has seen an incident."""
    with house.db.writing() as session:
        return watching.acknowledge(session, rig_id, incident_id, at_s=house.now(), who=who)


def due_of(house: House, rig_id: int) -> list[Due]:
    """What is due on a rig by the calendar, soonest first."""
    with house.db.reading() as session:
        rig = store.rig(session, rig_id)
        tape = open_tape(session, house, rig_id)
        last_full_s = math.nan
        if tape is not None:
            last_full_s = moment(session, house, tape).last_full_s
        some = watching.notes(session, rig_id)
        stood_s = drawing_store.last_stood_s(session, rig_id)
    try:
        alarms = alarms_of(house, rig_id)[0]
    except Refused:
        alarms = Alarms()
    done = {
        kind: max((note.time_s for note in some if note.kind == kind), default=math.nan)
        for kind in ("torqued", "equalised")
    }
    bridged = bool(tape is not None and any(source.kind == "bridge" for source in tape.sources.values()))
    return due_dates(
        alarms,
        chemistry=rig.bank.chemistry if rig.bank is not None else "",
        last_full_s=last_full_s,
        log_begin_s=math.nan if tape is None else tape.start_s,
        log_end_s=math.nan if tape is None else tape.end_s,
        stood_s=math.nan if stood_s is None else stood_s,
        torqued_s=done["torqued"],
        equalised_s=done["equalised"],
        bridged=bridged,
    )
