"""What leaves the house without being asked for by a page: dates of all rigs, figures of all rigs."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.watch.reminders import Due
from volnik.services.context import AppContext
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.watch.incidents import dates_due
from volnik.services.watch.view import width_now
from volnik.store import rigs as store
from volnik.store import watching


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


def figures(context: AppContext) -> list[tuple[int, str, dict[str, float]]]:
    """Every rig's number, name and figures as counted up to its last settled reading; NaN where not known."""
    with context.db.reading() as session:
        found = []
        for rig in store.all_rigs(session):
            counted_log = open_counted_log(session, context, rig.id)
            if counted_log is None:
                continue
            now = moment(session, context, counted_log)
            width = width_now(session, context, counted_log, now.read_s)
            opened = watching.incidents(session, rig.id, open_only=True)
            found.append(
                (
                    rig.id,
                    rig.name,
                    {
                        "soc": now.soc,
                        "low": math.nan if width is None else width.low,
                        "high": math.nan if width is None else width.high,
                        "deficit_ah": now.state.deficit_ah,
                        "volts": now.values["volts"],
                        "amps": now.values["amps"],
                        "celsius": now.values.get("celsius", math.nan),
                        "last_full_s": now.last_full_s,
                        "at_s": now.read_s,
                        "alarms": float(len(opened)),
                        "out_ah": now.state.out_ah,
                        "in_ah": now.state.in_ah,
                        "resets": float(sum(event.kind == "reset" for event in counted_log.events)),
                    },
                )
            )
    return found
