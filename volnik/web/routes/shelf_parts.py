"""The Shelf: blocks, shunts, cables, lugs and kinds of devices."""

from __future__ import annotations

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData, UploadFile

from volnik.core.errors import InvalidInput
from volnik.core.shelf.conductors import read_size
from volnik.core.shelf.parts import KINDS
from volnik.services.shelf import catalogue
from volnik.web.forms.fields import text
from volnik.web.forms.parts import COLUMNS, TITLES, WORDS, read_part, shown
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/shelf")


def _show(
    request: Request,
    kind: str,
    *,
    key: str = "",
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    said: str = "",
) -> Response:
    if kind not in COLUMNS:
        raise HTTPException(404, "There is no such part of the Shelf.")
    here = getattr(catalogue.catalogue(state_of(request).context), kind)
    part = next((item for item in here if item.key == key), None)
    areas = {item.key: (read_size(item.size) or (1.0, ""))[0] for item in here if hasattr(item, "size")}
    return page(
        request,
        "shelf/parts.html",
        status=422 if problems else 200,
        kind=kind,
        titles=TITLES,
        words=WORDS,
        columns=COLUMNS[kind],
        fields=sorted(
            KINDS[kind].model_fields, key=lambda name: (name not in ("key", "name"), name == "source")
        ),
        parts_here=here,
        part=part,
        key=key,
        typed=typed or {},
        problems=problems or {},
        said=said,
        shown=shown,
        areas=areas,
    )


@router.get("/parts.json")
def give_out(request: Request) -> Response:
    """The whole Shelf as JSON."""
    return Response(
        catalogue.give_out(state_of(request).context),
        media_type="application/json",
        headers={"content-disposition": 'attachment; filename="volnik-shelf.json"'},
    )


@router.get("/parts/{kind}")
def show(request: Request, kind: str, key: str = "", said: str = "") -> Response:
    """The parts of one kind."""
    message = {"kept": "Kept.", "off": "Taken off the Shelf.", "new": "The Shelf is as it started."}.get(
        said, f"{said} parts read." if said.isdigit() else ""
    )
    return _show(request, kind, key=key, said=message)


@router.post("/parts")
def bring_in(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Take parts in from a JSON document, or go back to the starting ones."""
    context = state_of(request).context
    if text(form, "what") == "start":
        catalogue.start_again(context)
        return RedirectResponse("/shelf/parts/shunts?said=new", 303)
    upload = form.get("file")
    try:
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InvalidInput({"file": "Choose a Shelf document first."})
        count = catalogue.bring_in(context, upload.file.read(catalogue.MOST_BYTES + 1))
    except InvalidInput as wrong:
        return _show(request, "shunts", problems=dict(list(wrong.problems.items())[:8]))
    return RedirectResponse(f"/shelf/parts/shunts?said={count}", 303)


@router.post("/parts/{kind}")
def put(request: Request, kind: str, form: FormData = Depends(guarded_form)) -> Response:
    """Keep one part, or take it off."""
    if kind not in COLUMNS:
        raise HTTPException(404, "There is no such part of the Shelf.")
    context = state_of(request).context
    if text(form, "what") == "remove":
        catalogue.remove(context, kind, text(form, "key"))
        return RedirectResponse(f"/shelf/parts/{kind}?said=off", 303)
    try:
        key = catalogue.put(context, kind, read_part(kind, form))
    except InvalidInput as wrong:
        typed = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        problems = {place.split(".")[0]: message for place, message in wrong.problems.items()}
        if "document" in problems:
            problems["size" if kind in ("cables", "lugs") else "key"] = problems.pop("document")
        return _show(request, kind, key=text(form, "key"), typed=typed, problems=problems)
    return RedirectResponse(f"/shelf/parts/{kind}?key={key}&said=kept", 303)
