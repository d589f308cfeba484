"""Readings in, live, and out to whoever listens: the address of bridges, and the stream that feeds a page."""

from __future__ import annotations

import asyncio
import math
from collections.abc import AsyncIterable
from typing import Any, Literal

from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import JSONResponse, Response
from fastapi.sse import EventSourceResponse, ServerSentEvent

from volnik.core.columns import KINDS
from volnik.core.instants import iso_text
from volnik.core.readings import NotKept, ReadingsRefused
from volnik.core.signing import SignedMessage, signed_in
from volnik.services.live.ingest import Ingest, KeyRefused
from volnik.services.live.now import Live, LiveNow
from volnik.services.live.tokens import Token, opens
from volnik.services.log.sources import newest_reading
from volnik.services.yard.rigs import rig_head
from volnik.web.routing import RoleRoute, by_key, for_everyone
from volnik.web.security import from_network
from volnik.web.state import state_of

router = APIRouter(route_class=RoleRoute)
AGE_EVERY_S, LOOK_EVERY_S = 5.0, 20.0
ANSWER_S = 20.0  # a commit takes milliseconds; a disk that hangs must not hold every bridge


_READING = {
    "type": "object",
    "required": ["time", "volts", "amps"],
    "properties": {
        "time": {"anyOf": [{"type": "string", "format": "date-time"}, {"type": "number"}]},
        "volts": {"type": "number"},
        "amps": {"type": "number"},
        "celsius": {"type": ["number", "null"]},
        "starter_volts": {"type": ["number", "null"]},
        "midpoint_volts": {"type": ["number", "null"]},
    },
    "patternProperties": {f"^({'|'.join(KINDS)})(_[a-z0-9]+)*$": {"type": ["number", "boolean", "null"]}},
}
READINGS_BODY: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {"application/json": {"schema": {"type": "array", "items": _READING}}},
    }
}
"""What the route of readings takes, as OpenAPI says it; lines of the same objects are taken too."""


def bearer(request: Request) -> str:
    """The key a caller brings, or ""."""
    word, _, secret = request.headers.get("authorization", "").partition(" ")
    return secret.strip() if word.lower() == "bearer" else ""


def _bridge(request: Request, rig_id: int, message: SignedMessage | None = None) -> Token | Response:
    """Whose word a request is: by the signature of its message, else by the key it brings."""
    ingest: Ingest = state_of(request).ingest
    secret = bearer(request)
    try:
        if message is not None:
            return ingest.signer(message, rig_id, request.url.path)
        return ingest.key(secret, rig_id)
    except NotKept as wrong:
        return JSONResponse({"error": str(wrong)}, 507)
    except ReadingsRefused as wrong:
        return JSONResponse({"error": wrong.sentence}, 422)
    except KeyRefused as wrong:
        if message is not None:
            return JSONResponse({"error": str(wrong)}, 403)
        return JSONResponse(
            {"error": str(wrong)},
            403 if secret else 401,
            headers={} if secret else {"www-authenticate": "Bearer"},
        )


@router.post("/api/rigs/{rig_id}/readings", openapi_extra=READINGS_BODY)
@by_key
async def put_readings(request: Request, rig_id: int) -> Response:
    """Take readings in; answered once they are kept.

    They come with the bridge's key, or as a signed message, in which the key never travels.
    """
    body = await request.body()
    try:
        message = None if bearer(request) else signed_in(body)
    except ReadingsRefused as wrong:
        return JSONResponse({"error": wrong.sentence}, 422)
    bridge = await run_in_threadpool(_bridge, request, rig_id, message)
    if isinstance(bridge, Response):
        return bridge
    return await _take(request, bridge, body if message is None else message.body.encode())


async def _take(request: Request, bridge: Token, body: bytes) -> Response:
    """Take readings of a bridge in, and answer it."""
    ingest: Ingest = state_of(request).ingest
    kind = request.headers.get("content-type", "application/json")
    try:
        rows = state_of(request).ports.read_live(
            body, lines="ndjson" in kind or "jsonlines" in kind or "jsonl" in kind
        )
        # Shielded: whoever gives up waiting must not cancel what others sent in the same commit.
        answer = asyncio.shield(asyncio.wrap_future(ingest.take(bridge, rows)))
        taken = await asyncio.wait_for(answer, ANSWER_S)
    except ReadingsRefused as wrong:
        refusal = {"error": wrong.sentence, "index": wrong.index, "field": wrong.field or None}
        return JSONResponse({name: value for name, value in refusal.items() if value is not None}, 422)
    except NotKept as wrong:
        return JSONResponse({"error": str(wrong)}, 507)
    except TimeoutError:
        later = "The readings are not kept yet; send them again, none is counted twice."
        return JSONResponse({"error": later}, 503, headers={"retry-after": "10"})
    return JSONResponse({"taken": taken.taken, "repeated": taken.repeated, "late": taken.late})


@router.get("/api/rigs/{rig_id}/readings")
@by_key
async def where_it_ends(request: Request, rig_id: int) -> Response:
    """Where the log of a rig ends, so that a bridge knows from where to send.

    Signed, what it says of itself is the message's body.
    """
    try:
        message = signed_in(request.headers.get("x-bridge-signed", "").encode())
    except ReadingsRefused as wrong:
        return JSONResponse({"error": wrong.sentence}, 422)
    bridge = await run_in_threadpool(_bridge, request, rig_id, message)
    if isinstance(bridge, Response):
        return bridge
    words = request.headers.get("x-bridge-says", "") if message is None else message.body
    if words:
        state_of(request).live.says(bridge, words)
    await run_in_threadpool(state_of(request).ingest.catch_up, rig_id)
    summary = (await run_in_threadpool(rig_head, state_of(request).context, rig_id)).rig.summary
    now = iso_text(state_of(request).context.now())
    found: dict[str, Any] = {"interval_s": bridge.interval_s, "now": now, "last": None}
    if math.isnan(summary.at_s):  # not counted, for lack of a bank or numbers; kept all the same
        last = await run_in_threadpool(newest_reading, state_of(request).context, rig_id)
        if last is not None:
            found["last"] = {
                "time": iso_text(last.time_s),
                "volts": last.volts,
                "amps": last.amps,
                "soc": None,
            }
    else:
        found["last"] = {
            "time": iso_text(summary.at_s),
            "volts": summary.volts,
            "amps": summary.amps,
            "soc": None if math.isnan(summary.soc) else summary.soc,
        }
    return JSONResponse(found)


def _shut(request: Request, kind: Literal["calendar", "metrics"], secret: str) -> Response | None:
    """The refusal of a feed without its key, or None."""
    if opens(state_of(request).context, secret, kind):
        return None
    message = {
        "error": f"The {kind} needs its own key, made at Doors."
        if not secret
        else f"This key does not open the {kind}."
    }
    return JSONResponse(
        message, 403 if secret else 401, headers={} if secret else {"www-authenticate": "Bearer"}
    )


@router.get("/api/health")
@by_key
def health(request: Request) -> Response:
    """How the server does, for this machine and for who brings the metrics' key; 503 where not well."""
    if from_network(request.scope) and (refused := _shut(request, "metrics", bearer(request))) is not None:
        return refused
    found = state_of(request).ports.health()
    return JSONResponse(found, 200 if found["well"] else 503)


@router.get("/api/calendar")
@by_key
def calendar(request: Request, key: str = "") -> Response:
    """What is due on all rigs, as an iCalendar feed.

    The key may stand in the address, since calendars bring no header.
    """
    refused = _shut(request, "calendar", bearer(request) or key)
    return refused or Response(
        state_of(request).ports.calendar(),
        media_type="text/calendar; charset=utf-8",
        headers={"cache-control": "no-store"},
    )


@router.get("/api/metrics")
@by_key
def metrics(request: Request) -> Response:
    """Every rig's figures as OpenMetrics text."""
    refused = _shut(request, "metrics", bearer(request))
    if refused is not None:
        return refused
    kind, body = state_of(request).ports.metrics()
    return Response(body, media_type=kind, headers={"cache-control": "no-store"})


def _told(now: LiveNow | None) -> dict[str, Any]:
    return {"heard": False} if now is None else {"heard": True, **now.to_dict()}


async def _known(request: Request, rig_id: int) -> None:
    """Refuse an unknown rig while the answer can still say so: a stream has begun with 200."""
    await run_in_threadpool(rig_head, state_of(request).context, rig_id)


@router.get("/rigs/{rig_id}/live", response_class=EventSourceResponse, dependencies=[Depends(_known)])
@for_everyone
async def stream(request: Request, rig_id: int) -> AsyncIterable[ServerSentEvent]:
    """What a rig says, as it says it; between readings, every few seconds, how old the last one is.

    A slow page is told the latest, never a queue of old ones.
    """
    live: Live = state_of(request).live
    loop = asyncio.get_running_loop()
    latest: list[LiveNow] = []
    news = asyncio.Event()

    def tell(now: LiveNow) -> None:
        latest[:] = [now]
        loop.call_soon_threadsafe(news.set)

    end = await run_in_threadpool(live.listen, rig_id, tell)
    try:
        now = live.now(rig_id)
        yield ServerSentEvent(event="now", data=_told(now), retry=2000)
        looked = loop.time()
        while True:
            if loop.time() - looked > LOOK_EVERY_S:
                looked = loop.time()
                await run_in_threadpool(live.refresh, rig_id)
            try:
                await asyncio.wait_for(news.wait(), AGE_EVERY_S)
                news.clear()
                now = latest[0]
            except TimeoutError:
                now = live.now(rig_id)
            yield ServerSentEvent(event="now", data=_told(now))
    finally:
        end()
