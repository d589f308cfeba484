"""Practice: a drawn case is looked at, concluded, and told afterwards. All of it stands in the address."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.path.cases import solve_case
from volnik.core.practice.cases import MOST_LEVEL, PLACED, Case, drawn
from volnik.core.practice.search import Searcher
from volnik.drawings.path import draw_board
from volnik.web.forms.practice import PracticeAsked
from volnik.web.routes.path import board_svg, drawn_svg
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.views.practice import looks_in, practice_page
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/practice", route_class=PageRoute)
LEVELS = {
    1: "one thing is wrong, and it shows",
    2: "one thing, or none",
    3: "anything, a second battery's minus among it",
}
MOST_SEED = 999_999


@lru_cache(maxsize=16)
def _opened(seed: int, level: int) -> tuple[Case, Searcher]:
    case = drawn(seed, level)
    return case, Searcher(case)


def _case(level: int, seed: int) -> tuple[Case, Searcher]:
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
    """A case with the looks taken so far, or what came of a conclusion."""
    opened, searcher = _case(level, seed)
    looks = looks_in(f"{asked.taken},{asked.look}", searcher)
    shown = practice_page(opened, searcher, looks, asked.answer[:80])
    board = draw_board(searcher.papers)
    return visit.page("practice/case.html", shown=shown, level=level, seed=seed, board=board)


@router.get("/{level}/{seed}/board.svg")
@for_the_shop
def board(visit: VisitDep, level: int, seed: int) -> Response:
    """The rig as its papers tell."""
    _, searcher = _case(level, seed)
    body = board_svg(searcher.papers, name=f"case {seed}", which="by its papers")
    return Response(body, media_type="image/svg+xml")


@router.get("/{level}/{seed}/true.svg")
@for_the_shop
def truth(visit: VisitDep, level: int, seed: int) -> Response:
    """The rig as it is wired, the way of what is wrong drawn heavy."""
    opened, searcher = _case(level, seed)
    analysis = searcher.real.analysis
    device = opened.where.rpartition("_")[0] if opened.fault in PLACED else ""
    loop = None
    if device in {one.id for one in analysis.devices}:
        loop = solve_case(searcher.real.network(), analysis.devices, "one", device)
    drawing = draw_board(analysis, pick=device if loop else None, loop=loop)
    body = drawn_svg(drawing, name=f"case {seed}", which="as it is wired", picked=device if loop else None)
    return Response(body, media_type="image/svg+xml")
