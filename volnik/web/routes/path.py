"""Path: the board, its changes, sizing, parts."""

from __future__ import annotations

from functools import lru_cache

from fastapi import APIRouter
from fastapi.responses import Response

from volnik.core.path.analysis import WiringAnalysis
from volnik.drawings.path import draw_board
from volnik.drawings.path_parts import PathBoard
from volnik.services.context import AppContext
from volnik.services.path import drawings
from volnik.services.path.board import board_view, parts_view
from volnik.services.path.read import NoBank
from volnik.services.wireup.job import built
from volnik.web.forms.path import SentChange, SentMend, SentStep, SentUse, which_of
from volnik.web.page import ENVIRONMENT, HERE
from volnik.web.routes.boards import board_page, changed_board, no_bank, shown_of
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/path", route_class=PageRoute)


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, drawing: str = "planned") -> Response:
    """The path board of a rig."""
    try:
        return board_page(visit, rig_id, "path/path.html", which_of(drawing), shown_of(visit.query))
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "path")


@router.get("/board")
@for_everyone
def board(visit: VisitDep, rig_id: int, drawing: str = "planned") -> Response:
    """The board alone, looked at otherwise."""
    return board_page(visit, rig_id, "path/_board.html", which_of(drawing), shown_of(visit.query))


@router.post("/change")
@for_installers
def change(visit: VisitDep, rig_id: int, sent: SentChange) -> Response:
    """Change a drawing and show the board anew."""
    form = sent.read()
    drawings.change(visit.context, rig_id, form.which, form.ops)
    return changed_board(visit, rig_id, form)


@router.post("/mend")
@for_installers
def mend(visit: VisitDep, rig_id: int, sent: SentMend) -> Response:
    """Mend one finding, or all that can be."""
    form = sent.read()
    if form.finding == "all":
        drawings.mend_everything(visit.context, rig_id)
    else:
        drawings.mend(visit.context, rig_id, form.which, form.finding, form.at)
    return changed_board(visit, rig_id, form)


@router.post("/step")
@for_installers
def step(visit: VisitDep, rig_id: int, sent: SentStep) -> Response:
    """Undo or redo."""
    form = sent.read()
    drawings.step(visit.context, rig_id, form.which, -1 if form.way == "undo" else 1)
    return changed_board(visit, rig_id, form)


@router.post("/use")
@for_installers
def use(visit: VisitDep, rig_id: int, sent: SentUse) -> Response:
    """Put a proposal of the sizing into the plan."""
    form = sent.read()
    drawings.use(visit.context, rig_id, form.what, awg=visit.system == "us")
    return board_page(visit, rig_id, "path/_board.html", "planned", form.shown)


@lru_cache
def _file_style() -> str:
    return (HERE / "static" / "css" / "board.css").read_text(encoding="utf-8")


def board_svg(analysis: WiringAnalysis, *, name: str, which: str) -> str:
    """A board as SVG that stands alone.

    Args:
        name: of the rig.
        which: drawing it is, in a word.
    """
    return drawn_svg(draw_board(analysis), name=name, which=which)


def drawn_svg(board: PathBoard, *, name: str, which: str, picked: str | None = None) -> str:
    """A drawn board as SVG that stands alone.

    Args:
        name: of the rig.
        which: drawing it is, in a word.
        picked: the device whose way is drawn heavy.
    """
    return ENVIRONMENT.get_template("drawings/path_file.html").render(
        board=board, style=_file_style(), name=name, which=which, picked=picked
    )


def built_svg(context: AppContext, rig_id: int) -> str:
    """What stands on a rig, as SVG that stands alone."""
    path, analysis = built(context, rig_id)
    return board_svg(analysis, name=path.rig.name, which="as built")


@router.get("/board.svg")
@for_everyone
def board_file(visit: VisitDep, rig_id: int, drawing: str = "planned") -> Response:
    """The board as an SVG file that stands alone."""
    view = board_view(visit.context, rig_id, which_of(drawing))
    body = board_svg(view.analysis, name=view.path.rig.name, which=which_of(drawing))
    name = f"volnik-path-{rig_id}-{which_of(drawing)}.svg"
    return Response(
        body, media_type="image/svg+xml", headers={"content-disposition": f'attachment; filename="{name}"'}
    )


@router.get("/parts")
@for_everyone
def parts(visit: VisitDep, rig_id: int) -> Response:
    """The work, and the parts and tools it needs."""
    view = parts_view(visit.context, rig_id)
    return visit.page("path/parts.html", head=visit.head(rig_id), view=view, stage="path")


@router.get("/parts.csv")
@for_everyone
def parts_file(visit: VisitDep, rig_id: int) -> Response:
    """The parts and tools list as CSV."""
    view = parts_view(visit.context, rig_id)
    return Response(
        visit.state.ports.parts_csv(view.parts),
        media_type="text/csv; charset=utf-8",
        headers={"content-disposition": f'attachment; filename="volnik-parts-{rig_id}.csv"'},
    )
