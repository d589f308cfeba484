"""Path: the board, its changes, sizing, parts."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from starlette.datastructures import FormData

from volnik.core.path.edits import ChangeRefused
from volnik.drawings.path import draw_board
from volnik.services.path import drawings
from volnik.services.path.board import board_view, parts_view
from volnik.services.path.read import NoBank
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import text
from volnik.web.page import ENVIRONMENT, HERE, page, preferences
from volnik.web.routes.boards import board_page, changed_board, look_of, no_bank, which_of
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/path")


@router.get("")
def show(request: Request, rig_id: int, drawing: str = "planned") -> Response:
    """The path board of a rig."""
    try:
        return board_page(request, rig_id, "path/path.html", which_of(drawing), look_of(request.query_params))
    except NoBank as wrong:
        return no_bank(request, rig_id, wrong, "path")


@router.get("/board")
def board(request: Request, rig_id: int, drawing: str = "planned") -> Response:
    """The board alone, looked at otherwise."""
    return board_page(request, rig_id, "path/_board.html", which_of(drawing), look_of(request.query_params))


def changes_in(form: FormData) -> list[Any]:
    """The changes a form carries as JSON.

    Raises:
        ChangeRefused: when they are none.
    """
    try:
        given = json.loads(text(form, "ops"))
    except (ValueError, RecursionError):
        raise ChangeRefused({"ops": "That change cannot be read; reload the page and try again."}) from None
    return given if isinstance(given, list) else [given]


@router.post("/change")
def change(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Change a drawing and show the board anew."""
    which = which_of(text(form, "drawing"))
    drawings.change(state_of(request).context, rig_id, which, changes_in(form))
    return changed_board(request, rig_id, form, which)


@router.post("/mend")
def mend(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Mend one finding, or all that can be."""
    which = which_of(text(form, "drawing"))
    if text(form, "finding") == "all":
        drawings.mend_everything(state_of(request).context, rig_id)
    else:
        drawings.mend(state_of(request).context, rig_id, which, text(form, "finding"), text(form, "at"))
    return changed_board(request, rig_id, form, which)


@router.post("/step")
def step(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Undo or redo."""
    which = which_of(text(form, "drawing"))
    drawings.step(state_of(request).context, rig_id, which, -1 if text(form, "way") == "undo" else 1)
    return changed_board(request, rig_id, form, which)


@router.post("/use")
def use(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Put a proposal of the sizing into the plan."""
    drawings.use(state_of(request).context, rig_id, text(form, "what"), awg=preferences(request)[1] == "us")
    return board_page(request, rig_id, "path/_board.html", "planned", look_of(form))


@lru_cache
def _file_style() -> str:
    return (HERE / "static" / "css" / "board.css").read_text(encoding="utf-8")


@router.get("/board.svg")
def board_file(request: Request, rig_id: int, drawing: str = "planned") -> Response:
    """The board as an SVG file that stands alone."""
    context = state_of(request).context
    view = board_view(context, rig_id, which_of(drawing))
    drawn = draw_board(view.seen)
    body = ENVIRONMENT.get_template("drawings/path_file.html").render(
        board=drawn, style=_file_style(), name=view.path.rig.name, which=which_of(drawing), picked=None
    )
    name = f"volnik-path-{rig_id}-{which_of(drawing)}.svg"
    return Response(
        body, media_type="image/svg+xml", headers={"content-disposition": f'attachment; filename="{name}"'}
    )


@router.get("/parts")
def parts(request: Request, rig_id: int) -> Response:
    """The work, and the parts and tools it needs."""
    view = parts_view(state_of(request).context, rig_id)
    return page(
        request, "path/parts.html", head=rig_head(state_of(request).context, rig_id), view=view, stage="path"
    )


@router.get("/parts.csv")
def parts_file(request: Request, rig_id: int) -> Response:
    """The parts and tools list as CSV."""
    view = parts_view(state_of(request).context, rig_id)
    return Response(
        state_of(request).ports.parts_csv(view.parts),
        media_type="text/csv; charset=utf-8",
        headers={"content-disposition": f'attachment; filename="volnik-parts-{rig_id}.csv"'},
    )
