"""Alarms and relay set-points: one list, each on its scale, changed in place."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import KINDS
from volnik.drawings.alarms import alarm_scale
from volnik.services.numbers.alarms import AlarmsView, alarms_view, save_alarm, step_back
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, text, whole
from volnik.web.page import page
from volnik.web.routes.numbers_map import or_missing
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/numbers/alarms")


def _show(request: Request, rig_id: int, **more: Any) -> Response:
    view = or_missing(request, rig_id, "alarms", lambda: alarms_view(state_of(request).context, rig_id))
    if isinstance(view, Response):
        return view
    assert isinstance(view, AlarmsView)
    at: dict[str, list[Any]] = {}
    for finding in view.findings:
        at.setdefault(finding.at.removeprefix("alarms."), []).append(finding)
    return page(
        request,
        "numbers/alarms.html",
        status=422 if more.get("problems") else 200,
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        part="alarms",
        view=view,
        kinds=KINDS,
        at=at,
        scales={
            alarm.key: alarm_scale(alarm, view.given.vehicle, view.given.numbers, fuse_a=view.fuse_a)
            for alarm in view.alarms.alarms
        },
        **{"problems": {}, "typed": {}, "open_key": "", **more},
    )


@router.get("")
def show(request: Request, rig_id: int, key: str = "") -> Response:
    """The list of a rig."""
    return _show(request, rig_id, open_key=key)


@router.post("")
def put(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Change one alarm."""
    problems: dict[str, str] = {}
    key = text(form, "key")
    level, release = (
        decimal(form, "level", problems, needed=True),
        decimal(form, "release", problems, needed=True),
    )
    delay = decimal(form, "delay_s", problems, needed=True)
    quiet_from, quiet_to = decimal(form, "quiet_from", problems), decimal(form, "quiet_to", problems)
    most = whole(form, "most_a_day", problems)
    if (quiet_from is None) != (quiet_to is None) and not {"quiet_from", "quiet_to"} & set(problems):
        problems["quiet_to"] = "Quiet hours have a beginning and an end, or neither."
    values = {
        "key": key,
        "level": level,
        "release": release,
        "delay_s": delay,
        "quiet": None if quiet_from is None else (quiet_from, quiet_to),
        "monitor": bool(form.get("monitor")),
        "volnik": bool(form.get("volnik")),
        "on": bool(form.get("on")),
        **({} if most is None else {"most_a_day": most}),
    }
    try:
        if problems or key not in KINDS:
            raise InvalidInput(problems or {"level": "There is no such alarm."})
        save_alarm(state_of(request).context, rig_id, values, reason=f"{KINDS[key].name.lower()} changed")
    except InvalidInput as wrong:
        named = {
            at.removeprefix("document.").removesuffix(".0").removesuffix(".1"): message
            for at, message in wrong.problems.items()
        }
        message = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        return _show(request, rig_id, problems=named, typed=message, open_key=key)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/alarms?key={key}", 303)


@router.post("/undo")
def undo(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Bring back the list before the last change."""
    step_back(state_of(request).context, rig_id)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/alarms", 303)
