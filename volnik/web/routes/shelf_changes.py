"""The record of changes: read, and given out."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from volnik.services.shop.record import MOST_GIVEN, record_view
from volnik.web.forms.parts import TITLES
from volnik.web.routing import PageRoute, for_installers
from volnik.web.views.changes import change_lines
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/shelf/changes", route_class=PageRoute)


@router.get("")
@for_installers
def show(visit: VisitDep, rig: int | None = None, before: int | None = None) -> Response:
    """Who changed what when, newest first."""
    view = record_view(visit.context, rig_id=rig, before=before)
    return visit.page(
        "shelf/changes.html", titles=TITLES, kind="changes", view=view, lines=change_lines(view)
    )


@router.get(".csv")
@for_installers
def give_out(visit: VisitDep, rig: int | None = None) -> Response:
    """The whole record, or that of a rig, as CSV."""
    lines = change_lines(record_view(visit.context, rig_id=rig, most=MOST_GIVEN))
    rows = [[one.when, one.who, one.rig, one.subject, one.what, "; ".join(one.fields)] for one in lines]
    return Response(
        visit.state.ports.table_csv(["when (UTC)", "who", "rig", "of", "what", "fields"], rows),
        media_type="text/csv; charset=utf-8",
        headers={"content-disposition": 'attachment; filename="volnik-changes.csv"'},
    )
