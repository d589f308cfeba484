"""Watch, what happened: any stretch of the log as a page, a PDF, plain text or CSV."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response

from volnik.core.errors import InvalidInput
from volnik.core.papers.event import event_report, event_rows, paragraph
from volnik.core.papers.paper import Size
from volnik.core.papers.tongue import ENGLISH, Tongue, tongue
from volnik.drawings.event import PAPER_W, EventDrawing, draw_event
from volnik.drawings.scale import PHONE_W, TwoSizes
from volnik.services.watch.stretch import Stretch, stretch
from volnik.web.forms.posted import at_s
from volnik.web.page import ENVIRONMENT, when
from volnik.web.routing import PageRoute, for_everyone
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch/event", route_class=PageRoute)
Form = Literal["pdf", "txt", "csv"]
DAY_S = 86_400.0
NO_READINGS = "There are no readings to tell of yet: import a log, or let a bridge report."
Typed = Annotated[str, Query(max_length=60)]


@dataclass(frozen=True, slots=True)
class Forwarded:
    """What the owner is sent: its language, such as "de", and the words."""

    language: str
    words: str


def _told(visit: Visit, rig_id: int, start: str, end: str, what: str) -> Stretch:
    """The stretch as asked for.

    Raises:
        InvalidInput: naming the instant that cannot be read, or why there is nothing to tell.
    """
    zone = visit.head(rig_id).rig.zone
    problems: dict[str, str] = {}
    instants: dict[str, float] = {}
    for name, text in (("start", start), ("end", end)):
        try:
            instants[name] = at_s(datetime.fromisoformat(text), zone)
        except ValueError:
            problems[name] = "Choose the day and the time."
    if problems:
        raise InvalidInput(problems)
    return stretch(visit.context, rig_id, instants["start"], instants["end"], what=what.strip())


def _forwarded(told: Stretch | None, say: Tongue) -> Forwarded | None:
    """The paragraph in the owner's language, where that is not English."""
    if told is None or say.is_english:
        return None
    return Forwarded(say.tag, paragraph(told.facts, say))


def _drawn(told: Stretch, say: Tongue, width: float = PAPER_W) -> EventDrawing:
    return draw_event(
        told.time_s,
        told.soc,
        reserve_pct=told.reserve_pct,
        zone=told.rig.zone,
        message=say(
            "Charge from {start} to {end}",
            start=say.moment(told.facts.start_s, told.rig.zone),
            end=say.moment(told.facts.end_s, told.rig.zone),
        ),
        width=width,
    )


def _svg(told: Stretch, say: Tongue) -> str:
    """The drawing as SVG that stands alone, "" while its percentage cannot be believed."""
    if not told.facts.believed:
        return ""
    return ENVIRONMENT.get_template("drawings/event.html").render(d=_drawn(told, say))


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, start: Typed = "", end: Typed = "", what: Typed = "") -> Response:
    """What happened in a stretch; without one the last day is told."""
    visit.catch_up(rig_id)
    head = visit.head(rig_id)
    last_s = head.rig.summary.at_s
    start = start or when(last_s - DAY_S, head.rig.zone, "field")
    end = end or when(last_s, head.rig.zone, "field")
    told: Stretch | None = None
    problems: dict[str, str] = {}
    try:
        told = _told(visit, rig_id, start, end, what)
    except InvalidInput as wrong:
        problems = {"start": NO_READINGS} if math.isnan(last_s) else wrong.problems
    shown = told if told is not None and told.facts.believed else None
    return visit.page(
        "watch/event.html",
        status=422 if problems and not math.isnan(last_s) else 200,
        head=head,
        stage="watch",
        part="sums",
        told=told,
        paragraph="" if told is None else paragraph(told.facts),
        forwarded=_forwarded(told, tongue(head.rig.language)),
        rows=[] if told is None else event_rows(told.facts),
        drawing=None if shown is None else TwoSizes(_drawn(shown, ENGLISH), _drawn(shown, ENGLISH, PHONE_W)),
        typed={"start": start, "end": end, "what": what},
        problems=problems,
    )


@router.get("/report.{form}")
@for_everyone
def file(
    visit: VisitDep,
    rig_id: int,
    form: Form,
    *,
    start: Typed = "",
    end: Typed = "",
    what: Typed = "",
    size: Size = "a4",
) -> Response:
    """What happened in a stretch, as a file."""
    told = _told(visit, rig_id, start, end, what)
    say = tongue(told.rig.language)
    if form == "txt":
        return Response(paragraph(told.facts, say) + "\n", media_type="text/plain; charset=utf-8")
    ports = visit.state.ports
    if form == "csv":
        rows = [list(row) for row in event_rows(told.facts)]
        return Response(ports.table_csv(["what", "figure"], rows), media_type="text/csv; charset=utf-8")
    paper = event_report(told.facts, drawing=_svg(told, say), say=say)
    body = ports.typeset(paper, size, f"{told.rig.name}.", visit.context.now(), visit.state.shop)
    return Response(body, media_type="application/pdf")
