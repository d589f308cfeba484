"""Alarms and relay set-points: one list, each on its scale, changed in place."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import KINDS
from volnik.drawings.alarms import AlarmScale, alarm_scale
from volnik.services.numbers.alarms import AlarmsView, alarms_view, save_alarm, step_back
from volnik.web.forms.numbers import SentAlarm
from volnik.web.forms.posted import guarded
from volnik.web.routes.numbers_map import or_missing
from volnik.web.routing import PageRoute, for_everyone, for_installers
from volnik.web.views.numbers_alarms import alarms_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/numbers/alarms", route_class=PageRoute)


def _show(
    visit: Visit,
    rig_id: int,
    *,
    open_key: str,
    problems: dict[str, str] | None = None,
    typed: dict[str, str] | None = None,
) -> Response:
    view = or_missing(visit, rig_id, "alarms", lambda: alarms_view(visit.context, rig_id))
    if isinstance(view, Response):
        return view
    assert isinstance(view, AlarmsView)
    scales: dict[str, AlarmScale] = {
        alarm.key: alarm_scale(alarm, view.given.vehicle, view.given.numbers, fuse_a=view.fuse_a)
        for alarm in view.alarms.alarms
    }
    return visit.page(
        "numbers/alarms.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="numbers",
        part="alarms",
        shown=alarms_page(
            view,
            scales,
            open_key=open_key,
            problems=problems or {},
            typed=typed or {},
            system=visit.system,
        ),
        undo=view.before if len(view.every) > 1 else "",
    )


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, key: str = "") -> Response:
    """The list of a rig."""
    return _show(visit, rig_id, open_key=key)


@router.post("")
@for_installers
def put(visit: VisitDep, rig_id: int, sent: SentAlarm) -> Response:
    """Change one alarm."""
    key = sent.pressed("key")
    try:
        form = sent.read()
        if key not in KINDS:
            raise InvalidInput({"level": "There is no such alarm."})
        save_alarm(visit.context, rig_id, form.values(), reason=f"{KINDS[key].name.lower()} changed")
    except InvalidInput as wrong:
        problems = {_field_of(place): sentence for place, sentence in wrong.problems.items()}
        return _show(visit, rig_id, problems=problems, typed=sent.typed, open_key=key)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/alarms?key={key}", 303)


def _field_of(place: str) -> str:
    """The field that a place of the alarm was typed in."""
    return place.removeprefix("document.").removesuffix(".0").removesuffix(".1")


@router.post("/undo", dependencies=[guarded])
@for_installers
def undo(visit: VisitDep, rig_id: int) -> Response:
    """Bring back the list before the last change."""
    step_back(visit.context, rig_id)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/alarms", 303)
