"""Watch, record: totals by day, week, month and trip, the whole life, every event; exports."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from volnik.core.errors import InvalidInput
from volnik.core.watch.own_history import FIELDS
from volnik.drawings.cycles import CyclesDrawing, draw_cycles
from volnik.drawings.days import draw_days
from volnik.drawings.scale import TwoSizes, two_sizes
from volnik.jobs.board import Job
from volnik.services.watch import notes
from volnik.services.watch.own_history import keep_own_history, own_histories
from volnik.services.watch.sums import BY, SumsView, sums_view
from volnik.web.forms.posted import at_s
from volnik.web.forms.watch import OwnHistoryForm, SentExport, SentOwnHistory, SentTrip, TripForm
from volnik.web.routes.jobs import after_job
from volnik.web.routes.watch_ahead import read_log
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.watch_sums import own_page, sums_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)


def _show(visit: Visit, rig_id: int, by: str, **more: Any) -> Response:
    context = visit.context
    visit.catch_up(rig_id)
    head = visit.head(rig_id)
    view = sums_view(context, rig_id, by)
    if view.waiting:
        return read_log(visit, rig_id, f"/rigs/{rig_id}/watch/sums?by={by}")
    drawing = (
        draw_days(view.rows, view.resets, zone=head.rig.zone, by=BY[by])
        if view.rows is not None and len(view.rows)
        else None
    )
    return visit.page(
        "watch/sums.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="sums",
        view=view,
        by=by,
        rows_by=BY[by],
        drawing=drawing,
        cycles=_cycles(view, head.rig.zone) if by == "cycle" else None,
        note_kinds=notes.KINDS,
        exports=visit.state.ports.exports(BY[by]),
        export_forms=visit.state.ports.export_forms(),
        shown=sums_page(view, head.rig.zone, visit.system),
        own=own_page(own_histories(context, rig_id, view), head.rig.zone),
        own_fields=FIELDS,
        own_faulty=any(f"own_{name}" in more.get("problems", {}) for name in OwnHistoryForm.model_fields),
        **{"problems": {}, "typed": {}, **more},
    )


def _cycles(view: SumsView, zone: str) -> TwoSizes[CyclesDrawing | None] | None:
    """The cycles drawn, None while none was seen."""
    reserve_pct = 0.0 if view.now is None else view.now.numbers.reserve_pct
    cycles = list(view.cycles)
    if not cycles:
        return None
    return two_sizes(lambda width: draw_cycles(cycles, zone=zone, reserve_pct=reserve_pct, width=width))


@router.get("/sums")
@for_everyone
def show(visit: VisitDep, rig_id: int, by: str = "cycle") -> Response:
    """The records of a rig."""
    return _show(visit, rig_id, by if by in BY else "cycle")


@router.post("/trips")
@for_installers
def put_trip(visit: VisitDep, rig_id: int, sent: SentTrip) -> Response:
    """Name a stretch of the log."""
    zone = visit.head(rig_id).rig.zone
    try:
        form = sent.read()
        notes.add(
            visit.context,
            rig_id,
            "trip",
            time_s=at_s(form.start, zone),
            who=visit.who,
            body={"name": form.title, "end_s": at_s(form.end, zone)},
            now_s=visit.state.live.rig_now(rig_id),
        )
    except InvalidInput as wrong:
        problems = {_trip_field(name): sentence for name, sentence in wrong.problems.items()}
        return _show(visit, rig_id, "day", problems=problems, typed=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/watch/sums#trips", 303)


def _trip_field(name: str) -> str:
    """What the record itself refuses, it refuses because of when the trip begins."""
    return name if name in TripForm.model_fields else "start"


@router.post("/own-history")
@for_the_shop
def put_own_history(visit: VisitDep, rig_id: int, sent: SentOwnHistory) -> Response:
    """Keep what the monitor's own history page says."""
    zone = visit.head(rig_id).rig.zone
    try:
        form = sent.read()
        keep_own_history(
            visit.context,
            rig_id,
            form.figures,
            time_s=at_s(form.time, zone),
            who=visit.who,
            now_s=visit.state.live.rig_now(rig_id),
        )
    except InvalidInput as wrong:
        problems = {f"own_{name}": sentence for name, sentence in wrong.problems.items()}
        return _show(visit, rig_id, "cycle", problems=problems, typed=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/watch/sums#own", 303)


@router.post("/export")
@for_installers
def export(visit: VisitDep, rig_id: int, sent: SentExport) -> Response:
    """Write readings, the counted series or totals to a file."""
    form = sent.read()
    by = form.by or "day"
    ports = visit.state.ports
    what, forms = ports.exports(by), ports.export_forms()
    if form.what not in what or form.form not in forms or by not in BY:
        raise HTTPException(422, "Choose what to export, and how.")

    def work(job: Job) -> dict[str, Any]:
        token = ports.export(rig_id, what=form.what, form=form.form, by=by, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch/export/{token}"}

    title = f"Writing the {what[form.what]} as {forms[form.form]}"
    return after_job(visit, title, work, f"/rigs/{rig_id}/watch/sums")


@router.get("/export/{token}")
@for_everyone
def fetch(visit: VisitDep, rig_id: int, token: str) -> Response:
    """The file that was written, once."""
    found = visit.state.ports.exported(token)
    if found is None:
        raise HTTPException(404, "That file was fetched already, or never written. Export it again.")
    path, name = found
    return FileResponse(path, filename=name, background=BackgroundTask(path.unlink, missing_ok=True))
