"""Watch, who used it: loads told apart, the idle draw; second opinions against the shunt."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.drawings.strings import draw_strings
from volnik.drawings.uses import draw_uses
from volnik.services.watch.loads import keep_opinions, loads_view, name_load, opinions_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, instant, text
from volnik.web.page import page
from volnik.web.routes.who import who
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/watch")
MOST_STRINGS = 8


def _loads(request: Request, rig_id: int, **more: Any) -> Response:
    context = state_of(request).context
    if state_of(request).live.now(rig_id) is not None:
        state_of(request).ingest.catch_up(rig_id)
    head = rig_head(context, rig_id)
    view = loads_view(context, rig_id)
    drawing = (
        None
        if view.loads is None or view.now is None
        else draw_uses(view.loads, end_s=view.now.read_s, zone=head.rig.zone)
    )
    return page(
        request,
        "watch/loads.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="loads",
        view=view,
        drawing=drawing,
        **{"problems": {}, "typed": {}, **more},
    )


@router.get("/loads")
def show_loads(request: Request, rig_id: int) -> Response:
    """Loads of a rig, from its log."""
    return _loads(request, rig_id)


@router.post("/loads")
def name_one(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Give a step a name."""
    problems: dict[str, str] = {}
    amps = decimal(form, "amps", problems, needed=True)
    if not problems and amps is not None:
        try:
            name_load(
                state_of(request).context,
                rig_id,
                name=text(form, "name"),
                amps=amps,
                at_s=state_of(request).context.now(),
                who=who(request),
            )
            return RedirectResponse(f"/rigs/{rig_id}/watch/loads", 303)
        except InvalidInput as wrong:
            problems = dict(wrong.problems)
    return _loads(
        request, rig_id, problems=problems, typed={"amps": text(form, "amps"), "name": text(form, "name")}
    )


def _opinions(request: Request, rig_id: int, **more: Any) -> Response:
    context = state_of(request).context
    head = rig_head(context, rig_id)
    view = opinions_view(context, rig_id)
    drawing = None if view.latest is None else draw_strings(view.latest, half=view.half)
    bank = head.rig.bank
    each = (
        []
        if bank is None
        else [
            {
                "name": f"string {at + 1}",
                "capacity_ah": f"{bank.label.ah or 0:g}" if bank.label.ah else "",
                "soc_pct": "",
                "full": "",
                "amps": "",
            }
            for at in range(max(2, bank.parallel))
        ]
    )
    return page(
        request,
        "watch/opinions.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="opinions",
        view=view,
        drawing=drawing,
        **{"problems": {}, "pasted": "", "rows": None, "when": "", **more}
        | {
            "rows": more.get("rows")
            or each
            or [{"name": "", "capacity_ah": "", "soc_pct": "", "full": "", "amps": ""}] * 2
        },
    )


@router.get("/opinions")
def show_opinions(request: Request, rig_id: int) -> Response:
    """Second opinions of a rig."""
    return _opinions(request, rig_id)


def _pasted(
    typed: str, zone: str, problems: dict[str, str]
) -> tuple[list[dict[str, object]], list[dict[str, str]]]:
    """Counters pasted as lines: name, percent, Ah, and if known last full (ISO) and amps.

    From a file or a spreadsheet.
    """
    rows: list[dict[str, object]] = []
    for at, line in enumerate(splitline for splitline in typed.splitlines() if splitline.strip()):
        mark = next((mark for mark in "\t;" if mark in line), ",")
        cells = [cell.strip() for cell in line.split(mark)]
        if at == 0 and len(cells) > 1 and not any(cell.isdigit() for cell in cells[1]):
            continue  # headings
        found: dict[str, str] = {}
        cells += [""] * (5 - len(cells))
        row: dict[str, object] = {"name": cells[0]}
        for name, cell in (("soc_pct", cells[1].rstrip(" %")), ("capacity_ah", cells[2]), ("amps", cells[4])):
            value = decimal({name: cell}, name, found, needed=name != "amps")
            if value is not None:
                row[name] = value
        if cells[3]:
            row["full_s"] = instant({"full": cells[3]}, "full", zone, found)
        if found:
            problems["pasted"] = f"Line {at + 1}: {next(iter(found))}: {next(iter(found.values()))}"
            break
        rows.append(row)
    return rows, []


@router.post("/opinions")
def put_opinions(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep what several counters say."""
    head = rig_head(state_of(request).context, rig_id)
    problems: dict[str, str] = {}
    at_s = instant(form, "time", head.rig.zone, problems)
    rows, shown = _pasted(text(form, "pasted"), head.rig.zone, problems)
    for place in range(0 if rows or "pasted" in problems else MOST_STRINGS):
        typed = {
            name: text(form, f"{place}.{name}") for name in ("name", "soc_pct", "capacity_ah", "full", "amps")
        }
        if f"{place}.name" in form:
            shown.append(typed)
        if not any(typed[name] for name in ("soc_pct", "full", "amps")):
            continue
        row: dict[str, object] = {"name": typed["name"]}
        for name in ("soc_pct", "capacity_ah", "amps"):
            value = decimal(form, f"{place}.{name}", problems, needed=name != "amps")
            if value is not None:
                row[name] = value
        if typed["full"]:
            row["full_s"] = instant(form, f"{place}.full", head.rig.zone, problems)
        rows.append(row)
    if not problems and at_s is not None:
        try:
            keep_opinions(state_of(request).context, rig_id, rows, at_s=at_s, who=who(request))
            return RedirectResponse(f"/rigs/{rig_id}/watch/opinions", 303)
        except InvalidInput as wrong:
            problems = dict(wrong.problems)
    return _opinions(
        request,
        rig_id,
        problems=problems,
        rows=shown or None,
        when=text(form, "time"),
        pasted=text(form, "pasted"),
    )
