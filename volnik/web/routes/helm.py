"""The board for helm or cab: chosen figures, large; laid out on demo signals before the boat is reached."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.services.watch.board import board_view, keep_board
from volnik.web.forms.helm import SentBoard, TileRow, acted, texts_of
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.security import paired_of
from volnik.web.views.helm import board_page, rows_of
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch/helm", route_class=PageRoute)


@router.get("")
@for_everyone
def show_board(visit: VisitDep, rig_id: int, demo: int = 0) -> Response:
    """The board of a rig."""
    view = board_view(visit.context, rig_id)
    paired = paired_of(visit.request)
    return visit.page(
        "helm/board.html",
        may_lay_out=paired is None or paired.role == "installer",
        head=visit.head(rig_id),
        stage="watch",
        part="helm",
        shown=board_page(view, visit.state.live.now(rig_id), demo=bool(demo), system=visit.system),
        live=visit.state.live.now(rig_id),
    )


def _layout(visit: Visit, rig_id: int, rows: list[dict[str, str]] | None = None, **more: Any) -> Response:
    view = board_view(visit.context, rig_id)
    return visit.page(
        "helm/layout.html",
        status=422 if more.get("problems") else 200,
        head=visit.head(rig_id),
        stage="watch",
        part="helm",
        choices=view.choices,
        rows=rows_of(view) if rows is None else rows,
        **{"problems": {}, **more},
    )


@router.get("/layout")
@for_installers
def lay_out(visit: VisitDep, rig_id: int) -> Response:
    """The board as rows, to be laid out."""
    return _layout(visit, rig_id)


@router.post("/layout")
@for_installers
def put_layout(visit: VisitDep, rig_id: int, sent: SentBoard) -> Response:
    """Do something with a row, or keep the board."""
    rows, act = texts_of(sent.typed), sent.typed.get("act", "")
    if act != "save":
        return _layout(visit, rig_id, acted(rows, act))
    if sent.form is None:
        return _layout(visit, rig_id, rows, problems=sent.problems)
    try:
        said = [_tile(row) for row in sent.form.rows.values()]
        keep_board(visit.context, rig_id, said, who=visit.who)
    except InvalidInput as wrong:
        return _layout(visit, rig_id, rows, problems=dict(wrong.problems))
    return RedirectResponse(f"/rigs/{rig_id}/watch/helm", 303)


def _tile(row: TileRow) -> dict[str, Any]:
    """A row as a tile is kept."""
    limits = {"low": row.low, "high": row.high}
    given = {name: value for name, value in limits.items() if value is not None}
    return {"what": row.what, "label": row.label, **given}
