"""Survey: the bank."""

from __future__ import annotations

import math

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.drawings.bank import draw_bank
from volnik.services.shelf.catalogue import catalogue
from volnik.services.survey.bank import save_bank, survey_view
from volnik.services.survey.shelving import keep_battery
from volnik.web.forms.bank import (
    KINDS,
    LIMITS,
    START,
    BankForm,
    SentBank,
    fields_of,
    follow_chemistry,
    follow_product,
)
from volnik.web.forms.posted import read_form
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.survey import bank_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/survey", route_class=PageRoute)


def _show(
    visit: Visit,
    rig_id: int,
    template: str,
    *,
    bank: Bank | None = None,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: bool = False,
    shelved: str = "",
) -> Response:
    context = visit.context
    view = survey_view(context, rig_id, bank)
    ghost = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0))
    drawing = draw_bank(ghost, math.nan) if view.bank is None else None
    if view.bank is not None and view.chemistry is not None:
        drawing = draw_bank(view.bank, view.bank.block_reading(view.chemistry).capacity_ah)
    form = {**START, **(typed or fields_of(view.bank, visit.system))}
    return visit.page(
        template,
        status=422 if problems and template == "survey/survey.html" else 200,
        head=visit.head(rig_id),
        view=view,
        drawing=drawing,
        form=form,
        shown=bank_page(view, form, problems or {}),
        problems=problems or {},
        kinds=KINDS,
        limits=LIMITS,
        limits_open=any(form[name] or name in (problems or {}) for name, _, _ in LIMITS),
        blocks=catalogue(context).blocks,
        stage="survey",
        saved=saved,
        shelved=shelved,
        changed=bank is not None and bank != view.rig.bank,
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, saved: int = 0) -> Response:
    """The bank of a rig."""
    return _show(visit, rig_id, "survey/survey.html", saved=bool(saved))


@router.post("/draft")
@for_the_shop
def draft(visit: VisitDep, rig_id: int, sent: SentBank) -> Response:
    """The board with what is typed now; nothing is kept."""
    typed = follow_chemistry(sent.typed, sent.pressed("chemistry_was"))
    if sent.pressed("product") != sent.pressed("product_was"):
        typed = follow_product(typed, catalogue(visit.context).blocks)
    try:
        bank = read_form(BankForm, typed, visit.system).read().bank()
    except InvalidInput as wrong:
        # What is merely not typed yet is no fault while drafting; keeping the bank will ask for it.
        problems = {name: sentence for name, sentence in wrong.problems.items() if typed.get(name)}
        return _show(visit, rig_id, "survey/_board.html", typed=typed, problems=problems)
    return _show(visit, rig_id, "survey/_board.html", bank=bank, typed=typed)


@router.post("")
@for_installers
def save(visit: VisitDep, rig_id: int, sent: SentBank) -> Response:
    """Keep the bank."""
    try:
        bank = sent.read().bank()
    except InvalidInput as wrong:
        return _show(visit, rig_id, "survey/survey.html", typed=sent.typed, problems=wrong.problems)
    save_bank(visit.context, rig_id, bank)
    return RedirectResponse(f"/rigs/{rig_id}/survey?saved=1", 303)


@router.post("/shelf")
@for_installers
def shelve(visit: VisitDep, rig_id: int, sent: SentBank) -> Response:
    """Keep the battery on the Shelf as it is typed; the rig keeps what it has."""
    try:
        bank = sent.read().bank()
        shelved = keep_battery(visit.context, bank)
    except InvalidInput as wrong:
        return _show(visit, rig_id, "survey/survey.html", typed=sent.typed, problems=wrong.problems)
    return _show(visit, rig_id, "survey/survey.html", bank=bank, typed=sent.typed, shelved=shelved)
