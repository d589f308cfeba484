"""The web application, put together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from fastapi import FastAPI
from itsdangerous import URLSafeSerializer
from starlette.staticfiles import StaticFiles

from volnik import __version__
from volnik.core.logfile import FileLook, FilePreview
from volnik.core.path.work import MaterialLine
from volnik.core.readings import Row
from volnik.jobs.board import Job, JobBoard
from volnik.services.context import AppContext
from volnik.services.doors.pairing import Pairing
from volnik.services.live.ingest import Ingest
from volnik.services.live.now import Live
from volnik.web import errors
from volnik.web.page import HERE
from volnik.web.routes import (
    doors,
    numbers,
    numbers_alarms,
    numbers_map,
    numbers_sheet,
    path,
    patterns,
    prove,
    shelf,
    shelf_dialects,
    shelf_parts,
    shelf_storage,
    survey,
    survey_devices,
    watch,
    watch_ahead,
    watch_alarms,
    watch_checkup,
    watch_loads,
    watch_sums,
    who,
    wireup,
    yard,
)
from volnik.web.routes import jobs as job_routes
from volnik.web.routes import (
    live as live_routes,
)
from volnik.web.security import Guard


class Ports(Protocol):
    """What reaches outside the house for the pages; main hands it in."""

    def parts_csv(self, parts: list[MaterialLine]) -> str: ...

    def take_photo(self, rig_id: int, file: Any, caption: str) -> int: ...

    def calendar(self) -> bytes: ...

    def metrics(self) -> tuple[str, bytes]: ...

    def export(
        self, rig_id: int, *, what: str, form: str, by: str, on_progress: Callable[[float], None]
    ) -> str: ...

    def exported(self, token: str) -> tuple[Path, str] | None: ...

    def read_live(self, body: bytes, *, lines: bool) -> list[Row]: ...


class ImportPort(Protocol):
    """What the import pages need; main hands it in."""

    def keep(self, upload: Any, name: str) -> str: ...

    def look(self, token: str) -> FileLook: ...

    def preview(self, token: str, choice: dict[str, Any]) -> FilePreview: ...

    def start(self, rig_id: int, token: str, choice: dict[str, Any], *, kind: str) -> Job: ...


def create_app(
    context: AppContext,
    jobs: JobBoard,
    desk: ImportPort,
    hands: Ports,
    *,
    live: Live,
    ingest: Ingest,
    secret: str,
    hosts: set[str],
    shop: str = "",
    lan: bool = False,
    addresses: Callable[[], list[str]] = list,
    mail_told: str = "",
) -> FastAPI:
    """The application over an open house.

    Args:
        secret: signs form tokens.
        hosts: host names and ports it answers under; may be filled after the server has its port.
        shop: name shown in the head of the pages.
        lan: whether the network may come in.
        addresses: of this machine on it, "host:port".
        mail_told: where alarms are mailed, in a sentence.
    """
    app = FastAPI(title="Volnik", version=__version__, docs_url=None, redoc_url=None, openapi_url=None)
    app.state.context = context
    app.state.jobs = jobs
    app.state.desk = desk
    app.state.hands = hands
    app.state.live = live
    app.state.pairing = Pairing(context, secret)
    app.state.lan = lan
    app.state.addresses = addresses
    app.state.mail_told = mail_told
    app.state.ingest = ingest
    app.state.signer = URLSafeSerializer(secret, salt="form")
    app.state.shop = shop
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    pages = (
        yard,
        survey,
        survey_devices,
        path,
        numbers,
        numbers_alarms,
        numbers_map,
        numbers_sheet,
        wireup,
        prove,
        doors,
        who,
        watch,
        watch_checkup,
        watch_ahead,
        watch_loads,
        watch_alarms,
        watch_sums,
        shelf,
        shelf_dialects,
        shelf_parts,
        shelf_storage,
        patterns,
    )
    for routes in (live_routes, *pages, job_routes):  # first what is asked most
        app.include_router(routes.router)
    errors.install(app)
    app.add_middleware(Guard, hosts=lambda: hosts, pairing=app.state.pairing)
    return app
