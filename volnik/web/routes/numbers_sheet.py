"""The sheet in the monitor's own words: shown, printed, given out, read back."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse, RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.shelf.dialects import PLAIN
from volnik.services.numbers.sheets import (
    SheetView,
    give_out,
    keep_words,
    read_back,
    sheet_document,
    sheet_view,
)
from volnik.web.forms.numbers import ReadBackForm, SentCalled, SentGiveOut, SentReadBack
from volnik.web.routes.numbers_map import or_missing
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.numbers_sheet import sheet_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/numbers/sheet", route_class=PageRoute)
NOTHING_READ = "Tick what is set in the monitor as the sheet says, or type what is set there instead."


def _view(visit: Visit, rig_id: int, dialect: str) -> SheetView | Response:
    return or_missing(visit, rig_id, "sheet", lambda: sheet_view(visit.context, rig_id, dialect))


def _show(visit: Visit, rig_id: int, view: SheetView, **more: Any) -> Response:
    return visit.page(
        "numbers/sheet.html",
        status=422 if more.get("problems") else 200,
        head=visit.head(rig_id),
        stage="numbers",
        part="sheet",
        view=view,
        shown=sheet_page(view, more.get("typed", {})),
        dialects=(PLAIN, *view.given.path.catalogue.dialects),
        plain=view.sheet.dialect.key == PLAIN.key,
        **{"problems": {}, "typed": {}, "called": {}, "said": "", **more},
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, dialect: str = "", said: str = "") -> Response:
    """The sheet of a rig for one kind of monitor."""
    view = _view(visit, rig_id, dialect)
    if isinstance(view, Response):
        return view
    message = {
        "given": "Kept as given out.",
        "same": "Read back: all as the sheet says.",
        "part": f"Kept. Not read back yet: {', '.join(view.unread)}.",
        "off": "Read back: some values differ; they are marked.",
        "called": "Kept: the sheet is in this monitor's own words from now on.",
    }
    return _show(visit, rig_id, view, said=message.get(said, ""))


@router.get(".json")
@for_everyone
def show_json(visit: VisitDep, rig_id: int, dialect: str = "") -> Response:
    """The sheet as JSON."""
    view = _view(visit, rig_id, dialect)
    if isinstance(view, Response):
        return view
    return JSONResponse(
        sheet_document(view, visit.context.now()),
        headers={"content-disposition": 'attachment; filename="volnik-sheet.json"'},
    )


@router.post("")
@for_installers
def keep(visit: VisitDep, rig_id: int, sent: SentGiveOut) -> Response:
    """Keep the sheet as given out now."""
    give_out(visit.context, rig_id, sent.read().dialect)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/sheet?said=given", 303)


@router.post("/called")
@for_installers
def call(visit: VisitDep, rig_id: int, sent: SentCalled) -> Response:
    """Keep the words of the monitor at hand as a dialect of the shop."""
    form = sent.read()
    try:
        keep_words(visit.context, rig_id, form.monitor, form.called)
    except InvalidInput as wrong:
        view = _view(visit, rig_id, PLAIN.key)
        if isinstance(view, Response):
            return view
        return _show(visit, rig_id, view, problems=wrong.problems, called=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/sheet?said=called", 303)


@router.post("/read-back")
@for_the_shop
def put_read_back(visit: VisitDep, rig_id: int, sent: SentReadBack) -> Response:
    """Keep what was really entered in the monitor."""
    view = _view(visit, rig_id, "")
    if isinstance(view, Response):
        return view
    try:
        entered = _entered(view, sent.read())
        if not entered:
            raise InvalidInput({"sheet": NOTHING_READ})
        after = read_back(visit.context, rig_id, entered)
    except InvalidInput as wrong:
        return _show(visit, rig_id, view, problems=wrong.problems, typed=sent.typed)
    said = "off" if after.off else "part" if after.unread else "same"
    return RedirectResponse(f"/rigs/{rig_id}/numbers/sheet?said={said}", 303)


def _entered(view: SheetView, form: ReadBackForm) -> dict[str, float | None]:
    """What stands in the monitor: ticked as on the sheet, or typed instead."""
    rows = [row for row in view.sheet.rows if row.value is not None]
    ticked = {row.key: row.value for row in rows if row.key in form.same}
    return {row.key: form.entered[row.key] for row in rows if row.key in form.entered} | ticked
