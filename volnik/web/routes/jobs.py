"""Running work: its page, its progress, its end."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.changes import Stale
from volnik.jobs.board import Job
from volnik.services.acting import acting, acting_as
from volnik.web.forms.yard import SentBack
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.visit import Visit, VisitDep, own_path

router = APIRouter(prefix="/jobs/{job_id}", route_class=PageRoute)
SETTLE_S = 0.9  # what is done sooner needs no progress shown


def settled(visit: Visit, job: Job, back: str) -> Response:
    """To what a job came to, or to its progress when it takes longer."""
    if visit.state.jobs.settle(job, SETTLE_S) and job.state == "done":
        return RedirectResponse(job.result["url"], 303)
    if isinstance(job.wrong, Stale):
        raise job.wrong
    return RedirectResponse(f"/jobs/{job.id}?back={back}", 303)


def after_job(visit: Visit, title: str, work: Callable[[Job], dict[str, Any]], back: str) -> Response:
    """Start a job and go where it leads; `work` returns the address under "url"."""
    who = acting()

    def named(job: Job) -> dict[str, Any]:
        if who is None:
            return work(job)
        with acting_as(who):
            return work(job)

    return settled(visit, visit.state.jobs.start(title, named), back)


def _job(visit: Visit, job_id: str) -> Job:
    job: Job | None = visit.state.jobs.job(job_id)
    if job is None:
        raise HTTPException(404, "That work is finished and forgotten. The Yard shows what came of it.")
    return job


def _percent(job: Job) -> int:
    return round(100 * job.progress)


@router.get("")
@for_everyone
def show(visit: VisitDep, job_id: str, back: str = "/") -> Response:
    """The progress of a job, or its result."""
    job = _job(visit, job_id)
    if job.state == "done" and isinstance(job.result, dict) and "url" in job.result:
        return RedirectResponse(job.result["url"], 303)
    return visit.page("job.html", job=job, back=own_path(back), percent=_percent(job))


@router.get("/state")
@for_everyone
def state(visit: VisitDep, job_id: str) -> dict[str, Any]:
    """How far a job is."""
    job = _job(visit, job_id)
    return {"state": job.state, "percent": _percent(job), "finished": job.finished()}


@router.post("/cancel")
@for_the_shop
def cancel(visit: VisitDep, job_id: str, sent: SentBack) -> Response:
    """Tell a job to stop; it leaves nothing behind."""
    job = _job(visit, job_id)
    visit.state.jobs.cancel(job)
    visit.state.jobs.settle(job, 2.0)
    return RedirectResponse(f"/jobs/{job_id}?back={own_path(sent.read().back)}", 303)
