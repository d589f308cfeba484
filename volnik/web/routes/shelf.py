"""The Shelf: the shop's own starting figures."""

from __future__ import annotations

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.settings import SettingsError
from volnik.core.shelf.chemistries import CHEMISTRIES, EDITABLE
from volnik.services.shelf.chemistries import chemistries, edit, restore
from volnik.web.forms.fields import decimal, text
from volnik.web.forms.parts import TITLES
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/shelf")

FIGURES = {
    "absorption_low_v": ("absorption, from", "V a cell"),
    "absorption_high_v": ("absorption, to", "V a cell"),
    "float_low_v": ("float, from", "V a cell"),
    "float_high_v": ("float, to", "V a cell"),
    "harm_v": ("never above", "V a cell"),
    "charged_v": ("charged voltage", "V a cell"),
    "early_v": ("too early below", "V a cell"),
    "tail_pct": ("tail current", "% of C"),
    "hold_s": ("hold time", "s"),
    "peukert": ("Peukert exponent", ""),
    "peukert_low": ("exponent, from", ""),
    "peukert_high": ("exponent, to", ""),
    "efficiency": ("coulombic efficiency", "0 to 1"),
    "efficiency_low": ("efficiency, from", "0 to 1"),
    "efficiency_high": ("efficiency, to", "0 to 1"),
    "reserve_pct": ("reserve", "%"),
}


def _show(
    request: Request,
    *,
    key: str = "",
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: str = "",
) -> Response:
    return page(
        request,
        "shelf/shelf.html",
        status=422 if problems else 200,
        table=chemistries(state_of(request).context),
        starting=CHEMISTRIES,
        titles=TITLES,
        kind="",
        figures=FIGURES,
        key_typed=key,
        typed=typed or {},
        problems=problems or {},
        saved=saved,
    )


@router.get("")
def show(request: Request, saved: str = "") -> Response:
    """The chemistries."""
    return _show(request, saved=saved if saved in CHEMISTRIES else "")


@router.post("/chemistries/{key}")
def change(request: Request, key: str, form: FormData = Depends(guarded_form)) -> Response:
    """Keep the shop's figures for one chemistry, or go back to the starting ones."""
    if key not in CHEMISTRIES:
        raise HTTPException(404, "There is no such chemistry.")
    context = state_of(request).context
    if text(form, "what") == "restore":
        restore(context, key)
        return RedirectResponse(f"/shelf?saved={key}#{key}", 303)
    problems: dict[str, str] = {}
    values = {name: decimal(form, name, problems, needed=True) for name in EDITABLE}
    try:
        if problems:
            raise SettingsError(problems)
        edit(context, key, {name: value for name, value in values.items() if value is not None})
    except SettingsError as wrong:
        return _show(
            request, key=key, typed={name: text(form, name) for name in EDITABLE}, problems=wrong.problems
        )
    return RedirectResponse(f"/shelf?saved={key}#{key}", 303)
