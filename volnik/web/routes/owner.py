"""The owner's own page: how full, what to do now, the sheet, readings before calling."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.papers.tongue import tongue
from volnik.services.handover.owner import answer_call, keep_call, owner_view
from volnik.web.forms.handover import SentAnswered, SentCall
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.security import paired_of
from volnik.web.views.owner import owner_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/owner", route_class=PageRoute)


def _show(visit: Visit, rig_id: int, **more: Any) -> Response:
    paired = paired_of(visit.request)
    view = owner_view(visit.context, rig_id, shop=visit.state.shop)
    return visit.page(
        "handover/owner.html",
        status=422 if more.get("problems") else 200,
        head=visit.head(rig_id),
        stage="handover",
        view=view,
        shown=owner_page(view),
        say=tongue(view.rig.language),
        owner_only=paired is not None and paired.role == "owner",
        **{"problems": {}, "typed": {}, **more},
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """A rig as its owner sees it."""
    visit.catch_up(rig_id)
    return _show(visit, rig_id)


@router.post("/calls")
@for_everyone
def put_call(visit: VisitDep, rig_id: int, sent: SentCall) -> Response:
    """Keep what an owner reads out, and answer it."""
    try:
        form = sent.read()
        keep_call(
            visit.context, rig_id, form.figures, form.words, who=visit.who or "owner", shop=visit.state.shop
        )
    except InvalidInput as wrong:
        return _show(visit, rig_id, problems=wrong.problems, typed=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/owner#calls", 303)


@router.post("/answered")
@for_the_shop
def answered(visit: VisitDep, rig_id: int, sent: SentAnswered) -> Response:
    """Put on record that the shop answered."""
    of = sent.read().of
    if of.isdecimal():
        answer_call(visit.context, rig_id, int(of), who=visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/owner#calls", 303)
