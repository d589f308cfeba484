"""The sheet in the monitor's own words: shown, printed, given out, read back."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.services.numbers.sheets import SheetView, give_out, read_back, sheet_document, sheet_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.routes.numbers_map import or_missing
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/numbers/sheet")


def _view(request: Request, rig_id: int, dialect: str) -> SheetView | Response:
    return or_missing(
        request, rig_id, "sheet", lambda: sheet_view(state_of(request).context, rig_id, dialect)
    )


def _show(request: Request, rig_id: int, view: SheetView, **more: Any) -> Response:
    entered = (
        {}
        if view.back is None or view.last is None or view.last.dialect != view.sheet.dialect.key
        else {entry["key"]: entry["value"] for entry in view.back.body}
    )
    return page(
        request,
        "numbers/sheet.html",
        status=422 if more.get("problems") else 200,
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        part="sheet",
        view=view,
        off={entry["key"]: entry for entry in view.off},
        entered=entered,
        dialects=view.given.path.catalogue.dialects,
        **{"problems": {}, "typed": {}, "said": "", **more},
    )


@router.get("")
def show(request: Request, rig_id: int, dialect: str = "", said: str = "") -> Response:
    """The sheet of a rig for one kind of monitor."""
    view = _view(request, rig_id, dialect)
    if isinstance(view, Response):
        return view
    message = {
        "given": "Kept as given out.",
        "same": "Read back: all as the sheet says.",
        "part": f"Kept. Not read back yet: {', '.join(view.unread)}.",
        "off": "Read back: some values differ; they are marked.",
    }
    return _show(request, rig_id, view, said=message.get(said, ""))


@router.get(".json")
def show_json(request: Request, rig_id: int, dialect: str = "") -> Response:
    """The sheet as JSON."""
    view = _view(request, rig_id, dialect)
    if isinstance(view, Response):
        return view
    return JSONResponse(
        sheet_document(view, state_of(request).context.now()),
        headers={"content-disposition": 'attachment; filename="volnik-sheet.json"'},
    )


@router.post("")
def keep(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep the sheet as given out now."""
    give_out(state_of(request).context, rig_id, text(form, "dialect"))
    return RedirectResponse(f"/rigs/{rig_id}/numbers/sheet?said=given", 303)


@router.post("/read-back")
def put_read_back(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep what was really entered in the monitor."""
    context = state_of(request).context
    view = _view(request, rig_id, "")
    if isinstance(view, Response):
        return view
    problems: dict[str, str] = {}
    entered = _entered(view, form, problems)
    if not entered and not problems:
        problems["sheet"] = (
            "Tick what stands in the monitor as the sheet says, or type what stands there instead."
        )
    try:
        if problems:
            raise InvalidInput(problems)
        after = read_back(context, rig_id, entered)
    except InvalidInput as wrong:
        typed = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        return _show(request, rig_id, view, problems=wrong.problems, typed=typed)
    said = "off" if after.off else "part" if after.unread else "same"
    return RedirectResponse(f"/rigs/{rig_id}/numbers/sheet?said={said}", 303)


def _entered(view: SheetView, form: FormData, problems: dict[str, str]) -> dict[str, float | None]:
    """What stands in the monitor: ticked as on the sheet, or typed instead."""
    found: dict[str, float | None] = {}
    for row in view.sheet.rows:
        if row.value is None:
            continue
        if form.get(f"same-{row.key}"):
            found[row.key] = row.value
        elif text(form, row.key):
            found[row.key] = decimal(form, row.key, problems)
    return found
