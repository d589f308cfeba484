"""The log of a rig: sources taken in, withdrawn, brought back."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np

from volnik.core.count.log import gap_limit_s
from volnik.core.count.record import Coverage, compose
from volnik.core.readings import Readings, tidy
from volnik.services.context import AppContext
from volnik.services.log.raw import LastReading, last_reading
from volnik.services.log.recount import recount
from volnik.store import logs
from volnik.store import rigs as store


@dataclass(frozen=True, slots=True)
class TakenIn:
    """What taking in a source came to; `repeated` when these very readings already stood."""

    source: logs.Source
    repeated: bool


def digest(readings: Readings) -> str:
    """The same for the same readings, whatever file they came in."""
    summed = hashlib.blake2b(digest_size=32)
    for name, values in [("time", readings.time_s), *sorted(readings.columns().items())]:
        summed.update(name.encode())
        summed.update(np.ascontiguousarray(values).data)
    return summed.hexdigest()


def take_in(
    context: AppContext,
    rig_id: int,
    readings: Readings,
    *,
    kind: str,
    name: str,
    report: dict[str, Any],
    on_progress: Callable[[float], None] = lambda done: None,
    by_user: bool = True,
) -> TakenIn:
    """Keep a source of readings and recount the rig; all of it or nothing.

    Args:
        on_progress: told the share done, 0..1; may raise to stop, and then nothing is kept.

    Raises:
        ValueError: when there is not one reading.
    """
    whole = np.rint(readings.time_s * 1000.0) / 1000.0  # the store keeps milliseconds
    readings = tidy(whole, readings.columns()).readings
    if not len(readings):
        raise ValueError("There is not one good reading to keep.")
    with ThreadPoolExecutor(1) as aside:  # hashing lets the other core go on
        marked = aside.submit(digest, readings)
        gap_s = gap_limit_s(readings.time_s)
        mark = marked.result()
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        store.rig(session, rig_id)
        standing = logs.source_by_digest(session, rig_id, mark)
        if standing is not None and standing.withdrawn_s is None:
            return TakenIn(standing, repeated=True)
        if standing is not None:
            source = logs.withdraw_source(session, rig_id, standing.id, None)
        else:
            source = logs.add_source(
                session,
                rig_id,
                readings,
                kind=kind,
                name=name,
                digest=mark,
                arrived_s=context.now(),
                gap_s=gap_s,
                report=report,
                on_progress=lambda done: on_progress(0.6 * done),
            )
        recount(session, context, rig_id, on_progress=lambda done: on_progress(0.6 + 0.4 * done))
        work.recounted()
    return TakenIn(source, repeated=False)


def withdraw(
    context: AppContext,
    rig_id: int,
    source_id: int,
    *,
    back: bool = False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> logs.Source:
    """Withdraw a source from the log, or bring it back, and recount."""
    with context.change(rig_id) as work:
        session = work.session
        source = logs.withdraw_source(session, rig_id, source_id, None if back else context.now())
        recount(session, context, rig_id, on_progress=on_progress)
        work.recounted()
    return source


@dataclass(frozen=True, slots=True)
class SourceView:
    """A source and the share of its time in which it speaks, 0..1."""

    source: logs.Source
    speaks: float


def source_views(context: AppContext, rig_id: int) -> list[SourceView]:
    """Every source of a rig, withdrawn ones too, and how much of each is set aside."""
    with context.db.reading() as session:
        store.rig(session, rig_id)
        found = logs.sources(session, rig_id)
    standing = [source for source in found if source.withdrawn_s is None]
    stretches = compose(
        [Coverage(source.id, source.kind, source.arrived_s, source.segments) for source in standing]
    )
    views = []
    for source in found:
        spoken = sum(
            stretch.end_ms - stretch.start_ms + 1 for stretch in stretches if stretch.source_id == source.id
        )
        whole = source.end_ms - source.start_ms + 1
        views.append(SourceView(source, min(1.0, spoken / whole) if source.withdrawn_s is None else 0.0))
    return views


def newest_reading(context: AppContext, rig_id: int) -> LastReading | None:
    """The newest settled reading of a rig, counted or not; None without any."""
    with context.db.reading() as session:
        return last_reading(session, rig_id)
