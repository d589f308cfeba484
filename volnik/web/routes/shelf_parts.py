"""The Shelf: blocks, shunts, cables, lugs and kinds of devices."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.services.shelf import catalogue
from volnik.web.forms.parts import (
    COLUMNS,
    PART_FORMS,
    TITLES,
    SentShelfDocument,
    part_values,
)
from volnik.web.forms.posted import read_form
from volnik.web.routing import PageRoute, for_installers, for_the_shop
from volnik.web.security import guarded_form
from volnik.web.views.shelf import parts_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/shelf", route_class=PageRoute)


def _show(
    visit: Visit,
    kind: str,
    *,
    key: str = "",
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    said: str = "",
) -> Response:
    if kind not in COLUMNS:
        raise HTTPException(404, "There is no such part of the Shelf.")
    here = getattr(catalogue.catalogue(visit.context), kind)
    part = next((item for item in here if item.key == key), None)
    return visit.page(
        "shelf/parts.html",
        status=422 if problems else 200,
        kind=kind,
        titles=TITLES,
        shown=parts_page(kind, list(here), part, typed or {}),
        key=key,
        problems=problems or {},
        said=said,
    )


@router.get("/parts.json")
@for_the_shop
def give_out(visit: VisitDep) -> Response:
    """The whole Shelf as JSON."""
    return Response(
        catalogue.give_out(visit.context),
        media_type="application/json",
        headers={"content-disposition": 'attachment; filename="volnik-shelf.json"'},
    )


@router.get("/parts/{kind}")
@for_the_shop
def show(visit: VisitDep, kind: str, key: str = "", said: str = "") -> Response:
    """The parts of one kind."""
    message = {"kept": "Kept.", "off": "Taken off the Shelf.", "new": "The Shelf is as it started."}.get(
        said, f"{said} parts read." if said.isdigit() else ""
    )
    return _show(visit, kind, key=key, said=message)


@router.post("/parts")
@for_installers
def bring_in(visit: VisitDep, sent: SentShelfDocument) -> Response:
    """Take parts in from a JSON document, or go back to the starting ones."""
    form = sent.read()
    if form.what == "start":
        catalogue.start_again(visit.context)
        return RedirectResponse("/shelf/parts/shunts?said=new", 303)
    try:
        if form.file is None:
            raise InvalidInput({"file": "Choose a Shelf document first."})
        count = catalogue.bring_in(visit.context, form.file.file.read(catalogue.MOST_BYTES + 1))
    except InvalidInput as wrong:
        return _show(visit, "shunts", problems=dict(list(wrong.problems.items())[:8]))
    return RedirectResponse(f"/shelf/parts/shunts?said={count}", 303)


@router.post("/parts/{kind}")
@for_installers
def put(visit: VisitDep, kind: str, fields: Annotated[FormData, Depends(guarded_form)]) -> Response:
    """Keep one part, or take it off."""
    if kind not in COLUMNS:
        raise HTTPException(404, "There is no such part of the Shelf.")
    sent = read_form(PART_FORMS[kind], fields)
    if sent.pressed() == "remove":
        catalogue.remove(visit.context, kind, sent.pressed("key"))
        return RedirectResponse(f"/shelf/parts/{kind}?said=off", 303)
    try:
        key = catalogue.put(visit.context, kind, part_values(kind, sent.read()))
    except InvalidInput as wrong:
        problems = {place.split(".")[0]: sentence for place, sentence in wrong.problems.items()}
        if "document" in problems:
            problems["size" if kind in ("cables", "lugs") else "key"] = problems.pop("document")
        return _show(visit, kind, key=sent.pressed("key"), typed=sent.typed, problems=problems)
    return RedirectResponse(f"/shelf/parts/{kind}?key={key}&said=kept", 303)
