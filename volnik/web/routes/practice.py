"""Practice: a case is looked at, mended, concluded, told afterwards; its moves stand in the address."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.path.cases import solve_case
from volnik.core.practice.cases import AT_LEVEL, MOST_LEVEL, MOST_SEED, drawn
from volnik.core.practice.files import MOST_BYTES, as_file, from_file
from volnik.core.practice.lessons import LESSON_LEVEL, LESSONS, lesson_seed, seed_with
from volnik.core.practice.log import log_of
from volnik.core.practice.progress import next_cause
from volnik.core.practice.search import Searcher
from volnik.core.practice.strip import window_of
from volnik.drawings.path import draw_board
from volnik.drawings.strip import Chart, draw_strip
from volnik.jobs.board import Job
from volnik.services.practice import results as kept
from volnik.web.forms.practice import PracticeAsked, SentCaseFile, SentConclusion
from volnik.web.routes.jobs import after_job
from volnik.web.routes.path import board_svg, drawn_svg
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.views.practice import address_of, moves_in, practice_page, result_of
from volnik.web.views.practice_people import lesson_rows, people_heading, people_rows
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
    """Levels, lessons, logs, sums; a case is drawn by the moment and by what was missed."""
    return _contents(visit)


def _contents(visit: Visit, problems: dict[str, str] | None = None) -> Response:
    own = kept.results(visit.context, visit.who)
    return visit.page(
        "practice/contents.html",
        status=422 if problems else 200,
        levels=LEVELS,
        lessons=lesson_rows(own, visit.context.now()),
        problems=problems or {},
        **visit.who_given(),
    )


@router.get("/people")
@for_the_shop
def people(visit: VisitDep) -> Response:
    """Who practised what, for the shop's owner."""
    rows = people_rows(kept.results(visit.context))
    return visit.page("practice/people.html", people=rows, heading=people_heading(rows))


@router.post("/open")
@for_the_shop
def open_file(visit: VisitDep, sent: SentCaseFile) -> Response:
    """Open a case from its file, with what was done in it."""
    upload = sent.read().file
    try:
        if upload is None:
            raise InvalidInput({"file": "Choose a file that was saved from a case."})
        opened, moves = from_file(upload.file.read(MOST_BYTES + 1))
    except InvalidInput as wrong:
        return _contents(visit, wrong.problems)
    return RedirectResponse(_address(opened.level, opened.seed, moves), 303)


@router.get("/lessons/{cause}")
@for_the_shop
def lesson(visit: VisitDep, cause: str) -> Response:
    """The case that teaches a cause."""
    if cause not in {each.cause for each in LESSONS}:
        raise HTTPException(404, "There is no such lesson.")
    return RedirectResponse(_address(LESSON_LEVEL, lesson_seed(cause)), 303)


@router.get("/{level}/next")
@for_the_shop
def following(visit: VisitDep, level: int) -> Response:
    """Another case of a level: what was missed comes again, sooner."""
    if level not in AT_LEVEL:
        raise HTTPException(404, f"Cases have levels 1 to {MOST_LEVEL}.")
    now_s = visit.context.now()
    seed = int(now_s * 1000.0) % (MOST_SEED - 10_000)
    if AT_LEVEL[level]:
        cause = next_cause(kept.results(visit.context, visit.who), AT_LEVEL[level], now_s)
        seed = seed_with(cause, level, seed)
    return RedirectResponse(_address(level, seed), 303)


def _address(level: int, seed: int, taken: str = "", answer: str = "") -> str:
    given = {key: value for key, value in (("taken", taken), ("answer", answer)) if value}
    return f"/practice/{level}/{seed}" + (f"?{urlencode(given)}" if given else "")


@router.get("/{level}/{seed}")
@for_the_shop
def case(visit: VisitDep, level: int, seed: int, asked: Annotated[PracticeAsked, Query()]) -> Response:
    """A case with the moves made so far, or what came of a conclusion."""
    searcher = _case(level, seed)
    shown = practice_page(searcher, moves_in(asked.moves, searcher), asked.answer[:200])
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


@router.post("/{level}/{seed}/conclude")
@for_the_shop
def conclude(visit: VisitDep, level: int, seed: int, sent: SentConclusion) -> Response:
    """Keep what somebody came to, and go where it is told; the soonest way is sought as a job."""
    form, searcher = sent.read(), _case(level, seed)
    moves = moves_in(form.taken, searcher)
    who, now_s = visit.who, visit.context.now()
    taken = ",".join(map(address_of, moves))
    back = _address(level, seed, taken)

    def work(job: Job) -> dict[str, str]:
        result = result_of(searcher, moves, form.concluded, who=who, at_s=now_s)
        kept.keep(visit.context, result)
        return {"url": _address(level, seed, taken, form.concluded)}

    return after_job(visit, "The soonest way is sought", work, back)


@router.get("/{level}/{seed}/case.json")
@for_the_shop
def give_out(visit: VisitDep, level: int, seed: int, taken: str = "") -> Response:
    """The case as a file that holds it whole, with what was done in it."""
    searcher = _case(level, seed)
    moves = ",".join(map(address_of, moves_in(taken, searcher)))
    return Response(
        as_file(searcher.case, moves),
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="volnik-case-{level}-{seed}.json"'},
    )


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
