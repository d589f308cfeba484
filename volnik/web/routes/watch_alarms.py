"""Watch, alarms: what the live ones said, acknowledged; how often each would have spoken over the log.

What is due by the calendar.
"""

from __future__ import annotations

from functools import partial

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.numbers.alarms import KINDS
from volnik.core.watch.alarm_engine import describe
from volnik.core.watch.reminders import never_equalised
from volnik.drawings.dryrun import draw_dry
from volnik.drawings.scale import two_sizes
from volnik.services.numbers.alarms import save_alarm
from volnik.services.watch import notes
from volnik.services.watch.incidents import acknowledge, alarms_watched
from volnik.web.forms.posted import guarded
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.watch_alarms import came_near, proposals, tried_words
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch/alarms", route_class=PageRoute)


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """The alarms of a rig, as they spoke and as they would have."""
    context = visit.context
    live = visit.state.live.now(rig_id)
    if live is not None:
        visit.state.ingest.catch_up(rig_id)
    head = visit.head(rig_id)
    view = alarms_watched(context, rig_id)
    dry = partial(draw_dry, view.dry, start_s=view.since_s, end_s=view.until_s, zone=head.rig.zone)
    drawing = two_sizes(lambda width: dry(width=width)) if view.dry else None
    return visit.page(
        "watch/alarms.html",
        head=head,
        stage="watch",
        part="alarms",
        view=view,
        drawing=drawing,
        proposals=proposals(view),
        came=came_near(view),
        tried=tried_words(notes.notes_of(context, rig_id, "alarm_tried"), head.rig.zone),
        kinds=KINDS,
        describe=describe,
        live=live,
        mail=visit.state.mail_told,
        never=never_equalised("" if head.rig.bank is None else head.rig.bank.chemistry),
        rig_now=visit.state.live.rig_now(rig_id),
    )


@router.post("/{key}/better", dependencies=[guarded])
@for_installers
def take_better(visit: VisitDep, rig_id: int, key: str) -> Response:
    """Take the level and delay that would have spoken rightly over the log."""
    better = alarms_watched(visit.context, rig_id).better.get(key)
    if better is not None:
        values = better.alarm.model_dump(mode="json")
        save_alarm(visit.context, rig_id, values, reason=f"{KINDS[key].name.lower()} by its log")
    return RedirectResponse(f"/rigs/{rig_id}/watch/alarms", 303)


@router.post("/{key}/try", dependencies=[guarded])
@for_installers
def try_one(visit: VisitDep, rig_id: int, key: str) -> Response:
    """Send an alarm by every way it would go, marked as a test, and keep what came of it."""
    if key not in KINDS:
        raise HTTPException(404, "There is no such alarm.")
    visit.state.ports.try_alarm(rig_id, key, visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/watch/alarms#tried", 303)


@router.post("/{incident_id}/seen", dependencies=[guarded])
@for_the_shop
def seen(visit: VisitDep, rig_id: int, incident_id: int) -> Response:
    """Acknowledge an incident."""
    acknowledge(visit.context, rig_id, incident_id, who=visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/watch/alarms", 303)
