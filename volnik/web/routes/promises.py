"""Before leaving: what will stand there tomorrow, when it is full again; promised, and looked at later."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.services.watch.promised import promise, promise_view
from volnik.web.forms.posted import guarded
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.views.promises import promise_page
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/promise", route_class=PageRoute)


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """What can be promised now, and what came of promises."""
    visit.catch_up(rig_id)
    shown = promise_page(promise_view(visit.context, rig_id))
    return visit.page("watch/promise.html", head=visit.head(rig_id), stage="watch", part="ahead", shown=shown)


@router.post("", dependencies=[guarded])
@for_the_shop
def make(visit: VisitDep, rig_id: int) -> Response:
    """Promise it."""
    promise(visit.context, rig_id, who=visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/promise", 303)
