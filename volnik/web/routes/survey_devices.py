"""Survey: devices and where their negatives land, the old gauge, the monitor, photos."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.drawings.lamps import draw_lamps
from volnik.services.path.read import NoBank
from volnik.services.survey.devices import add_lines, change_device, remove_device, set_monitor, turn_kind
from volnik.services.survey.gauge import gauge_view, keep_photo, remove_photo, show_photo
from volnik.services.survey.shelving import keep_kind
from volnik.web.forms.devices import SentDevice, SentKind, SentMonitor, SentPhoto
from volnik.web.forms.path import SentLines
from volnik.web.forms.rested import NOTHING_ASKED, RestAsked
from volnik.web.forms.yard import SentBack
from volnik.web.routes.boards import no_bank, shown_of, survey_board
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.rested import rested_words
from volnik.web.views.survey import gauge_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/survey", route_class=PageRoute)


@router.get("/devices")
@for_everyone
def devices(visit: VisitDep, rig_id: int) -> Response:
    """The devices, and the drawing of what was found."""
    try:
        return survey_board(visit, rig_id, "survey/devices.html", shown_of(visit.query))
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "survey")


@router.get("/devices/board")
@for_everyone
def devices_board(visit: VisitDep, rig_id: int) -> Response:
    """The drawing of what was found, looked at otherwise."""
    return survey_board(visit, rig_id, "survey/_devices.html", shown_of(visit.query))


@router.post("/devices/lines")
@for_installers
def lines(visit: VisitDep, rig_id: int, sent: SentLines) -> Response:
    """Take typed or pasted lines in; those at fault stay in the field with what is wrong."""
    given = sent.read().lines[:60_000]
    entered = add_lines(visit.context, rig_id, given)
    rows = given.replace("\r", "").split("\n")
    left = "\n".join(rows[number - 1] for number in entered.problems if number <= len(rows))
    problems = dict(enumerate(entered.problems.values(), 1))
    added = ",".join(entered.added)
    if problems:
        return survey_board(
            visit, rig_id, "survey/devices.html", {}, typed=left, problems=problems, added=added
        )
    return RedirectResponse(f"/rigs/{rig_id}/survey/devices?added={added}", 303)


@router.post("/devices/{device_id}/kind")
@for_installers
def turn(visit: VisitDep, rig_id: int, device_id: str, sent: SentKind) -> Response:
    """Say what a device is after all."""
    form = sent.read()
    turn_kind(visit.context, rig_id, device_id, form.kind)
    return RedirectResponse(f"/rigs/{rig_id}/survey/devices?added={quote(form.added, safe=',')}", 303)


@router.post("/devices/{device_id}")
@for_installers
def correct(visit: VisitDep, rig_id: int, device_id: str, sent: SentDevice) -> Response:
    """Correct a device, or take it off the list."""
    back = f"/rigs/{rig_id}/survey/devices"
    if sent.pressed() == "remove":
        remove_device(visit.context, rig_id, device_id)
        return RedirectResponse(back, 303)
    try:
        change_device(visit.context, rig_id, device_id, sent.read().model_dump())
        if sent.pressed() == "shelf":
            keep_kind(visit.context, rig_id, device_id)
    except InvalidInput as wrong:
        problems = {key.split(".")[0]: sentence for key, sentence in wrong.problems.items()}
        shown = {"show": f"device:{device_id}", "pick": device_id}
        return survey_board(
            visit,
            rig_id,
            "survey/devices.html",
            shown,
            device_typed=sent.typed,
            device_problems=problems,
        )
    return RedirectResponse(f"{back}?show=device:{device_id}&pick={device_id}", 303)


def _gauge(
    visit: Visit,
    rig_id: int,
    *,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: str = "",
    asked: RestAsked = NOTHING_ASKED,
) -> Response:
    context = visit.context
    try:
        view = gauge_view(context, rig_id)
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "survey")
    return visit.page(
        "survey/gauge.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        view=view,
        shown=gauge_page(view, typed or {}),
        rested=rested_words(asked, view.path.bank, view.chemistry),
        drawing=draw_lamps(view.lamps, reserve=view.reserve, cells=view.path.bank.cells),
        typed=typed or {},
        problems=problems or {},
        stage="survey",
        saved=saved,
    )


@router.get("/gauge")
@for_everyone
def gauge(visit: VisitDep, rig_id: int, asked: Annotated[RestAsked, Query()]) -> Response:
    """What the old gauge's lamps mean, the monitor, the photos; volts read at rest are looked up."""
    return _gauge(visit, rig_id, saved=asked.saved, asked=asked)


@router.post("/gauge")
@for_installers
def keep_gauge(visit: VisitDep, rig_id: int, sent: SentMonitor) -> Response:
    """Keep the gauge's lamps and what is known of the monitor."""
    problems = sent.problems
    if sent.form is not None:
        try:
            set_monitor(visit.context, rig_id, sent.form.monitor())
            return RedirectResponse(f"/rigs/{rig_id}/survey/gauge?saved=gauge", 303)
        except InvalidInput as wrong:
            form = sent.form
            problems = {form.field_of(place): sentence for place, sentence in wrong.problems.items()}
    return _gauge(visit, rig_id, typed=sent.typed, problems=problems)


@router.post("/photos")
@for_the_shop
def add_photo(visit: VisitDep, rig_id: int, sent: SentPhoto) -> Response:
    """Keep a photo: resized, without its location."""
    form = sent.read()
    try:
        if form.photo is None:
            raise InvalidInput({"photo": "Choose a photo first."})
        photo = visit.state.ports.read_photo(form.photo.file)
        keep_photo(visit.context, rig_id, photo, caption=form.caption[:120])
    except InvalidInput as wrong:
        return _gauge(visit, rig_id, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/gauge?saved=photo", 303)


@router.get("/photos/{photo_id}.jpg")
@for_everyone
def photo(visit: VisitDep, rig_id: int, photo_id: int, small: int = 0) -> Response:
    """A photo of the rig."""
    return Response(
        show_photo(visit.context, rig_id, photo_id, small=bool(small)),
        media_type="image/jpeg",
        headers={"cache-control": "private, max-age=86400"},
    )


@router.post("/photos/{photo_id}")
@for_installers
def photo_gone(visit: VisitDep, rig_id: int, photo_id: int, sent: SentBack) -> Response:
    """Take a photo out, or bring it back."""
    back = sent.pressed() == "back"
    remove_photo(visit.context, rig_id, photo_id, back=back)
    saved = "" if back else f"gone-{photo_id}"
    return RedirectResponse(f"/rigs/{rig_id}/survey/gauge?saved={saved}", 303)
