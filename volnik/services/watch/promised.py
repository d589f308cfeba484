"""Promises of a rig: made before leaving, kept as dated notes, held against what came."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.rig.rig import Rig
from volnik.core.watch.forecast import Ahead, DailyProfile, ahead
from volnik.core.watch.half_hours import SLOT_S, HalfHours
from volnik.core.watch.promises import Outcome, Promise, expected_days, outcome, promise_of
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.numbers.study import inputs
from volnik.services.path.read import NoBank
from volnik.services.watch import notes
from volnik.services.watch.ahead import own_days
from volnik.store import rigs as store
from volnik.store import watching

KIND = "promise"
MOST_SHOWN = 8  # promises, the latest first
FROM_FULL, FROM_FULL_HALF = 1.0, 0.02  # a rig left without a count is left full; source: estimate


@dataclass(frozen=True, slots=True)
class PromiseView:
    """What can be promised now, and what was.

    Attributes:
        rig: which.
        offered: what would be promised now, or None;
        trouble: why not, "" where one can be.
        from_full: whether it starts from a bank taken for full, since nothing is counted yet.
        outcomes: promises made, the latest first.
    """

    rig: Rig
    offered: Promise | None
    trouble: str
    from_full: bool
    outcomes: list[Outcome]


def promise_view(context: AppContext, rig_id: int) -> PromiseView:
    """What can be promised of a rig now, and what was promised before."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        kept = outcomes(session, context, rig_id)
    found = own_days(context, rig_id)
    if found is not None:
        now, plain = found
        return PromiseView(rig, promise_of(plain, made_s=now.read_s, based_on="log"), "", False, kept)
    try:
        return PromiseView(rig, _by_survey(context, rig), "", True, kept)
    except NoBank as wrong:
        return PromiseView(rig, None, wrong.problems["bank"], False, kept)
    except ValueError as wrong:
        return PromiseView(rig, None, str(wrong), False, kept)


def _by_survey(context: AppContext, rig: Rig) -> Promise:
    """The promise of a rig without days of its own, as its Survey has them, from full.

    Raises:
        NoBank: without a bank.
        ValueError: when nothing can be simulated.
    """
    given = inputs(context, rig.id)
    if not given.path.devices:
        raise ValueError("List its devices at Survey first: they are what the days are made of.")
    now_s = max(context.now(), 0.0 if math.isnan(rig.summary.at_s) else rig.summary.at_s)
    month = datetime.fromtimestamp(now_s, ZoneInfo(rig.zone)).month
    key = f"expected:{given.key}:{month}:{rig.zone}"
    profile: DailyProfile | None = context.recalled(key)
    if profile is None:
        profile = expected_days(given.vehicle, given.numbers, month=month, zone=rig.zone)
        context.remember(key, profile)
    forecast: Ahead = ahead(profile, given.numbers, now_s=now_s, soc=FROM_FULL, half=FROM_FULL_HALF)
    return promise_of(forecast, made_s=now_s, based_on="survey")


def promise(context: AppContext, rig_id: int, *, who: str) -> bool:
    """Keep what can be promised now; False where nothing can."""
    view = promise_view(context, rig_id)
    if view.offered is None:
        return False
    made_s = view.offered.made_s
    body: dict[str, Any] = view.offered.as_body()
    notes.add(context, rig_id, KIND, time_s=made_s, who=who, body=body, now_s=made_s)
    return True


def outcomes(session: Session, context: AppContext, rig_id: int) -> list[Outcome]:
    """What came of the promises of a rig, the latest first."""
    made = [Promise.from_body(note.body) for note in watching.notes(session, rig_id, KIND)][::-1]
    if not made:
        return []
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is None or waiting(context, counted_log) > QUICK_PIECES:
        return [outcome(each, now_s=each.made_s, came=math.nan, resets_s=()) for each in made[:MOST_SHOWN]]
    some = half_hours(session, context, counted_log)
    resets = [event.time_s for event in counted_log.events if event.kind == "reset"]
    return [
        outcome(
            each, now_s=counted_log.end_s, came=_charge_at(some, counted_log, each.morning_s), resets_s=resets
        )
        for each in made[:MOST_SHOWN]
    ]


def broken_sentence(given: Outcome, zone: str) -> str:
    """What was promised and did not come."""
    promised = given.promise
    if given.morning == "broken":
        at = datetime.fromtimestamp(promised.morning_s, ZoneInfo(zone))
        low, high, came = (f"{100 * share:.0f}" for share in (promised.low, promised.high, given.came))
        return f"A promise was broken: {low} to {high} % for {at:%-d %b %H:%M}, it came to {came} %."
    latest = datetime.fromtimestamp(promised.full_high_s, ZoneInfo(zone))
    return f"A promise was broken: not full by {latest:%-d %b %H:%M}."


def _charge_at(some: HalfHours, counted_log: CountedLog, at_s: float) -> float:
    """Charge at an instant, by the half hour that ends there; NaN while it is to come or was not read."""
    if counted_log.end_s < at_s:
        return math.nan
    place = int(np.searchsorted(some.start_s, at_s - SLOT_S - 1.0))
    there = place < len(some) and abs(float(some.start_s[place]) + SLOT_S - at_s) < 2.0 * SLOT_S
    return float(some.end_soc[place]) if there else math.nan
