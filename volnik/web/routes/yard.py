"""The Yard, and this browser's own preferences."""

from __future__ import annotations

from urllib.parse import urlsplit

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.document import MOST_BYTES
from volnik.core.errors import InvalidInput
from volnik.core.rig.languages import LANGUAGES
from volnik.services.yard import document, rigs
from volnik.web.forms.posted import Posted
from volnik.web.forms.yard import RigForm, SentBack, SentDocument, SentPreference, SentRig
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.security import paired_of
from volnik.web.tour import DEMO_KEY
from volnik.web.views.yard import yard_view
from volnik.web.visit import Visit, VisitDep, own_path

router = APIRouter(route_class=PageRoute)


@router.get("/")
@for_everyone
def show(
    visit: VisitDep,
    *,
    search: str = "",
    archived: int = 0,
    put_aside: int | None = None,
    edit: int | None = None,
    every: int = 0,
) -> Response:
    """The rigs, most in need first; who owns one is led to it, an empty shop to its first job."""
    paired = paired_of(visit.request)
    if paired is not None and paired.role == "owner":
        return RedirectResponse(f"/rigs/{paired.rig_id}/owner", 303)
    plans = paired is None or paired.role == "installer"
    if plans and not visit.query and rigs.is_empty(visit.context):
        return RedirectResponse("/quick", 303)
    typed = None
    if edit is not None:
        rig = visit.head(edit).rig
        latitude = "" if rig.latitude is None else f"{rig.latitude:g}"
        typed = {
            "name": rig.name,
            "silhouette": rig.silhouette,
            "what": rig.what,
            "zone": rig.zone,
            "latitude": latitude,
            "climate": rig.climate,
            "language": rig.language,
        }
    return show_yard(
        visit,
        search=search,
        archived=bool(archived),
        put_aside=put_aside,
        typed=typed,
        edit=edit,
        every=bool(every),
    )


def show_yard(
    visit: Visit,
    *,
    search: str = "",
    archived: bool = False,
    put_aside: int | None = None,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    edit: int | None = None,
    every: bool = False,
) -> Response:
    context = visit.context
    strips = rigs.yard(context, search=search, archived=archived)
    aside = visit.head(put_aside).rig if put_aside is not None else None
    form = typed or {
        "name": "",
        "silhouette": "van",
        "what": "",
        "zone": "UTC",
        "latitude": "",
        "climate": "",
        "language": "en",
    }
    return visit.page(
        "yard/yard.html",
        status=422 if problems else 200,
        view=yard_view(strips, search=search, archived=archived, every=every),
        aside=aside,
        form=form,
        languages=list(LANGUAGES.items()),
        problems=problems or {},
        shop=visit.state.shop,
        edit=edit,
        demo=rigs.rig_of_demo(context, DEMO_KEY) is not None,
    )


def _named(visit: Visit, sent: Posted[RigForm], rig_id: int | None) -> Response:
    """Take the named rig in, or name it anew; the form again with what is wrong."""
    try:
        given = sent.read().model_dump()
        rig = (
            rigs.new_rig(visit.context, **given)
            if rig_id is None
            else rigs.rename(visit.context, rig_id, **given)
        )
    except InvalidInput as wrong:
        return show_yard(visit, typed=sent.typed, problems=wrong.problems, edit=rig_id)
    return RedirectResponse(f"/rigs/{rig.id}/survey", 303)


@router.get("/rigs")
@for_the_shop
def rigs_are_in_the_yard() -> Response:
    """The address a new rig is sent to, asked again by hand: the Yard."""
    return RedirectResponse("/", 303)


@router.post("/rigs")
@for_installers
def new(visit: VisitDep, sent: SentRig) -> Response:
    """Take a rig into the yard."""
    return _named(visit, sent, None)


@router.post("/rigs/{rig_id}/name")
@for_installers
def rename(visit: VisitDep, rig_id: int, sent: SentRig) -> Response:
    """Say anew what a rig is and where."""
    return _named(visit, sent, rig_id)


@router.post("/rigs/document")
@for_installers
def take_in(visit: VisitDep, sent: SentDocument) -> Response:
    """Take a rig in from its document."""
    upload = sent.read().document
    try:
        if upload is None:
            raise InvalidInput({"document": "Choose a rig document first."})
        rig = document.take_in(visit.context, upload.file.read(MOST_BYTES + 1))
    except InvalidInput as wrong:
        message = " ".join(
            f"{at}: {said}" if at != "document" else said for at, said in list(wrong.problems.items())[:8]
        )
        return show_yard(visit, problems={"document": message})
    return RedirectResponse(f"/rigs/{rig.id}/survey", 303)


@router.get("/rigs/{rig_id}/document.json")
@for_everyone
def give_out(visit: VisitDep, rig_id: int) -> Response:
    """The rig as its open document."""
    name = f"volnik-rig-{rig_id}.json"
    return Response(
        document.give_out(visit.context, rig_id),
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="{name}"'},
    )


@router.post("/rigs/{rig_id}/archive")
@for_installers
def archive(visit: VisitDep, rig_id: int, sent: SentBack) -> Response:
    """Put a rig aside, or bring it back."""
    back = sent.read().back == "1"
    rigs.archive(visit.context, rig_id, back=back)
    return RedirectResponse("/" if back else f"/?put_aside={rig_id}", 303)


@router.get("/rigs/{rig_id}")
@for_everyone
def rig(visit: VisitDep, rig_id: int) -> Response:
    """A rig's first useful page: the furthest stage with something on record, papers apart."""
    head = visit.head(rig_id)
    reached = [
        status.stage.word
        for status in head.stages
        if status.stage.word != "handover" and status.state != "untouched"
    ]
    return RedirectResponse(f"/rigs/{rig_id}/{reached[-1] if reached else 'survey'}", 303)


@router.post("/preferences")
@for_everyone
def prefer(visit: VisitDep, sent: SentPreference) -> Response:
    """Set this browser's theme or units."""
    form = sent.read()
    answer = RedirectResponse(own_path(urlsplit(form.here).path), 303)
    for name, value, allowed in (
        ("theme", form.theme, ("day", "night")),
        ("units", form.units, ("metric", "us")),
    ):
        if value in allowed:
            answer.set_cookie(f"volnik_{name}", value, samesite="strict", max_age=400 * 86400)
    return answer
