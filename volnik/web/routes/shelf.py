"""The Shelf: the shop's own starting figures."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.services.shelf.chemistries import chemistries, edit, restore
from volnik.web.forms.chemistries import SentChemistry, figures_of
from volnik.web.forms.parts import TITLES
from volnik.web.routing import PageRoute, for_installers, for_the_shop
from volnik.web.views.chemistries import chemistry_card
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/shelf", route_class=PageRoute)


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
        cards=[
            chemistry_card(
                chemistry, (typed or {}) if name == key else {}, (problems or {}) if name == key else {}
            )
            for name, chemistry in table.items()
        ],
        titles=TITLES,
        kind="",
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
        edit(visit.context, key, figures_of(sent.read(), CHEMISTRIES[key]))
    except InvalidInput as wrong:
        return _show(visit, key=key, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/shelf?saved={key}#{key}", 303)
