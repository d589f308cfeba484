"""The Yard, and this browser's own preferences."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData, UploadFile

from volnik.core.document import MOST_BYTES
from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import Rig
from volnik.services.yard import document, rigs
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.security import guarded_form
from volnik.web.state import state_of
from volnik.web.views.yard import yard_view

router = APIRouter()


@router.get("/")
def show(
    request: Request,
    search: str = "",
    archived: int = 0,
    put_aside: int | None = None,
    edit: int | None = None,
) -> Response:
    """The rigs, most in need first."""
    typed = None
    if edit is not None:
        rig = rigs.rig_head(state_of(request).context, edit).rig
        latitude = "" if rig.latitude is None else f"{rig.latitude:g}"
        typed = {
            "name": rig.name,
            "silhouette": rig.silhouette,
            "what": rig.what,
            "zone": rig.zone,
            "latitude": latitude,
            "climate": rig.climate,
        }
    return _yard(request, search=search, archived=bool(archived), put_aside=put_aside, typed=typed, edit=edit)


def _yard(
    request: Request,
    *,
    search: str = "",
    archived: bool = False,
    put_aside: int | None = None,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    edit: int | None = None,
) -> Response:
    context = state_of(request).context
    strips = rigs.yard(context, search=search, archived=archived)
    aside = rigs.rig_head(context, put_aside).rig if put_aside is not None else None
    form = typed or {
        "name": "",
        "silhouette": "van",
        "what": "",
        "zone": "UTC",
        "latitude": "",
        "climate": "",
    }
    return page(
        request,
        "yard/yard.html",
        status=422 if problems else 200,
        view=yard_view(strips, search=search, archived=archived),
        aside=aside,
        form=form,
        problems=problems or {},
        shop=state_of(request).shop,
        edit=edit,
    )


FIELDS = ("name", "silhouette", "what", "zone", "latitude", "climate")


def _named(request: Request, form: FormData, rig_id: int | None) -> tuple[Rig | None, Response | None]:
    """The rig named by a form, or the form again with what is wrong."""
    typed = {name: text(form, name) for name in FIELDS}
    problems: dict[str, str] = {}
    latitude = decimal(form, "latitude", problems)
    given: dict[str, Any] = {**typed, "latitude": latitude}
    context = state_of(request).context
    try:
        if problems:
            raise rigs.RigRefused(problems)
        return (
            rigs.new_rig(context, **given) if rig_id is None else rigs.rename(context, rig_id, **given)
        ), None
    except rigs.RigRefused as wrong:
        return None, _yard(request, typed=typed, problems=wrong.problems, edit=rig_id)


@router.post("/rigs")
def new(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Take a rig into the yard."""
    rig, again = _named(request, form, None)
    return again if rig is None else RedirectResponse(f"/rigs/{rig.id}/survey", 303)  # type: ignore[return-value]


@router.post("/rigs/{rig_id}/name")
def rename(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Say anew what a rig is and where."""
    rig, again = _named(request, form, rig_id)
    return again if rig is None else RedirectResponse(f"/rigs/{rig.id}/survey", 303)  # type: ignore[return-value]


@router.post("/rigs/document")
def take_in(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Take a rig in from its document."""
    upload = form.get("document")
    try:
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InvalidInput({"document": "Choose a rig document first."})
        rig = document.take_in(state_of(request).context, upload.file.read(MOST_BYTES + 1))
    except InvalidInput as wrong:
        message = " ".join(
            f"{at}: {said}" if at != "document" else said for at, said in list(wrong.problems.items())[:8]
        )
        return _yard(request, problems={"document": message})
    return RedirectResponse(f"/rigs/{rig.id}/survey", 303)


@router.get("/rigs/{rig_id}/document.json")
def give_out(request: Request, rig_id: int) -> Response:
    """The rig as its open document."""
    name = f"volnik-rig-{rig_id}.json"
    return Response(
        document.give_out(state_of(request).context, rig_id),
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="{name}"'},
    )


@router.post("/rigs/{rig_id}/archive")
def archive(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Put a rig aside, or bring it back."""
    back = text(form, "back") == "1"
    rigs.archive(state_of(request).context, rig_id, back=back)
    return RedirectResponse("/" if back else f"/?put_aside={rig_id}", 303)


@router.get("/rigs/{rig_id}")
def rig(request: Request, rig_id: int) -> Response:
    """A rig's first useful page: the furthest stage that has something on record."""
    head = rigs.rig_head(state_of(request).context, rig_id)
    reached = [stage.stage.word for stage in head.stages if stage.stage.built and stage.state != "untouched"]
    return RedirectResponse(f"/rigs/{rig_id}/{reached[-1] if reached else 'survey'}", 303)


@router.post("/preferences")
def prefer(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Set this browser's theme or units."""
    back = urlsplit(text(form, "here")).path or "/"
    answer = RedirectResponse(back if back.startswith("/") and not back.startswith("//") else "/", 303)
    for name, allowed in (("theme", ("day", "night")), ("units", ("metric", "us"))):
        if text(form, name) in allowed:
            answer.set_cookie(f"volnik_{name}", text(form, name), samesite="strict", max_age=400 * 86400)
    return answer
