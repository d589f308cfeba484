"""A window of the paper strip: each pen's least and greatest in every column of the paper."""

from __future__ import annotations

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.watch.strip import ChartMark, ChartWindow, trace
from volnik.services.context import AppContext
from volnik.services.log.band import width_of
from volnik.services.log.counted_log import CountedLog, pen_overview
from volnik.services.log.history import history

MOST_READ = 300_000  # readings opened for one window; beyond it the overviews serve
MOST_COLUMNS = 4_000


def strip_window(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    *,
    start_s: float,
    end_s: float,
    columns: int,
    pens: list[str],
) -> ChartWindow:
    """Draw a window of the log.

    Args:
        columns: how many columns the paper has; each gets its own least and greatest.

    Raises:
        ValueError: for an empty window, too many columns or an unknown pen.
    """
    if not end_s > start_s:
        raise ValueError("a window must end after it starts")
    if not 1 <= columns <= MOST_COLUMNS:
        raise ValueError(f"a strip has 1 to {MOST_COLUMNS} columns, got {columns}")
    for pen in pens:
        if pen not in counted_log.pens:
            raise ValueError(f"no readings of {pen} are stored")
    inside = [
        segment for segment in counted_log.segments if segment.end_s >= start_s and segment.start_s <= end_s
    ]
    # Beyond that the overview's least and greatest stand for the readings, so that no spike is lost.
    exact = sum(segment.last - segment.first for segment in inside) <= MOST_READ
    traces = []
    for pen in pens:
        if exact:
            numbers = [segment.seq for segment in inside]
            time_s, low = _pen_over(session, context, counted_log, numbers, pen)
            high = low
        else:
            starts, lasts, low, high = pen_overview(session, context, counted_log, pen)
            time_s = (starts + lasts) / 2.0
        traces.append(trace(pen, time_s, low, high, start_s, end_s=end_s, columns=columns))
    band = None
    width = width_of(session, context, counted_log) if "charge" in pens else None
    if width is not None:
        low, high = 100.0 * width.low, 100.0 * width.high
        band = trace("charge", width.time_s, low, high, start_s, end_s=end_s, columns=columns)
    marks = _marks(session, counted_log, start_s, end_s)
    return ChartWindow(start_s, end_s, traces, marks, exact, band)


def _marks(session: Session, counted_log: CountedLog, start_s: float, end_s: float) -> list[ChartMark]:
    """What happened in a window: events of the count, and the others of the rig's history."""
    events = [
        ChartMark(event.kind, event.time_s, event.end_s)
        for event in counted_log.events
        if event.end_s >= start_s and event.time_s <= end_s
    ]
    kept = {event.kind for event in counted_log.events}
    beside = [
        ChartMark(event.kind, event.time_s, event.time_s)
        for event in history(session, counted_log.rig_id)
        if start_s <= event.time_s <= end_s and event.kind not in kept
    ]
    return events + beside


def _pen_over(
    session: Session, context: AppContext, counted_log: CountedLog, segments: list[int], pen: str
) -> tuple[Floats, Floats]:
    """Every reading of a pen over some segments: instants [s] and values."""
    parts = [_pen_readings(session, context, counted_log, seq, pen) for seq in segments]
    if not parts:
        return np.empty(0), np.empty(0)
    return np.concatenate([part[0] for part in parts]), np.concatenate([part[1] for part in parts])


def _pen_readings(
    session: Session, context: AppContext, counted_log: CountedLog, seq: int, pen: str
) -> tuple[Floats, Floats]:
    if pen == "charge":
        readings, counted = counted_log.counted(session, context, seq)
        capacity = counted_log.on.capacities(readings.time_s)
        return readings.time_s, np.maximum(0.0, 100.0 * (1.0 - counted.deficit_ah / capacity))
    readings = counted_log.readings(session, context, counted_log.segments[seq])
    columns = readings.columns()
    return readings.time_s, columns.get(pen, np.full(len(readings), np.nan))
