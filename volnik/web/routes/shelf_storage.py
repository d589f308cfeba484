"""The Shelf, storage: what readings take up, and the shop's rule for old ones."""

from __future__ import annotations

import time
from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.jobs.board import Job
from volnik.services.log.retention import set_rule, storage_view, thin
from volnik.web.forms.parts import TITLES, SentRule
from volnik.web.forms.posted import guarded
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_installers, for_the_shop, for_this_machine
from volnik.web.security import from_network
from volnik.web.views.shelf import backup_words, size_words, storage_rule
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/shelf/storage", route_class=PageRoute)


def _show(visit: Visit, **more: Any) -> Response:
    view = storage_view(visit.context)
    return visit.page(
        "shelf/storage.html",
        status=422 if more.get("problems") else 200,
        titles=TITLES,
        kind="storage",
        view=view,
        rule=storage_rule(view),
        size=size_words,
        backups=backup_words(visit.state.ports.backups(), time.time()),
        may_fetch=not from_network(visit.request.scope),
        **{"problems": {}, "typed": {}, "thinned": visit.query.get("thinned", ""), **more},
    )


@router.get("")
@for_the_shop
def show(visit: VisitDep) -> Response:
    """What is stored."""
    return _show(visit)


@router.post("")
@for_installers
def put(visit: VisitDep, sent: SentRule) -> Response:
    """Keep the rule."""
    try:
        form = sent.read()
        step = {} if form.step_s is None else {"step_s": form.step_s}
        set_rule(visit.context, {"months": form.months, **step})
    except InvalidInput as wrong:
        return _show(visit, problems=dict(wrong.problems), typed=sent.typed)
    return RedirectResponse("/shelf/storage", 303)


@router.post("/backup", dependencies=[guarded])
@for_installers
def back_up(visit: VisitDep) -> Response:
    """Make a backup now."""
    ports = visit.state.ports

    def work(job: Job) -> dict[str, Any]:
        ports.back_up()
        return {"url": "/shelf/storage#backups"}

    return after_job(visit, "Backing up", work, "/shelf/storage")


@router.get("/backup")
@for_this_machine
def fetch_backup(visit: VisitDep) -> Response:
    """The newest backup as a file; it holds the secret, so this machine alone gets it."""
    file = visit.state.ports.backup_file()
    if file is None or from_network(visit.request.scope):
        raise HTTPException(404, "There is no backup to be had here.")
    return FileResponse(file, filename=file.name, media_type="application/zstd")


@router.post("/{rig_id}", dependencies=[guarded])
@for_installers
def thin_one(visit: VisitDep, rig_id: int) -> Response:
    """Thin one rig's old readings by the rule."""
    context, name = visit.context, visit.who

    def work(job: Job) -> dict[str, Any]:
        gone = thin(context, rig_id, who=name, on_progress=job.on_progress)
        return {"url": f"/shelf/storage?thinned={gone}"}

    return after_job(visit, "Thinning old readings and counting anew", work, "/shelf/storage")
