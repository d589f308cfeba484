"""What leaves the house without being asked for by a page: dates of all rigs, figures of all rigs."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.rig.rig import Rig
from volnik.core.watch.reminders import Due
from volnik.services.context import AppContext
from volnik.services.live.now import LiveNow
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.log.raw import last_reading
from volnik.services.watch.incidents import dates_due
from volnik.services.watch.view import width_now
from volnik.store import rigs as store
from volnik.store import watching

RESTS_ON_COUNT = ("soc", "low", "high", "deficit_ah")


@dataclass(frozen=True, slots=True)
class RigDue:
    """What is due on one rig."""

    rig_id: int
    name: str
    due: list[Due]


def all_due(context: AppContext) -> list[RigDue]:
    """What is due, rig by rig; archived ones left out."""
    with context.db.reading() as session:
        rigs = [(rig.id, rig.name) for rig in store.all_rigs(session) if rig.bank is not None]
    return [RigDue(rig_id, name, dates_due(context, rig_id)) for rig_id, name in rigs]


def figures(
    context: AppContext, latest: Callable[[int], LiveNow | None] = lambda _rig_id: None
) -> list[tuple[int, str, dict[str, float]]]:
    """Every rig's number, name and figures; NaN where not known.

    Args:
        latest: what a rig says now, settled or not: its reading stands before the last settled one.
    """
    with context.db.reading() as session:
        found = []
        for rig in store.all_rigs(session):
            told = {**_counted(session, context, rig.id), **_settled(session, rig.id)}
            now = latest(rig.id)
            if now is not None and not now.time_s <= told.get("at_s", math.nan):
                told |= _live(now)
            if "soc" in told:
                told |= _as_believed(rig, told)
            if told:
                opened = watching.incidents(session, rig.id, open_only=True)
                found.append((rig.id, rig.name, {**told, "alarms": float(len(opened))}))
    return found


def _as_believed(rig: Rig, told: dict[str, float]) -> dict[str, float]:
    """Whether the charge may be believed, 1 or 0; where not, what rests on it is left out."""
    if rig.summary.believed != "not":
        return {"believed": 1.0}
    return {"believed": 0.0} | {key: math.nan for key in RESTS_ON_COUNT if key in told}


def _settled(session: Session, rig_id: int) -> dict[str, float]:
    """The last settled reading; it is there for a rig that is not described yet too."""
    last = last_reading(session, rig_id)
    if last is None:
        return {}
    celsius = last.extra.get("celsius", math.nan)
    return {"volts": last.volts, "amps": last.amps, "celsius": celsius, "at_s": last.time_s}


def _live(now: LiveNow) -> dict[str, float]:
    """What a rig says now; charge and Ah below full where the count has come so far."""
    told = {"at_s": now.time_s} | {
        name: now.values[name] for name in ("volts", "amps", "celsius") if name in now.values
    }
    counted = {"soc": now.soc, "deficit_ah": now.deficit_ah}
    return told | {name: value for name, value in counted.items() if not math.isnan(value)}


def _counted(session: Session, context: AppContext, rig_id: int) -> dict[str, float]:
    """What is counted up to the last settled reading; nothing of a rig that cannot be counted."""
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is None:
        return {}
    now = moment(session, context, counted_log)
    width = width_now(session, context, counted_log, math.inf)
    return {
        "soc": now.soc,
        "low": math.nan if width is None else width.low,
        "high": math.nan if width is None else width.high,
        "deficit_ah": now.state.deficit_ah,
        "last_full_s": now.last_full_s,
        "out_ah": now.state.out_ah,
        "in_ah": now.state.in_ah,
        "resets": float(sum(event.kind == "reset" for event in counted_log.events)),
    }
