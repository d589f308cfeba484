"""What a monitor is to be set to after it lost its supply: the last charge less what was drawn meanwhile."""

from __future__ import annotations

import math

from sqlalchemy.orm import Session

from volnik.core.findings import Finding
from volnik.core.prove.checks import known_idle
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, Moment
from volnik.services.path.read import NoBank, read_path


def after_outage(
    session: Session, context: AppContext, now: Moment, counted_log: CountedLog
) -> list[Finding]:
    """A count that rests on a loss of supply: what it stood at, and what it is about now (count.C06)."""
    opened = now.opened
    if opened is None or opened.kind != "supply_lost" or math.isnan(opened.before.deficit_ah):
        return []
    dark_h = sum(
        (event.end_s - event.time_s) / 3600.0
        for event in counted_log.events
        if event.kind == "gap" and event.time_s <= opened.time_s <= event.end_s
    )
    idle_ah = dark_h * _idle_a(session, context, counted_log.rig_id)
    before, about = (100.0 * now.numbers.charge(opened.before.deficit_ah + drawn) for drawn in (0.0, idle_ah))
    less = f", less {idle_ah:.1f} Ah of idle draw in {dark_h:.0f} h" if idle_ah >= 0.1 else ""
    return [
        Finding(
            "count.C06",
            "advise",
            f"The monitor lost its supply; before that it stood at {before:.0f} %.",
            f"By the record about {about:.0f} % is in it{less}, with all the doubt it had then.",
            f"Set the monitor to {about:.0f} %, and charge until full soon: only that makes it sure again.",
            "watch",
        )
    ]


def _idle_a(session: Session, context: AppContext, rig_id: int) -> float:
    """What a rig draws with everything off, by its drawing [A]; 0 where nobody knows."""
    try:
        path = read_path(session, context, rig_id)
    except NoBank:
        return 0.0
    return sum(amps for _, amps in known_idle(path.analysis("found")))
