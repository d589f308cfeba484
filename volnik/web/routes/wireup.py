"""Wire-up: the steps as cards for the bay and as a list, ticks as they come, photos, the closing."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse, RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.wireup.pins import photos_by_step
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import PHASES
from volnik.drawings.wireup import live_chart
from volnik.services.numbers.sheets import sheet_lines
from volnik.services.path.read import NoBank
from volnik.services.survey.pins import pinned_photos
from volnik.services.wireup.job import JobView, SentPhoto, close_job, job_view, keep_step_photo, take_ticks
from volnik.web.forms.wireup import TICKS_BODY, SentClose, SentStepPhoto, SentTicks
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.wireup import wireup_view
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/wireup", route_class=PageRoute)


def _view(visit: Visit, rig_id: int) -> JobView:
    context = visit.context
    lines, dialect = sheet_lines(context, rig_id)
    return job_view(context, rig_id, sheet=lines, dialect=dialect)


def _show(visit: Visit, rig_id: int, template: str, *, status: int = 200, **more: Any) -> Response:
    head = visit.head(rig_id)
    try:
        view = _view(visit, rig_id)
    except NoBank:
        return visit.page("wireup/none.html", head=head, stage="wireup", why="bank")
    if not view.planned or not view.status.steps:
        why = "plan" if not view.planned else "stands" if view.stood_from_s is not None else "nothing"
        return visit.page("wireup/none.html", head=head, stage="wireup", why=why, view=view)
    return visit.page(
        template,
        status=status,
        head=head,
        stage="wireup",
        view=wireup_view(view, head.rig),
        chart=live_chart(view.status),
        phases=PHASES,
        schools=CLOSING,
        **pins_for(visit, rig_id, view),
        **visit.who_given(),
        **{"problems": {}, "in_spite": "", **more},
    )


def pins_for(visit: Visit, rig_id: int, view: JobView) -> dict[str, Any]:
    """The photos with pins, and at which steps they are shown."""
    photos = pinned_photos(visit.context, rig_id)
    pins = [pin for photo in photos.values() for pin in photo.pins]
    steps = [status.step for status in view.status.steps]
    return {"pinned_by": photos, "pins_at": photos_by_step(pins, steps)}


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int) -> Response:
    """The steps of a rig, one card each, in one page."""
    return _show(visit, rig_id, "wireup/wireup.html")


@router.get("/list")
@for_everyone
def show_list(visit: VisitDep, rig_id: int, long: bool = False) -> Response:
    """The steps as a list, to be read over or printed: in short, or with every how."""
    return _show(visit, rig_id, "wireup/list.html", long=long)


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


@router.post("/ticks", openapi_extra=TICKS_BODY)
@for_the_shop
def put_ticks(visit: VisitDep, rig_id: int, batch: SentTicks) -> Response:
    """Keep ticks as a browser sends them, now or after it was away: each once, in its order."""
    answers = take_ticks(visit.context, rig_id, batch.ticks, who=visit.who)
    taken = [{"mark": answer.mark, "kept": answer.kept, "why": answer.why} for answer in answers]
    return JSONResponse({"ticks": taken, **steps_status(_view(visit, rig_id))})


@router.post("/photos")
@for_the_shop
def put_photo(visit: VisitDep, rig_id: int, sent: SentStepPhoto) -> Response:
    """Keep a photo with its step."""
    form = sent.read()
    if form.file is None or not form.file.size:
        raise InvalidInput({"file": "Choose or take a photo first."})
    photo = SentPhoto(form.mark, form.step, visit.state.ports.read_photo(form.file.file))
    kept = keep_step_photo(visit.context, rig_id, photo, who=visit.who)
    return JSONResponse({"photo": kept, **steps_status(_view(visit, rig_id))})


@router.post("/close")
@for_installers
def close(visit: VisitDep, rig_id: int, sent: SentClose) -> Response:
    """Close Wire-up: the plan stands from now on."""
    typed = sent.typed.get("in_spite", "")
    try:
        close_job(visit.context, rig_id, who=visit.who, in_spite=typed)
    except InvalidInput as wrong:
        problems = wrong.problems
        return _show(visit, rig_id, "wireup/wireup.html", status=422, problems=problems, in_spite=typed)
    return RedirectResponse(f"/rigs/{rig_id}/prove", 303)
