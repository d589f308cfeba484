"""One door for errors: a plain sentence, as a page or as JSON, never a trace."""

from __future__ import annotations

import logging
from urllib.parse import urlsplit

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from starlette.exceptions import HTTPException

from volnik.core.changes import Stale
from volnik.core.errors import InvalidInput, NotWritten
from volnik.core.rig.rig import NotFound
from volnik.web.page import fragment, page
from volnik.web.state import state_of
from volnik.web.views.meanwhile import meanwhile

log = logging.getLogger("volnik")

SENTENCES = {
    404: "There is nothing at this address. The Yard lists every rig in care.",
    405: "This address cannot be used that way.",
}


def _answer(request: Request, status: int, sentence: str) -> Response:
    if "application/json" in request.headers.get("accept", "") or request.headers.get("x-form-token"):
        return JSONResponse({"error": sentence}, status)
    heading = "Not found" if status == 404 else "Not done"
    return page(request, "error.html", status=status, sentence=sentence, heading=heading)


def install(app: FastAPI) -> None:
    """Hang the door."""
    _install_refusals(app)
    _install_failures(app)


def _install_refusals(app: FastAPI) -> None:
    """What was asked or sent cannot be done as it is."""

    @app.exception_handler(HTTPException)
    async def refused(request: Request, wrong: HTTPException) -> Response:
        plain = (
            SENTENCES.get(wrong.status_code) if wrong.detail in ("Not Found", "Method Not Allowed") else None
        )
        return _answer(request, wrong.status_code, plain or str(wrong.detail))

    @app.exception_handler(RequestValidationError)
    async def malformed(request: Request, wrong: RequestValidationError) -> Response:
        parts = [f"{error['loc'][-1]}: {error['msg']}" for error in wrong.errors()[:5]]
        return _answer(request, 422, f"That request cannot be read: {'; '.join(parts)}.")

    @app.exception_handler(InvalidInput)
    async def unusable(request: Request, wrong: InvalidInput) -> Response:
        if request.headers.get("x-form-token"):
            return JSONResponse({"error": " ".join(wrong.problems.values()), "problems": wrong.problems}, 422)
        return _answer(request, 422, " ".join(wrong.problems.values()))

    @app.exception_handler(Stale)
    async def changed_meanwhile(request: Request, wrong: Stale) -> Response:
        now_s = state_of(request).context.now()
        found = meanwhile(wrong.missed, getattr(request.state, "typed", {}), now_s)
        if request.headers.get("x-form-token"):
            shown = fragment(request, "_meanwhile.html", found=found)
            return JSONResponse({"error": str(wrong), "meanwhile": shown, "seen": found.seen}, 409)
        back = urlsplit(request.headers.get("referer", "")).path or "/"
        return page(request, "meanwhile.html", status=409, found=found, back=back)

    @app.exception_handler(NotFound)
    async def unknown(request: Request, _wrong: NotFound) -> Response:
        return _answer(
            request, 404, "There is no such rig here, or it was removed. The Yard lists every rig in care."
        )

    @app.exception_handler(OverflowError)
    async def beyond(request: Request, wrong: OverflowError) -> Response:
        if "SQLite INTEGER" not in str(wrong):
            raise wrong
        return _answer(request, 404, "There is nothing of that number here.")


def _install_failures(app: FastAPI) -> None:
    """It could be done, but the disk or Volnik itself fails."""

    @app.exception_handler(NotWritten)
    async def not_written(request: Request, wrong: NotWritten) -> Response:
        return _answer(request, 507, str(wrong))

    @app.exception_handler(Exception)
    async def failed(request: Request, wrong: Exception) -> Response:
        log.error("%s %s failed", request.method, request.url.path, exc_info=wrong)
        if sentence := state_of(request).context.why_not_written(wrong):
            return _answer(request, 507, sentence)
        return _answer(
            request,
            500,
            "Something went wrong inside Volnik; nothing was changed. The terminal it runs in says more.",
        )
