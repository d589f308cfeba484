"""A rig's count of record, opened: any instant or window of it in milliseconds."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.ledger import Ledger, ledger
from volnik.core.count.log import Counted, LogCounter
from volnik.core.count.runtime import Runtime, mean_rate_a, runtime
from volnik.core.count.state import CountState
from volnik.core.readings import Readings
from volnik.core.rig.rig import NumbersVersion
from volnik.core.settings import Numbers
from volnik.services.context import AppContext
from volnik.services.log.recount import CountPlan, plan
from volnik.store import counts, logs
from volnik.store import rigs as store
from volnik.store.codec import BUCKET_READINGS, CHUNK_READINGS, open_overview, overview_of

RUNS_A_CHUNK = CHUNK_READINGS // BUCKET_READINGS
REACHED_S = 900.0  # a log that ends no longer before an instant still tells of it
SETS_COUNT = ("reset", "set", "full", "supply_lost", "block_swapped")


@dataclass(frozen=True, slots=True)
class Moment:
    """The state of a rig at one instant.

    Attributes:
        at_s: the instant asked for [s].
        read_s: the reading it rests on [s].
        values: that reading's stored quantities by column.
        state: the count.
        numbers: the numbers that held.
        runtime: what the mean rate means.
        book: the ledger since the count was last set.
        opened: the event that set it, or None for the start of the log.
        last_full_s: last full reset before the instant; NaN when none.
        in_gap: whether the instant lies inside a gap.
    """

    at_s: float
    read_s: float
    values: dict[str, float]
    state: CountState
    numbers: Numbers
    runtime: Runtime
    book: Ledger
    opened: counts.CountEvent | None
    last_full_s: float
    in_gap: bool

    @property
    def soc(self) -> float:
        """Charge 0..1; NaN while unknown."""
        return self.numbers.charge(self.state.deficit_ah)


@dataclass(slots=True)
class CountedLog:
    """The opened count of one rig.

    Readings come from the chunks at hand, deficits from each piece's own state.
    """

    rig_id: int
    on: CountPlan
    segments: list[counts.CountSegment]
    events: list[counts.CountEvent]
    sources: dict[int, logs.Source]
    versions: dict[int, NumbersVersion]
    starts: Floats
    overview: dict[str, tuple[Floats, Floats, Floats, Floats]] = field(default_factory=dict)
    runs: dict[int, Any] = field(default_factory=dict)
    mark: object = field(default_factory=object)  # tells it from the same log counted anew

    @property
    def start_s(self) -> float:
        """First reading [s]."""
        return self.segments[0].start_s

    @property
    def end_s(self) -> float:
        """Last reading [s]: the rig's now."""
        return self.segments[-1].end_s

    @property
    def size(self) -> int:
        """How many readings it has."""
        return sum(segment.last - segment.first for segment in self.segments)

    @property
    def pens(self) -> list[str]:
        """Quantities that can be drawn, in the order they were first stored."""
        names: list[str] = []
        for segment in self.segments:
            for name in self.sources[segment.source_id].columns:
                if name not in names:
                    names.append(name)
        return [*names[:2], "charge", *names[2:]]

    def readings(self, session: Session, context: AppContext, segment: counts.CountSegment) -> Readings:
        """The readings of a piece."""
        chunk = context.chunks.chunk(session, self.sources[segment.source_id], segment.chunk_seq)
        return chunk.part(segment.first, segment.last)

    def counted(self, session: Session, context: AppContext, seq: int) -> tuple[Readings, Counted]:
        """The readings and deficits of a piece, counted from its own state."""
        with context.lock:
            kept: tuple[Readings, Counted] | None = context.counted.get((self.mark, seq))
        if kept is not None:
            return kept
        segment = self.segments[seq]
        readings = self.readings(session, context, segment)
        counted = self.counter(segment).feed(
            readings.time_s, readings.volts, readings.amps, gap_s=segment.gap_s
        )
        with context.lock:
            context.counted[self.mark, seq] = (readings, counted)
        return readings, counted

    def counter(self, segment: counts.CountSegment) -> LogCounter:
        """A counter standing where the piece begins."""
        return self.on.counter_at(segment)


def open_counted_log(session: Session, context: AppContext, rig_id: int) -> CountedLog | None:
    """The opened count of a rig, or None while there is nothing to count."""
    rig = store.rig(session, rig_id)
    key = (rig_id, rig.count_revision)
    with context.lock:
        kept: CountedLog | None = context.counted_logs.get(key)
        if kept is not None:
            return kept
    segments = counts.segments(session, rig_id)
    on = plan(session, rig_id)
    if not segments or on is None:
        return None
    counted_log = CountedLog(
        rig_id,
        on,
        segments,
        counts.events(session, rig_id),
        {source.id: source for source in logs.sources(session, rig_id)},
        {version.id: version for version in store.numbers_versions(session, rig_id)},
        np.array([segment.start_s for segment in segments]),
    )
    with context.lock:
        context.counted_logs[key] = counted_log
    return counted_log


def _last_set(events: list[counts.CountEvent], until_s: float) -> tuple[counts.CountEvent | None, float]:
    """The last event up to an instant that set the count, and the last full charge [s], NaN for never."""
    opened, last_full_s = None, math.nan
    for event in events:
        if event.time_s > until_s:
            break
        if event.kind in SETS_COUNT:
            opened = event
        if event.kind in ("reset", "full"):
            last_full_s = event.time_s
    return opened, last_full_s


def logged_out(session: Session, context: AppContext, rig_id: int, *, start_s: float, end_s: float) -> float:
    """Ah that went out by a rig's readings between two instants [Ah]; NaN where they do not reach so far."""
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is None or start_s < counted_log.start_s or end_s > counted_log.end_s + REACHED_S:
        return math.nan
    before, after = (moment(session, context, counted_log, at_s) for at_s in (start_s, end_s))
    return after.state.out_ah - before.state.out_ah


def moment(
    session: Session, context: AppContext, counted_log: CountedLog, at_s: float | None = None
) -> Moment:
    """The state at an instant; by default the rig's now, entries later than its last reading included."""
    latest = at_s is None
    at_s = counted_log.end_s if at_s is None else max(at_s, counted_log.start_s)
    seq = max(0, int(np.searchsorted(counted_log.starts, at_s, side="right")) - 1)
    segment = counted_log.segments[seq]
    readings = counted_log.readings(session, context, segment)
    upto = int(np.searchsorted(readings.time_s, at_s, side="right"))
    head = readings.part(0, upto)
    counter = counted_log.counter(segment)
    counted = counter.feed(head.time_s, head.volts, head.amps, gap_s=segment.gap_s)
    counter.finish(math.inf if latest else at_s)
    read_s = float(head.time_s[-1])
    in_gap = not latest and at_s - read_s > segment.gap_s
    rate_a = (
        math.nan
        if in_gap
        else _rate(
            session, context, counted_log, seq, head, counted=counted, numbers=counter.numbers, read_s=read_s
        )
    )
    opened, last_full_s = _last_set(counted_log.events, math.inf if latest else at_s)
    start = CountState.opened(
        counted_log.on.opening.numbers.initial_soc, counted_log.on.opening.numbers.capacity_ah
    )
    return Moment(
        at_s,
        read_s,
        {name: float(column[-1]) for name, column in head.columns().items()},
        counter.state,
        counter.numbers,
        runtime(rate_a, counter.state.deficit_ah, counter.numbers),
        ledger(start if opened is None else opened.after, counter.state),
        opened,
        last_full_s,
        in_gap,
    )


def _rate(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    seq: int,
    head: Readings,
    *,
    counted: Counted,
    numbers: Numbers,
    read_s: float,
) -> float:
    """Mean rate over the runtime window, reaching back into earlier pieces where the window does."""
    times, rates, gap_s = [head.time_s], [counted.effective_a], counted_log.segments[seq].gap_s
    while seq > 0 and times[0][0] > read_s - numbers.runtime_window_s:
        seq -= 1
        earlier, before = counted_log.counted(session, context, seq)
        times.insert(0, earlier.time_s)
        rates.insert(0, before.effective_a)
    time_s, effective_a = np.concatenate(times), np.concatenate(rates)
    first = max(0, int(np.searchsorted(time_s, read_s - numbers.runtime_window_s, side="right")) - 1)
    return mean_rate_a(
        time_s[first:], effective_a[first:], at_s=read_s, window_s=numbers.runtime_window_s, gap_s=gap_s
    )


def _segment_overview(
    session: Session, context: AppContext, counted_log: CountedLog, segment: counts.CountSegment, pen: str
) -> tuple[Floats, Floats, Floats, Floats]:
    """A pen over the runs of one segment; its source holds the pen."""
    source = counted_log.sources[segment.source_id]
    if source.id not in counted_log.runs:
        counted_log.runs[source.id] = open_overview(logs.overview(session, source.id))
    first = segment.chunk_seq * RUNS_A_CHUNK
    runs = slice(first, first + RUNS_A_CHUNK)
    all_starts, all_lasts, columns = counted_log.runs[source.id]
    starts, lasts = all_starts[runs], all_lasts[runs]
    low, high = (values[runs] for values in columns[source.columns.index(pen)])
    if segment.first or lasts[-1] > segment.end_s:
        # Where another source speaks for part of the chunk, its runs are made anew from what speaks.
        readings = counted_log.readings(session, context, segment)
        starts, lasts, ((low, high),) = open_overview(overview_of(readings.time_s, [readings.columns()[pen]]))
    return starts, lasts, low.astype(float), high.astype(float)


def pen_overview(
    session: Session, context: AppContext, counted_log: CountedLog, pen: str
) -> tuple[Floats, Floats, Floats, Floats]:
    """First and last instants, least and greatest of a pen over runs of readings, for the whole log.

    The charge pen is in percent of the capacity that held.
    """
    if pen in counted_log.overview:
        return counted_log.overview[pen]
    if pen == "charge":
        counted_log.overview[pen] = _charge_overview(session, counted_log)
        return counted_log.overview[pen]
    parts: list[tuple[Floats, Floats, Floats, Floats]] = []
    for segment in counted_log.segments:
        if pen in counted_log.sources[segment.source_id].columns:
            parts.append(_segment_overview(session, context, counted_log, segment, pen))
    joined = tuple(np.concatenate([part[at] for part in parts]) if parts else np.empty(0) for at in range(4))
    counted_log.overview[pen] = joined  # type: ignore[assignment]
    return counted_log.overview[pen]


def _charge_overview(session: Session, counted_log: CountedLog) -> tuple[Floats, Floats, Floats, Floats]:
    """Charge in percent of the capacity that held, from the overview of the deficits."""
    body = counts.overview(session, counted_log.rig_id)
    if body is None:
        return np.empty(0), np.empty(0), np.empty(0), np.empty(0)
    starts, lasts, ((least, greatest),) = open_overview(body)
    capacity_ah = counted_log.on.capacities(starts)
    low, high = (
        np.maximum(0.0, 100.0 * (1.0 - deficit / capacity_ah))
        for deficit in (greatest.astype(float), least.astype(float))
    )
    return starts, lasts, low, high
