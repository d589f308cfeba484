"""Survey: devices and where their negatives land, the old gauge, the monitor, photos."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData, UploadFile

from volnik.core.errors import InvalidInput
from volnik.services.path.read import NoBank
from volnik.services.survey.devices import add_lines, change_device, remove_device, set_monitor
from volnik.services.survey.gauge import gauge_view, keep_photo, remove_photo, show_photo
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.devices import read_figures
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.routes.boards import look_of, no_bank, survey_board
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/survey")


@router.get("/devices")
def devices(request: Request, rig_id: int) -> Response:
    """The devices, and the drawing of what was found."""
    try:
        return survey_board(request, rig_id, "survey/devices.html", look_of(request.query_params))
    except NoBank as wrong:
        return no_bank(request, rig_id, wrong, "survey")


@router.get("/devices/board")
def devices_board(request: Request, rig_id: int) -> Response:
    """The drawing of what was found, looked at otherwise."""
    return survey_board(request, rig_id, "survey/_devices.html", look_of(request.query_params))


@router.post("/devices/lines")
def lines(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Take typed or pasted lines in; those at fault stay in the field with what is wrong."""
    given = str(form.get("lines", ""))[:60_000]
    entered = add_lines(state_of(request).context, rig_id, given)
    rows = given.replace("\r", "").split("\n")
    left = "\n".join(rows[number - 1] for number in entered.problems if number <= len(rows))
    problems = dict(enumerate(entered.problems.values(), 1))
    if problems:
        return survey_board(request, rig_id, "survey/devices.html", {}, typed=left, problems=problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/devices?added=1", 303)


@router.post("/devices/{device_id}")
def correct(
    request: Request, rig_id: int, device_id: str, form: FormData = Depends(guarded_form)
) -> Response:
    """Correct a device, or take it off the list."""
    context = state_of(request).context
    back = f"/rigs/{rig_id}/survey/devices"
    if text(form, "what") == "remove":
        remove_device(context, rig_id, device_id)
        return RedirectResponse(back, 303)
    try:
        change_device(context, rig_id, device_id, read_figures(form))
    except InvalidInput as wrong:
        typed = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        problems = {key.split(".")[0]: message for key, message in wrong.problems.items()}
        look = {"show": f"device:{device_id}", "pick": device_id}
        return survey_board(
            request, rig_id, "survey/devices.html", look, device_typed=typed, device_problems=problems
        )
    return RedirectResponse(f"{back}?show=device:{device_id}&pick={device_id}", 303)


def _gauge(
    request: Request,
    rig_id: int,
    *,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    saved: str = "",
) -> Response:
    context = state_of(request).context
    try:
        view = gauge_view(context, rig_id)
    except NoBank as wrong:
        return no_bank(request, rig_id, wrong, "survey")
    return page(
        request,
        "survey/gauge.html",
        status=422 if problems else 200,
        head=rig_head(context, rig_id),
        view=view,
        typed=typed or {},
        problems=problems or {},
        stage="survey",
        saved=saved,
    )


@router.get("/gauge")
def gauge(request: Request, rig_id: int, saved: str = "") -> Response:
    """What the old gauge's lamps mean, the monitor, the photos."""
    return _gauge(request, rig_id, saved=saved)


@router.post("/gauge")
def keep_gauge(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep the gauge's lamps and what is known of the monitor."""
    problems: dict[str, str] = {}
    lamps = []
    for at in range(8):
        value = decimal(form, f"lamp{at}", problems)
        if value is not None:
            lamps.append(value)
    given: dict[str, Any] = {
        name: decimal(form, name, problems)
        for name in ("shunt_a", "shunt_mv", "step_a", "smallest_a", "reporting_s")
    }
    given |= {"kind": text(form, "kind"), "dialect": text(form, "dialect"), "lamps_v": tuple(lamps)}
    try:
        if problems:
            raise InvalidInput(problems)
        set_monitor(state_of(request).context, rig_id, given)
    except InvalidInput as wrong:
        typed = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        message = {
            key.split(".")[0] if not key.startswith("lamps_v") else f"lamp{key.split('.')[1]}": said
            for key, said in wrong.problems.items()
        }
        return _gauge(request, rig_id, typed=typed, problems=message)
    return RedirectResponse(f"/rigs/{rig_id}/survey/gauge?saved=gauge", 303)


@router.post("/photos")
def add_photo(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep a photo: resized, without its location."""
    upload = form.get("photo")
    try:
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InvalidInput({"photo": "Choose a photo first."})
        photo = state_of(request).ports.read_photo(upload.file)
        keep_photo(state_of(request).context, rig_id, photo, caption=text(form, "caption")[:120])
    except InvalidInput as wrong:
        return _gauge(request, rig_id, typed={"caption": text(form, "caption")}, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/gauge?saved=photo", 303)


@router.get("/photos/{photo_id}.jpg")
def photo(request: Request, rig_id: int, photo_id: int, small: int = 0) -> Response:
    """A photo of the rig."""
    return Response(
        show_photo(state_of(request).context, rig_id, photo_id, small=bool(small)),
        media_type="image/jpeg",
        headers={"cache-control": "private, max-age=86400"},
    )


@router.post("/photos/{photo_id}")
def photo_gone(
    request: Request, rig_id: int, photo_id: int, form: FormData = Depends(guarded_form)
) -> Response:
    """Take a photo out, or bring it back."""
    remove_photo(state_of(request).context, rig_id, photo_id, back=text(form, "what") == "back")
    return RedirectResponse(
        f"/rigs/{rig_id}/survey/gauge?saved={'' if text(form, 'what') == 'back' else f'gone-{photo_id}'}", 303
    )
