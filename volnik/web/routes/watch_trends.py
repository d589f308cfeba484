"""Watch, over the months: capacity, resistance, joints and more, with what they were when all was well."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import Response

from volnik.jobs.board import Job
from volnik.services.watch.trends import ready, trends_view
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_everyone
from volnik.web.views.watch_trends import trends_page
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)


@router.get("/trends")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """What of a rig changes over months."""
    context = visit.context
    visit.catch_up(rig_id)
    head = visit.head(rig_id)
    if not ready(context, rig_id):

        def work(job: Job) -> dict[str, Any]:
            trends_view(context, rig_id, on_progress=job.on_progress)
            return {"url": f"/rigs/{rig_id}/watch/trends"}

        return after_job(visit, "Looking through the months", work, f"/rigs/{rig_id}/watch")
    view = trends_view(context, rig_id)
    return visit.page(
        "watch/trends.html",
        head=head,
        stage="watch",
        part="trends",
        view=view,
        shown=trends_page(view, head.rig.zone),
    )
