"""A stretch of a rig's log: what flowed, how low it came, what used it."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

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
from volnik.services.watch.checked import between, charger_logs, plan_for, whole_log
from volnik.store import rigs as store

LEAST_LOADS_H = 24.0  # of readings, under which loads cannot be told apart
LEAST_BESIDE = 10  # readings of a charger's own log in the stretch, under which it says nothing

Amounts = tuple[tuple[str, float], ...]
"""Names, and the Ah of each."""


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


@dataclass(frozen=True, slots=True)
class Flows:
    """What used a stretch and what fed it, as far as they are told apart; `feeders` are not."""

    uses: Amounts
    feeds: Amounts
    feeders: tuple[str, ...]


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
        flows = _flows(session, context, counted_log, (start_s, end_s), float(part.in_ah.sum()))
        numbers = timeline(store.numbers_versions(session, rig_id))[-1].numbers
    facts = _facts(rig, part, (start_s, end_s), flows, what=what, reserve_pct=numbers.reserve_pct)
    return Stretch(rig, facts, part.start_s + SLOT_S, part.end_soc, numbers.reserve_pct)


def _facts(
    rig: Rig,
    part: HalfHours,
    span: tuple[float, float],
    flows: Flows,
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
        rig.zone,
        span[0],
        span[1],
        (span[1] - span[0]) / 3600.0,
        min(float(part.hours.sum()), (span[1] - span[0]) / 3600.0),
        float(part.out_ah.sum()),
        float(part.in_ah.sum()),
        float(part.out_wh.sum()) / 1000.0,
        float(part.in_wh.sum()) / 1000.0,
        float(part.end_soc[0]),
        float(part.end_soc[-1]),
        float(part.low_soc[at]) if at >= 0 else math.nan,
        float(part.start_s[at]) if at >= 0 else math.nan,
        reserve_pct,
        float(np.nanmax(part.most_out_a)),
        float(np.nanmax(part.most_in_a)),
        float(np.nanmin(part.low_v)),
        float(np.nanmax(part.high_v)),
        flows.uses,
        flows.feeds,
        flows.feeders,
        believed,
        "" if believed else rig.summary.reason,
    )


def _flows(
    session: Session, context: AppContext, counted_log: CountedLog, span: tuple[float, float], in_ah: float
) -> Flows:
    """What used it and what fed it."""
    feeds, feeders = _feeds(session, context, counted_log.rig_id, span, in_ah)
    return Flows(_uses(session, context, counted_log, *span), feeds, feeders)


def _uses(
    session: Session, context: AppContext, counted_log: CountedLog, start_s: float, end_s: float
) -> Amounts:
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
    # Beside a charger it draws what never crossed the shunt: of what went out it is no part.
    seen = [(load.name, (load.ah_day - load.beside_ah_day) * days) for load in told.named]
    found = [(name, ah) for name, ah in seen if ah > 0.0]
    return tuple(sorted(found, key=lambda pair: -pair[1]))


def _feeds(
    session: Session, context: AppContext, rig_id: int, span: tuple[float, float], in_ah: float
) -> tuple[Amounts, tuple[str, ...]]:
    """Ah by source as far as they are told apart, and the sources that are not.

    One source gave all that came in; of several, those that tell their own amps say their parts.
    """
    plan = plan_for(session, context, rig_id)
    names = () if plan is None else tuple(name for name, _ in plan.sources)
    if len(names) == 1:
        return ((names[0], in_ah),), ()
    listed = {_plain(name): name for name in names}
    found: dict[str, float] = {}
    for own in charger_logs(session, context, rig_id):
        inside = (own.time_s >= span[0]) & (own.time_s <= span[1])
        if np.count_nonzero(inside) >= LEAST_BESIDE:
            ah = float(np.trapezoid(np.maximum(own.amps[inside], 0.0), own.time_s[inside])) / 3600.0
            found[listed.get(_plain(own.name), own.name)] = ah
    # What they gave straight to loads never came in.
    share = min(1.0, in_ah / max(sum(found.values()), 1e-9))
    untold = tuple(name for name in names if name not in found)
    return tuple((name, share * ah) for name, ah in found.items()), untold


def _plain(name: str) -> str:
    """A charger's name as its column has it: "Solar controller" is "solar controller"."""
    return " ".join(re.findall(r"[a-z0-9]+", name.lower()))
