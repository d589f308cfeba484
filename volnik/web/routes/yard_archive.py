"""A rig as an archive: given out, looked at, taken in."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.jobs.board import Job
from volnik.web.forms.posted import guarded
from volnik.web.forms.yard import SentArchive, SentChoices
from volnik.web.routes.jobs import after_job
from volnik.web.routes.yard import show_yard
from volnik.web.routing import PageRoute, for_installers
from volnik.web.views.yard import archive_page
from volnik.web.visit import VisitDep

router = APIRouter(prefix="/rigs", route_class=PageRoute)


@router.post("/{rig_id}/archive/file", dependencies=[guarded])
@for_installers
def write(visit: VisitDep, rig_id: int) -> Response:
    """Write a rig's archive; what a bridge sent is settled into it first."""
    visit.head(rig_id)
    visit.catch_up(rig_id)
    ports = visit.state.ports

    def work(job: Job) -> dict[str, Any]:
        return {"url": f"/rigs/{rig_id}/archive/{ports.archive(rig_id, job.on_progress)}"}

    return after_job(visit, "Writing the rig's archive", work, f"/rigs/{rig_id}/survey")


@router.get("/{rig_id}/archive/{token}")
@for_installers
def fetch(visit: VisitDep, rig_id: int, token: str) -> Response:
    """The archive that was written, once."""
    found = visit.state.ports.exported(token)
    if found is None:
        raise HTTPException(
            404, f"That archive was fetched already; write it anew at Survey of rig {rig_id}."
        )
    return FileResponse(found[0], filename=found[1], media_type="application/zip")


@router.post("/archive")
@for_installers
def bring(visit: VisitDep, sent: SentArchive) -> Response:
    """Keep an archive aside, to be looked at first."""
    upload = sent.read().archive
    try:
        if upload is None:
            raise InvalidInput({"archive": "Choose a rig archive first."})
        token = visit.state.imports.keep(upload.file, upload.filename or "rig")
        visit.state.imports.archive_compared(token)
    except InvalidInput as wrong:
        return show_yard(visit, problems={"archive": " ".join(wrong.problems.values())})
    return RedirectResponse(f"/rigs/archive/{token}", 303)


@router.get("/archive/{token}")
@for_installers
def look(visit: VisitDep, token: str) -> Response:
    """What an archive would bring, and what has to be chosen."""
    try:
        found = visit.state.imports.archive_compared(token)
    except InvalidInput as wrong:
        return show_yard(visit, problems={"archive": " ".join(wrong.problems.values())})
    return visit.page("yard/archive.html", shown=archive_page(found), waiting=token)


@router.post("/archive/{token}")
@for_installers
def take(visit: VisitDep, token: str, sent: SentChoices) -> Response:
    """Take an archive in."""
    choices, imports = sent.read().choices, visit.state.imports

    def work(job: Job) -> dict[str, Any]:
        rig_id = imports.archive_taken(token, choices, job.on_progress)
        return {"url": f"/rigs/{rig_id}"}

    return after_job(visit, "Taking the rig in", work, "/")
