"""Watch: the count at any instant, the strip, the log and its entries."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData, UploadFile

from volnik.core.count.entries import Entry
from volnik.core.logfile import LogFileRefused
from volnik.core.readings import COLUMNS
from volnik.core.units import System
from volnik.core.watch.checkup.registry import names
from volnik.drawings.fan import clock, describe_ahead
from volnik.drawings.rail import Rail, draw_rail
from volnik.drawings.strip import PEN_WORDS, draw_strip
from volnik.jobs.board import Job
from volnik.services.log import entries
from volnik.services.log import sources as log
from volnik.services.watch.ahead import own_days
from volnik.services.watch.checked import checked, doubted, ready, sentence
from volnik.services.watch.view import WatchView, watch_strip, watch_view
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, instant, text
from volnik.web.page import page, preferences
from volnik.web.routes.jobs import after_job, settled
from volnik.web.security import guarded_form
from volnik.web.state import state_of
from volnik.web.views.watch import count_verdict

router = APIRouter(prefix="/rigs/{rig_id}/watch")
TIME_KINDS = {"iso": "ISO 8601", "epoch_s": "seconds since 1970", "epoch_ms": "milliseconds since 1970"}


def _rails(view: WatchView) -> tuple[Rail, Rail] | tuple[None, None]:
    if view.now is None:
        return None, None
    given = (view.now.numbers, view.now.state.deficit_ah, view.ahead)
    band = None if view.width is None or math.isnan(view.width.centre) else (view.width.low, view.width.high)
    return draw_rail(*given, width=1240.0, band=band), draw_rail(*given, width=380.0, small=True, band=band)


def _moment(request: Request, rig_id: int, view: WatchView) -> dict[str, Any]:
    wide, small = _rails(view)
    spoilt = names().get(doubted(state_of(request).context, rig_id), "")
    told = None
    if view.now is not None:
        own_days = _own_days(request, rig_id, view)
        system: System = "us" if preferences(request)[1] == "us" else "metric"
        told = count_verdict(view, view.now, doubted=spoilt, own_days=own_days, system=system)
    return {
        "live": state_of(request).live.now(rig_id),
        "view": view,
        "rail": wide,
        "small_rail": small,
        "now": view.now,
        "rig_id": rig_id,
        "doubted": spoilt,
        "told": told,
    }


def _own_days(request: Request, rig_id: int, view: WatchView) -> str:
    """What the rig's own days say from now, or "" away from the end of the log and while too little
    is known.
    """
    if (
        view.now is None
        or view.counted_log is None
        or view.now.in_gap
        or view.now.at_s < view.counted_log.end_s
    ):
        return ""
    found = own_days(state_of(request).context, rig_id)
    if found is None or not found[1].by_morning:
        return ""
    now, forecast = found
    zone = view.rig.zone
    at_s, _, middle = forecast.by_morning[0]
    place = int(np.searchsorted(forecast.time_s, at_s))
    spread = f"between {100 * forecast.low[place]:.0f} and {100 * forecast.high[place]:.0f}"
    return (
        f"{100 * middle:.0f} % at {clock(at_s, zone, now.read_s)}, {spread}; "
        f"{describe_ahead(forecast, now.numbers, zone, now.read_s)}"
    )


@router.get("")
def show(
    request: Request,
    rig_id: int,
    *,
    source: int | None = None,
    withdrawn: int | None = None,
    struck: int | None = None,
    pens: str = "",
) -> Response:
    """The Watch page."""
    context = state_of(request).context
    if state_of(request).live.now(rig_id) is not None:
        state_of(request).ingest.catch_up(rig_id)
    view = watch_view(context, rig_id)
    views = log.source_views(context, rig_id)
    by_id = {source.source.id: source for source in views}
    looked = checked(context, rig_id) if ready(context, rig_id) else None
    chosen = [pen for pen in pens.split(",") if view.counted_log and pen in view.counted_log.pens]
    return page(
        request,
        "watch/watch.html",
        head=rig_head(context, rig_id),
        stage="watch",
        sources=views,
        again=request.query_params.get("import") == "again",
        fresh=by_id.get(source or 0),
        aside=by_id.get(withdrawn or 0),
        struck=struck,
        pen_words=PEN_WORDS,
        pens=chosen or ["volts", "amps", "charge"],
        form={"kind": "full", "soc": "", "note": ""},
        problems={},
        looked=looked,
        looked_told="" if looked is None else sentence(looked.now),
        **_moment(request, rig_id, view),
    )


@router.get("/moment")
def at_moment(request: Request, rig_id: int, at: float | None = None) -> Response:
    """The state at an instant, as the fragments of the page that tell it."""
    if at is not None and not math.isfinite(at):
        raise HTTPException(422, "That is no instant.")
    view = watch_view(state_of(request).context, rig_id, at)
    if view.now is None:
        raise HTTPException(404, "This rig has no readings yet.")
    return page(request, "watch/_moment.html", **_moment(request, rig_id, view))


@router.get("/strip")
def strip(
    request: Request,
    rig_id: int,
    *,
    start: float,
    end: float,
    width: float = 860.0,
    height: float = 400.0,
    pens: str = "volts,amps,charge",
) -> Response:
    """A window of the paper strip, drawn."""
    if not all(map(math.isfinite, (start, end, width, height))) or not (
        200 <= width <= 4000 and 100 <= height <= 3000
    ):
        raise HTTPException(422, "A strip is 200 to 4000 wide and 100 to 3000 high.")
    chosen = [pen for pen in pens.split(",") if pen in (*COLUMNS, "charge")]
    try:
        window = watch_strip(
            state_of(request).context,
            rig_id,
            start_s=start,
            end_s=end,
            columns=max(50, int(width) - 100),
            pens=chosen,
        )
    except ValueError as wrong:
        raise HTTPException(422, f"This strip cannot be drawn: {wrong}.") from None
    head = rig_head(state_of(request).context, rig_id)
    _, units = preferences(request)
    drawing = draw_strip(
        window, width=width, height=height, zone=head.rig.zone, system="us" if units == "us" else "metric"
    )
    return page(request, "drawings/strip.html", strip=drawing)


@router.get("/import")
def choose(request: Request, rig_id: int, kind: str = "") -> Response:
    """Choose a file; of kind "beside" a charger's own log, kept beside the bank's and never counted."""
    return page(
        request,
        "watch/import.html",
        head=rig_head(state_of(request).context, rig_id),
        stage="watch",
        problems={},
        reference_log=kind == "beside",
    )


@router.post("/import")
def upload(request: Request, rig_id: int, kind: str = "", form: FormData = Depends(guarded_form)) -> Response:
    """Keep the file aside and look at it."""
    head = rig_head(state_of(request).context, rig_id)
    file = form.get("file")
    try:
        if not isinstance(file, UploadFile) or not file.filename:
            raise LogFileRefused({"file": "Choose a file first."})
        token = state_of(request).imports.keep(file.file, file.filename)
        state_of(request).imports.look(token)
    except LogFileRefused as wrong:
        return page(
            request,
            "watch/import.html",
            status=422,
            head=head,
            stage="watch",
            problems=wrong.problems,
            reference_log=kind == "beside",
        )
    return RedirectResponse(
        f"/rigs/{rig_id}/watch/import/{token}" + ("?kind=beside" if kind == "beside" else ""), 303
    )


def _choice(form: FormData, base: dict[str, Any]) -> dict[str, Any]:
    """The mapping as chosen in the form."""
    columns = {
        name: text(form, f"column_{name}") for name in ("time", *COLUMNS) if text(form, f"column_{name}")
    }
    kind = text(form, "time_kind")
    pattern = "" if kind in TIME_KINDS else kind
    amps_scale = {"A": 1.0, "mA": 0.001}.get(text(form, "amps_unit"), 1.0) * (
        -1.0 if text(form, "amps_sign") == "out" else 1.0
    )
    return {
        "columns": columns,
        "separator": base.get("separator", ","),
        "decimal": text(form, "decimal") or ".",
        "time_kind": "pattern" if pattern else kind,
        "time_pattern": pattern,
        "zone": text(form, "zone") or None,
        "amps_scale": amps_scale,
        "volts_scale": 0.001 if text(form, "volts_unit") == "mV" else 1.0,
    }


def _mapping_page(
    request: Request,
    rig_id: int,
    token: str,
    choice: dict[str, Any] | None,
    template: str = "watch/mapping.html",
    *,
    problems: dict[str, str] | None = None,
) -> Response:
    desk = state_of(request).imports
    head = rig_head(state_of(request).context, rig_id)
    try:
        look = desk.look(token)
    except LogFileRefused as wrong:
        return page(
            request,
            "watch/import.html",
            status=422,
            head=head,
            stage="watch",
            problems=wrong.problems,
            reference_log=False,
        )
    filled = {
        "separator": ",",
        "decimal": ".",
        "time_kind": "iso",
        "time_pattern": "",
        "zone": None,
        "amps_scale": 1.0,
        "volts_scale": 1.0,
        **(choice or look.choice),
    }
    if choice is None and look.doubts and filled["zone"] is None:
        filled["zone"] = head.rig.zone
    preview, found = None, dict(problems or {})
    try:
        preview = desk.preview(token, filled)
    except LogFileRefused as wrong:
        found = {**wrong.problems, **found}
    return page(
        request,
        template,
        status=422 if problems else 200,
        head=head,
        stage="watch",
        look=look,
        choice=filled,
        preview=preview,
        problems=found,
        time_kinds=TIME_KINDS,
        patterns=state_of(request).time_patterns,
        zones=state_of(request).zones,
        column_names=("time", *COLUMNS),
        pen_words=PEN_WORDS,
        rig_id=rig_id,
    )


@router.get("/import/{token}")
def mapping(request: Request, rig_id: int, token: str) -> Response:
    """How the waiting file would be read."""
    return _mapping_page(request, rig_id, token, None)


@router.post("/import/{token}/draft")
def mapping_draft(
    request: Request, rig_id: int, token: str, form: FormData = Depends(guarded_form)
) -> Response:
    """The preview under another mapping."""
    return _mapping_page(
        request,
        rig_id,
        token,
        _choice(form, state_of(request).imports.look(token).choice),
        "watch/_preview.html",
    )


@router.post("/import/{token}")
def start_import(
    request: Request, rig_id: int, token: str, kind: str = "", form: FormData = Depends(guarded_form)
) -> Response:
    """Start the import."""
    desk = state_of(request).imports
    try:
        choice = _choice(form, desk.look(token).choice)
        job = desk.start(rig_id, token, choice, kind="beside" if kind == "beside" else "file")
    except LogFileRefused as wrong:
        if "file" in wrong.problems:
            return page(
                request,
                "watch/import.html",
                status=422,
                head=rig_head(state_of(request).context, rig_id),
                stage="watch",
                problems=wrong.problems,
                reference_log=kind == "beside",
            )
        return _mapping_page(request, rig_id, token, choice, problems=wrong.problems)
    return settled(request, job, f"/rigs/{rig_id}/watch/import/{token}")


@router.post("/sources/{source_id}")
def withdraw_source(
    request: Request, rig_id: int, source_id: int, form: FormData = Depends(guarded_form)
) -> Response:
    """Withdraw a source, or bring it back."""
    back = text(form, "back") == "1"
    context = state_of(request).context
    if source_id not in {view.source.id for view in log.source_views(context, rig_id)}:
        raise HTTPException(404, "There is no such source.")

    def work(job: Job) -> dict[str, Any]:
        log.withdraw(context, rig_id, source_id, back=back, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch" + ("" if back else f"?withdrawn={source_id}")}

    return after_job(request, "Counting the log anew", work, f"/rigs/{rig_id}/watch")


@router.post("/entries/{entry_id}")
def withdraw_entry(
    request: Request, rig_id: int, entry_id: int, form: FormData = Depends(guarded_form)
) -> Response:
    """Withdraw an entry, or bring it back."""
    back = text(form, "back") == "1"
    context = state_of(request).context

    def work(job: Job) -> dict[str, Any]:
        entries.withdraw(context, rig_id, entry_id, back=back, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch" + ("" if back else f"?struck={entry_id}")}

    return after_job(request, "Counting the log anew", work, f"/rigs/{rig_id}/watch")


@router.post("/entries")
def enter(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Put a dated entry on record."""
    context = state_of(request).context
    head = rig_head(context, rig_id)
    problems: dict[str, str] = {}
    at_s = instant(form, "time", head.rig.zone, problems)
    kind = text(form, "kind")
    soc = decimal(form, "soc", problems, needed=kind == "set")
    if kind not in ("set", "full", "supply_lost", "block_swapped"):
        problems["kind"] = "Choose what happened."
    if soc is not None and not 0 <= soc <= 100:
        problems["soc"] = f"A charge lies from 0 to 100 %, got {soc:g} %."
    power_up = text(form, "power_up") or "last"
    if power_up not in ("full", "last", "blank"):
        problems["power_up"] = "Choose what the monitor claimed afterwards."
    if not problems and at_s is not None:
        try:
            entry = Entry(at_s, kind, soc=None if soc is None else soc / 100, power_up=power_up)  # type: ignore[arg-type]
            entries.check(context, entry, rig_id=rig_id)
            note = text(form, "note")[:300]

            def work(job: Job) -> dict[str, Any]:
                entries.enter(context, rig_id, entry, note, on_progress=job.on_progress)
                return {"url": f"/rigs/{rig_id}/watch#entries"}

            return after_job(request, "Counting the log with the new entry", work, f"/rigs/{rig_id}/watch")
        except ValueError as wrong:
            problems["time"] = str(wrong)
    view = watch_view(context, rig_id)
    return page(
        request,
        "watch/watch.html",
        status=422,
        head=head,
        stage="watch",
        sources=log.source_views(context, rig_id),
        again=False,
        fresh=None,
        aside=None,
        struck=None,
        pen_words=PEN_WORDS,
        pens=["volts", "amps", "charge"],
        problems=problems,
        looked=None,
        looked_told="",
        form={name: text(form, name) for name in ("kind", "soc", "note")},
        **_moment(request, rig_id, view),
    )
