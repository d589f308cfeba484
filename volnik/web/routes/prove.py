"""Prove: the roll call, the other measurements, the record."""

from __future__ import annotations

import math
import secrets
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.drawings.rollcall import live_strip, roll_drawing
from volnik.services.live.now import Live
from volnik.services.path.read import NoBank
from volnik.services.prove import rollcall
from volnik.services.prove.record import keep, prove_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.routes.who import who, who_given
from volnik.web.security import guarded_form

router = APIRouter(prefix="/rigs/{rig_id}/prove")


def _given(request: Request, rig_id: int) -> dict[str, Any]:
    context, live = request.app.state.context, request.app.state.live
    calling = rollcall.calling(context, live, rig_id, who=who(request))
    return {
        "head": rig_head(context, rig_id),
        "stage": "prove",
        "calling": calling,
        "view": calling.view,
        "roll": roll_drawing(calling.view.rows),
        "strip": live_strip(calling.time_s, calling.amps, calling.presses),
        "device_name": {device.id: device.device.name for device in calling.view.seen.devices},
        **who_given(request),
    }


def _show(
    request: Request, rig_id: int, template: str = "prove/prove.html", *, status: int = 200, **more: Any
) -> Response:
    empty = {"problems": {}, "typed": {}, "open_check": "", "open_about": "", "device": "", "corrects": None}
    try:
        given = _given(request, rig_id)
    except NoBank:
        return page(
            request, "prove/none.html", head=rig_head(request.app.state.context, rig_id), stage="prove"
        )
    return page(request, template, status=status, **{**given, **empty, **more})


@router.get("")
def show(
    request: Request,
    rig_id: int,
    check: str = "",
    about: str = "",
    device: str = "",
    corrects: int | None = None,
) -> Response:
    """What is proven of a rig, and what to measure next."""
    return _show(request, rig_id, open_check=check, open_about=about, device=device, corrects=corrects)


@router.get("/desk")
def desk(request: Request, rig_id: int) -> Response:
    """The roll call anew, while readings come in."""
    return _show(request, rig_id, "prove/_desk.html")


@router.get("/record")
def record(request: Request, rig_id: int) -> Response:
    """Every entry of the record, newest first."""
    return _show(request, rig_id, "prove/record.html")


def _live(request: Request) -> Live:
    live: Live = request.app.state.live
    return live


@router.post("/call")
def call(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Call a device, say that it is on or off, or stop."""
    context, live, what = request.app.state.context, _live(request), text(form, "what")
    problems: dict[str, str] = {}
    try:
        if what == "call":
            clamp = decimal(form, "clamp", problems)
            rollcall.begin(context, live, rig_id, text(form, "device"), clamp_a=clamp)
        else:
            display = decimal(form, "display", problems)
            if problems:
                raise InvalidInput(problems)
            rollcall.press(context, live, rig_id, what, display_a=display)
    except InvalidInput as wrong:
        return _show(request, rig_id, "prove/_desk.html", status=422, problems=wrong.problems)
    return _show(request, rig_id, "prove/_desk.html")


@router.post("/typed")
def typed(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """A device proved from what the monitor displays, typed."""
    problems: dict[str, str] = {}
    device = text(form, "device")
    before, with_a = (
        decimal(form, "before", problems, needed=True),
        decimal(form, "with", problems, needed=True),
    )
    after, display, clamp = (decimal(form, name, problems) for name in ("after", "display", "clamp"))
    corrects = text(form, "corrects")
    try:
        if problems or before is None or with_a is None:
            raise InvalidInput(problems)
        rollcall.typed(
            request.app.state.context,
            _live(request),
            rig_id,
            device,
            before_a=before,
            on_a=with_a,
            after_a=after,
            display_a=display,
            clamp_a=clamp,
            who=who(request),
            mark=text(form, "mark") or secrets.token_urlsafe(12),
            corrects=int(corrects) if corrects.isdigit() else None,
        )
    except InvalidInput as wrong:
        message = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        return _show(
            request,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=message,
            device=device,
            corrects=int(corrects) if corrects.isdigit() else None,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove#roll", 303)


@router.post("/checks")
def put_check(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep a measurement, from the readings or typed."""
    context, live = request.app.state.context, _live(request)
    problems: dict[str, str] = {}
    check, about, corrects = text(form, "check"), text(form, "about"), text(form, "corrects")
    view = prove_view(context, rig_id)
    wanted = next((item for item in view.checks if item.key == check and item.about in ("", about)), None)
    values: dict[str, float] = {}
    for item in wanted.fields if wanted is not None else ():
        value = decimal(form, item.key, problems)
        if value is not None:
            values[item.key] = value
    now = live.now(rig_id)
    shown = {} if now is None else now.values
    told_live = wanted is not None and any(
        item.live
        and math.isclose(shown.get(item.live, math.nan), values.get(item.key, math.inf), abs_tol=0.05)
        for item in wanted.fields
    )
    try:
        if problems:
            raise InvalidInput(problems)
        keep(
            context,
            rig_id,
            check=check,
            about=about,
            values=values,
            source="live" if told_live and now is not None and now.fresh else "typed",
            who=who(request),
            time_s=live.rig_now(rig_id),
            mark=text(form, "mark") or secrets.token_urlsafe(12),
            corrects=int(corrects) if corrects.isdigit() else None,
        )
    except InvalidInput as wrong:
        message = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        return _show(
            request,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=message,
            open_check=check,
            open_about=about,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove?check={check}#checks", 303)
