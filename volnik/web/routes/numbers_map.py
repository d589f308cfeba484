"""The reset map, the ladder of volts, and any two settings on the real log."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.findings import by_weight
from volnik.core.numbers.compared import Compared, Setting
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.ladder import ladder
from volnik.core.numbers.reset_map import HOLDS_S, ZONE_WORDS
from volnik.core.rig.use import SEASONS, SKIES, Use
from volnik.core.settings import LIMITS
from volnik.core.values import read_plain
from volnik.drawings.fortnight import draw_fortnight
from volnik.drawings.ladder import draw_ladder
from volnik.drawings.resetmap import draw_map
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
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import decimal, text
from volnik.web.page import page
from volnik.web.routes.jobs import after_job, settled
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/numbers")
Read = TypeVar("Read")
USE_FIELDS = ("drive_days", "drive_h", "shore_nights", "summer_c", "winter_c")


def or_missing(request: Request, rig_id: int, part: str, read: Callable[[], Read]) -> Read | Response:
    """What is asked for, or the page that says what is missing or impossible first."""
    try:
        return read()
    except NoBank as wrong:
        template, status = "numbers/no_bank.html", 200
        given: dict[str, Any] = {"sentence": wrong.problems["bank"]}
    except InvalidInput as wrong:
        template, status = "numbers/impossible.html", 422
        given = {"problems": list(wrong.problems.values())}
    head = rig_head(state_of(request).context, rig_id)
    return page(request, template, status=status, head=head, stage="numbers", part=part, **given)


def _given(request: Request, rig_id: int, part: str = "map") -> Inputs | Response:
    """What a study is made from, or the page that says what is missing first."""
    return or_missing(request, rig_id, part, lambda: inputs(state_of(request).context, rig_id))


def _number(request: Request, name: str, key: str, usual: float) -> float:
    """A number of the address, kept within what can be meant."""
    try:
        value = float(request.query_params.get(name, ""))
    except ValueError:
        return usual
    limit = LIMITS[key]
    return (
        min(limit.high, max(limit.low + (1e-6 if limit.low_open else 0.0), value))
        if value == value
        else usual
    )


def _setting(request: Request, given: Inputs) -> Setting:
    numbers = given.numbers
    return Setting(
        "this setting",
        round(_number(request, "v", "charged_voltage_v", numbers.charged_voltage_v), 3),
        round(_number(request, "t", "tail_current_pct", numbers.tail_current_pct), 2),
        _number(request, "h", "hold_s", numbers.hold_s),
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


def _compared(request: Request, given: Inputs, study: Study) -> tuple[Compared, str]:
    others = _others(given, study)
    other = request.query_params.get("b", "")
    if other not in others:
        other = next(iter(others))
    day = request.query_params.get("day", "")
    return compare(
        study, given, _setting(request, given), others[other], int(day) if day.isdigit() else None
    ), other


def _beside(request: Request, given: Inputs, study: Study) -> dict[str, Any]:
    """What stands beside the map: the setting compared with another. Only reads what was made."""
    compared, other = _compared(request, given, study)
    return {
        "given": given,
        "study": study,
        "compared": compared,
        "other": other,
        "others": _others(given, study),
        "fortnight": draw_fortnight(compared),
        "point": study.recommended,
    }


def _map_page(
    request: Request,
    rig_id: int,
    given: Inputs,
    study: Study,
    template: str,
    *,
    status: int = 200,
    problems: dict[str, str] | None = None,
    typed: dict[str, str] | None = None,
) -> Response:
    reference_log = _beside(request, given, study)
    setting = reference_log["compared"].first.setting
    hold = nearest_hold(setting.hold_s)
    tried = replace(
        given.numbers,
        charged_voltage_v=setting.charged_voltage_v,
        tail_current_pct=setting.tail_current_pct,
        hold_s=setting.hold_s,
    )
    findings = feasibility(given.vehicle, tried, recommended=study.recommended, at_map=study.maps[hold])
    return page(
        request,
        template,
        status=status,
        **reference_log,
        head=rig_head(state_of(request).context, rig_id),
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
def show_map(request: Request, rig_id: int) -> Response:
    """The reset map; the study is made first where it is not kept."""
    given = _given(request, rig_id)
    if isinstance(given, Response):
        return given
    study = study_of(state_of(request).context, given)
    if study is None:
        query = f"?{request.url.query}" if request.url.query else ""
        return _start(request, rig_id, given, f"/rigs/{rig_id}/numbers/map{query}")
    return _map_page(request, rig_id, given, study, "numbers/map.html")


def _start(request: Request, rig_id: int, given: Inputs, then: str) -> Response:
    context = state_of(request).context

    def work(job: Job) -> dict[str, Any]:
        make_study(context, given, job.on_progress)
        return {"url": then}

    job = state_of(request).jobs.start(
        f"Simulating the days of {given.rig.name} and trying every setting on them", work, key=given.key
    )
    return settled(request, job, f"/rigs/{rig_id}/numbers")


@router.get("/map/at")
def show_at(request: Request, rig_id: int) -> Response:
    """What a setting does, as a fragment; only reads what was made."""
    given, study = _made(request, rig_id)
    return page(request, "numbers/_map_at.html", **_beside(request, given, study))


@router.get("/map/board")
def show_board(request: Request, rig_id: int) -> Response:
    """The map and all beside it at another hold, as a fragment."""
    given, study = _made(request, rig_id)
    return _map_page(request, rig_id, given, study, "numbers/_map.html")


def _made(request: Request, rig_id: int) -> tuple[Inputs, Study]:
    """A study that was made before.

    Raises:
        InvalidInput: when the rig changed since, or cannot be simulated.
    """
    given = inputs(state_of(request).context, rig_id)
    study = study_of(state_of(request).context, given)
    if study is None:
        raise InvalidInput({"map": "The rig changed meanwhile: open the map anew."})
    return given, study


@router.post("/map/use")
def put_use(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep how the rig is used, and simulate anew."""
    given = _given(request, rig_id)
    if isinstance(given, Response):
        return given
    problems: dict[str, str] = {}
    body: dict[str, Any] = {"sky": text(form, "sky"), "season": text(form, "season")}
    for name in USE_FIELDS:
        body[name] = decimal(form, name, problems, needed=not name.endswith("_c"))
    if not problems:
        try:
            set_use(state_of(request).context, rig_id, read_plain(Use, body))
            return RedirectResponse(f"/rigs/{rig_id}/numbers/map", 303)
        except InvalidInput as wrong:
            problems = dict(wrong.problems)
    study = study_of(state_of(request).context, given) or make_study(state_of(request).context, given)
    typed = {name: text(form, name) for name in (*USE_FIELDS, "sky", "season")}
    return _map_page(
        request, rig_id, given, study, "numbers/map.html", status=422, problems=problems, typed=typed
    )


@router.post("/map/log")
def try_on_log(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Count the real log under two settings."""
    context = state_of(request).context
    given = _given(request, rig_id)
    if isinstance(given, Response):
        return given
    study = study_of(context, given)
    others = _others(given, study) if study is not None else {}
    problems: dict[str, str] = {}
    values = [decimal(form, name, problems, needed=True) for name in ("v", "t", "h")]
    if problems or None in values:
        raise InvalidInput(problems or {"v": "The setting is missing."})
    first = Setting("this setting", *(float(value or 0.0) for value in values))
    second = others.get(text(form, "b")) or Setting(
        "the numbers as set",
        given.numbers.charged_voltage_v,
        given.numbers.tail_current_pct,
        given.numbers.hold_s,
    )

    def numbers(setting: Setting) -> Any:
        return replace(
            given.numbers,
            charged_voltage_v=setting.charged_voltage_v,
            tail_current_pct=setting.tail_current_pct,
            hold_s=setting.hold_s,
        )

    def work(job: Job) -> dict[str, Any]:
        tried = two_on_the_log(context, rig_id, numbers(second), numbers(first), on_progress=job.on_progress)
        return {"url": f"/rigs/{rig_id}/numbers/log/{job.id}", "two": tried, "first": first, "second": second}

    return after_job(
        request, "Counting the whole log under both settings", work, f"/rigs/{rig_id}/numbers/map"
    )


@router.get("/log/{job_id}")
def show_log(request: Request, rig_id: int, job_id: str) -> Response:
    """Two settings on the real log."""
    job = state_of(request).jobs.job(job_id)
    given = _given(request, rig_id)
    if isinstance(given, Response):
        return given
    if job is None or job.state != "done" or "two" not in job.result:
        return RedirectResponse(f"/rigs/{rig_id}/numbers/map", 303)
    tried, first, second = job.result["two"], job.result["first"], job.result["second"]
    return page(
        request,
        "numbers/on_log.html",
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        part="map",
        trial=tried,
        first=first,
        second=second,
        given=given,
        drawing=draw_trial(tried, given.rig.zone, names=("other", "this")),
    )


@router.get("/ladder")
def show_ladder(request: Request, rig_id: int) -> Response:
    """The ladder of volts."""
    return _ladder(request, rig_id, {}, {})


@router.post("/ladder")
def put_cut_offs(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Keep where the battery's own protection opens."""
    problems: dict[str, str] = {}
    low, high = (decimal(form, name, problems, needed=False) for name in ("cell_low_v", "cell_high_v"))
    if not problems:
        try:
            set_cut_offs(state_of(request).context, rig_id, low, high)
            return RedirectResponse(f"/rigs/{rig_id}/numbers/ladder", 303)
        except InvalidInput as wrong:
            problems = dict(wrong.problems)
    return _ladder(
        request, rig_id, problems, {name: text(form, name) for name in ("cell_low_v", "cell_high_v")}
    )


def _ladder(request: Request, rig_id: int, problems: dict[str, str], typed: dict[str, str]) -> Response:
    given = _given(request, rig_id, "ladder")
    if isinstance(given, Response):
        return given
    study = study_of(state_of(request).context, given)
    rungs = ladder(given.vehicle, given.numbers)
    cells = given.vehicle.bank.cells
    at_map = None if study is None else study.maps[nearest_hold(given.numbers.hold_s)]
    findings = feasibility(
        given.vehicle, given.numbers, recommended=None if study is None else study.recommended, at_map=at_map
    )
    return page(
        request,
        "numbers/ladder.html",
        status=422 if problems else 200,
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        part="ladder",
        given=given,
        ladder=rungs,
        drawing=draw_ladder(rungs, cells),
        cells=cells,
        findings=by_weight(findings),
        problems=problems,
        typed=typed,
        inside=rungs.high_v is not None
        and rungs.low_v <= given.numbers.charged_voltage_v / cells <= rungs.high_v,
    )
