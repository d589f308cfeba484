"""A visit to a rig: what it wants, what was done, and its report."""

from __future__ import annotations

import math
from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.papers.paper import Size
from volnik.core.papers.tongue import tongue
from volnik.core.papers.visit import message_before, visit_report
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.jobs.board import Job
from volnik.services.visits.visit import clear_temporary, keep_visit, report, visits_view, withdraw_visit
from volnik.web.forms.visits import SentCleared, SentVisitDep
from volnik.web.forms.yard import SentBack
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.views.visits import report_page, visit_facts, visit_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}", route_class=PageRoute)


def _show(
    visit: Visit, rig_id: int, *, typed: dict[str, str] | None = None, problems: dict[str, str] | None = None
) -> Response:
    head = visit.head(rig_id)
    at_s = head.rig.summary.at_s
    now_s = visit.context.now() if math.isnan(at_s) else max(visit.context.now(), at_s)
    view = visits_view(visit.context, rig_id)
    problems = problems or {}
    return visit.page(
        "visits/visit.html",
        status=422 if problems else 200,
        head=head,
        stage="watch",
        view=view,
        shown=visit_page(view, head, typed or {}, problems, now_s=now_s),
        typed=typed or {},
        problems=problems,
        message=message_before(
            head.rig.name,
            shop=visit.state.shop,
            lithium=head.rig.bank is not None and not CHEMISTRIES[head.rig.bank.chemistry].is_lead,
            say=tongue(head.rig.language),
        ),
        **visit.who_given(),
    )


@router.get("/visit")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """What a visit wants, and what can be put on record of it."""
    visit.catch_up(rig_id)
    return _show(visit, rig_id)


@router.post("/visit")
@for_installers
def keep(visit: VisitDep, rig_id: int, sent: SentVisitDep) -> Response:
    """Keep a visit."""
    zone = visit.head(rig_id).rig.zone
    context, who = visit.context, visit.who
    try:
        occasion, done = sent.read(zone, who=who)
        made = keep_visit(context, rig_id, occasion, done)
    except InvalidInput as wrong:
        return _show(visit, rig_id, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/visits/{made}", 303)


@router.post("/visit/cleared")
@for_installers
def cleared(visit: VisitDep, rig_id: int, sent: SentCleared) -> Response:
    """Put on record that what was left for now was put right."""
    of = sent.read().of
    if of.isdecimal():
        clear_temporary(visit.context, rig_id, int(of), who=visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/visit", 303)


@router.get("/visits/{visit_id}.pdf")
@for_everyone
def report_file(visit: VisitDep, rig_id: int, visit_id: int, size: Size = "a4") -> Response:
    """A visit's report as a paper."""
    found = report(visit.context, rig_id, visit_id)
    shown = report_page(found)
    paper = visit_report(visit_facts(shown, found.rig.name, visit.state.shop))
    foot = f"Visit {visit_id} of {found.rig.name}."
    body = visit.state.ports.typeset(paper, size, foot, found.visit.saved_s, visit.state.shop)
    return Response(body, media_type="application/pdf")


@router.get("/visits/{visit_id}")
@for_everyone
def show_report(visit: VisitDep, rig_id: int, visit_id: int) -> Response:
    """A visit's report."""
    return visit.page(
        "visits/report.html",
        head=visit.head(rig_id),
        stage="watch",
        shown=report_page(report(visit.context, rig_id, visit_id)),
    )


@router.post("/visits/{visit_id}")
@for_installers
def take_back(visit: VisitDep, rig_id: int, visit_id: int, sent: SentBack) -> Response:
    """Take a visit back with all it ended, or bring it back."""
    back, context = sent.read().back == "1", visit.context

    def work(_job: Job) -> dict[str, Any]:
        withdraw_visit(context, rig_id, visit_id, back=back)
        return {"url": f"/rigs/{rig_id}/visits/{visit_id}"}

    return after_job(visit, "Counting the log anew", work, f"/rigs/{rig_id}/visits/{visit_id}")
