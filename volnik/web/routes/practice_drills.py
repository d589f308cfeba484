"""Practice without tools: twenty logs judged, and sums of a rig and a school's values."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.practice.cases import MOST_SEED
from volnik.core.practice.log_drill import STRIPS, marks, strip_case, strip_log
from volnik.core.practice.numbers_drill import ANSWERS, Solved, Sum, drawn_sum, solved
from volnik.core.practice.progress import Result
from volnik.core.practice.strip import window_of
from volnik.core.watch.strip import ChartMark
from volnik.drawings.resetmap import draw_map
from volnik.drawings.strip import Chart, draw_strip
from volnik.services.practice import results as kept
from volnik.web.forms.practice import LogsAsked, SentLogs, SentSum
from volnik.web.routing import PageRoute, for_the_shop
from volnik.web.views.practice_drills import (
    LOG_ASKED,
    answers_in,
    choices,
    days_of,
    mark_rows,
    sum_heading,
    sum_words,
    summed,
)
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/practice", route_class=PageRoute)
WIDTH, HEIGHT = 1180.0, 400.0


def _number(visit: Visit) -> int:
    return int(visit.context.now() * 1000.0) % (MOST_SEED + 1)


def _known(seed: int) -> int:
    if not 0 <= seed <= MOST_SEED:
        raise HTTPException(404, f"They have numbers up to {MOST_SEED}.")
    return seed


@router.get("/logs/next")
@for_the_shop
def more_logs(visit: VisitDep) -> Response:
    """Twenty others, begun now."""
    return RedirectResponse(f"/practice/logs/{_number(visit)}?began={int(visit.context.now())}", 303)


@router.get("/logs/{seed}")
@for_the_shop
def logs(visit: VisitDep, seed: int, asked: Annotated[LogsAsked, Query()]) -> Response:
    """The log to be judged next; after the last, what came of all of them."""
    given = answers_in(asked.answers)
    at = min(len(given), STRIPS)
    done = at == STRIPS
    if done and 1 <= asked.look <= STRIPS:
        at = asked.look - 1
    shown = _strip(_known(seed), at, visit, told=done) if not done or asked.look else None
    return visit.page(
        "practice/logs.html",
        seed=seed,
        at=STRIPS if done else at + 1,
        count=STRIPS,
        given=asked.answers,
        began=asked.began,
        strip=shown,
        choices=choices(),
        days=days_of(strip_log(strip_case(seed, at))) if not done else [],
        marks=mark_rows(marks(seed, given)) if done else [],
        heading=summed(marks(seed, given), asked.began, visit.context.now()) if done else LOG_ASKED,
        button="The last one" if at + 1 == STRIPS else "Next",
    )


def _strip(seed: int, at: int, visit: Visit, *, told: bool) -> Chart:
    """A strip; told afterwards, the day it began is marked on it."""
    log = strip_log(strip_case(seed, at))
    window = window_of(log, columns=int(WIDTH) - 130)
    if told and strip_case(seed, at).wrongs[0].cause != "sound":
        window.marks.append(ChartMark("begun", log.begun_s, log.begun_s))
    return draw_strip(window, width=WIDTH, height=HEIGHT, zone="UTC", system=visit.system)


@router.post("/logs/{seed}")
@for_the_shop
def judged(visit: VisitDep, seed: int, sent: SentLogs) -> Response:
    """Keep what came of twenty logs."""
    form = sent.read()
    given = answers_in(form.answers)
    for mark in marks(_known(seed), given):
        result = Result(
            visit.who,
            visit.context.now(),
            "log",
            0,
            seed,
            (mark.true_cause,),
            right=mark.is_cause,
            proven=mark.is_day,
        )
        kept.keep(visit.context, result)
    began = form.began if form.began.isdigit() else "0"
    return RedirectResponse(f"/practice/logs/{seed}?began={began}&given={form.answers}", 303)


@lru_cache(maxsize=32)
def _solved(seed: int) -> tuple[Sum, Solved]:
    drawn = drawn_sum(seed)
    return drawn, solved(drawn)


@router.get("/numbers/next")
@for_the_shop
def more_sums(visit: VisitDep) -> Response:
    """Another rig and another school's values."""
    return RedirectResponse(f"/practice/numbers/{_number(visit)}", 303)


@router.get("/numbers/{seed}")
@for_the_shop
def numbers(visit: VisitDep, seed: int, answer: str = "") -> Response:
    """A rig and a school's values; once answered, the map."""
    drawn = drawn_sum(_known(seed))
    told = _solved(seed)[1] if answer in ANSWERS else None
    return visit.page(
        "practice/numbers.html",
        seed=seed,
        said=sum_words(drawn),
        answers=list(ANSWERS.items()),
        answer=answer,
        told=told,
        heading=sum_heading(answer, told.right if told else ""),
        map=draw_map(told.map, None, told.points) if told else None,
        setting=drawn.point,
    )


@router.post("/numbers/{seed}")
@for_the_shop
def predicted(visit: VisitDep, seed: int, sent: SentSum) -> Response:
    """Keep what was predicted."""
    answer = sent.read().answer
    if answer not in ANSWERS:
        raise HTTPException(422, "Choose what you expect.")
    right = _solved(_known(seed))[1].right
    result = Result(
        visit.who,
        visit.context.now(),
        "numbers",
        0,
        seed,
        (f"numbers_{right}",),
        right=answer == right,
    )
    kept.keep(visit.context, result)
    return RedirectResponse(f"/practice/numbers/{seed}?answer={answer}", 303)
