"""Prove: the roll call, the other measurements, the record."""

from __future__ import annotations

import math
import secrets
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.prove.checks import Field
from volnik.core.prove.record import Occasion
from volnik.drawings.rollcall import live_strip, roll_drawing
from volnik.services.live.now import Live, LiveNow
from volnik.services.path.read import NoBank
from volnik.services.prove import rollcall
from volnik.services.prove.record import keep, prove_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, text, typed_text
from volnik.web.page import page
from volnik.web.routes.who import who, who_given
from volnik.web.security import guarded_form
from volnik.web.state import state_of
from volnik.web.views.prove import prove_desk

router = APIRouter(prefix="/rigs/{rig_id}/prove")


def _given(request: Request, rig_id: int) -> dict[str, Any]:
    context, live = state_of(request).context, state_of(request).live
    calling = rollcall.calling(context, live, rig_id, who=who(request))
    return {
        "head": rig_head(context, rig_id),
        "stage": "prove",
        "calling": calling,
        "desk": prove_desk(calling),
        "view": calling.view,
        "roll": roll_drawing(calling.view.rows),
        "strip": live_strip(calling.time_s, calling.amps, calling.presses),
        "device_name": {device.id: device.device.name for device in calling.view.seen.devices},
        **who_given(request),
    }


def _show(
    request: Request, rig_id: int, template: str = "prove/prove.html", *, status: int = 200, **more: Any
) -> Response:
    empty: dict[str, Any] = {
        "problems": {},
        "typed": {},
        "open_check": "",
        "open_about": "",
        "device": "",
        "corrects": None,
    }
    try:
        given = _given(request, rig_id)
    except NoBank:
        return page(
            request, "prove/none.html", head=rig_head(state_of(request).context, rig_id), stage="prove"
        )
    return page(request, template, status=status, **{**given, **empty, **more})


@router.get("")
def show(
    request: Request,
    rig_id: int,
    *,
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
    live: Live = state_of(request).live
    return live


@router.post("/call")
def call(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Call a device, say that it is on or off, or stop."""
    context, live, what = state_of(request).context, _live(request), text(form, "what")
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
    before, with_a = (decimal(form, name, problems, needed=True) for name in ("before", "with"))
    after, display, clamp = (decimal(form, name, problems) for name in ("after", "display", "clamp"))
    occasion = _occasion(request, rig_id, form, "typed")
    try:
        if problems or before is None or with_a is None:
            raise InvalidInput(problems)
        shown = rollcall.TypedStep(before, with_a, after, display, clamp)
        rollcall.typed(state_of(request).context, rig_id, device, shown, occasion)
    except InvalidInput as wrong:
        return _show(
            request,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=typed_text(form),
            device=device,
            corrects=occasion.corrects,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove#roll", 303)


def _occasion(request: Request, rig_id: int, form: FormData, source: str) -> Occasion:
    """When, by whom and from what a form's figures were measured."""
    corrects = text(form, "corrects")
    return Occasion(
        source,
        who(request),
        _live(request).rig_now(rig_id),
        text(form, "mark") or secrets.token_urlsafe(12),
        int(corrects) if corrects.isdigit() else None,
    )


@router.post("/checks")
def put_check(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep a measurement, from the readings or typed."""
    context, live = state_of(request).context, _live(request)
    problems: dict[str, str] = {}
    check, about = text(form, "check"), text(form, "about")
    view = prove_view(context, rig_id)
    wanted = next((each for each in view.checks if each.key == check and each.about in ("", about)), None)
    fields = wanted.fields if wanted is not None else ()
    given = {field.key: decimal(form, field.key, problems) for field in fields}
    values = {key: value for key, value in given.items() if value is not None}
    source = "live" if _as_shown(fields, values, live.now(rig_id)) else "typed"
    try:
        if problems:
            raise InvalidInput(problems)
        keep(
            context, rig_id, _occasion(request, rig_id, form, source), check=check, about=about, values=values
        )
    except InvalidInput as wrong:
        return _show(
            request,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=typed_text(form),
            open_check=check,
            open_about=about,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove?check={check}#checks", 303)


def _as_shown(fields: tuple[Field, ...], values: dict[str, float], now: LiveNow | None) -> bool:
    """Whether a figure was taken from what a bridge shows now."""
    if now is None or not now.fresh:
        return False
    return any(
        field.live
        and math.isclose(now.values.get(field.live, math.nan), values.get(field.key, math.inf), abs_tol=0.05)
        for field in fields
    )
