"""Numbers: four questions, versions, trials."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.defaults import usual_spans
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.reasons import Reason, recommended_numbers
from volnik.core.settings import LIMITS, Numbers, SettingsError
from volnik.drawings.questions import draw_questions
from volnik.drawings.trial import draw_trial
from volnik.jobs.board import Job
from volnik.services.context import AppContext
from volnik.services.numbers.study import inputs, nearest_hold, reasons_of, study_of
from volnik.services.numbers.versions import NoBank, NumbersView, checked, numbers_view, save, trial
from volnik.services.yard.rigs import rig_head
from volnik.web.forms.fields import instant, text
from volnik.web.forms.numbers import fields_of, read_values
from volnik.web.page import page
from volnik.web.routes.jobs import after_job
from volnik.web.security import guarded_form
from volnik.web.state import state_of

router = APIRouter(prefix="/rigs/{rig_id}/numbers")


def _show(
    request: Request,
    rig_id: int,
    view: NumbersView,
    template: str,
    *,
    numbers: Numbers,
    power_up: str,
    typed: dict[str, str] | None = None,
    problems: dict[str, str] | None = None,
    **given: Any,
) -> Response:
    bank = view.rig.bank
    assert bank is not None
    context = state_of(request).context
    problems = problems or {}
    found = numbers_findings(numbers, bank, view.chemistry, power_up)
    study = _studied(context, rig_id, numbers)
    findings = [_typed_mend(finding) for finding in by_weight([*found, *study.findings])]
    grave = {finding.at.removeprefix("numbers.") for finding in findings if finding.level != "advise"}
    return page(
        request,
        template,
        status=422 if problems and template != "numbers/_board.html" else 200,
        head=rig_head(context, rig_id),
        view=view,
        numbers=numbers,
        findings=findings,
        form=typed or fields_of(numbers, power_up),
        problems=problems,
        spans=usual_spans(bank, view.chemistry),
        drawings=draw_questions(numbers, power_up, bank, view.chemistry, grave | set(problems)),
        limits=LIMITS,
        stage="numbers",
        defaults=fields_of(view.defaults, "blank"),
        changed=view.held is None or (view.held.numbers, view.held.power_up) != (numbers, power_up),
        power_up=power_up,
        why=study.why,
        advised=_advised(study.why),
        impossible=study.impossible,
        part="board",
        **{"saved": 0, "reason": "", "holds": "start", **given},
    )


@dataclass(frozen=True, slots=True)
class _Studied:
    """What the rig's own year says of some numbers: why each, findings, or why none can be told."""

    why: dict[str, Reason]
    findings: list[Finding]
    impossible: str = ""


def _studied(context: AppContext, rig_id: int, numbers: Numbers) -> _Studied:
    try:
        rig = inputs(context, rig_id)
        why = reasons_of(context, rig)
        if not rig.path.devices:
            return _Studied(why, [])
        study = study_of(context, rig)
        at_map = None if study is None else study.maps[nearest_hold(numbers.hold_s)]
        recommended = None if study is None else study.recommended
        return _Studied(why, feasibility(rig.vehicle, numbers, recommended=recommended, at_map=at_map))
    except InvalidInput as wrong:
        return _Studied({}, [], " ".join(wrong.problems.values()))


def _typed_mend(finding: Finding) -> Finding:
    """A finding whose mend is in the units its fields are typed in."""
    return replace(
        finding, mend={key: round(value * MEANINGS[key].per_stored, 9) for key, value in finding.mend.items()}
    )


def _advised(why: dict[str, Reason]) -> dict[str, str]:
    """Recommended values as the text of their fields."""
    shown = {}
    for key, reason in why.items():
        if reason.value is None or isinstance(reason.value, str):
            shown[key] = reason.value or ""
        else:
            shown[key] = f"{round(reason.value * MEANINGS[key].per_stored, 9):.10g}"
    return shown


def _tried(request: Request, view: NumbersView, numbers: Numbers) -> Numbers:
    """Numbers as held, but for what the address brings from the map, or all that is recommended."""
    context = state_of(request).context
    try:
        if request.query_params.get("take") == "recommended":
            rig = inputs(context, view.rig.id)
            return recommended_numbers(rig.vehicle, reasons_of(context, rig))
        brought: dict[str, float | None] = {}
        for name, key in (
            ("v", "charged_voltage_v"),
            ("t", "tail_current_pct"),
            ("h", "hold_s"),
            *((name, name) for name in LIMITS),
        ):
            if name in request.query_params:
                brought[key] = float(request.query_params[name])
        return checked(view, {**numbers.as_dict(), **brought}) if brought else numbers
    except (InvalidInput, ValueError):
        return numbers


def _held(view: NumbersView) -> tuple[Numbers, str]:
    return (view.defaults, "blank") if view.held is None else (view.held.numbers, view.held.power_up)


@router.get("")
def show(request: Request, rig_id: int, saved: int = 0) -> Response:
    """The numbers of a rig."""
    try:
        view = numbers_view(state_of(request).context, rig_id)
    except NoBank as wrong:
        return page(
            request,
            "numbers/no_bank.html",
            head=rig_head(state_of(request).context, rig_id),
            sentence=wrong.problems["bank"],
            stage="numbers",
        )
    numbers, power_up = _held(view)
    numbers = _tried(request, view, numbers)
    return _show(
        request, rig_id, view, "numbers/numbers.html", numbers=numbers, power_up=power_up, saved=saved
    )


def _typed(form: FormData) -> dict[str, str]:
    return {name: text(form, name) for name in [*LIMITS, "power_up"]}


@router.post("/draft")
def draft(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """The board with what is typed now; nothing is kept."""
    view = numbers_view(state_of(request).context, rig_id)
    try:
        values, power_up = read_values(form)
        numbers = checked(view, values)
    except SettingsError as wrong:
        last, power_up = _held(view)
        return _show(
            request,
            rig_id,
            view,
            "numbers/_board.html",
            numbers=last,
            power_up=power_up,
            typed=_typed(form),
            problems=wrong.problems,
        )
    return _show(
        request, rig_id, view, "numbers/_board.html", numbers=numbers, power_up=power_up, typed=_typed(form)
    )


def _holds_from(form: FormData, view: NumbersView, now_s: float, problems: dict[str, str]) -> float | None:
    holds = text(form, "holds") or "start"
    if holds == "end" and view.has_log:
        return view.end_s
    if holds == "date":
        given = instant(form, "holds_date", view.rig.zone, problems)
        if given is not None and given > now_s:
            problems["holds_date"] = "Numbers cannot hold from a date still to come."
        return given
    return None


@router.post("")
def submit(request: Request, rig_id: int, form: FormData = Depends(guarded_form)) -> Response:
    """Try the numbers on the log, or keep them as a version."""
    context = state_of(request).context
    view = numbers_view(context, rig_id)
    problems: dict[str, str] = {}
    held_numbers, held_power_up = _held(view)
    try:
        values, power_up = read_values(form)
        numbers = checked(view, values)
        holds_from_s = _holds_from(form, view, context.now(), problems)
        if problems:
            raise SettingsError(problems)
    except SettingsError as wrong:
        return _show(
            request,
            rig_id,
            view,
            "numbers/numbers.html",
            numbers=held_numbers,
            power_up=held_power_up,
            typed=_typed(form),
            problems=wrong.problems,
            reason=text(form, "reason"),
            holds=text(form, "holds"),
        )
    typed = _typed(form)
    extra = {name: text(form, name) for name in ("reason", "holds", "holds_date")}
    if text(form, "what") == "try":

        def attempt(job: Job) -> dict[str, Any]:
            tried = trial(context, rig_id, numbers, holds_from_s=holds_from_s, on_progress=job.on_progress)
            return {
                "url": f"/rigs/{rig_id}/numbers/trial/{job.id}",
                "trial": tried,
                "typed": typed,
                "extra": extra,
                "numbers": numbers,
            }

        return after_job(
            request, "Counting the whole log with the new numbers", attempt, f"/rigs/{rig_id}/numbers"
        )

    def keep(job: Job) -> dict[str, Any]:
        save(
            context,
            rig_id,
            numbers,
            holds_from_s=holds_from_s,
            reason=text(form, "reason"),
            power_up=power_up,
            on_progress=job.on_progress,
        )
        return {"url": f"/rigs/{rig_id}/numbers?saved=1"}

    return after_job(
        request, "Saving the numbers and counting the log with them", keep, f"/rigs/{rig_id}/numbers"
    )


@router.get("/trial/{job_id}")
def show_trial(request: Request, rig_id: int, job_id: str) -> Response:
    """Old against new over the whole log."""
    job = state_of(request).jobs.job(job_id)
    if job is None or job.state != "done" or "trial" not in job.result:
        return RedirectResponse(f"/rigs/{rig_id}/numbers", 303)
    view = numbers_view(state_of(request).context, rig_id)
    tried = job.result["trial"]
    held, power_up = _held(view)
    before, after = fields_of(held, power_up), job.result["typed"]
    changes = (
        [(key, before[key], after[key]) for key in before if before[key] != after[key]] if view.held else []
    )
    return page(
        request,
        "numbers/trial.html",
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        view=view,
        trial=tried,
        drawing=draw_trial(tried, view.rig.zone),
        typed=job.result["typed"],
        extra=job.result["extra"],
        numbers=job.result["numbers"],
        changes=changes,
    )


@router.get("/versions")
def versions(request: Request, rig_id: int, a: int | None = None, b: int | None = None) -> Response:
    """Every saved version, any two side by side."""
    view = numbers_view(state_of(request).context, rig_id)
    by_id = {version.id: version for version in view.versions}
    newest = list(reversed(view.versions))
    left = by_id.get(a or 0) or (newest[1] if len(newest) > 1 else None)
    right = by_id.get(b or 0) or (newest[0] if newest else None)
    rows = []
    if left is not None and right is not None:
        was, now = fields_of(left.numbers, left.power_up), fields_of(right.numbers, right.power_up)
        rows = [(key, was[key], now[key]) for key in was]
    return page(
        request,
        "numbers/versions.html",
        head=rig_head(state_of(request).context, rig_id),
        stage="numbers",
        part="versions",
        view=view,
        versions=newest,
        left=left,
        right=right,
        rows=rows,
    )
