"""Doors: phones of this network paired by a code, keys for bridges and feeds; each listed and ended here."""

from __future__ import annotations

import math
from typing import Any, cast

import segno
from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.roles import MOST_DAYS, ROLES
from volnik.services.doors.pairing import Code, Pairing
from volnik.services.live import tokens
from volnik.services.live.tokens import TokenKind
from volnik.services.yard.rigs import yard
from volnik.web.forms.doors import OF_A_RIG, SentCode, SentInterval, SentKey, SentPair
from volnik.web.forms.posted import guarded
from volnik.web.routing import PageRoute, for_strangers, for_this_machine
from volnik.web.security import PAIRED, came_from
from volnik.web.views.doors import bridge_said, sources_file
from volnik.web.visit import Visit, VisitDep

router = APIRouter(route_class=PageRoute)


def _show(visit: Visit, *, status: int = 200, **more: Any) -> Response:
    pairing: Pairing = visit.state.pairing
    context = visit.context
    addresses = visit.state.addresses() if visit.state.lan else []
    code = pairing.code() if addresses else None
    rigs = [strip.rig for strip in yard(context)]
    scheme = "https" if visit.state.fingerprint else "http"
    keys = tokens.all_tokens(context)
    links = [] if code is None else [f"{scheme}://{address}/pair?code={code.text}" for address in addresses]
    return visit.page(
        "doors/doors.html",
        status=status,
        lan=visit.state.lan,
        code=code,
        fingerprint=visit.state.fingerprint,
        left_minutes=math.ceil(pairing.left_s() / 60),
        links=links,
        qr=segno.make(links[0], error="m").svg_inline(scale=6, border=3, omitsize=True) if links else "",
        burnt_by=pairing.burnt_by,
        roles=ROLES,
        role_words=None if code is None else role_words(code, {rig.id: rig.name for rig in rigs}),
        paired=pairing.all(),
        keys=keys,
        rigs=rigs,
        rig_names={rig.id: rig.name for rig in rigs},
        kinds=tokens.KINDS,
        address_of=tokens.address_of,
        host=visit.request.headers.get("host", ""),
        said={key.id: bridge_said(visit.state.live.said_by(key.id)) for key in keys if key.is_bridge},
        **{"problems": {}, "typed": {}, "made": None, "sources": "", "key_problem": (0, "", ""), **more},
    )


def role_words(code: Code, rig_names: dict[int, str]) -> str:
    """As what a code lets in."""
    word, may = ROLES[code.role]
    return (
        f"{word}: {may}" if code.rig_id is None else f"{word} of {rig_names.get(code.rig_id, 'a rig')}: {may}"
    )


@router.get("/doors")
@for_this_machine
def show(visit: VisitDep) -> Response:
    """Who may come in; on the machine Volnik runs on alone."""
    return _show(visit)


@router.post("/doors/code")
@for_this_machine
def new_code(visit: VisitDep, sent: SentCode) -> Response:
    """A new code, for a role; the one before no longer serves."""
    role, rig_id = sent.read().of
    visit.state.pairing.code(new=True, role=role, rig_id=rig_id)
    return RedirectResponse("/doors", 303)


@router.post("/doors/paired/{paired_id}/end", dependencies=[guarded])
@for_this_machine
def end_paired(visit: VisitDep, paired_id: int) -> Response:
    """End a paired browser at once."""
    visit.state.pairing.end(paired_id)
    return RedirectResponse("/doors", 303)


@router.post("/doors/keys")
@for_this_machine
def make_key(visit: VisitDep, sent: SentKey) -> Response:
    """Make a key; its secret is shown this once."""
    try:
        form = sent.read()
        # Another kind of key reports nothing: any interval that can stand will do.
        interval_s = form.interval_s if form.kind in OF_A_RIG else 1.0
        made = tokens.make(
            visit.context,
            kind=cast(TokenKind, form.kind),
            rig_id=form.rig,
            name=form.name,
            interval_s=math.nan if interval_s is None else interval_s,
        )
    except InvalidInput as wrong:
        return _show(visit, status=422, problems=wrong.problems, typed=sent.typed)
    host = visit.request.headers.get("host", "")
    file = sources_file(made, f"{'https' if visit.state.fingerprint else 'http'}://{host}")
    return _show(visit, made=made, sources=file)


@router.post("/doors/keys/{token_id}/end", dependencies=[guarded])
@for_this_machine
def end_key(visit: VisitDep, token_id: int) -> Response:
    """End a key at once."""
    tokens.end(visit.context, token_id)
    visit.state.ingest.forget_keys()
    return RedirectResponse("/doors", 303)


@router.post("/doors/keys/{token_id}/interval")
@for_this_machine
def change_interval(visit: VisitDep, token_id: int, sent: SentInterval) -> Response:
    """Say anew how often a bridge reports; it holds from its next reading on."""
    try:
        tokens.set_interval(visit.context, token_id, sent.read().interval_s)
    except InvalidInput as wrong:
        sentence = " ".join(wrong.problems.values())
        return _show(visit, status=422, key_problem=(token_id, sentence, sent.pressed("interval_s")))
    visit.state.ingest.forget_keys()
    return RedirectResponse("/doors", 303)


@router.get("/pair")
@for_strangers
def pair_page(visit: VisitDep, code: str = "") -> Response:
    """What a phone sees first."""
    return visit.page("doors/pair.html", code=code[:20], problems={}, name="")


@router.post("/pair")
@for_strangers
def pair(visit: VisitDep, sent: SentPair) -> Response:
    """Let this phone in by the code the laptop shows."""
    form = sent.read()
    try:
        cookie = visit.state.pairing.pair(form.code, form.name, address=came_from(visit.request))
    except InvalidInput as wrong:
        again = {"code": form.code[:20], "name": form.name, "problems": wrong.problems}
        return visit.page("doors/pair.html", status=422, **again)
    answer = RedirectResponse("/", 303)
    answer.set_cookie(
        PAIRED,
        cookie,
        httponly=True,
        samesite="strict",
        secure=visit.request.url.scheme == "https",
        max_age=MOST_DAYS * 86_400,
    )
    return answer
