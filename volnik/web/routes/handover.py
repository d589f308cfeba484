"""Hand over: what is ready, the paper as it would be, its issues, signatures, mail."""

from __future__ import annotations

import base64
from dataclasses import replace
from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.papers.tongue import tongue
from volnik.core.rig.languages import LANGUAGES
from volnik.jobs.board import Job
from volnik.services.handover.issues import (
    PAPERS,
    SIZES,
    HandoverView,
    handover_view,
    issue,
    issued_body,
    sign_issue,
)
from volnik.services.handover.owner import take_along
from volnik.services.handover.photos import choose_photos, photos_for_papers
from volnik.services.watch.usual_day import wanted
from volnik.services.yard.rigs import speak
from volnik.web.forms.handover import IssueForm, SentIssue, SentLanguage, SentMail, SentPhotos, SentSigned
from volnik.web.page import ENVIRONMENT, HERE
from volnik.web.routes.jobs import after_job
from volnik.web.routes.path import built_svg
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.views.handover import handover_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/handover", route_class=PageRoute)


def _view(visit: Visit, rig_id: int, key: str) -> HandoverView:
    wanted = key if key in PAPERS else "owner"
    shop, page = visit.state.shop, _own_page(visit, rig_id)
    return handover_view(visit.context, rig_id, shop=shop, key=wanted, page=page)


def _own_page(visit: Visit, rig_id: int) -> str:
    """The address of a rig's page on the shop's network, "" where nobody else comes in."""
    addresses = visit.state.addresses() if visit.state.lan else []
    scheme = "https" if visit.state.fingerprint else "http"
    return f"{scheme}://{addresses[0]}/rigs/{rig_id}" if addresses else ""


def _drawing(visit: Visit, rig_id: int, key: str) -> str:
    """What stands, as SVG that stands alone, for the paper that shows it."""
    return built_svg(visit.context, rig_id) if key == "shop" else ""


def _pages(visit: Visit, rig_id: int, view: HandoverView, size: str) -> list[bytes]:
    """The pages of the paper as pictures, kept while its words stay the same."""
    if view.paper is None:
        return []
    chosen = next((each for each in SIZES if each == size), SIZES[0])
    key = f"paper:{rig_id}:{view.key}:{chosen}:{hash(tuple(view.paper.text()))}:{view.rests_on}"
    found: list[bytes] | None = visit.context.recalled(key)
    if found is None:
        # photos are only named here: the issue, which takes its time, holds them
        paper = replace(view.paper, drawing=_drawing(visit, rig_id, view.key), photos=())
        foot = f"{view.rig.name}. Not issued yet."
        now_s = visit.context.now()
        found = visit.state.ports.paper_pages(paper, chosen, foot, now_s, visit.state.shop)
        visit.context.remember(key, found)
    return found


def _show(visit: Visit, rig_id: int, size: str = "a4", paper: str = "owner", **more: Any) -> Response:
    head = visit.head(rig_id)
    chosen = size if size in SIZES else "a4"
    view = _view(visit, rig_id, paper)
    return visit.page(
        "handover/handover.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="handover",
        view=view,
        shown=handover_page(view, head.rig.zone, size=chosen),
        wanted=wanted(visit.context, rig_id),
        papers=PAPERS,
        languages=list(LANGUAGES.items()),
        photos=photos_for_papers(visit.context, rig_id) if view.key == "shop" else [],
        pages=len(_pages(visit, rig_id, view, chosen)),
        size=chosen,
        **{"problems": {}, "typed": {}, "at": 0, **more},
        **visit.who_given(),
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, size: str = "a4", paper: str = "owner") -> Response:
    """A rig at Hand over."""
    visit.catch_up(rig_id)
    return _show(visit, rig_id, size, paper)


@router.get("/preview/{page}.png")
@for_everyone
def preview(visit: VisitDep, rig_id: int, page: int, size: str = "a4", paper: str = "owner") -> Response:
    """A page of a paper as it would be issued now."""
    made = _pages(visit, rig_id, _view(visit, rig_id, paper), size)
    if not 1 <= page <= len(made):
        raise HTTPException(404, "The paper has no such page.")
    return Response(made[page - 1], media_type="image/png", headers={"cache-control": "no-store"})


@router.post("/language")
@for_installers
def put_language(visit: VisitDep, rig_id: int, sent: SentLanguage) -> Response:
    """Say which language the owner reads in."""
    try:
        speak(visit.context, rig_id, sent.read().language)
    except InvalidInput as wrong:
        return _show(visit, rig_id, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/handover", 303)


@router.post("/photos")
@for_installers
def put_photos(visit: VisitDep, rig_id: int, sent: SentPhotos) -> Response:
    """Say which photos stand on papers."""
    choose_photos(visit.context, rig_id, sent.read().chosen)
    return RedirectResponse(f"/rigs/{rig_id}/handover?paper=shop", 303)


@router.post("/issue")
@for_installers
def put_issue(visit: VisitDep, rig_id: int, sent: SentIssue) -> Response:
    """Issue a paper."""
    form = sent.read()
    if form.paper == "shop":  # with its photos it can take seconds
        return _issued_by_a_job(visit, rig_id, form)
    try:
        place = _issued(visit, rig_id, form)
    except InvalidInput as wrong:
        return _show(visit, rig_id, form.size, form.paper, problems=wrong.problems)
    return RedirectResponse(place, 303)


def _issued(visit: Visit, rig_id: int, form: IssueForm) -> str:
    """Issue a paper; returns where it is shown."""
    made = issue(
        visit.context,
        rig_id,
        size=form.size,
        shop=visit.state.shop,
        who=visit.who,
        typeset=visit.state.ports.typeset,
        key=form.paper or "owner",
        page=_own_page(visit, rig_id),
        drawing=_drawing(visit, rig_id, form.paper),
    )
    return f"/rigs/{rig_id}/handover?paper={made.paper}#issue-{made.id}"


def _issued_by_a_job(visit: Visit, rig_id: int, form: IssueForm) -> Response:
    def work(_job: Job) -> dict[str, Any]:
        return {"url": _issued(visit, rig_id, form)}

    back = f"/rigs/{rig_id}/handover?paper=shop"
    return after_job(visit, "Setting the shop’s file in type", work, back)


@router.get("/issues/{paper_id}.pdf")
@for_everyone
def fetch(visit: VisitDep, rig_id: int, paper_id: int) -> Response:
    """An issue, byte for byte."""
    name = f"paper-{rig_id}-{paper_id}.pdf"
    return Response(
        issued_body(visit.context, rig_id, paper_id),
        media_type="application/pdf",
        headers={"content-disposition": f'inline; filename="{name}"', "cache-control": "private"},
    )


@router.get("/take-along.html")
@for_everyone
def take_along_file(visit: VisitDep, rig_id: int) -> Response:
    """The file an owner carries: it needs no server and no script."""
    taken = take_along(visit.context, rig_id, shop=visit.state.shop)
    rig, say = taken.rig, tongue(taken.rig.language)
    body = ENVIRONMENT.get_template("handover/take_along.html").render(
        taken=taken,
        style=(HERE / "static" / "css" / "takealong.css").read_text(encoding="utf-8"),
        drawing=built_svg(visit.context, rig_id),
        photos=[(caption, base64.b64encode(photo).decode()) for caption, photo in taken.photos],
        day=say.day(taken.made_s, rig.zone, "long"),
        say=say,
        caution=say.caution,
    )
    name = f"take-along-{rig_id}.html"
    return Response(
        body, media_type="text/html", headers={"content-disposition": f'attachment; filename="{name}"'}
    )


@router.post("/issues/{paper_id}/sign")
@for_installers
def put_signature(visit: VisitDep, rig_id: int, paper_id: int, sent: SentSigned) -> Response:
    """Keep how an issue was signed."""
    form = sent.read()
    try:
        sign_issue(
            visit.context,
            rig_id,
            paper_id,
            names={"installer": form.installer, "owner": form.owner},
            place=form.place,
            strokes={"installer": form.strokes_installer, "owner": form.strokes_owner},
            on_paper=bool(form.on_paper),
            time_s=visit.context.now(),
        )
    except InvalidInput as wrong:
        return _show(visit, rig_id, problems=wrong.problems, typed=sent.typed, at=paper_id)
    return RedirectResponse(f"/rigs/{rig_id}/handover#issue-{paper_id}", 303)


@router.post("/issues/{paper_id}/mail")
@for_installers
def put_mail(visit: VisitDep, rig_id: int, paper_id: int, sent: SentMail) -> Response:
    """Mail an issue."""
    rig = visit.head(rig_id).rig
    say = tongue(rig.language)
    try:
        form = sent.read()
        visit.state.ports.mail_paper(
            form.to,
            subject=say("{name}: how full is the battery?", name=rig.name),
            text=say("The sheet of {name} is attached. Keep it where the screen is.", name=rig.name),
            name="sheet.pdf",
            body=issued_body(visit.context, rig_id, paper_id),
        )
    except InvalidInput as wrong:
        return _show(visit, rig_id, problems=wrong.problems, typed=sent.typed, at=paper_id)
    return RedirectResponse(f"/rigs/{rig_id}/handover#issue-{paper_id}", 303)
