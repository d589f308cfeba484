"""Path: the board, its changes, sizing, parts."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from starlette.datastructures import FormData

from volnik.core.path.cases import CASES
from volnik.core.path.change import ChangeRefused, block_places
from volnik.core.path.findings.cables import right_stack, stud_torque
from volnik.core.shelf.conductors import AMPACITY_AWG, AMPACITY_MM2, HOLES_MM
from volnik.services.path import drawings
from volnik.services.path.board import BoardView, board_view, parts_view
from volnik.services.path.read import NoBankYet, Which
from volnik.services.yard.rigs import rig_head
from volnik.web.drawings.path import draw_board
from volnik.web.forms.fields import text
from volnik.web.page import ENVIRONMENT, HERE, page, preferences
from volnik.web.security import guarded_form

router = APIRouter(prefix="/rigs/{rig_id}/path")
SIZES = [f"{mm2:g} mm²" for mm2 in AMPACITY_MM2] + [f"{name} AWG" for name in AMPACITY_AWG]
LOOK = ("pick", "case", "show", "positives")


def which_of(word: str) -> Which:
    """The drawing an address asks for."""
    return "found" if word == "found" else "planned"


def board_page(
    request: Request, rig_id: int, template: str, which: Which, look: dict[str, str], **given: Any
) -> Response:
    """The board, whole or as a fragment, for Path and Survey alike.

    Args:
        look: what is looked at: the picked device, the load case, what the slip shows, whether positives are drawn.
    """
    house = request.app.state.house
    awg = preferences(request)[1] == "us"
    case = look.get("case") if look.get("case") in CASES else "together"
    view = board_view(house, rig_id, which, pick=look.get("pick") or None, case=str(case), awg=awg)
    positives = look.get("positives", "0" if given.get("stage") == "survey" else "1") != "0"
    board = draw_board(view.seen, pick=view.pick, loop=view.loop, positives=positives)
    return page(
        request, template, head=rig_head(house, rig_id), view=view, board=board, which=which, slip=slip_of(view, look.get("show", "")),
        cases=CASES, case=case, positives=positives, show=look.get("show", ""), sizes=SIZES, holes=list(HOLES_MM), rig_id=rig_id,
        steps=view.path.found_steps if which == "found" else view.path.planned_steps, **{"stage": "path", **given},
    )  # fmt: skip


def slip_of(view: BoardView, show: str) -> dict[str, Any] | None:
    """What the slip shows: a cable, stud, device or block, with what can be changed of it; None when it is gone."""
    kind, _, name = show.partition(":")
    seen = view.seen
    if kind == "cable" and (cable := seen.wiring.cable(name)) is not None:
        drawing = view.path.drawing(view.which)
        title = seen.cable_name(cable)
        landings = {end: drawing.landings(cable, end) for end in ("a", "b")}  # type: ignore[arg-type]
        own = seen.studs[cable.a].place in ("device", "battery", "monitor")
        return {
            "kind": "cable", "cable": cable, "title": title[0].upper() + title[1:], "landings": landings, "own": own, "studs": seen.studs,
            "row": next((row for row in view.conductors if row.id == cable.id), None), "carries": seen.carries_a(cable),
            "plus": "plus" in (seen.studs[cable.a].pole, seen.studs[cable.b].pole) or seen.is_thin(cable),
        }  # fmt: skip
    if kind == "stud" and name in seen.studs:
        stud = seen.studs[name]
        facts = seen.wiring.studs.get(name)
        right = right_stack(seen, seen.by_stud[name])
        stack = [one for one in (facts.stack if facts else ()) if one in right]
        stack += [one for one in right if one not in stack]
        cables = {cable.id: seen.cable_name(cable) for cable in seen.by_stud[name]}
        return {
            "kind": "stud", "stud": stud, "torque": stud_torque(seen, name), "stated": facts, "stack": stack, "cables": cables,
            "bar": seen.bars.get(name), "isolator": stud.owner if stud.place == "isolator" else None, "shunt": stud.place == "shunt",
            "others": [other for other in seen.studs.values() if other.id != name and other.pole == stud.pole and other.owner != stud.owner],
        }  # fmt: skip
    if kind == "device" and (one := seen.device(name)) is not None:
        return {
            "kind": "device",
            "one": one,
            "share": seen.shares.get(name),
            "precharge": name in seen.wiring.precharge,
        }
    if kind == "block" and f"{name}.plus" in seen.studs:
        return {"kind": "block", "name": name, "place": block_places(seen.bank, seen.wiring)[name]}
    if kind in ("add", "mount", "monitor"):
        return {"kind": kind}
    return None


def look_of(form: Any) -> dict[str, str]:
    """What is looked at, from a query or a form."""
    return {name: str(form[name])[:80] for name in LOOK if name in form}


@router.get("")
def show(request: Request, rig_id: int, drawing: str = "planned") -> Response:
    """The path board of a rig."""
    try:
        return board_page(request, rig_id, "path/path.html", which_of(drawing), look_of(request.query_params))
    except NoBankYet as wrong:
        return page(
            request,
            "path/no_bank.html",
            head=rig_head(request.app.state.house, rig_id),
            sentence=wrong.problems["bank"],
            stage="path",
        )


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
    drawings.change(request.app.state.house, rig_id, which, changes_in(form))
    return board_page(request, rig_id, _template(form), which, look_of(form))


@router.post("/mend")
def mend(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Mend one finding, or all that can be."""
    which = which_of(text(form, "drawing"))
    if text(form, "finding") == "all":
        drawings.mend_everything(request.app.state.house, rig_id)
    else:
        drawings.mend(request.app.state.house, rig_id, which, text(form, "finding"), text(form, "at"))
    return board_page(request, rig_id, _template(form), which, look_of(form))


@router.post("/step")
def step(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Undo or redo."""
    which = which_of(text(form, "drawing"))
    drawings.step(request.app.state.house, rig_id, which, -1 if text(form, "way") == "undo" else 1)
    return board_page(request, rig_id, _template(form), which, look_of(form))


@router.post("/use")
def use(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Put a proposal of the sizing into the plan."""
    drawings.use(request.app.state.house, rig_id, text(form, "what"), awg=preferences(request)[1] == "us")
    return board_page(request, rig_id, "path/_board.html", "planned", look_of(form))


def _template(form: FormData) -> str:
    return "survey/_devices.html" if text(form, "page") == "survey" else "path/_board.html"


@lru_cache
def _file_style() -> str:
    return (HERE / "static" / "css" / "board.css").read_text(encoding="utf-8")


@router.get("/board.svg")
def board_file(request: Request, rig_id: int, drawing: str = "planned") -> Response:
    """The board as an SVG file that stands alone."""
    house = request.app.state.house
    view = board_view(house, rig_id, which_of(drawing))
    drawn = draw_board(view.seen)
    body = ENVIRONMENT.get_template("drawings/path_file.html").render(
        board=drawn, style=_file_style(), name=view.path.rig.name, which=which_of(drawing), picked=None
    )
    name = f"volnik-path-{rig_id}-{which_of(drawing)}.svg"
    return Response(body, media_type="image/svg+xml", headers={"content-disposition": f'attachment; filename="{name}"'})


@router.get("/parts")
def parts(request: Request, rig_id: int) -> Response:
    """The work, and the parts and tools it needs."""
    view = parts_view(request.app.state.house, rig_id)
    return page(request, "path/parts.html", head=rig_head(request.app.state.house, rig_id), view=view, stage="path")


@router.get("/parts.csv")
def parts_file(request: Request, rig_id: int) -> Response:
    """The parts and tools list as CSV."""
    view = parts_view(request.app.state.house, rig_id)
    return Response(
        request.app.state.hands.parts_csv(view.parts), media_type="text/csv; charset=utf-8",
        headers={"content-disposition": f'attachment; filename="volnik-parts-{rig_id}.csv"'},
    )  # fmt: skip
