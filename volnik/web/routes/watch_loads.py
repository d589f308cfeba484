"""Watch, who used it: loads told apart, the idle draw; second opinions against the shunt."""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.watch.loads import LoadsTold
from volnik.drawings.fed import draw_fed
from volnik.drawings.scale import two_sizes
from volnik.drawings.strings import draw_strings
from volnik.drawings.uses import UsesDrawing, draw_uses
from volnik.services.watch.learned import forget, take_over
from volnik.services.watch.loads import keep_opinions, loads_view, name_load, opinions_view
from volnik.services.watch.own_columns import standing
from volnik.web.forms.posted import at_s
from volnik.web.forms.watch import OpinionRow, SentLearned, SentLoad, SentOpinions, opinion_texts
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.watch_loads import counter_rows, loads_page, opinions_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/watch", route_class=PageRoute)


def _uses(loads: LoadsTold, end_s: float, zone: str, width: float) -> UsesDrawing:
    return draw_uses(loads, end_s=end_s, zone=zone, width=width)


def _loads(visit: Visit, rig_id: int, **more: Any) -> Response:
    context = visit.context
    visit.catch_up(rig_id)
    head = visit.head(rig_id)
    view = loads_view(context, rig_id)
    drawing = (
        None
        if view.loads is None or view.now is None
        else two_sizes(partial(_uses, view.loads, view.now.read_s, head.rig.zone))
    )
    return visit.page(
        "watch/loads.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="loads",
        view=view,
        drawing=drawing,
        fed=None if view.beside is None else draw_fed(view.beside, head.rig.zone),
        shown=loads_page(view, more.get("typed", {}), has_problems=bool(more.get("problems"))),
        **{"problems": {}, "typed": {}, **more},
    )


@router.get("/loads")
@for_everyone
def show_loads(visit: VisitDep, rig_id: int) -> Response:
    """Loads of a rig, from its log."""
    return _loads(visit, rig_id)


@router.post("/loads")
@for_installers
def name_one(visit: VisitDep, rig_id: int, sent: SentLoad) -> Response:
    """Give a step a name."""
    context = visit.context
    try:
        form = sent.read()
        name_load(context, rig_id, name=form.name, amps=form.amps, at_s=context.now(), who=visit.who)
    except InvalidInput as wrong:
        return _loads(visit, rig_id, problems=dict(wrong.problems), typed=sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/watch/loads", 303)


@router.post("/loads/learned")
@for_installers
def take_learned(visit: VisitDep, rig_id: int, sent: SentLearned) -> Response:
    """Take what the log shows of a device, or of all, into the Survey; or go back to what is listed."""
    context = visit.context
    try:
        form = sent.read()
        if form.forget:
            forget(context, rig_id, form.forget)
        else:
            shown = [one for one in loads_view(context, rig_id).learned if one.differs]
            take_over(context, rig_id, [one for one in shown if form.device in ("", one.device_id)])
    except InvalidInput as wrong:
        return _loads(visit, rig_id, problems=dict(wrong.problems))
    return RedirectResponse(f"/rigs/{rig_id}/watch/loads", 303)


def _opinions(
    visit: Visit, rig_id: int, *, rows: list[dict[str, str]] | None = None, **more: Any
) -> Response:
    context = visit.context
    head = visit.head(rig_id)
    view = opinions_view(context, rig_id)
    drawing = None if view.latest is None else draw_strings(view.latest, half=view.half)
    return visit.page(
        "watch/opinions.html",
        status=422 if more.get("problems") else 200,
        head=head,
        stage="watch",
        part="opinions",
        view=view,
        drawing=drawing,
        shown=opinions_page(view),
        **{"problems": {}, "pasted": "", "when": "", **more},
        rows=rows or counter_rows(head.rig.bank, standing(context, rig_id)[1], head.rig.zone),
    )


@router.get("/opinions")
@for_everyone
def show_opinions(visit: VisitDep, rig_id: int) -> Response:
    """Second opinions of a rig."""
    return _opinions(visit, rig_id)


@router.post("/opinions")
@for_the_shop
def put_opinions(visit: VisitDep, rig_id: int, sent: SentOpinions) -> Response:
    """Keep what several counters say."""
    zone = visit.head(rig_id).rig.zone
    problems = sent.problems
    if sent.form is not None:
        form = sent.form
        rows = form.lines or form.rows
        said = [_opinion(row, zone) for row in rows.values()]
        try:
            keep_opinions(visit.context, rig_id, said, at_s=at_s(form.time, zone), who=visit.who)
            return RedirectResponse(f"/rigs/{rig_id}/watch/opinions", 303)
        except InvalidInput as wrong:
            places = [str(place) for place in rows]
            problems = {_own_field(name, places): sentence for name, sentence in wrong.problems.items()}
    shown = opinion_texts(sent.typed) or None
    when, pasted = sent.pressed("time"), sent.pressed("pasted")
    return _opinions(visit, rig_id, problems=problems, rows=shown, when=when, pasted=pasted)


def _own_field(name: str, places: list[str]) -> str:
    """A field of a kept row, as it is named in the form: rows of which nothing was typed were left out."""
    place, _, field = name.partition(".")
    return f"{places[int(place)]}.{field}" if place.isdigit() and int(place) < len(places) else name


def _opinion(row: OpinionRow, zone: str) -> dict[str, object]:
    """What one counter says, as it is kept."""
    full = {} if row.full is None else {"full_s": at_s(row.full, zone)}
    amps = {} if row.amps is None else {"amps": row.amps}
    return {"name": row.name, "soc_pct": row.soc_pct, "capacity_ah": row.capacity_ah, **full, **amps}
