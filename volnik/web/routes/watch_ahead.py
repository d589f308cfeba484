"""Watch, days to come: the forecast from the rig's own days, what-ifs, nights to stay, tonight rehearsed."""

from __future__ import annotations

from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import RedirectResponse, Response

from volnik.core.units import System
from volnik.drawings.fan import FanDrawing, draw_fan
from volnik.drawings.scale import TwoSizes, two_sizes
from volnik.jobs.board import Job
from volnik.services.log.counted_log import open_counted_log
from volnik.services.log.half_hours import half_hours
from volnik.services.watch import notes
from volnik.services.watch.ahead import SKIES, AheadView, ForecastQuestion, ahead_view
from volnik.services.watch.usual_day import wanted
from volnik.web.forms.posted import guarded, read_form
from volnik.web.forms.watch import AirForm, BackForm, PanelForm
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.views.watch_ahead import ahead_page, usual_days
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch/ahead", route_class=PageRoute)


def read_log(visit: Visit, rig_id: int, back: str) -> Response:
    """Make a long log's half hours as a job, then go back."""
    context = visit.context

    def work(job: Job) -> dict[str, Any]:
        with context.db.reading() as session:
            counted_log = open_counted_log(session, context, rig_id)
            if counted_log is not None:
                half_hours(session, context, counted_log, on_progress=job.on_progress)
        return {"url": back}

    return after_job(visit, "Reading the whole log", work, f"/rigs/{rig_id}/watch")


@router.get("")
@for_everyone
def show(
    visit: VisitDep,
    rig_id: int,
    *,
    sky: str = "as_it_was",
    sky_days: int = Query(7, ge=1, le=14),
    off: Annotated[list[str] | None, Query()] = None,
    heating: int = 0,
    panel: str = "",
    back: str = "",
    nights: int = Query(0, ge=0, le=7),
    days: int = Query(3, ge=1, le=7),
) -> Response:
    """The forecast of a rig."""
    context = visit.context
    visit.catch_up(rig_id)
    problems: dict[str, str] = {}
    low, high = visit.query.get("low", ""), visit.query.get("high", "")
    asked = ForecastQuestion(
        sky if sky in SKIES else "as_it_was",
        sky_days,
        tuple(off or ()),
        bool(heating),
        _watts(panel, problems),
        nights,
        *_air(low, high, visit.system, problems),
        _way_back(back, problems),
    )
    view = ahead_view(context, rig_id, asked)
    if view.waiting:
        return read_log(visit, rig_id, f"/rigs/{rig_id}/watch/ahead")
    head = visit.head(rig_id)
    return visit.page(
        "watch/ahead.html",
        head=head,
        stage="watch",
        part="ahead",
        view=view,
        asked=asked,
        drawing=_drawn(view, asked, head.rig.zone, days),
        skies=SKIES,
        days=days,
        shown=ahead_page(view, head.rig.zone, visit.system),
        wanted=wanted(context, rig_id),
        low=low,
        high=high,
        degrees="°F" if visit.system == "us" else "°C",
        problems=problems,
        panel=panel,
        back=back,
        doubted=view.rig.summary.reason if view.rig.summary.believed == "not" else "",
        status=422 if problems else 200,
    )


def _drawn(view: AheadView, asked: ForecastQuestion, zone: str, days: int) -> TwoSizes[FanDrawing] | None:
    """The days to come as a fan, None where nothing can be told."""
    if view.plain is None or view.now is None:
        return None
    drawn = partial(
        draw_fan,
        view.plain,
        view.changed,
        now_s=view.now.read_s,
        soc=view.now.soc,
        reserve_pct=view.now.numbers.reserve_pct,
        zone=zone,
        days=usual_days(asked, days),
    )
    return two_sizes(lambda width: drawn(width=width))


def _watts(typed: str, problems: dict[str, str]) -> float:
    """Watts as typed, 0 where nothing was."""
    sent = read_form(PanelForm, {"panel": typed})
    problems |= sent.problems
    return sent.form.panel or 0.0 if sent.form is not None else 0.0


def _way_back(typed: str, problems: dict[str, str]) -> float:
    """Ah for the way back as typed, 0 where nothing was."""
    sent = read_form(BackForm, {"back": typed})
    problems |= sent.problems
    return sent.form.back or 0.0 if sent.form is not None else 0.0


def _air(low: str, high: str, system: System, problems: dict[str, str]) -> tuple[float | None, float | None]:
    """Tomorrow's coldest and hottest hour as typed [°C], None where nothing was."""
    sent = read_form(AirForm, {"low": low, "high": high})
    problems |= sent.problems
    if sent.form is None:
        return None, None
    coldest, hottest = (
        value if value is None or system == "metric" else (value - 32.0) / 1.8
        for value in (sent.form.low, sent.form.high)
    )
    return coldest, hottest


@router.post("/rehearsal", dependencies=[guarded])
@for_the_shop
def rehearse(visit: VisitDep, rig_id: int) -> Response:
    """Keep tonight's rehearsal, to be held against the morning."""
    view = ahead_view(visit.context, rig_id)
    if view.rehearsal is not None and view.now is not None:
        rehearsal = view.rehearsal
        body = {
            "draw_a": rehearsal.draw_a,
            "over_h": rehearsal.over_h,
            "until_s": rehearsal.until_s,
            "soc": rehearsal.soc,
            "low": rehearsal.low,
            "high": rehearsal.high,
            "from_soc": view.now.soc,
        }
        notes.add(
            visit.context,
            rig_id,
            "rehearsal",
            time_s=view.now.read_s,
            who=visit.who,
            body=body,
            now_s=view.now.read_s,
        )
    return RedirectResponse(f"/rigs/{rig_id}/watch/ahead#tonight", 303)
