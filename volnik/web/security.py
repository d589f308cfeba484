"""The door: who may ask, from where, and how much at once."""

from __future__ import annotations

import json
import re
import secrets
from collections.abc import AsyncIterator, Callable
from http.cookies import SimpleCookie
from ipaddress import ip_address
from typing import Any
from urllib.parse import unquote, urlsplit

from fastapi import HTTPException, Request
from itsdangerous import BadSignature, URLSafeSerializer
from starlette.datastructures import FormData, Headers
from starlette.responses import PlainTextResponse

from volnik.core.limits import ADDRESS, BODY, FIELDS, HEAD, UPLOAD
from volnik.services.acting import Acting, begin_acting
from volnik.services.doors.pairing import Paired, Pairing
from volnik.services.shop.names import NOBODY
from volnik.web.state import state_of

WHO_COOKIE = "volnik_who"
MOST_DIGITS = 18  # of a whole number: what the database holds
LONG_NUMBER = re.compile(r"/\d{19}")
UPLOADS = {
    "/watch/import": int(UPLOAD),
    "/survey/photos": 42 << 20,
    "/wireup/photos": 42 << 20,
    "/rigs/document": 9 << 20,
    "/rigs/archive": int(UPLOAD),
    "/shelf/parts": 5 << 20,
    "/practice/open": 1 << 20,
}
COOKIE = "volnik_visitor"
PAIRED = "volnik_paired"
SAFE = {"GET", "HEAD", "OPTIONS"}
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)


class Guard:
    """Refuses foreign hosts, strangers of the network, foreign origins and endless bodies.

    Sets the security headers on every answer.
    """

    def __init__(self, app: Any, hosts: Callable[[], set[str]], pairing: Pairing) -> None:
        self.app = app
        self.hosts = hosts
        self.pairing = pairing

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._refusal(scope, headers)
        if refusal is not None:
            await refusal(scope, receive, send)
            return
        most = most_body(scope["path"])
        taken = 0

        async def counted() -> Any:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most:
                raise HTTPException(413, "That is more than Volnik takes at once.")
            return message

        async def sealed(message: Any) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [
                    *message["headers"],
                    (b"content-security-policy", POLICY.encode()),
                    (b"x-content-type-options", b"nosniff"),
                    (b"referrer-policy", b"same-origin"),
                    # a browser minds this one only where it trusts the address: on this machine
                    *(() if from_network(scope) else ((b"cross-origin-opener-policy", b"same-origin"),)),
                ]
            await send(message)

        await self.app(scope, counted, sealed)

    def _refusal(self, scope: Any, headers: Headers) -> PlainTextResponse | None:
        host = headers.get("host", "")
        if len(scope["raw_path"]) + len(scope["query_string"]) > ADDRESS.value:
            return PlainTextResponse("That address is too long.", 414)
        if sum(len(name) + len(value) for name, value in scope["headers"]) > HEAD.value:
            return PlainTextResponse("That request says too much of itself.", 431)
        if LONG_NUMBER.search(scope["path"]):  # no row has one, and the database could not hold it
            return PlainTextResponse("There is nothing at this address.", 404)
        network = from_network(scope)
        # A connection of the network may name the very address it came to; one of this machine those it was
        # told.
        if host not in ({f"{scope['server'][0]}:{scope['server'][1]}"} if network else self.hosts()):
            return PlainTextResponse("Volnik does not answer under this host name.", 400)
        if network and (refused := self._stranger(scope, headers)) is not None:
            return refused
        if scope["method"] not in SAFE and _is_foreign(headers, host):
            return PlainTextResponse(
                "This request came from another page; open Volnik itself and try again.", 403
            )
        length = headers.get("content-length", "0")
        most = most_body(scope["path"])
        if not length.isdigit() or int(length) > most:
            return PlainTextResponse(
                f"That is more than Volnik takes at once: at most {most // (1 << 20)} MiB.", 413
            )
        return None

    def _stranger(self, scope: Any, headers: Headers) -> PlainTextResponse | None:
        """What a connection of the network may not do; a key is looked at by the one address it opens."""
        path = scope["path"]
        if (
            path == "/pair"
            or path.startswith("/static/")
            or (path.startswith("/api/") and "authorization" in headers)
        ):
            return None
        if path == "/api/calendar" and b"key=" in scope.get(
            "query_string", b""
        ):  # calendars cannot bring a header
            return None
        cookies = SimpleCookie(headers.get("cookie", ""))
        paired = self.pairing.of(cookies[PAIRED].value) if PAIRED in cookies else None
        if paired is not None:
            if path.startswith("/doors"):
                return PlainTextResponse("The page Doors opens only on the machine Volnik runs on.", 403)
            scope.setdefault("state", {})["paired"] = paired
            return None
        return PlainTextResponse(
            "This phone is not paired. Open the page Doors on the laptop and scan its code.", 403
        )


def _is_foreign(headers: Headers, host: str) -> bool:
    """Whether a browser sent a request on behalf of another page."""
    origin = headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != host:
        return True
    return headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none")


def from_network(scope: Any) -> bool:
    """Whether a connection comes from another machine."""
    return scope.get("client") is not None and is_network_address(scope["client"][0])


def came_from(request: Request) -> str:
    """The address a request came from, "" where it has none."""
    return "" if request.client is None else request.client.host


def is_network_address(host: str) -> bool:
    """Whether an address is of another machine; no address is a test's client, or a socket of this one."""
    try:
        return not ip_address(host).is_loopback
    except ValueError:
        return False


def most_body(path: str) -> int:
    """The largest body taken at an address [bytes]."""
    return next((most for ending, most in UPLOADS.items() if path.endswith(ending)), int(BODY))


def visitor(request: Request) -> str:
    """The visitor's own random mark, from its cookie or new."""
    mark = request.cookies.get(COOKIE) or getattr(request.state, "visitor", None) or secrets.token_urlsafe(18)
    request.state.visitor = mark
    return str(mark)


def form_token(request: Request) -> str:
    """The token every change must bring along."""
    signer: URLSafeSerializer = state_of(request).signer
    return str(signer.dumps(visitor(request)))


def paired_of(request: Request) -> Paired | None:
    """The paired browser that asks; None on this machine, or where a key does."""
    found: Paired | None = request.scope.get("state", {}).get("paired")
    return found


def who_of(request: Request) -> str:
    """The name of the one who holds this browser, or that none was given; of a paired one its own."""
    paired = paired_of(request)
    if paired is not None:
        return paired.name
    given = " ".join(unquote(request.cookies.get(WHO_COOKIE, "")).split())[:40]
    return given or NOBODY


def _begin(request: Request, seen: str) -> None:
    """Say who is at work in this request, and what his page shows; a header counts before a field."""
    seen = request.headers.get("x-seen", seen)
    known = seen.isascii() and seen.isdigit() and len(seen) <= MOST_DIGITS
    page = request.headers.get("x-page", "")[:40]
    begin_acting(Acting(who_of(request), int(seen) if known else None, page))


async def guarded_form(request: Request) -> AsyncIterator[FormData]:
    """The form of a change, once its token was found right.

    Raises:
        HTTPException: 403 without a right token.
    """
    token = request.headers.get("x-form-token")
    async with request.form(max_files=1, max_fields=int(FIELDS)) as form:
        token = token or str(form.get("_token", ""))
        try:
            right = state_of(request).signer.loads(token) == request.cookies.get(COOKIE)
        except BadSignature:
            right = False
        if not right:
            raise HTTPException(
                403, "This page has been open for too long. Reload it and try again; nothing was changed."
            )
        _begin(request, str(form.get("_seen", "")))
        request.state.typed = {name: value for name, value in form.multi_items() if isinstance(value, str)}
        yield form


async def guarded_json(request: Request) -> Any:
    """The JSON of a change, once its token was found right.

    Raises:
        HTTPException: 403 without a right token, 422 when it is not JSON.
    """
    try:
        right = state_of(request).signer.loads(
            request.headers.get("x-form-token", "")
        ) == request.cookies.get(COOKIE)
    except BadSignature:
        right = False
    if not right:
        raise HTTPException(
            403, "This page has been open for too long. Reload it and try again; nothing was lost."
        )
    _begin(request, "")
    try:
        return plain_json(await request.body())
    except ValueError:
        raise HTTPException(422, "This is not JSON, or holds what no page sends.") from None


def plain_json(body: bytes) -> Any:
    """JSON that can be reckoned with and kept: numbers a float holds, text that can be written.

    Raises:
        ValueError: for anything else, such as half a surrogate pair or a hundred thousand brackets.
    """
    try:
        found = json.loads(body, parse_int=_whole, parse_constant=_no_number)
        json.dumps(found, ensure_ascii=False).encode()
    except RecursionError:
        raise ValueError("nested too deep") from None
    return found


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise ValueError("a number of so many digits")
    return int(digits)


def _no_number(word: str) -> float:
    raise ValueError(f"{word} is no number")
