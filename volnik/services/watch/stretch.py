"""A stretch of a rig's log: what flowed, how low it came, what used it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.errors import InvalidInput
from volnik.core.papers.event import EventFacts
from volnik.core.rig.rig import Rig, timeline
from volnik.core.watch.checkup.facts import gather
from volnik.core.watch.half_hours import SLOT_S, HalfHours
from volnik.core.watch.loads import tell_apart
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.log.half_hours import half_hours
from volnik.services.watch.checked import between, plan_for, whole_log
from volnik.store import rigs as store

LEAST_LOADS_H = 24.0  # of readings, under which loads cannot be told apart


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch told: its facts, and the charge over it.

    Attributes:
        rig: the rig.
        facts: in figures.
        time_s, soc: ends of its half hours [s] and the charge then [0..1], shape (n,).
        reserve_pct: as set [%].
    """

    rig: Rig
    facts: EventFacts
    time_s: Floats
    soc: Floats
    reserve_pct: float


def stretch(context: AppContext, rig_id: int, start_s: float, end_s: float, *, what: str = "") -> Stretch:
    """What happened on a rig from one instant to another.

    Args:
        what: what the stretch is called.

    Raises:
        InvalidInput: for a stretch that ends before it begins, or in which nothing was read.
    """
    if not start_s < end_s:
        raise InvalidInput({"end": "It must end after it begins."})
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None:
            raise InvalidInput({"start": "There are no readings to tell of yet."})
        some = half_hours(session, context, counted_log)
        part = some.part((some.start_s > start_s - SLOT_S) & (some.start_s < end_s))
        if not len(part) or not float(part.hours.sum()) > 0.0:
            raise InvalidInput({"start": "Nothing was read in that stretch."})
        uses = _uses(session, context, counted_log, start_s, end_s)
        numbers = timeline(store.numbers_versions(session, rig_id))[-1].numbers
    facts = _facts(rig, part, (start_s, end_s), uses, what=what, reserve_pct=numbers.reserve_pct)
    return Stretch(rig, facts, part.start_s + SLOT_S, part.end_soc, numbers.reserve_pct)


def _facts(
    rig: Rig,
    part: HalfHours,
    span: tuple[float, float],
    uses: tuple[tuple[str, float], ...],
    *,
    what: str,
    reserve_pct: float,
) -> EventFacts:
    known = np.isfinite(part.low_soc)
    at = int(np.nanargmin(part.low_soc)) if known.any() else -1
    believed = rig.summary.believed != "not"
    return EventFacts(
        rig.name,
        what,
        _when(span[0], rig.zone),
        _when(span[1], rig.zone),
        (span[1] - span[0]) / 3600.0,
        min(float(part.hours.sum()), (span[1] - span[0]) / 3600.0),
        float(part.out_ah.sum()),
        float(part.in_ah.sum()),
        float(part.out_wh.sum()) / 1000.0,
        float(part.in_wh.sum()) / 1000.0,
        float(part.end_soc[0]),
        float(part.end_soc[-1]),
        float(part.low_soc[at]) if at >= 0 else math.nan,
        _when(float(part.start_s[at]), rig.zone) if at >= 0 else "",
        reserve_pct,
        float(np.nanmax(part.most_out_a)),
        float(np.nanmax(part.most_in_a)),
        float(np.nanmin(part.low_v)),
        float(np.nanmax(part.high_v)),
        uses,
        believed,
        "" if believed else rig.summary.reason,
    )


def _uses(
    session: Session, context: AppContext, counted_log: CountedLog, start_s: float, end_s: float
) -> tuple[tuple[str, float], ...]:
    """Ah by load, heaviest first; () where the stretch is too short to tell them apart."""
    if end_s - start_s < LEAST_LOADS_H * 3600.0:
        return ()
    plan = plan_for(session, context, counted_log.rig_id)
    if plan is None or not plan.loads:
        return ()
    readings = between(whole_log(session, context, counted_log, since_s=start_s), start_s, end_s)
    numbers = timeline(store.numbers_versions(session, counted_log.rig_id))[-1].numbers
    facts = gather(readings, numbers=numbers, plan=plan)
    if facts.trouble:
        return ()
    told = tell_apart(
        facts, tuple(load for load in plan.loads if load.amps >= 0.5), (), reserve_ah=numbers.reserve_ah
    )
    days = float(facts.hours.sum()) / 24.0
    found = [(load.name, load.ah_day * days) for load in told.named if load.ah_day > 0.0]
    return tuple(sorted(found, key=lambda pair: -pair[1]))


def _when(at_s: float, zone: str) -> str:
    return f"{datetime.fromtimestamp(at_s, ZoneInfo(zone)):%a %-d %b %Y %H:%M}"
