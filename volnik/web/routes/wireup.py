"""Wire-up: the steps as cards for the bay and as a list, ticks as they come, photos, the closing."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import FormData, UploadFile

from volnik.core.errors import InvalidInput
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import PHASES
from volnik.drawings.wireup import live_chart
from volnik.services.numbers.sheets import sheet_lines
from volnik.services.path.read import NoBank
from volnik.services.wireup.job import JobView, SentPhoto, close_job, job_view, keep_step_photo, take_ticks
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import text
from volnik.web.page import page
from volnik.web.routes.who import who, who_given
from volnik.web.security import guarded_form, guarded_json
from volnik.web.state import state_of
from volnik.web.views.wireup import wireup_view

router = APIRouter(prefix="/rigs/{rig_id}/wireup")
MOST_TICKS = 500


def _view(request: Request, rig_id: int) -> JobView:
    context = state_of(request).context
    lines, dialect = sheet_lines(context, rig_id)
    return job_view(context, rig_id, sheet=lines, dialect=dialect)


def _show(request: Request, rig_id: int, template: str, *, status: int = 200, **more: Any) -> Response:
    head = rig_head(state_of(request).context, rig_id)
    try:
        view = _view(request, rig_id)
    except NoBank:
        return page(request, "wireup/none.html", head=head, stage="wireup", why="bank")
    if not view.planned or not view.status.steps:
        why = "plan" if not view.planned else "stands" if view.stood_from_s is not None else "nothing"
        return page(request, "wireup/none.html", head=head, stage="wireup", why=why, view=view)
    return page(
        request,
        template,
        status=status,
        head=head,
        stage="wireup",
        view=wireup_view(view, head.rig),
        chart=live_chart(view.status),
        phases=PHASES,
        schools=CLOSING,
        **who_given(request),
        **{"problems": {}, **more},
    )


@router.get("")
def show(request: Request, rig_id: int) -> Response:
    """The steps of a rig, one card each, in one page."""
    return _show(request, rig_id, "wireup/wireup.html")


@router.get("/list")
def show_list(request: Request, rig_id: int) -> Response:
    """The steps as a list, to be read over or printed."""
    return _show(request, rig_id, "wireup/list.html")


def steps_status(view: JobView) -> dict[str, Any]:
    """Where every step stands, as plain values for the page's script."""
    return {
        "settled": view.status.settled,
        "steps": {
            step.step.key: {
                "state": step.state,
                "before": step.before,
                "who": step.tick.who if step.tick else "",
                "time_s": step.tick.time_s if step.tick else None,
                "notes": [note.body.get("text", "") for note in step.notes],
                "photos": [photo.body.get("photo") for photo in step.photos],
            }
            for step in view.status.steps
        },
    }


@router.post("/ticks")
async def put_ticks(request: Request, rig_id: int, body: Any = Depends(guarded_json)) -> Response:
    """Keep ticks as a browser sends them, now or after it was away: each once, in its order."""
    sent = body.get("ticks") if isinstance(body, dict) else None
    if (
        not isinstance(sent, list)
        or len(sent) > MOST_TICKS
        or not all(isinstance(item, dict) for item in sent)
    ):
        return JSONResponse({"error": f"Ticks are a list of at most {MOST_TICKS} objects."}, 422)
    from fastapi.concurrency import run_in_threadpool

    context = state_of(request).context
    answers = await run_in_threadpool(take_ticks, context, rig_id, sent, who=who(request))
    view = await run_in_threadpool(_view, request, rig_id)
    message = [
        {"mark": sent_tick.mark, "kept": sent_tick.kept, "why": sent_tick.why} for sent_tick in answers
    ]
    return JSONResponse({"ticks": message, **steps_status(view)})


@router.post("/photos")
def put_photo(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep a photo with its step."""
    file, step = form.get("file"), text(form, "step")
    if not isinstance(file, UploadFile) or not file.size:
        return JSONResponse({"error": "Choose or take a photo first."}, 422)
    try:
        ready = state_of(request).ports.read_photo(file.file)
        sent = SentPhoto(text(form, "mark"), step, ready)
        photo = keep_step_photo(state_of(request).context, rig_id, sent, who=who(request))
    except InvalidInput as wrong:
        return JSONResponse({"error": " ".join(wrong.problems.values())}, 422)
    return JSONResponse({"photo": photo, **steps_status(_view(request, rig_id))})


@router.post("/close")
def close(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Close Wire-up: the plan stands from now on."""
    try:
        close_job(state_of(request).context, rig_id, who=who(request))
    except InvalidInput as wrong:
        return _show(request, rig_id, "wireup/wireup.html", status=422, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/prove", 303)
