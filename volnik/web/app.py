"""The web application, put together."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI
from starlette.staticfiles import StaticFiles

from volnik import __version__
from volnik.web import errors
from volnik.web.page import HERE
from volnik.web.routes import (
    doors,
    faults,
    handover,
    helm,
    numbers,
    numbers_alarms,
    numbers_map,
    numbers_sheet,
    owner,
    path,
    patterns,
    practice,
    practice_drills,
    promises,
    prove,
    quick,
    shelf,
    shelf_changes,
    shelf_dialects,
    shelf_parts,
    shelf_storage,
    survey,
    survey_devices,
    survey_enquiry,
    survey_pins,
    tour,
    visits,
    watch,
    watch_ahead,
    watch_alarms,
    watch_checkup,
    watch_devices,
    watch_event,
    watch_loads,
    watch_sums,
    watch_trends,
    who,
    wireup,
    yard,
    yard_archive,
)
from volnik.web.routes import jobs as job_routes
from volnik.web.routes import (
    live as live_routes,
)
from volnik.web.security import Guard
from volnik.web.state import WebState

PAGES = (
    yard,
    yard_archive,
    survey,
    survey_devices,
    survey_enquiry,
    survey_pins,
    path,
    numbers,
    numbers_alarms,
    numbers_map,
    numbers_sheet,
    owner,
    wireup,
    promises,
    prove,
    quick,
    tour,
    doors,
    handover,
    helm,
    who,
    visits,
    watch,
    watch_checkup,
    watch_devices,
    watch_ahead,
    watch_event,
    watch_loads,
    watch_alarms,
    watch_sums,
    watch_trends,
    shelf,
    shelf_changes,
    shelf_dialects,
    shelf_parts,
    shelf_storage,
    faults,
    practice_drills,
    practice,
    patterns,
)


def create_app(state: WebState) -> FastAPI:
    """The application over an open house."""

    @asynccontextmanager
    async def serving(_app: FastAPI) -> AsyncIterator[None]:
        state.ingest.start()
        yield

    app = FastAPI(
        title="Volnik",
        version=__version__,
        lifespan=serving,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
    )
    app.state.web = state
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for routes in (live_routes, *PAGES, job_routes):  # first what is asked most
        app.include_router(routes.router)
    errors.install(app)
    app.add_middleware(Guard, hosts=lambda: state.hosts, pairing=state.pairing)
    return app
