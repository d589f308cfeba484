"""The list of alarms and relay set-points of a rig.

Read with what speaks against it, changed one at a time, kept as versions.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.numbers.alarms import RELAYS, Alarm, Alarms, alarm_findings, main_fuse_a, starting_alarms
from volnik.core.values import read_plain
from volnik.services.context import AppContext
from volnik.services.numbers.study import Inputs, inputs, log_sag
from volnik.store import records
from volnik.store.records import AlarmList

__all__ = ["AlarmsView", "alarms_view", "save_alarm", "saved_alarms", "step_back"]


@dataclass(frozen=True, slots=True)
class AlarmsView:
    """The list in force.

    Attributes:
        given: the rig.
        alarms: the saved list, or where to start.
        saved: whether one was saved.
        findings: what speaks against it.
        fuse_a: the main fuse, or None.
        before: what undo would bring back ("" for nothing).
        every: all saved lists, oldest first.
    """

    given: Inputs
    alarms: Alarms
    saved: bool
    findings: list[Finding]
    fuse_a: float | None
    before: str
    every: list[AlarmList]


def saved_alarms(session: Session, rig_id: int) -> Alarms | None:
    """The list saved last, or None."""
    kept = records.alarm_lists(session, rig_id)
    return Alarms.model_validate({"alarms": kept[-1].body}) if kept else None


def alarms_view(context: AppContext, rig_id: int) -> AlarmsView:
    """The list of a rig; raises as `inputs`."""
    given = inputs(context, rig_id)
    with context.db.reading() as session:
        every = records.alarm_lists(session, rig_id)
        kept = saved_alarms(session, rig_id)
        sag = log_sag(session, context, given.rig, given.vehicle.capacity_ah)
    analysis = given.path.analysis("planned")
    start = starting_alarms(analysis, given.vehicle, given.numbers, given.dialect, sag_ohm=sag)
    alarms = start
    if kept is not None:  # what the rig came to need since is offered, switched off
        known = {alarm.key for alarm in kept.alarms}
        alarms = Alarms(
            alarms=(
                *kept.alarms,
                *(alarm.changed(on=False) for alarm in start.alarms if alarm.key not in known),
            )
        )
    found = alarm_findings(alarms, analysis, given.vehicle, given.numbers, given.dialect)
    return AlarmsView(
        given,
        alarms,
        kept is not None,
        found,
        main_fuse_a(analysis),
        every[-1].reason if every else "",
        every,
    )


def save_alarm(context: AppContext, rig_id: int, values: dict[str, Any], *, reason: str) -> None:
    """Change one alarm; the whole list is kept anew.

    Raises:
        InvalidInput: naming each field at fault.
    """
    view = alarms_view(context, rig_id)
    changed = read_plain(Alarm, values)
    alarms = tuple(changed if alarm.key == changed.key else alarm for alarm in view.alarms.alarms)
    _one_relay(changed, alarms)
    old = next((alarm for alarm in view.alarms.alarms if alarm.key == changed.key), None)
    _keep(context, rig_id, Alarms(alarms=alarms), reason, old=old, new=changed)


def _one_relay(changed: Alarm, alarms: tuple[Alarm, ...]) -> None:
    """Refuse a second use of the monitor's relay."""
    relays = [alarm.key for alarm in alarms if alarm.key in RELAYS and alarm.on and alarm.monitor]
    if changed.key in relays and len(relays) > 1:
        raise InvalidInput({"volnik": "The monitor has one relay: switch its other use off first."})


def step_back(context: AppContext, rig_id: int) -> None:
    """Bring back the list before the last change, as a new entry."""
    with context.db.reading() as session:
        every = records.alarm_lists(session, rig_id)
    if len(every) > 1:
        _keep(
            context,
            rig_id,
            Alarms.model_validate({"alarms": every[-2].body}),
            f"back before: {every[-1].reason}"[:200],
        )


def _keep(
    context: AppContext,
    rig_id: int,
    alarms: Alarms,
    reason: str,
    *,
    old: Alarm | None = None,
    new: Alarm | None = None,
) -> None:
    with context.change(rig_id) as work:
        session = work.session
        if new is None:
            work.record("alarms", reason)
        else:
            before = {} if old is None else old.model_dump(mode="json")
            work.record(f"alarms/{new.key}", reason, before=before, after=new.model_dump(mode="json"))
        body = [alarm.model_dump(mode="json") for alarm in alarms.alarms]
        records.add_alarms(session, rig_id, body, saved_s=context.now(), reason=reason)
