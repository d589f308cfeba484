"""Prove: the roll call, the other measurements, the record."""

from __future__ import annotations

import math
from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.prove.checks import Field
from volnik.core.prove.record import Occasion
from volnik.drawings.rollcall import live_strip, roll_drawing
from volnik.drawings.scale import two_sizes
from volnik.services.live.now import LiveNow
from volnik.services.path.read import NoBank
from volnik.services.prove import rollcall
from volnik.services.prove.photos import keep_proof_photo
from volnik.services.prove.record import keep, prove_view
from volnik.services.watch.usual_day import wanted
from volnik.web.forms.prove import MeasuredForm, SentCall, SentCheck, SentProofPhoto, SentTypedStep
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.views.prove import prove_desk
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/prove", route_class=PageRoute)


def _given(visit: Visit, rig_id: int, chosen: str) -> dict[str, Any]:
    context, live = visit.context, visit.state.live
    calling = rollcall.calling(context, live, rig_id, who=visit.who)
    return {
        "head": visit.head(rig_id),
        "stage": "prove",
        "calling": calling,
        "desk": prove_desk(calling, chosen=chosen),
        "view": calling.view,
        "roll": two_sizes(lambda width: roll_drawing(calling.view.rows, width)),
        "strip": live_strip(calling.time_s, calling.amps, calling.presses),
        "device_name": {row.device.id: row.device.name for row in calling.view.rows},
        **visit.who_given(),
    }


def _show(
    visit: Visit, rig_id: int, template: str = "prove/prove.html", *, status: int = 200, **more: Any
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
        given = _given(visit, rig_id, str(more.get("device", "")))
    except NoBank:
        return visit.page("prove/none.html", head=visit.head(rig_id), stage="prove")
    if template == "prove/prove.html":  # the desk alone is asked for every second
        given["wanted"] = wanted(visit.context, rig_id)
    return visit.page(template, status=status, **{**given, **empty, **more})


@router.get("")
@for_everyone
def show(
    visit: VisitDep,
    rig_id: int,
    *,
    check: str = "",
    about: str = "",
    device: str = "",
    corrects: int | None = None,
) -> Response:
    """What is proven of a rig, and what to measure next."""
    return _show(visit, rig_id, open_check=check, open_about=about, device=device, corrects=corrects)


@router.get("/desk")
@for_everyone
def desk(visit: VisitDep, rig_id: int) -> Response:
    """The roll call anew, while readings come in."""
    return _show(visit, rig_id, "prove/_desk.html")


@router.post("/record/{proof_id}/photos")
@for_the_shop
def put_photo(visit: VisitDep, rig_id: int, proof_id: int, sent: SentProofPhoto) -> Response:
    """Put a photo to an entry of the record."""
    form = sent.read()
    try:
        if form.photo is None or not form.photo.size:
            raise InvalidInput({"photo": "Choose or take a photo first."})
        photo = visit.state.ports.read_photo(form.photo.file)
    except InvalidInput as wrong:
        problems = {f"photo-{proof_id}": " ".join(wrong.problems.values())}
        return _show(visit, rig_id, "prove/record.html", status=422, problems=problems)
    keep_proof_photo(visit.context, rig_id, proof_id, photo, who=visit.who)
    return RedirectResponse(f"/rigs/{rig_id}/prove/record#entry-{proof_id}", 303)


@router.get("/record")
@for_everyone
def record(visit: VisitDep, rig_id: int) -> Response:
    """Every entry of the record, newest first."""
    return _show(visit, rig_id, "prove/record.html")


@router.post("/call")
@for_the_shop
def call(visit: VisitDep, rig_id: int, sent: SentCall) -> Response:
    """Call a device, say that it is on or off, or stop."""
    context, live = visit.context, visit.state.live
    try:
        form = sent.read()
        if form.what == "call":
            rollcall.begin(context, live, rig_id, form.device, clamp_a=form.clamp)
        else:
            rollcall.press(context, live, rig_id, form.what, display_a=form.display)
    except InvalidInput as wrong:
        return _show(visit, rig_id, "prove/_desk.html", status=422, problems=wrong.problems)
    return _show(visit, rig_id, "prove/_desk.html")


@router.post("/typed")
@for_the_shop
def typed(visit: VisitDep, rig_id: int, sent: SentTypedStep) -> Response:
    """A device proved from what the monitor displays, typed."""
    try:
        form = sent.read()
        shown = rollcall.TypedStep(form.before, form.with_device, form.after, form.display, form.clamp)
        occasion = _occasion(visit, rig_id, form, "typed")
        rollcall.typed(visit.context, rig_id, form.device, shown, occasion)
    except InvalidInput as wrong:
        corrects = sent.pressed("corrects")
        return _show(
            visit,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=sent.typed,
            device=sent.pressed("device"),
            corrects=int(corrects) if corrects.isdigit() else None,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove#roll", 303)


def _occasion(visit: Visit, rig_id: int, form: MeasuredForm, source: str) -> Occasion:
    """When, by whom and from what a form's figures were measured."""
    measured_s = visit.state.live.rig_now(rig_id) - form.waited_s
    return Occasion(source, visit.who, measured_s, form.idempotency_key, form.corrected_id)


@router.post("/checks")
@for_the_shop
def put_check(visit: VisitDep, rig_id: int, sent: SentCheck) -> Response:
    """Keep a measurement, from the readings or typed."""
    check, about = sent.pressed("check"), sent.pressed("about")
    try:
        form = sent.read()
        fields = _fields_of(visit, rig_id, check, about)
        measured = form.figures({field.key: field.unit for field in fields})
        is_live = _as_shown(fields, measured, visit.state.live.now(rig_id))
        occasion = _occasion(visit, rig_id, form, "live" if is_live else "typed")
        keep(visit.context, rig_id, occasion, check=check, about=about, values=measured)
    except InvalidInput as wrong:
        return _show(
            visit,
            rig_id,
            status=422,
            problems=wrong.problems,
            typed=sent.typed,
            open_check=check,
            open_about=about,
        )
    return RedirectResponse(f"/rigs/{rig_id}/prove?check={check}#checks", 303)


def _fields_of(visit: Visit, rig_id: int, check: str, about: str) -> tuple[Field, ...]:
    """The figures a check asks for."""
    wanted = (each for each in prove_view(visit.context, rig_id).checks if each.key == check)
    return next((each.fields for each in wanted if each.about in ("", about)), ())


def _as_shown(fields: tuple[Field, ...], values: dict[str, float], now: LiveNow | None) -> bool:
    """Whether a figure was taken from what a bridge shows now."""
    if now is None or not now.fresh:
        return False
    return any(
        field.live
        and math.isclose(now.values.get(field.live, math.nan), values.get(field.key, math.inf), abs_tol=0.05)
        for field in fields
    )
