"""The reset map, the ladder of volts, and any two settings on the real log."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.findings import by_weight
from volnik.core.numbers.compared import Compared, Setting
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.ladder import ladder
from volnik.core.numbers.reset_map import HOLDS_S, ZONE_WORDS
from volnik.core.numbers.schools import charged_range
from volnik.core.rig.use import SEASONS, SKIES, Use
from volnik.core.settings import LIMITS, Numbers
from volnik.core.values import read_plain
from volnik.drawings.fortnight import draw_fortnight
from volnik.drawings.ladder import draw_ladder
from volnik.drawings.resetmap import draw_map
from volnik.drawings.scale import two_sizes
from volnik.drawings.trial import draw_trial
from volnik.jobs.board import Job
from volnik.services.numbers.compared import compare
from volnik.services.numbers.study import (
    Inputs,
    Study,
    inputs,
    make_study,
    nearest_hold,
    set_cut_offs,
    set_use,
    study_of,
)
from volnik.services.numbers.versions import two_on_the_log
from volnik.services.path.read import NoBank
from volnik.web.forms.numbers import SentCutOffs, SentOnLog, SentUse
from volnik.web.routes.jobs import after_job, settled
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.numbers import reset_list, setting_words
from volnik.web.views.numbers_map import ladder_heading, map_page
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/numbers", route_class=PageRoute)
Read = TypeVar("Read")


def or_missing(visit: Visit, rig_id: int, part: str, read: Callable[[], Read]) -> Read | Response:
    """What is asked for, or the page that says what is missing or impossible first."""
    try:
        return read()
    except NoBank as wrong:
        template, status = "numbers/no_bank.html", 200
        given: dict[str, Any] = {"sentence": wrong.problems["bank"]}
    except InvalidInput as wrong:
        template, status = "numbers/impossible.html", 422
        given = {"problems": list(wrong.problems.values())}
    head = visit.head(rig_id)
    return visit.page(template, status=status, head=head, stage="numbers", part=part, **given)


def _given(visit: Visit, rig_id: int, part: str = "map") -> Inputs | Response:
    """What a study is made from, or the page that says what is missing first."""
    return or_missing(visit, rig_id, part, lambda: inputs(visit.context, rig_id))


def _number(visit: Visit, name: str, key: str, usual: float) -> float:
    """A number of the address, kept within what can be meant."""
    try:
        value = float(visit.query.get(name, ""))
    except ValueError:
        return usual
    limit = LIMITS[key]
    return (
        min(limit.high, max(limit.low + (1e-6 if limit.low_open else 0.0), value))
        if value == value
        else usual
    )


def _setting(visit: Visit, given: Inputs) -> Setting:
    numbers = given.numbers
    return Setting(
        "this setting",
        round(_number(visit, "v", "charged_voltage_v", numbers.charged_voltage_v), 3),
        round(_number(visit, "t", "tail_current_pct", numbers.tail_current_pct), 2),
        _number(visit, "h", "hold_s", numbers.hold_s),
    )


def _others(given: Inputs, study: Study) -> dict[str, Setting]:
    """Settings this one can be compared with: recommended, as set, every school."""
    found: dict[str, Setting] = {}
    point = study.recommended
    if (
        point.charged_voltage_v is not None
        and point.tail_current_pct is not None
        and point.hold_s is not None
    ):
        found["recommended"] = Setting(
            "the recommended point", point.charged_voltage_v, point.tail_current_pct, point.hold_s
        )
    numbers = given.numbers
    name = "the numbers as set" if given.held is not None else "the defaults"
    found["held"] = Setting(name, numbers.charged_voltage_v, numbers.tail_current_pct, numbers.hold_s)
    for item in given.points:
        found[item.school.key] = Setting(
            item.school.name, item.charged_voltage_v, item.tail_current_pct, item.hold_s
        )
    return found


def _compared(visit: Visit, given: Inputs, study: Study) -> tuple[Compared, str]:
    others = _others(given, study)
    other = visit.query.get("b", "")
    if other not in others:
        other = next(iter(others))
    day = visit.query.get("day", "")
    return compare(
        study, given, _setting(visit, given), others[other], int(day) if day.isdigit() else None
    ), other


def _beside(visit: Visit, given: Inputs, study: Study) -> dict[str, Any]:
    """What stands beside the map: the setting compared with another. Only reads what was made."""
    compared, other = _compared(visit, given, study)
    return {
        "given": given,
        "study": study,
        "compared": compared,
        "other": other,
        "shown": map_page(compared, study.recommended, _others(given, study), given.numbers),
        "fortnight": draw_fortnight(compared),
        "point": study.recommended,
    }


def _map_page(
    visit: Visit,
    rig_id: int,
    given: Inputs,
    study: Study,
    template: str,
    *,
    status: int = 200,
    problems: dict[str, str] | None = None,
    typed: dict[str, str] | None = None,
) -> Response:
    reference_log = _beside(visit, given, study)
    setting = reference_log["compared"].first.setting
    hold = nearest_hold(setting.hold_s)
    tried = replace(
        given.numbers,
        charged_voltage_v=setting.charged_voltage_v,
        tail_current_pct=setting.tail_current_pct,
        hold_s=setting.hold_s,
    )
    findings = feasibility(given.vehicle, tried, recommended=study.recommended, at_map=study.maps[hold])
    return visit.page(
        template,
        status=status,
        **reference_log,
        head=visit.head(rig_id),
        stage="numbers",
        part="map",
        hold=hold,
        holds=HOLDS_S,
        zone_words=ZONE_WORDS,
        skies=SKIES,
        seasons=SEASONS,
        map=draw_map(study.maps[hold], study.recommended, given.points),
        use_problems=problems or {},
        use_typed=typed or {},
        findings=by_weight(findings),
    )


@router.get("/map")
@for_everyone
def show_map(visit: VisitDep, rig_id: int) -> Response:
    """The reset map; the study is made first where it is not kept."""
    given = _given(visit, rig_id)
    if isinstance(given, Response):
        return given
    study = study_of(visit.context, given)
    if study is None:
        query = f"?{visit.request.url.query}" if visit.request.url.query else ""
        return _start(visit, rig_id, given, f"/rigs/{rig_id}/numbers/map{query}")
    return _map_page(visit, rig_id, given, study, "numbers/map.html")


def _start(visit: Visit, rig_id: int, given: Inputs, then: str) -> Response:
    context = visit.context

    def work(job: Job) -> dict[str, Any]:
        make_study(context, given, job.on_progress)
        return {"url": then}

    job = visit.state.jobs.start(
        f"Simulating the days of {given.rig.name} and trying every setting on them", work, key=given.key
    )
    return settled(visit, job, f"/rigs/{rig_id}/numbers")


@router.get("/map/at")
@for_everyone
def show_at(visit: VisitDep, rig_id: int) -> Response:
    """What a setting does, as a fragment; only reads what was made."""
    given, study = _made(visit, rig_id)
    return visit.page("numbers/_map_at.html", **_beside(visit, given, study))


@router.get("/map/board")
@for_everyone
def show_board(visit: VisitDep, rig_id: int) -> Response:
    """The map and all beside it at another hold, as a fragment."""
    given, study = _made(visit, rig_id)
    return _map_page(visit, rig_id, given, study, "numbers/_map.html")


def _made(visit: Visit, rig_id: int) -> tuple[Inputs, Study]:
    """A study that was made before.

    Raises:
        InvalidInput: when the rig changed since, or cannot be simulated.
    """
    given = inputs(visit.context, rig_id)
    study = study_of(visit.context, given)
    if study is None:
        raise InvalidInput({"map": "The rig changed meanwhile: open the map anew."})
    return given, study


@router.post("/map/use")
@for_installers
def put_use(visit: VisitDep, rig_id: int, sent: SentUse) -> Response:
    """Keep how the rig is used, and simulate anew."""
    given = _given(visit, rig_id)
    if isinstance(given, Response):
        return given
    try:
        set_use(visit.context, rig_id, read_plain(Use, sent.read().model_dump()))
    except InvalidInput as wrong:
        study = study_of(visit.context, given) or make_study(visit.context, given)
        again = {"problems": dict(wrong.problems), "typed": sent.typed}
        return _map_page(visit, rig_id, given, study, "numbers/map.html", status=422, **again)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/map", 303)


@router.post("/map/log")
@for_the_shop
def try_on_log(visit: VisitDep, rig_id: int, sent: SentOnLog) -> Response:
    """Count the real log under two settings."""
    context = visit.context
    given = _given(visit, rig_id)
    if isinstance(given, Response):
        return given
    study = study_of(context, given)
    others = _others(given, study) if study is not None else {}
    form = sent.read()
    first = Setting("this setting", form.v, form.t, form.h)
    second = others.get(form.b) or Setting(
        "the numbers as set",
        given.numbers.charged_voltage_v,
        given.numbers.tail_current_pct,
        given.numbers.hold_s,
    )

    def numbers(setting: Setting) -> Numbers:
        return replace(
            given.numbers,
            charged_voltage_v=setting.charged_voltage_v,
            tail_current_pct=setting.tail_current_pct,
            hold_s=setting.hold_s,
        )

    def work(job: Job) -> dict[str, Any]:
        tried = two_on_the_log(context, rig_id, numbers(second), numbers(first), on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/numbers/log/{job.id}", "two": tried, "first": first, "second": second}

    return after_job(visit, "Counting the whole log under both settings", work, f"/rigs/{rig_id}/numbers/map")


@router.get("/log/{job_id}")
@for_everyone
def show_log(visit: VisitDep, rig_id: int, job_id: str) -> Response:
    """Two settings on the real log."""
    job = visit.state.jobs.job(job_id)
    given = _given(visit, rig_id)
    if isinstance(given, Response):
        return given
    if job is None or job.state != "done" or "two" not in job.result:
        return RedirectResponse(f"/rigs/{rig_id}/numbers/map", 303)
    tried, first, second = job.result["two"], job.result["first"], job.result["second"]
    return visit.page(
        "numbers/on_log.html",
        head=visit.head(rig_id),
        stage="numbers",
        part="map",
        trial=tried,
        first=first,
        second=second,
        words=(setting_words(first), setting_words(second)),
        lists=[
            reset_list("This setting would have reset", tried.new.resets_s, given.rig.zone),
            reset_list(
                f"{second.name[:1].upper()}{second.name[1:]} would have reset",
                tried.old.resets_s,
                given.rig.zone,
            ),
        ],
        given=given,
        drawing=draw_trial(tried, given.rig.zone, names=("other", "this")),
    )


@router.get("/ladder")
@for_everyone
def show_ladder(visit: VisitDep, rig_id: int) -> Response:
    """The ladder of volts."""
    return _ladder(visit, rig_id, {}, {})


@router.post("/ladder")
@for_installers
def put_cut_offs(visit: VisitDep, rig_id: int, sent: SentCutOffs) -> Response:
    """Keep where the battery's own protection opens."""
    try:
        form = sent.read()
        set_cut_offs(visit.context, rig_id, form.model_dump())
    except InvalidInput as wrong:
        return _ladder(visit, rig_id, dict(wrong.problems), sent.typed)
    return RedirectResponse(f"/rigs/{rig_id}/numbers/ladder", 303)


def _ladder(visit: Visit, rig_id: int, problems: dict[str, str], typed: dict[str, str]) -> Response:
    given = _given(visit, rig_id, "ladder")
    if isinstance(given, Response):
        return given
    study = study_of(visit.context, given)
    rungs = ladder(given.vehicle, given.numbers)
    cells = given.vehicle.bank.cells
    beside = charged_range(given.points, cells)
    at_map = None if study is None else study.maps[nearest_hold(given.numbers.hold_s)]
    findings = feasibility(
        given.vehicle, given.numbers, recommended=None if study is None else study.recommended, at_map=at_map
    )
    return visit.page(
        "numbers/ladder.html",
        status=422 if problems else 200,
        head=visit.head(rig_id),
        stage="numbers",
        part="ladder",
        given=given,
        ladder=rungs,
        drawing=two_sizes(lambda width: draw_ladder(rungs, cells, beside, width=width)),
        cells=cells,
        findings=by_weight(findings),
        problems=problems,
        typed=typed,
        heading=ladder_heading(rungs, given.numbers, cells),
    )
