"""The Shelf: the shop's own starting figures."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.drawings.rest import draw_rest
from volnik.services.shelf.chemistries import chemistries, edit, restore
from volnik.web.forms.parts import TITLES, SentChemistry
from volnik.web.routing import PageRoute, for_installers, for_the_shop
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/shelf", route_class=PageRoute)

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
    visit: Visit,
    *,
    key: str = "",
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: str = "",
) -> Response:
    table = chemistries(visit.context)
    return visit.page(
        "shelf/shelf.html",
        status=422 if problems else 200,
        table=table,
        curves={name: draw_rest(chemistry) for name, chemistry in table.items()},
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
@for_the_shop
def show(visit: VisitDep, saved: str = "") -> Response:
    """The chemistries."""
    return _show(visit, saved=saved if saved in CHEMISTRIES else "")


@router.post("/chemistries/{key}")
@for_installers
def change(visit: VisitDep, key: str, sent: SentChemistry) -> Response:
    """Keep the shop's figures for one chemistry, or go back to the starting ones."""
    if key not in CHEMISTRIES:
        raise HTTPException(404, "There is no such chemistry.")
    if sent.pressed() == "restore":
        restore(visit.context, key)
        return RedirectResponse(f"/shelf?saved={key}#{key}", 303)
    try:
        edit(visit.context, key, sent.read().model_dump())
    except InvalidInput as wrong:
        return _show(visit, key=key, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/shelf?saved={key}#{key}", 303)
