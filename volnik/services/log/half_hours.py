"""A rig's log in half hours, made piece by piece and kept while the piece stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.watch.half_hours import HalfHours, joined, sum_half_hours
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog

QUICK_PIECES = 60  # made while a page waits; more of them go through a job


def _key(counted_log: CountedLog, seq: int) -> tuple[Any, ...]:
    segment = counted_log.segments[seq]
    return (
        counted_log.rig_id,
        segment.source_id,
        segment.chunk_seq,
        segment.first,
        segment.last,
        segment.state.row().tobytes(),
        segment.numbers_id,
        segment.entries_done,
    )


def waiting(context: AppContext, counted_log: CountedLog) -> int:
    """How many pieces of a log are still to be made into half hours."""
    with context.lock:
        kept = context.half_hours
        return sum(_key(counted_log, seq) not in kept for seq in range(len(counted_log.segments)))


def half_hours(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    *,
    on_progress: Callable[[float], None] = lambda done: None,
) -> HalfHours:
    """The whole log in half hours; what was made before is taken as it is.

    Args:
        on_progress: told the share done, 0..1; may raise to stop.
    """
    parts = []
    for seq, segment in enumerate(counted_log.segments):
        key = _key(counted_log, seq)
        with context.lock:
            made = context.half_hours.get(key)
        if made is None:
            readings = counted_log.readings(session, context, segment)
            counter = counted_log.counter(segment)
            counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=segment.gap_s)
            made = sum_half_hours(
                readings, counted, counter.numbers, gap_s=segment.gap_s, before_s=segment.state.last_s
            )
            with context.lock:
                context.half_hours[key] = made
            on_progress((seq + 1) / len(counted_log.segments))
        parts.append(made)
    return joined(parts)
