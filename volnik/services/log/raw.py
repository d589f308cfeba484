"""Readings as they came, whether or not the rig is described well enough to count them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.count.record import Coverage, compose
from volnik.core.readings import Readings
from volnik.store import logs


@dataclass(frozen=True, slots=True)
class LastReading:
    """The newest reading of a rig: its instant [s since 1970], volts, amps, and what else came with it."""

    time_s: float
    volts: float
    amps: float
    extra: dict[str, float]


def last_reading(session: Session, rig_id: int) -> LastReading | None:
    """The newest settled reading, or None without any."""
    standing = [
        source
        for source in logs.sources(session, rig_id, withdrawn=False)
        if source.kind != "beside"  # a charger's own log is not the bank's
    ]
    if not standing:
        return None
    newest = max(standing, key=lambda source: source.end_ms)
    part = logs.open_chunk(session, newest, logs.chunk_places(session, newest.id)[-1].seq)
    extra = {name: float(column[-1]) for name, column in part.extra.items()}
    return LastReading(float(part.time_s[-1]), float(part.volts[-1]), float(part.amps[-1]), extra)


def raw_readings(session: Session, rig_id: int) -> Iterator[tuple[float, Readings]]:
    """Every standing reading in order of time, as far as one source speaks; with the share done after it."""
    standing = logs.sources(session, rig_id, withdrawn=False)
    by_id = {source.id: source for source in standing}
    stretches = compose(
        [Coverage(source.id, source.kind, source.arrived_s, source.segments) for source in standing]
    )
    for done, stretch in enumerate(stretches, 1):
        source = by_id[stretch.source_id]
        for place in logs.chunk_places(session, source.id):
            if place.end_ms < stretch.start_ms or place.start_ms > stretch.end_ms:
                continue
            part = logs.open_chunk(session, source, place.seq)
            within = (part.time_s * 1000.0 >= stretch.start_ms - 0.5) & (
                part.time_s * 1000.0 <= stretch.end_ms + 0.5
            )
            first = int(within.argmax())
            yield done / len(stretches), part.part(first, first + int(within.sum()))
