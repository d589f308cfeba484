"""Running work: its page, its progress, its end."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.jobs.board import Job
from volnik.web.forms.fields import text
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/jobs/{job_id}")
SETTLE_S = 0.9  # what is done sooner needs no progress shown


def settled(request: Request, job: Job, back: str) -> Response:
    """To what a job came to, or to its progress when it takes longer."""
    if state_of(request).jobs.settle(job, SETTLE_S) and job.state == "done":
        return RedirectResponse(job.result["url"], 303)
    return RedirectResponse(f"/jobs/{job.id}?back={back}", 303)


def after_job(request: Request, title: str, work: Callable[[Job], dict[str, Any]], back: str) -> Response:
    """Start a job and go where it leads; `work` returns the address under "url"."""
    return settled(request, state_of(request).jobs.start(title, work), back)


def _job(request: Request, job_id: str) -> Job:
    job: Job | None = state_of(request).jobs.job(job_id)
    if job is None:
        raise HTTPException(404, "That work is finished and forgotten. The Yard shows what came of it.")
    return job


def _back(given: str) -> str:
    return given if given.startswith("/") and not given.startswith("//") else "/"


@router.get("")
def show(request: Request, job_id: str, back: str = "/") -> Response:
    """The progress of a job, or its result."""
    job = _job(request, job_id)
    if job.state == "done" and isinstance(job.result, dict) and "url" in job.result:
        return RedirectResponse(job.result["url"], 303)
    return page(request, "job.html", job=job, back=_back(back))


@router.get("/state")
def state(request: Request, job_id: str) -> dict[str, Any]:
    """How far a job is."""
    job = _job(request, job_id)
    return {"state": job.state, "percent": round(100 * job.progress), "finished": job.finished()}


@router.post("/cancel")
def cancel(request: Request, job_id: str, form: FormData = Depends(guarded_form)) -> Response:
    """Tell a job to stop; it leaves nothing behind."""
    job = _job(request, job_id)
    state_of(request).jobs.cancel(job)
    state_of(request).jobs.settle(job, 2.0)
    return RedirectResponse(f"/jobs/{job_id}?back={_back(text(form, 'back'))}", 303)
