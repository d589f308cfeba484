"""Survey's first pages: why the job exists, and a usual day before there is a log."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.survey.day_energy import SEASONS, SKIES
from volnik.core.survey.enquiry import FUNCTIONS, GAUGES, REASONS, Enquiry
from volnik.core.units import System
from volnik.drawings.scale import two_sizes
from volnik.drawings.usual_day import draw_usual_day
from volnik.services.path.read import NoBank
from volnik.services.survey.enquiry import enquiry_of, keep_enquiry
from volnik.services.watch.usual_day import Choice, DayView, day_view, say_use
from volnik.web.forms.amounts import unit_of
from volnik.web.forms.enquiry import ChoiceForm, SentEnquiry, SentHours, SpeedsForm
from volnik.web.forms.posted import read_form
from volnik.web.routes.boards import no_bank
from volnik.web.routing import PageRoute, for_everyone, for_the_shop
from volnik.web.us_units import shown_in
from volnik.web.views.enquiry import day_page, enquiry_page, motor_rows, turn_back_words
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/survey", route_class=PageRoute)


def _day_or_none(visit: Visit, rig_id: int) -> DayView | None:
    try:
        return day_view(visit.context, rig_id)
    except (NoBank, InvalidInput):
        return None


def _why(
    visit: Visit,
    rig_id: int,
    *,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    kept: bool = False,
) -> Response:
    asked = enquiry_of(visit.context, rig_id)
    return visit.page(
        "survey/why.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="survey",
        part="why",
        asked=asked,
        shown=enquiry_page(asked, _day_or_none(visit, rig_id)),
        typed=typed if typed is not None else _as_typed(asked, visit.system),
        problems=problems or {},
        reasons=REASONS,
        functions=FUNCTIONS,
        gauges=GAUGES,
        kept=kept,
    )


def _as_typed(asked: Enquiry, system: System) -> dict[str, str]:
    """What was answered, as its fields hold it."""
    told = {name: "" if value is None else str(value) for name, value in asked.model_dump().items()}
    for name in ("nights", "survived_days", "hole_mm", "cable_m"):
        value = getattr(asked, name)
        told[name] = shown_in(value, unit_of(name), system)
    told |= {f"want-{key}": "1" for key in asked.wants} | {f"gauge-{key}": "1" for key in asked.gauges}
    listed = asked.reason in REASONS
    told |= {"reason": asked.reason if listed else "", "other": "" if listed else asked.reason}
    return {**told, "trial": "1" if asked.trial else ""}


@router.get("/why")
@for_everyone
def why(visit: VisitDep, rig_id: int, kept: int = 0) -> Response:
    """Why the job exists."""
    return _why(visit, rig_id, kept=bool(kept))


@router.post("/why")
@for_the_shop
def keep_why(visit: VisitDep, rig_id: int, sent: SentEnquiry) -> Response:
    """Keep what was answered."""
    try:
        keep_enquiry(visit.context, rig_id, sent.read().answers(), who=visit.who)
    except InvalidInput as wrong:
        return _why(visit, rig_id, typed=sent.typed, problems=wrong.problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/why?kept=1", 303)


def _drawn(visit: Visit) -> tuple[str, str]:
    """The season and the sky that are drawn."""
    season, sky = visit.query.get("season", ""), visit.query.get("sky", "")
    return season if season in SEASONS else "spring", sky if sky in dict(SKIES) else "mixed"


def _choice(asked: dict[str, str], problems: dict[str, str]) -> Choice:
    """What is compared, nothing where what was typed cannot be meant."""
    sent = read_form(ChoiceForm, asked)
    problems |= sent.problems
    if sent.form is None:
        return Choice()
    form = sent.form
    return Choice(form.bank_ah, form.chemistry, form.more_panel_w or 0.0, form.weight_kg, form.price)


def _speeds(visit: Visit, problems: dict[str, str]) -> dict[str, float | None]:
    """Speeds under motor, by field."""
    sent = read_form(SpeedsForm, {name: visit.query.get(name, "") for name in SpeedsForm.model_fields})
    problems |= sent.problems
    return {} if sent.form is None else sent.form.model_dump()


def _with_choice(visit: Visit, rig_id: int, choice: Choice, problems: dict[str, str]) -> DayView:
    """The day with what is compared; without it where that cannot be, which is told beside its field."""
    try:
        return day_view(visit.context, rig_id, choice)
    except InvalidInput as wrong:
        if "panel" not in wrong.problems:
            raise
        problems |= wrong.problems
        return day_view(visit.context, rig_id)


def _day(visit: Visit, rig_id: int, problems: dict[str, str] | None = None) -> Response:
    problems = dict(problems or {})
    asked = {name: visit.query.get(name, "") for name in ("ah", "chemistry", "panel", "kg", "price")}
    choice, speeds = _choice(asked, problems), _speeds(visit, problems)
    try:
        view = _with_choice(visit, rig_id, choice, problems)
    except NoBank as wrong:
        return no_bank(visit, rig_id, wrong, "survey")
    except InvalidInput as wrong:
        sentence = " ".join(wrong.problems.values())
        head = visit.head(rig_id)
        return visit.page("path/no_bank.html", status=422, head=head, sentence=sentence, stage="survey")
    season, sky = _drawn(visit)
    shown = view.other or view.energy
    capacity_ah = choice.bank_ah or view.given.vehicle.capacity_ah
    drawing = two_sizes(
        lambda width: draw_usual_day(shown, shown.one(season, sky), capacity_ah=capacity_ah, width=width)
    )
    return visit.page(
        "survey/day.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="survey",
        part="day",
        view=view,
        shown=day_page(view, choice),
        drawing=drawing,
        season=season,
        sky=sky,
        seasons=SEASONS,
        skies=SKIES,
        asked=asked,
        chemistries=[("", "the same"), *((key, one.name) for key, one in CHEMISTRIES.items())],
        motor=motor_rows(view, speeds),
        turn_back=turn_back_words(view),
        problems=problems,
    )


@router.get("/day")
@for_everyone
def day(visit: VisitDep, rig_id: int) -> Response:
    """A usual day."""
    return _day(visit, rig_id)


@router.post("/day/hours")
@for_the_shop
def hours(visit: VisitDep, rig_id: int, sent: SentHours) -> Response:
    """Put down how long a load runs in a day."""
    try:
        form = sent.read()
        say_use(visit.context, rig_id, form.device, form.hours)
    except InvalidInput as wrong:
        device = sent.pressed("device")
        problems = {
            key if key.startswith("hours-") else f"hours-{device}": text
            for key, text in wrong.problems.items()
        }
        return _day(visit, rig_id, problems)
    return RedirectResponse(f"/rigs/{rig_id}/survey/day#loads", 303)
