"""An alarm tried end to end: sent by every way it would go, marked as a test, and put on record."""

from __future__ import annotations

import logging
from collections.abc import Sequence

from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import KINDS
from volnik.core.watch.alarm_engine import Incident
from volnik.services.context import AppContext
from volnik.services.watch import notes
from volnik.services.watch.incidents import alarms_of
from volnik.services.watch.watchman import RaisedAlarm, Way
from volnik.store import rigs as store
from volnik.store.watching import KeptIncident

log = logging.getLogger("volnik")


def try_alarm(context: AppContext, ways: Sequence[Way], rig_id: int, key: str, who: str) -> None:
    """Send a test of an alarm by every way, and keep which took it.

    Raises:
        InvalidInput: for an alarm the rig has none of.
    """
    alarm = alarms_of(context, rig_id)[0].one(key)
    if alarm is None:
        raise InvalidInput({"key": "There is no such alarm."})
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
    now_s = context.now()
    incident = Incident(key, now_s, now_s, alarm.level, now_s)
    kept = KeptIncident(0, rig_id, incident, None, "", [])
    sentence = f"Test of “{KINDS[key].name}”, started by {who or 'the shop'}: nothing is wrong"
    results = []
    for name, way in ways:
        trouble = ""
        try:
            way(RaisedAlarm(rig_id, rig.name, rig.zone, kept, sentence))
        except OSError as wrong:
            trouble = str(wrong)[:200] or type(wrong).__name__
            log.warning("%s: a test could not be sent by %s: %s", rig.name, name, trouble)
        results.append([name, trouble])
    notes.add(context, rig_id, "alarm_tried", time_s=now_s, who=who, body={"key": key, "results": results})
