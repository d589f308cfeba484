"""Watch: the count at any instant, the strip, the log and its entries."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from fastapi import APIRouter, HTTPException
from fastapi.responses import RedirectResponse, Response

from volnik.core.columns import KINDS, column
from volnik.core.count.entries import Entry
from volnik.core.errors import InvalidInput
from volnik.core.instants import is_instant
from volnik.core.logfile import LogFileRefused
from volnik.core.readings import COLUMNS
from volnik.drawings.fan import clock, describe_ahead
from volnik.drawings.rail import Rail, draw_rail
from volnik.drawings.strip import draw_strip, pen_words
from volnik.jobs.board import Job
from volnik.services.context import AppContext
from volnik.services.log import entries
from volnik.services.log import sources as log
from volnik.services.watch.ahead import own_days, usual_absorption_h
from volnik.services.watch.checked import checked, ready, sentence
from volnik.services.watch.rested import keep_rest
from volnik.services.watch.view import WatchView, watch_strip, watch_view
from volnik.web.forms.posted import Posted, at_s
from volnik.web.forms.watch import TIME_KINDS, MappingForm, SentEntry, SentFile, SentMapping, SentRest
from volnik.web.forms.yard import SentBack
from volnik.web.routes.jobs import after_job, settled
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.watch import OwnDays, count_verdict
from volnik.web.views.watch_record import import_report, ledger, record_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)
USUAL_PENS = ["volts", "amps", "charge"]
NO_REST = dict.fromkeys(("time", "volts", "hours", "after"), "")
NOT_BELIEVED = "nobody knows how much is in it"
NOTHING_TYPED = {"kind": "full", "soc": "", "note": ""}


def _rails(view: WatchView, *, spoilt: bool) -> tuple[Rail, Rail] | tuple[None, None]:
    """The charge rail, wide and small; of a count that cannot be believed without any charge."""
    if view.now is None:
        return None, None
    if spoilt:
        wide = draw_rail(view.now.numbers, math.nan, [], width=1240.0, unknown=NOT_BELIEVED)
        return wide, draw_rail(view.now.numbers, math.nan, [], width=380.0, small=True, unknown=NOT_BELIEVED)
    given = (view.now.numbers, view.now.state.deficit_ah, view.ahead)
    band = None if view.width is None or math.isnan(view.width.centre) else (view.width.low, view.width.high)
    return draw_rail(*given, width=1240.0, band=band), draw_rail(*given, width=380.0, small=True, band=band)


def _moment(visit: Visit, rig_id: int, view: WatchView) -> dict[str, Any]:
    summary = view.rig.summary
    spoilt = summary.reason if summary.believed == "not" else ""
    wide, small = _rails(view, spoilt=bool(spoilt))
    told = None
    if view.now is not None:
        own_days = _own_days(visit, rig_id, view)
        charging = view.now.runtime.flow == "charging"
        told = count_verdict(
            view,
            view.now,
            doubted=spoilt,
            own_days=own_days,
            system=visit.system,
            absorption_h=usual_absorption_h(visit.context, rig_id) if charging else None,
        )
    return {
        "live": visit.state.live.now(rig_id),
        "view": view,
        "rail": wide,
        "small_rail": small,
        "now": view.now,
        "rig_id": rig_id,
        "doubted": spoilt,
        "says_belief": bool(spoilt),
        "told": told,
        "ledger": None if view.now is None else ledger(view.now, view.rig.zone),
    }


def _own_days(visit: Visit, rig_id: int, view: WatchView) -> OwnDays | None:
    """What the rig's own days say from now, or None away from the end of the log and while too little
    is known.
    """
    if (
        view.now is None
        or view.counted_log is None
        or view.now.in_gap
        or view.now.at_s < view.counted_log.end_s
    ):
        return None
    found = own_days(visit.context, rig_id)
    if found is None or not found[1].by_morning:
        return None
    now, forecast = found
    zone = view.rig.zone
    at_s, _, middle = forecast.by_morning[0]
    place = int(np.searchsorted(forecast.time_s, at_s))
    spread = f"between {100 * forecast.low[place]:.0f} and {100 * forecast.high[place]:.0f}"
    leads = describe_ahead(forecast, now.numbers, zone, now.read_s)
    return OwnDays(
        f"{leads[:1].upper()}{leads[1:]}.",
        f"{100 * middle:.0f} % at {clock(at_s, zone, now.read_s)}, {spread}",
    )


@router.get("")
@for_everyone
def show(
    visit: VisitDep,
    rig_id: int,
    *,
    source: int | None = None,
    withdrawn: int | None = None,
    struck: int | None = None,
    pens: str = "",
) -> Response:
    """The Watch page."""
    visit.catch_up(rig_id)
    view = watch_view(visit.context, rig_id)
    by_id = {seen.source.id: seen for seen in log.source_views(visit.context, rig_id)}
    chosen = [pen for pen in pens.split(",") if view.counted_log and pen in view.counted_log.pens]
    return _watch_page(
        visit,
        rig_id,
        view,
        again=visit.query.get("import") == "again",
        fresh=by_id.get(source or 0),
        aside=by_id.get(withdrawn or 0),
        struck=struck,
        pens=chosen or USUAL_PENS,
    )


def _watch_page(
    visit: Visit,
    rig_id: int,
    view: WatchView,
    *,
    form: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    fresh: log.SourceView | None = None,
    again: bool = False,
    **more: Any,
) -> Response:
    context = visit.context
    looked = checked(context, rig_id) if ready(context, rig_id) else None
    sources = log.source_views(context, rig_id)
    usual: dict[str, Any] = {
        "aside": None,
        "struck": None,
        "pens": USUAL_PENS,
        "rest": NO_REST,
    }
    return visit.page(
        "watch/watch.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="watch",
        sources=sources,
        record=record_page(view, sources, view.rig.zone),
        imported="" if fresh is None else import_report(fresh, view.rig.zone, again=again),
        fresh=fresh,
        again=again,
        pen_words=pen_words,
        **_pens(view, more.get("pens", USUAL_PENS)),
        form=form or NOTHING_TYPED,
        problems=problems or {},
        looked=looked,
        looked_told="" if looked is None else sentence(looked.now, view.rig.zone),
        **_moment(visit, rig_id, view),
        **{**usual, **more},
    )


def _pens(view: WatchView, chosen: list[str]) -> dict[str, list[str]]:
    """The pens that can be drawn: those every rig has with what is drawn, and the others."""
    pens = view.counted_log.pens if view.counted_log is not None else []
    usual = [pen for pen in pens if pen in (*COLUMNS, "charge") or pen in chosen]
    return {"usual_pens": usual, "more_pens": [pen for pen in pens if pen not in usual]}


@router.get("/moment")
@for_everyone
def at_moment(visit: VisitDep, rig_id: int, at: float | None = None) -> Response:
    """The state at an instant, as the fragments of the page that tell it."""
    if at is not None and not is_instant(at):
        raise HTTPException(422, "That is no instant.")
    view = watch_view(visit.context, rig_id, at)
    if view.now is None:
        raise HTTPException(404, "This rig has no readings yet.")
    return visit.page("watch/_moment.html", **_moment(visit, rig_id, view))


@router.get("/strip")
@for_everyone
def strip(
    visit: VisitDep,
    rig_id: int,
    *,
    start: float,
    end: float,
    width: float = 860.0,
    height: float = 400.0,
    pens: str = "volts,amps,charge",
) -> Response:
    """A window of the paper strip, drawn."""
    if not (is_instant(start) and is_instant(end)):
        raise HTTPException(422, "A strip lies between two instants.")
    if not (200 <= width <= 4000 and 100 <= height <= 3000):
        raise HTTPException(422, "A strip is 200 to 4000 wide and 100 to 3000 high.")
    chosen = [pen for pen in pens.split(",") if pen == "charge" or column(pen) is not None]
    try:
        window = watch_strip(
            visit.context,
            rig_id,
            start_s=start,
            end_s=end,
            columns=max(50, int(width) - 100),
            pens=chosen,
        )
    except ValueError as wrong:
        raise HTTPException(422, f"This strip cannot be drawn: {wrong}.") from None
    head = visit.head(rig_id)
    drawing = draw_strip(window, width=width, height=height, zone=head.rig.zone, system=visit.system)
    return visit.page("drawings/strip.html", strip=drawing)


@router.get("/import")
@for_the_shop
def choose(visit: VisitDep, rig_id: int, kind: str = "") -> Response:
    """Choose a file; of kind "beside" a charger's own log, kept beside the bank's and never counted."""
    return _import_page(visit, rig_id, reference_log=kind == "beside")


def _import_page(
    visit: Visit, rig_id: int, *, reference_log: bool, problems: dict[str, str] | None = None
) -> Response:
    return visit.page(
        "watch/import.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="watch",
        problems=problems or {},
        reference_log=reference_log,
    )


@router.post("/import")
@for_the_shop
def upload(visit: VisitDep, rig_id: int, sent: SentFile, kind: str = "") -> Response:
    """Keep the file aside and look at it."""
    visit.head(rig_id)  # an unknown rig is refused before the file is kept
    file = sent.read().file
    try:
        if file is None or not file.filename:
            raise LogFileRefused({"file": "Choose a file first."})
        token = visit.state.imports.keep(file.file, file.filename)
        visit.state.imports.sniffed(token)
    except LogFileRefused as wrong:
        return _import_page(visit, rig_id, reference_log=kind == "beside", problems=wrong.problems)
    return RedirectResponse(
        f"/rigs/{rig_id}/watch/import/{token}" + ("?kind=beside" if kind == "beside" else ""), 303
    )


def _choice(visit: Visit, token: str, sent: Posted[MappingForm]) -> dict[str, Any]:
    """The mapping as chosen in the form; how columns are parted was found in the file itself."""
    return sent.read().choice(visit.state.imports.sniffed(token).choice.get("separator", ","))


def _other_columns(headings: list[str], chosen: dict[str, str]) -> dict[str, Any]:
    """Headings that serve as no column every rig has, what they are kept as, and what they can be."""
    fixed = {heading for name, heading in chosen.items() if name == "time" or name in COLUMNS}
    kinds = {chosen[name]: found.kind for name in chosen if (found := column(name)) and name not in COLUMNS}
    return {
        "others": [heading for heading in headings if heading not in fixed],
        "kept": kinds,
        "own_kinds": {name: f"{kind.words}, {kind.unit}".rstrip(", ") for name, kind in KINDS.items()},
    }


def _mapping_page(
    visit: Visit,
    rig_id: int,
    token: str,
    choice: dict[str, Any] | None,
    template: str = "watch/mapping.html",
    *,
    problems: dict[str, str] | None = None,
) -> Response:
    desk = visit.state.imports
    head = visit.head(rig_id)
    try:
        look = desk.sniffed(token)
    except LogFileRefused as wrong:
        return visit.page(
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
    return visit.page(
        template,
        status=422 if problems else 200,
        head=head,
        stage="watch",
        look=look,
        choice=filled,
        preview=preview,
        problems=found,
        time_kinds=TIME_KINDS,
        patterns=visit.state.time_patterns,
        zones=visit.state.zones,
        column_names=("time", *COLUMNS),
        **_other_columns(look.headings, filled["columns"]),
        pen_words=pen_words,
        rig_id=rig_id,
    )


@router.get("/import/{token}")
@for_the_shop
def mapping(visit: VisitDep, rig_id: int, token: str) -> Response:
    """How the waiting file would be read."""
    return _mapping_page(visit, rig_id, token, None)


@router.post("/import/{token}/draft")
@for_the_shop
def mapping_draft(visit: VisitDep, rig_id: int, token: str, sent: SentMapping) -> Response:
    """The preview under another mapping."""
    choice = _choice(visit, token, sent)
    return _mapping_page(visit, rig_id, token, choice, "watch/_preview.html")


@router.post("/import/{token}")
@for_the_shop
def start_import(visit: VisitDep, rig_id: int, token: str, sent: SentMapping, kind: str = "") -> Response:
    """Start the import."""
    reference_log = kind == "beside"
    try:
        choice = _choice(visit, token, sent)
        job = visit.state.imports.start(rig_id, token, choice, kind="beside" if reference_log else "file")
    except LogFileRefused as wrong:
        if "file" in wrong.problems:
            return _import_page(visit, rig_id, reference_log=reference_log, problems=wrong.problems)
        return _mapping_page(visit, rig_id, token, choice, problems=wrong.problems)
    return settled(visit, job, f"/rigs/{rig_id}/watch/import/{token}")


@router.post("/sources/{source_id}")
@for_installers
def withdraw_source(visit: VisitDep, rig_id: int, source_id: int, sent: SentBack) -> Response:
    """Withdraw a source, or bring it back."""
    back = sent.read().back == "1"
    context = visit.context
    if source_id not in {view.source.id for view in log.source_views(context, rig_id)}:
        raise HTTPException(404, "There is no such source.")

    def work(job: Job) -> dict[str, Any]:
        log.withdraw(context, rig_id, source_id, back=back, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch" + ("" if back else f"?withdrawn={source_id}")}

    return after_job(visit, "Counting the log anew", work, f"/rigs/{rig_id}/watch")


@router.post("/entries/{entry_id}")
@for_installers
def withdraw_entry(visit: VisitDep, rig_id: int, entry_id: int, sent: SentBack) -> Response:
    """Withdraw an entry, or bring it back."""
    back = sent.read().back == "1"
    context = visit.context

    def work(job: Job) -> dict[str, Any]:
        entries.withdraw(context, rig_id, entry_id, back=back, on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch" + ("" if back else f"?struck={entry_id}")}

    return after_job(visit, "Counting the log anew", work, f"/rigs/{rig_id}/watch")


@router.post("/entries")
@for_installers
def enter(visit: VisitDep, rig_id: int, sent: SentEntry) -> Response:
    """Put a dated entry on record."""
    context = visit.context
    zone = visit.head(rig_id).rig.zone
    try:
        form = sent.read()
        entry = form.entry(zone)
        _refuse_impossible(context, entry, rig_id)
    except InvalidInput as wrong:
        return _watch_page(
            visit, rig_id, watch_view(context, rig_id), form=sent.typed, problems=wrong.problems
        )

    def work(job: Job) -> dict[str, Any]:
        entries.enter(context, rig_id, entry, form.note[:300], on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/watch#entries"}

    return after_job(visit, "Counting the log with the new entry", work, f"/rigs/{rig_id}/watch")


@router.post("/rest")
@for_the_shop
def rest(visit: VisitDep, rig_id: int, sent: SentRest) -> Response:
    """Keep volts read at rest, as evidence of the charge."""
    context = visit.context
    try:
        form = sent.read()
        keep_rest(
            context,
            rig_id,
            time_s=at_s(form.time, visit.head(rig_id).rig.zone),
            volts=form.volts,
            hours=form.hours,
            after_charge=form.after == "charge",
            who=visit.who,
        )
    except InvalidInput as wrong:
        problems = {f"rest-{name}": sentence for name, sentence in wrong.problems.items()}
        return _watch_page(visit, rig_id, watch_view(context, rig_id), problems=problems, rest=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/watch#entries", 303)


def _refuse_impossible(context: AppContext, entry: Entry, rig_id: int) -> None:
    """Refuse an entry that the log cannot hold, beside its time."""
    try:
        entries.check(context, entry, rig_id=rig_id)
    except InvalidInput:
        raise
    except ValueError as wrong:
        raise InvalidInput({"time": str(wrong)}) from None
