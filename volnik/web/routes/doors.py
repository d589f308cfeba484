"""Doors: phones of this network paired by a code, keys for bridges and feeds; each listed and ended here."""

from __future__ import annotations

import math
from typing import Any, cast

import segno
from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.services.doors.pairing import Pairing
from volnik.services.live import tokens
from volnik.services.live.tokens import TokenKind
from volnik.services.yard.rigs import yard
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.security import PAIRED, guarded_form
from volnik.web.state import state_of

router = APIRouter()


def _show(request: Request, *, status: int = 200, **more: Any) -> Response:
    pairing: Pairing = state_of(request).pairing
    context = state_of(request).context
    addresses = state_of(request).addresses() if state_of(request).lan else []
    code = pairing.code() if addresses else None
    links = [] if code is None else [f"http://{address}/pair?code={code.text}" for address in addresses]
    return page(
        request,
        "doors/doors.html",
        status=status,
        lan=state_of(request).lan,
        code=code,
        left_s=pairing.left_s(),
        links=links,
        qr=segno.make(links[0], error="m").svg_inline(scale=6, border=3, omitsize=True) if links else "",
        paired=pairing.all(),
        keys=tokens.all_tokens(context),
        rigs=[strip.rig for strip in yard(context)],
        kinds=tokens.KINDS,
        address_of=tokens.address_of,
        host=request.headers.get("host", ""),
        **{"problems": {}, "typed": {}, "made": None, "key_problem": (0, "", ""), **more},
    )


@router.get("/doors")
def show(request: Request) -> Response:
    """Who may come in; on the machine Volnik runs on alone."""
    return _show(request)


@router.post("/doors/code")
def new_code(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """A new code; the one before no longer serves."""
    state_of(request).pairing.code(new=True)
    return RedirectResponse("/doors", 303)


@router.post("/doors/paired/{paired_id}/end")
def end_paired(request: Request, paired_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """End a paired browser at once."""
    state_of(request).pairing.end(paired_id)
    return RedirectResponse("/doors", 303)


@router.post("/doors/keys")
def make_key(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Make a key; its secret is shown this once."""
    problems: dict[str, str] = {}
    kind = text(form, "kind")
    rig = text(form, "rig_id")
    interval_s = decimal(form, "interval_s", problems) if kind in ("bridge", "bench") else 1.0
    try:
        if problems:
            raise InvalidInput(problems)
        made = tokens.make(
            state_of(request).context,
            kind=cast(TokenKind, kind),
            rig_id=int(rig) if rig.isdigit() and kind in ("bridge", "bench") else None,
            name=text(form, "name"),
            interval_s=math.nan if interval_s is None else interval_s,
        )
    except InvalidInput as wrong:
        typed = {name: str(value) for name, value in form.items() if isinstance(value, str)}
        return _show(request, status=422, problems=wrong.problems, typed=typed)
    return _show(request, made=made)


@router.post("/doors/keys/{token_id}/end")
def end_key(request: Request, token_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """End a key at once."""
    tokens.end(state_of(request).context, token_id)
    state_of(request).ingest.forget_keys()
    return RedirectResponse("/doors", 303)


@router.post("/doors/keys/{token_id}/interval")
def change_interval(request: Request, token_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Say anew how often a bridge reports; it holds from its next reading on."""
    problems: dict[str, str] = {}
    interval_s = decimal(form, "interval_s", problems, needed=True)
    try:
        if problems or interval_s is None:
            raise InvalidInput(problems)
        tokens.set_interval(state_of(request).context, token_id, interval_s)
    except InvalidInput as wrong:
        return _show(
            request,
            status=422,
            key_problem=(token_id, " ".join(wrong.problems.values()), text(form, "interval_s")),
        )
    state_of(request).ingest.forget_keys()
    return RedirectResponse("/doors", 303)


@router.get("/pair")
def pair_page(request: Request, code: str = "") -> Response:
    """What a phone sees first."""
    return page(request, "doors/pair.html", code=code[:20], problems={}, name="")


@router.post("/pair")
def pair(request: Request, form: FormData = Depends(guarded_form)) -> Response:
    """Let this phone in by the code the laptop shows."""
    code, name = text(form, "code"), text(form, "name")
    try:
        cookie = state_of(request).pairing.pair(code, name)
    except InvalidInput as wrong:
        return page(
            request, "doors/pair.html", status=422, code=code[:20], name=name, problems=wrong.problems
        )
    answer = RedirectResponse("/", 303)
    answer.set_cookie(PAIRED, cookie, httponly=True, samesite="strict", max_age=400 * 86400)
    return answer
