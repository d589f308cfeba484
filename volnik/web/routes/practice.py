"""Practice: a case is looked at, mended, concluded, told afterwards. All of it stands in the address."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.path.cases import solve_case
from volnik.core.practice.cases import MOST_LEVEL, MOST_SEED, drawn
from volnik.core.practice.log import log_of
from volnik.core.practice.search import Searcher
from volnik.core.practice.strip import window_of
from volnik.drawings.path import draw_board
from volnik.drawings.strip import Chart, draw_strip
from volnik.web.forms.practice import PracticeAsked
from volnik.web.routes.path import board_svg, drawn_svg
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.views.practice import moves_in, practice_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/practice", route_class=PageRoute)
LEVELS = {
    1: "one thing is wrong, and it shows",
    2: "one thing, or none; wires, numbers or the monitor",
    3: "anything there is a page of",
    4: "two things at once: one that is wired, one that is set or measured",
}
STRIP_WIDTH, STRIP_HEIGHT = 620.0, 330.0


@lru_cache(maxsize=16)
def _opened(seed: int, level: int) -> Searcher:
    return Searcher(drawn(seed, level))


def _case(level: int, seed: int) -> Searcher:
    if not 1 <= level <= MOST_LEVEL or not 0 <= seed <= MOST_SEED:
        raise HTTPException(404, f"Cases have levels 1 to {MOST_LEVEL} and numbers up to {MOST_SEED}.")
    return _opened(seed, level)


@router.get("")
@for_the_shop
def contents(visit: VisitDep) -> Response:
    """The levels; a case is drawn by the moment."""
    return visit.page("practice/contents.html", levels=LEVELS)


@router.get("/{level}/next")
@for_the_shop
def following(visit: VisitDep, level: int) -> Response:
    """Another case of a level."""
    seed = int(visit.context.now() * 1000.0) % (MOST_SEED + 1)
    return RedirectResponse(f"/practice/{level}/{seed}", 303)


@router.get("/{level}/{seed}")
@for_the_shop
def case(visit: VisitDep, level: int, seed: int, asked: Annotated[PracticeAsked, Query()]) -> Response:
    """A case with the moves made so far, or what came of a conclusion."""
    searcher = _case(level, seed)
    shown = practice_page(searcher, moves_in(asked.moves, searcher), asked.concluded)
    return visit.page(
        "practice/case.html",
        shown=shown,
        level=level,
        seed=seed,
        board=draw_board(searcher.papers),
        strip=_strip(searcher, visit) if shown.has_log else None,
    )


def _strip(searcher: Searcher, visit: Visit) -> Chart | None:
    """The log as read, None where there is none."""
    opened = searcher.case
    log = log_of(opened.bay, since_days=opened.since_days, seed=opened.seed)
    if len(log.readings) < 2:
        return None
    window = window_of(log, columns=int(STRIP_WIDTH) - 120)
    return draw_strip(window, width=STRIP_WIDTH, height=STRIP_HEIGHT, zone="UTC", system=visit.system)


@router.get("/{level}/{seed}/board.svg")
@for_the_shop
def board(visit: VisitDep, level: int, seed: int) -> Response:
    """The rig as its papers tell."""
    searcher = _case(level, seed)
    body = board_svg(searcher.papers, name=f"case {seed}", which="by its papers")
    return Response(body, media_type="image/svg+xml")


@router.get("/{level}/{seed}/true.svg")
@for_the_shop
def truth(visit: VisitDep, level: int, seed: int) -> Response:
    """The rig as it is wired, the way of what is wrong drawn heavy."""
    searcher = _case(level, seed)
    real = searcher.real
    wheres = [wrong.where.rpartition("_")[0] or wrong.where for wrong in searcher.case.wrongs]
    device = next((where for where in wheres if real.analysis.device(where) is not None), None)
    loop = None if device is None else solve_case(real.wired.network(), real.analysis.devices, "one", device)
    drawing = draw_board(real.analysis, pick=device, loop=loop)
    body = drawn_svg(drawing, name=f"case {seed}", which="as it is wired", picked=device)
    return Response(body, media_type="image/svg+xml")
