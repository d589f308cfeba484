"""Survey: the bank."""

from __future__ import annotations

import math

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.rig.bank import Bank, BankRefused
from volnik.core.rig.capacity import CapacityLabel
from volnik.drawings.bank import draw_bank
from volnik.services.shelf.catalogue import catalogue
from volnik.services.survey.bank import save_bank, survey_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.bank import KINDS, fields_of, follow_chemistry, follow_product, read_bank
from volnik.web.forms.fields import text
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/survey")


def _show(
    request: Request,
    rig_id: int,
    template: str,
    *,
    bank: Bank | None = None,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: bool = False,
) -> Response:
    context = state_of(request).context
    view = survey_view(context, rig_id, bank)
    ghost = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0))
    drawing = draw_bank(ghost, math.nan) if view.bank is None else None
    if view.bank is not None and view.chemistry is not None:
        drawing = draw_bank(view.bank, view.bank.block_reading(view.chemistry).capacity_ah)
    return page(
        request,
        template,
        status=422 if problems and template == "survey/survey.html" else 200,
        head=rig_head(context, rig_id),
        view=view,
        drawing=drawing,
        form=typed or fields_of(view.bank),
        problems=problems or {},
        kinds=KINDS,
        blocks=catalogue(context).blocks,
        stage="survey",
        saved=saved,
        changed=bank is not None and bank != view.rig.bank,
    )


@router.get("")
def show(request: Request, rig_id: int, saved: int = 0) -> Response:
    """The bank of a rig."""
    return _show(request, rig_id, "survey/survey.html", saved=bool(saved))


@router.post("/draft")
def draft(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """The board with what is typed now; nothing is kept."""
    typed = follow_chemistry(
        {name: text(form, name) for name in fields_of(None)}, text(form, "chemistry_was")
    )
    if typed["product"] != text(form, "product_was"):
        typed = follow_product(typed, catalogue(state_of(request).context).blocks)
    try:
        bank = read_bank(typed)
    except BankRefused as wrong:
        # What is merely not typed yet is no fault while drafting; keeping the bank will ask for it.
        problems = {name: sentence for name, sentence in wrong.problems.items() if typed[name]}
        return _show(request, rig_id, "survey/_board.html", typed=typed, problems=problems)
    return _show(request, rig_id, "survey/_board.html", bank=bank, typed=typed)


@router.post("")
def save(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep the bank."""
    typed = {name: text(form, name) for name in fields_of(None)}
    try:
        bank = read_bank(form)
    except BankRefused as wrong:
        return _show(request, rig_id, "survey/survey.html", typed=typed, problems=wrong.problems)
    save_bank(state_of(request).context, rig_id, bank)
    return RedirectResponse(f"/rigs/{rig_id}/survey?saved=1", 303)
