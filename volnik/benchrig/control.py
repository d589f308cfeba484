"""The control page of a bench rig: its switches, and what truly flows beside what the shunt sees."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from starlette.staticfiles import StaticFiles

import volnik
from volnik.benchrig.running import FACTORS, BenchRig
from volnik.core.errors import InvalidInput
from volnik.core.instants import iso_text

STATIC = Path(volnik.__file__).parent / "web" / "static"
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src "
    "'self'; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'"
)
SCALES = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0)

_PAGES = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
_PAGES.filters["amps"] = lambda value: f"{value:+.2f}".replace("-", "−") if abs(value) >= 0.005 else "0.00"


def state(rig: BenchRig) -> dict[str, Any]:
    """What the page shows, as plain values."""
    shown, switches, faults = rig.vehicle.shown, rig.vehicle.switches, rig.vehicle.wired.faults
    devices = rig.devices()
    most = max((abs(place.amps) for place in devices), default=1.0)
    scale = next((value for value in SCALES if value >= most), SCALES[-1])
    return {
        "time": iso_text(shown.time_s).replace("T", " ").replace("Z", " UTC"),
        "volts": shown.volts,
        "charge": shown.charge,
        "bank_a": shown.bank_a,
        "seen_a": shown.seen_a,
        "celsius": shown.celsius,
        "scale": scale,
        "factor": switches.factor,
        "shore": switches.shore,
        "engine": switches.engine,
        "sun": switches.sun,
        "set_celsius": switches.celsius,
        "reversed": faults.reversed,
        "dead": faults.dead,
        "offset_a": faults.offset_a,
        "told_scale": faults.scale,
        "sent": rig.outbox.sent,
        "waiting": len(rig.outbox.waiting),
        "trouble": rig.outbox.trouble,
        "devices": [
            {
                "id": place.id,
                "name": place.name,
                "amps": place.amps,
                "bar": min(1.0, abs(place.amps) / scale),
                "switch": place.switch,
                "gives": place.gives,
                "cable": place.cable,
                "landing": place.landing,
                "drawn": place.drawn,
                "choices": place.choices,
                "share": place.share,
                "moved": place.landing != place.drawn,
            }
            for place in devices
        ],
    }


def control_app(rig: BenchRig, *, name: str, hosts: set[str]) -> FastAPI:
    """The control page over a bench rig; it answers on this machine alone."""
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")

    @app.middleware("http")
    async def door(request: Request, call_next: Any) -> Response:
        host, origin = request.headers.get("host", ""), request.headers.get("origin")
        foreign = origin is not None and urlsplit(origin).netloc != host
        if host not in hosts or (request.method == "POST" and foreign):
            return PlainTextResponse("The bench rig answers on this machine alone.", 403)
        answer: Response = await call_next(request)
        answer.headers["content-security-policy"] = POLICY
        return answer

    def desk() -> str:
        return _PAGES.get_template("desk.html").render(state=state(rig), factors=FACTORS)

    @app.get("/")
    def page() -> Response:
        return HTMLResponse(_PAGES.get_template("control.html").render(name=name, desk=desk()))

    @app.get("/desk")
    def fragment() -> Response:
        return HTMLResponse(desk(), headers={"cache-control": "no-store"})

    @app.get("/state")
    def plain() -> Response:
        return JSONResponse(state(rig))

    @app.post("/switch")
    async def switch(request: Request) -> Response:
        form = await request.form()
        try:
            rig.switch(str(form.get("name", "")), str(form.get("value", "")))
        except InvalidInput as wrong:
            return JSONResponse({"error": " ".join(wrong.problems.values())}, 422)
        return HTMLResponse(desk(), headers={"cache-control": "no-store"})

    return app
