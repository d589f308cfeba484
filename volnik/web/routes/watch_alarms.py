"""Watch, alarms: what the live ones said, acknowledged; how often each would have spoken over the log.

What is due by the calendar.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.numbers.alarms import KINDS
from volnik.core.watch.alarm_engine import describe
from volnik.drawings.dryrun import draw_dry
from volnik.services.watch import notes
from volnik.services.watch.incidents import acknowledge, alarms_watched
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import text
from volnik.web.page import page
from volnik.web.routes.who import who
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/watch/alarms")


@router.get("")
def show(request: Request, rig_id: int) -> Response:
    """The alarms of a rig, as they spoke and as they would have."""
    context = state_of(request).context
    live = state_of(request).live.now(rig_id)
    if live is not None:
        state_of(request).ingest.catch_up(rig_id)
    head = rig_head(context, rig_id)
    view = alarms_watched(context, rig_id)
    drawing = (
        draw_dry(view.dry, start_s=view.since_s, end_s=view.until_s, zone=head.rig.zone) if view.dry else None
    )
    return page(
        request,
        "watch/alarms.html",
        head=head,
        stage="watch",
        part="alarms",
        view=view,
        drawing=drawing,
        kinds=KINDS,
        describe=describe,
        live=live,
        mail=state_of(request).mail_told,
        rig_now=state_of(request).live.rig_now(rig_id),
    )


@router.post("/{incident_id}/seen")
def seen(request: Request, rig_id: int, incident_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Acknowledge an incident."""
    acknowledge(state_of(request).context, rig_id, incident_id, who=who(request))
    return RedirectResponse(f"/rigs/{rig_id}/watch/alarms", 303)


@router.post("/done")
def done(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Put on record that joints were torqued, or the bank equalised."""
    kind = {"torque": "torqued", "equalise": "equalised"}.get(text(form, "key"))
    if kind is None:
        raise HTTPException(422, "That cannot be put on record here.")
    notes.add(
        state_of(request).context,
        rig_id,
        kind,
        time_s=state_of(request).context.now(),
        who=who(request),
        body={},
    )
    return RedirectResponse(f"/rigs/{rig_id}/watch/alarms", 303)
