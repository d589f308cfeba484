"""The quick job: one page that plans while it is typed, and its printed card."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.instants import known_zone
from volnik.core.rig.rig import SILHOUETTES
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.drawings.path import draw_board
from volnik.services.numbers.versions import numbers_view
from volnik.services.path.board import board_view, parts_view
from volnik.services.path.read import NoBank
from volnik.services.quick.job import Named, keep_it, try_it
from volnik.services.shelf.catalogue import catalogue
from volnik.services.wireup.job import job_view
from volnik.web.forms.posted import read_form
from volnik.web.forms.quick import START, QuickForm, SentQuick
from volnik.web.routes.boards import no_bank
from volnik.web.routes.wireup import pins_for
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.quick import card_page, draft_problems, quick_page
from volnik.web.views.wireup import wireup_view
from volnik.web.visit import Visit, VisitDep

router = APIRouter(route_class=PageRoute)


@router.get("/quick")
@for_installers
def show(visit: VisitDep) -> Response:
    """The page, empty."""
    return _show(visit, dict(START), "quick/quick.html")


@router.post("/quick/draft")
@for_the_shop
def draft(visit: VisitDep, sent: SentQuick) -> Response:
    """What comes of what is typed now; nothing is kept."""
    return _show(visit, {**START, **sent.typed}, "quick/_plan.html")


@router.post("/quick")
@for_installers
def keep(visit: VisitDep, sent: SentQuick) -> Response:
    """Keep it as a rig, and show its card."""
    form = sent.read()
    named = form.named() if form.name else _by_date(visit, form)
    try:
        rig_id = keep_it(visit.context, form.asked(awg=visit.system == "us"), named)
    except InvalidInput as wrong:
        return _show(visit, {**START, **sent.typed}, "quick/quick.html", problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/card", 303)


def _by_date(visit: Visit, form: QuickForm) -> Named:
    """A rig nobody named is called by its day."""
    named = form.named()
    if not known_zone(named.zone):
        raise InvalidInput({"zone": "There is no such time zone."})
    today = datetime.fromtimestamp(visit.context.now(), ZoneInfo(named.zone))
    return replace(named, name=f"{SILHOUETTES.get(named.silhouette, 'Rig')}, {today:%-d %b %H:%M}")


def _show(
    visit: Visit, typed: dict[str, str], template: str, *, problems: dict[str, str] | None = None
) -> Response:
    form = read_form(QuickForm, typed).read()
    tried = try_it(visit.context, form.asked(awg=visit.system == "us"), form.silhouette)
    planned = tried.plan.planned
    return visit.page(
        template,
        status=422 if problems else 200,
        form=typed,
        shown=quick_page(tried),
        board=None if planned is None else draw_board(planned),
        problems=problems or draft_problems(tried, typed),
        chemistries=CHEMISTRIES,
        dialects=catalogue(visit.context).dialects,
    )


@router.get("/rigs/{rig_id}/card")
@for_everyone
def card(visit: VisitDep, rig_id: int) -> Response:
    """The job on two sides of paper: drawing, what to take, numbers, the work."""
    head = visit.head(rig_id)
    try:
        view = board_view(visit.context, rig_id, "planned")
        job = job_view(visit.context, rig_id)
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "path")
    return visit.page(
        "quick/card.html",
        head=head,
        stage="path",
        board=draw_board(view.analysis),
        shown=card_page(view, parts_view(visit.context, rig_id), numbers_view(visit.context, rig_id)),
        work=wireup_view(job, head.rig),
        **pins_for(visit, rig_id, job),
    )
