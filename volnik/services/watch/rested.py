"""Volts read at rest, taken as evidence of the charge on the spot."""

from __future__ import annotations

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.count.evidence import at_rest
from volnik.core.errors import InvalidInput
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.shelf.chemistries import table_of
from volnik.services.watch import notes
from volnik.store import rigs as store

STILL_SHARE = 0.005  # of capacity: a battery that carries more than this is not at rest; source: estimate
LOOKED_BACK_S = 30 * 3600.0  # lead wants 24 h of rest after charging


def still_hours(
    session: Session, context: AppContext, counted_log: CountedLog, at_s: float
) -> tuple[float, bool] | None:
    """Hours since a rig last carried current, and whether that charged; None where the log does not say.

    Args:
        at_s: the instant looked back from [s].
    """
    for segment in reversed(counted_log.segments):
        if segment.start_s > at_s or segment.end_s < at_s - LOOKED_BACK_S:
            continue
        readings = counted_log.readings(session, context, segment)
        capacity_ah = float(counted_log.on.capacities(np.array([at_s]))[0])
        moving = (np.abs(readings.amps) > STILL_SHARE * capacity_ah) & (readings.time_s <= at_s)
        if moving.any():
            last = int(np.flatnonzero(moving)[-1])
            return (at_s - float(readings.time_s[last])) / 3600.0, bool(readings.amps[last] > 0.0)
    return None


def keep_rest(
    context: AppContext,
    rig_id: int,
    *,
    time_s: float,
    volts: float,
    hours: float,
    after_charge: bool,
    who: str,
) -> int:
    """Keep volts read at rest; returns the note's number.

    Raises:
        InvalidInput: where the battery has not rested long enough, as typed or by the log.
    """
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        logged = None if counted_log is None else still_hours(session, context, counted_log, time_s)
        table = table_of(session)
    if rig.bank is None:
        raise InvalidInput({"volts": "Describe the battery first."})
    if logged is not None and logged[0] < hours:
        hours, after_charge = logged
    word = at_rest(
        time_s,
        volts=volts,
        cells=rig.bank.cells,
        chemistry=table[rig.bank.chemistry],
        hours=hours,
        after_charge=after_charge,
    )
    body = {
        "volts": volts,
        "hours": round(hours, 2),
        "after_charge": after_charge,
        "low": word.low,
        "high": word.high,
        "note": f"{volts:g} V after {hours:.1f} h: {100 * word.low:.0f} to {100 * word.high:.0f} %",
    }
    now_s = rig.summary.at_s
    return notes.add(context, rig_id, "rest", time_s=time_s, who=who, body=body, now_s=now_s)
