"""The count of record, written anew: each stretch with the numbers that held."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.entries import Entry
from volnik.core.count.log import Counted, LogCounter
from volnik.core.count.record import Coverage, compose
from volnik.core.count.state import CountState
from volnik.core.readings import Readings
from volnik.core.rig.rig import NumbersVersion, timeline
from volnik.services.context import AppContext
from volnik.store import counts, logs
from volnik.store import rigs as store
from volnik.store.codec import join_overviews, overview_of
from volnik.store.logs import ChunkPlace


@dataclass(frozen=True, slots=True)
class Span:
    """Readings [first, last) of one chunk, in the log as composed."""

    source: logs.Source
    place: logs.ChunkPlace
    readings: Readings
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class CountPlan:
    """What a count runs on: the version it opens with, and everything dated after."""

    opening: NumbersVersion
    entries: list[Entry]
    version_of: dict[int, int]
    notes: dict[int, str]
    entry_ids: dict[int, int]

    def counter_at(self, segment: counts.CountSegment) -> LogCounter:
        """A count that stands where it stood before a piece."""
        numbers = self.opening.numbers
        for entry in self.entries[: segment.entries_done]:
            numbers = entry.numbers or numbers
        return LogCounter(numbers, segment.state, list(self.entries[segment.entries_done :]))

    def capacities(self, time_s: Floats) -> Floats:
        """The capacity as set that held at each instant, shape (n,) [Ah]."""
        capacity_ah = np.full(len(time_s), self.opening.numbers.capacity_ah)
        for entry in self.entries:
            if entry.numbers is not None:
                capacity_ah[time_s > entry.time_s] = entry.numbers.capacity_ah
        return capacity_ah


def plan(session: Session, rig_id: int, versions: list[NumbersVersion] | None = None) -> CountPlan | None:
    """The numbers and entries a rig's count runs on, or None while it has no numbers."""
    held = timeline(store.numbers_versions(session, rig_id) if versions is None else versions)
    if not held:
        return None
    version_of: dict[int, int] = {}
    notes: dict[int, str] = {}
    entry_ids: dict[int, int] = {}
    entries = []
    for version in held[1:]:
        assert version.holds_from_s is not None
        entry = Entry(version.holds_from_s, "numbers", numbers=version.numbers)
        version_of[id(entry)] = version.id
        notes[id(entry)] = version.reason
        entries.append(entry)
    for entry_id, entry, note in store.entries(session, rig_id):
        entry_ids[id(entry)] = entry_id
        notes[id(entry)] = note
        entries.append(entry)
    return CountPlan(held[0], sorted(entries, key=lambda entry: entry.time_s), version_of, notes, entry_ids)


def _coverage(source: logs.Source) -> Coverage:
    return Coverage(source.id, source.kind, source.arrived_s, source.segments)


def _touched(places: Iterable[ChunkPlace], since_ms: float, until_ms: float) -> list[ChunkPlace]:
    """The chunks that hold a reading between two times [ms]."""
    return [place for place in places if place.start_ms <= until_ms and place.end_ms >= since_ms]


def spans(
    session: Session, context: AppContext, rig_id: int, *, from_s: float = -math.inf
) -> Iterator[tuple[Span, float]]:
    """The log of a rig as composed from its sources, chunk by chunk, with the share done after each.

    Args:
        from_s: spans that begin earlier are left out [s].
    """
    standing = {source.id: source for source in logs.sources(session, rig_id, withdrawn=False)}
    stretches = compose([_coverage(source) for source in standing.values()])
    places = {source_id: logs.chunk_places(session, source_id) for source_id in standing}
    for done, stretch in enumerate(stretches):
        source = standing[stretch.source_id]
        since_ms = max(stretch.start_ms, 1000.0 * from_s)
        touched = _touched(places[source.id], since_ms, stretch.end_ms)
        opened = context.chunks.following(session, source, [place.seq for place in touched])
        for at, (place, readings) in enumerate(zip(touched, opened, strict=True)):
            first = int(np.searchsorted(readings.time_s, stretch.start_ms / 1000.0, side="left"))
            last = int(np.searchsorted(readings.time_s, stretch.end_ms / 1000.0, side="right"))
            if last > first and readings.time_s[first] >= from_s:
                yield (
                    Span(source, place, readings.part(first, last), first, last),
                    (done + (at + 1) / len(touched)) / len(stretches),
                )


def recount(
    session: Session,
    context: AppContext,
    rig_id: int,
    *,
    on_progress: Callable[[float], None] = lambda done: None,
    since_s: float = -math.inf,
) -> CountState | None:
    """Write the count of record anew, inside the caller's transaction; returns where it ends, or None.

    Args:
        on_progress: told the share done, 0..1; may raise to stop.
        since_s: the earliest instant at which the log changed [s]; what was counted before it stands. Only
            for a log that changed while its numbers and entries did not.
    """
    on = plan(session, rig_id)
    if on is None:
        counts.clear(session, rig_id)
        return None
    begun = _begin(session, rig_id, on, since_s)
    counter, version_id, overviews = begun.counter, begun.version_id, list(begun.overviews)
    events: list[counts.CountEvent] = []
    last_s = math.nan
    following = spans(session, context, rig_id, from_s=begun.from_s)
    for seq, (span, done) in enumerate(following, begun.seq):
        before = (counter.state, version_id, len(on.entries) - len(counter.pending))
        readings = span.readings
        counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=span.source.gap_s)
        events += events_of(counted, on)
        for effect in counted.effects:
            version_id = on.version_of.get(id(effect.entry), version_id)
        last_s = float(readings.time_s[-1])
        counts.add_pieces(session, rig_id, [_segment(seq, span, *before)])
        overviews.append(overview_of(readings.time_s, [counted.deficit_ah]))
        on_progress(done)
    if not math.isnan(last_s):
        events += [_entry_event(effect, on) for effect in counter.finish(max(context.now(), last_s))]
    if overviews:
        counts.set_overview(session, rig_id, join_overviews(overviews))
    counts.add_events(session, rig_id, events, after=begun.kept)
    return counter.state


@dataclass(frozen=True, slots=True)
class _Begun:
    """From where a count goes on.

    Attributes:
        counter: as it stands there.
        seq, version_id: number of the first segment counted anew, and the numbers it begins under.
        from_s: where that segment begins [s].
        kept: events that stand.
        overviews: of what stands.
    """

    counter: LogCounter
    seq: int
    version_id: int
    from_s: float
    kept: int
    overviews: list[bytes]


def _begin(session: Session, rig_id: int, on: CountPlan, since_s: float) -> _Begun:
    """Take back what was counted from an instant on [s]; all of it where nothing before it stands."""
    standing = [segment for segment in counts.segments(session, rig_id) if segment.start_s <= since_s]
    if not standing:
        counts.clear(session, rig_id)
        counter = LogCounter.opened(on.opening.numbers, on.entries)
        return _Begun(counter, 0, on.opening.id, -math.inf, 0, [])
    segment = standing[-1]
    kept, body = counts.cut(session, rig_id, segment)
    overviews = [] if body is None else [body]
    counter = on.counter_at(segment)
    return _Begun(counter, segment.seq, segment.numbers_id, segment.start_s, kept, overviews)


def _segment(seq: int, span: Span, state: CountState, version_id: int, entries: int) -> counts.CountSegment:
    """A counted span as it is kept, with what the count stood at before it."""
    time_s = span.readings.time_s
    return counts.CountSegment(
        seq,
        span.source.id,
        span.place.seq,
        span.first,
        span.last,
        float(time_s[0]),
        float(time_s[-1]),
        span.source.gap_s,
        state,
        version_id,
        entries,
    )


def events_of(counted: Counted, on: CountPlan) -> list[counts.CountEvent]:
    """The events of a counted span in order of time."""
    empty = CountState()
    found = [counts.CountEvent("gap", gap.start_s, gap.end_s, empty, empty, {}) for gap in counted.gaps]
    for reset in counted.resets:
        after = replace(reset.before, deficit_ah=0.0, deepest_ah=0.0, run_spent=1.0)
        found.append(counts.CountEvent("reset", reset.time_s, reset.time_s, reset.before, after, {}))
    found += [_entry_event(effect, on) for effect in counted.effects]
    return sorted(found, key=lambda event: event.time_s)


def _entry_event(effect: Any, on: CountPlan) -> counts.CountEvent:
    entry = effect.entry
    body = {
        "note": on.notes.get(id(entry), ""),
        "version": on.version_of.get(id(entry)),
        "entry": on.entry_ids.get(id(entry)),
    }
    return counts.CountEvent(entry.kind, entry.time_s, entry.time_s, effect.before, effect.after, body)
