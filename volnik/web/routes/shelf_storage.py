"""The Shelf, storage: what readings take up, and the shop's rule for old ones."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.jobs.board import Job
from volnik.services.log.retention import set_rule, storage_view, thin
from volnik.web.forms.fields import decimal, text
from volnik.web.forms.parts import TITLES
from volnik.web.page import page
from volnik.web.routes.jobs import after_job
from volnik.web.routes.who import who
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/shelf/storage")


def _show(request: Request, **more: Any) -> Response:
    return page(
        request,
        "shelf/storage.html",
        status=422 if more.get("problems") else 200,
        titles=TITLES,
        kind="storage",
        view=storage_view(state_of(request).context),
        **{"problems": {}, "typed": {}, "thinned": request.query_params.get("thinned", ""), **more},
    )


@router.get("")
def show(request: Request) -> Response:
    """What is stored."""
    return _show(request)


@router.post("")
def put(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Keep the rule."""
    problems: dict[str, str] = {}
    months, step = decimal(form, "months", problems), decimal(form, "step_s", problems)
    try:
        if problems:
            raise InvalidInput(problems)
        set_rule(state_of(request).context, {"months": months, **({} if step is None else {"step_s": step})})
    except InvalidInput as wrong:
        return _show(
            request,
            problems=dict(wrong.problems),
            typed={name: text(form, name) for name in ("months", "step_s")},
        )
    return RedirectResponse("/shelf/storage", 303)


@router.post("/{rig_id}")
def thin_one(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Thin one rig's old readings by the rule."""
    context, name = state_of(request).context, who(request)

    def work(job: Job) -> dict[str, Any]:
        gone = thin(context, rig_id, who=name, on_progress=job.on_progress)
        return {"url": f"/shelf/storage?thinned={gone}"}

    return after_job(request, "Thinning old readings and counting anew", work, "/shelf/storage")
