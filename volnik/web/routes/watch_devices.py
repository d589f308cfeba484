"""Watch, other devices: what counters, cells, chargers and switches told beside the shunt."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from volnik.services.watch.own_columns import standing
from volnik.web.routing import PageRoute, for_everyone
from volnik.web.views.watch_devices import devices_page
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)


@router.get("/devices")
@for_everyone
def show_devices(visit: VisitDep, rig_id: int) -> Response:
    """What the columns of a rig's own tell."""
    visit.catch_up(rig_id)
    head = visit.head(rig_id)
    _, told = standing(visit.context, rig_id)
    return visit.page(
        "watch/devices.html",
        head=head,
        stage="watch",
        part="devices",
        shown=None if told is None else devices_page(told, head.rig.zone, visit.system),
    )
