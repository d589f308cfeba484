"""Watch, record: totals by day, week, month and trip, the whole life, every event; exports."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.drawings.days import draw_days
from volnik.jobs.board import Job
from volnik.services.watch import notes
from volnik.services.watch.sums import BY, sums_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import instant, text
from volnik.web.page import page
from volnik.web.routes.jobs import after_job
from volnik.web.routes.watch_ahead import read_log
from volnik.web.routes.who import who
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/watch")
WHAT = {"readings": "readings", "counted": "counted series", "totals": "totals"}
FORMS = {"csv": "CSV", "jsonl": "JSON Lines", "parquet": "Parquet"}


def _show(request: Request, rig_id: int, by: str, **more: Any) -> Response:
    context = state_of(request).context
    if state_of(request).live.now(rig_id) is not None:
        state_of(request).ingest.catch_up(rig_id)
    head = rig_head(context, rig_id)
    view = sums_view(context, rig_id, by)
    if view.waiting:
        return read_log(request, rig_id, f"/rigs/{rig_id}/watch/sums?by={by}")
    drawing = (
        draw_days(view.rows, view.resets, zone=head.rig.zone, by=by)
        if view.rows is not None and len(view.rows)
        else None
    )
    return page(
        request,
        "watch/sums.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="sums",
        view=view,
        by=by,
        drawing=drawing,
        note_kinds=notes.KINDS,
        **{"problems": {}, "typed": {}, **more},
    )


@router.get("/sums")
def show(request: Request, rig_id: int, by: str = "day") -> Response:
    """The records of a rig."""
    return _show(request, rig_id, by if by in BY else "day")


@router.post("/trips")
def put_trip(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Name a stretch of the log."""
    head = rig_head(state_of(request).context, rig_id)
    problems: dict[str, str] = {}
    start_s, end_s = (
        instant(form, "start", head.rig.zone, problems),
        instant(form, "end", head.rig.zone, problems),
    )
    name = " ".join(text(form, "name").split())
    if not 1 <= len(name) <= 60:
        problems["name"] = "A trip has a name of 1 to 60 letters."
    if start_s is not None and end_s is not None and end_s <= start_s:
        problems["end"] = "A trip ends after it begins."
    if not problems and start_s is not None:
        try:
            notes.add(
                state_of(request).context,
                rig_id,
                "trip",
                time_s=start_s,
                who=who(request),
                body={"name": name, "end_s": end_s},
                now_s=state_of(request).live.rig_now(rig_id),
            )
            return RedirectResponse(f"/rigs/{rig_id}/watch/sums#trips", 303)
        except InvalidInput as wrong:
            problems = {"start": next(iter(wrong.problems.values()))}
    return _show(
        request,
        rig_id,
        "day",
        problems=problems,
        typed={key: text(form, key) for key in ("start", "end", "name")},
    )


@router.post("/export")
def export(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Write readings, the counted series or totals to a file."""
    what, form_key, by = text(form, "what"), text(form, "form"), text(form, "by") or "day"
    if what not in WHAT or form_key not in FORMS or by not in BY:
        raise HTTPException(422, "Choose what to export, and how.")
    hands = state_of(request).ports

    def work(job: Job) -> dict[str, Any]:
        token = hands.export(rig_id, what=what, form=form_key, by=by, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch/export/{token}"}

    return after_job(
        request, f"Writing the {WHAT[what]} as {FORMS[form_key]}", work, f"/rigs/{rig_id}/watch/sums"
    )


@router.get("/export/{token}")
def fetch(request: Request, rig_id: int, token: str) -> Response:
    """The file that was written, once."""
    found = state_of(request).ports.exported(token)
    if found is None:
        raise HTTPException(404, "That file was fetched already, or never written. Export it again.")
    path, name = found
    return FileResponse(path, filename=name, background=BackgroundTask(path.unlink, missing_ok=True))
