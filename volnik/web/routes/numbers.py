"""Numbers: four questions, versions, trials."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.defaults import usual_spans
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.reasons import Reason, recommended_numbers
from volnik.core.numbers.typed import NotRead, Reading, as_shown, asked_back
from volnik.core.rig.bank import Bank
from volnik.core.settings import LIMITS, Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.drawings.questions import draw_questions
from volnik.drawings.trial import draw_trial
from volnik.jobs.board import Job
from volnik.services.context import AppContext
from volnik.services.numbers.bringing import of_rig, of_table, others_with_numbers
from volnik.services.numbers.study import inputs, nearest_hold, reasons_of, study_of
from volnik.services.numbers.versions import NoBank, NumbersView, checked, numbers_view, save, trial
from volnik.web.forms.numbers import NumbersForm, SentBring, SentNumbers, fields_of
from volnik.web.forms.posted import at_s
from volnik.web.routes.jobs import after_job
from volnik.web.routing import PageRoute, for_everyone, for_installers, for_the_shop
from volnik.web.views.numbers import (
    compared_rows,
    numbers_heading,
    trial_heading,
    value_slips,
    versions_heading,
)
from volnik.web.visit import Visit, VisitDep

router = APIRouter(prefix="/rigs/{rig_id}/numbers", route_class=PageRoute)


def _show(
    visit: Visit,
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
    context = visit.context
    problems = problems or {}
    found = numbers_findings(numbers, bank, view.chemistry, power_up)
    study = _studied(context, rig_id, numbers)
    findings = [_typed_mend(finding) for finding in by_weight([*found, *study.findings])]
    form = typed or fields_of(numbers, power_up)
    grave = {finding.at.removeprefix("numbers.") for finding in findings if finding.level != "advise"}
    return visit.page(
        template,
        status=422 if problems and template != "numbers/_board.html" else 200,
        head=visit.head(rig_id),
        view=view,
        numbers=numbers,
        findings=findings,
        form=form,
        problems=problems,
        heading=numbers_heading(view, numbers, findings, problems),
        slips=value_slips(
            form,
            usual=usual_spans(bank, view.chemistry),
            defaults=fields_of(view.defaults, "blank"),
            advised=_advised(study.why),
            why=study.why,
            readings=_readings(form, problems, bank, view.chemistry),
        ),
        drawings=draw_questions(numbers, power_up, bank, view.chemistry, grave | set(problems)),
        stage="numbers",
        changed=view.held is None or (view.held.numbers, view.held.power_up) != (numbers, power_up),
        power_up=power_up,
        why=study.why,
        impossible=study.impossible,
        part="board",
        **{"saved": 0, "reason": "", "holds": "start", "brought": [], **given},
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
        finding,
        remedy={key: round(value * MEANINGS[key].per_stored, 9) for key, value in finding.remedy.items()},
    )


def _readings(
    typed: dict[str, str], problems: dict[str, str], bank: Bank, chemistry: Chemistry
) -> dict[str, list[Reading]]:
    """What numbers that are asked back may have meant, by key."""
    if not problems:
        return {}
    values = {}
    for key, meaning in MEANINGS.items():
        try:
            shown = as_shown(key, typed.get(key, ""), math.nan)
        except NotRead:
            shown = None
        values[key] = None if shown is None else shown / meaning.per_stored
    asked = asked_back(values, bank, chemistry, frozenset())
    return {key: others for key, others in asked.items() if key in problems}


def _advised(why: dict[str, Reason]) -> dict[str, str]:
    """Recommended values as the text of their fields."""
    shown = {}
    for key, reason in why.items():
        if reason.value is None or isinstance(reason.value, str):
            shown[key] = reason.value or ""
        else:
            shown[key] = f"{round(reason.value * MEANINGS[key].per_stored, 9):.10g}"
    return shown


def _tried(visit: Visit, view: NumbersView, numbers: Numbers) -> Numbers:
    """Numbers as held, but for what the address brings from the map, or all that is recommended."""
    context = visit.context
    try:
        if visit.query.get("take") == "recommended":
            rig = inputs(context, view.rig.id)
            return recommended_numbers(rig.vehicle, reasons_of(context, rig))
        brought: dict[str, float | None] = {}
        for name, key in (
            ("v", "charged_voltage_v"),
            ("t", "tail_current_pct"),
            ("h", "hold_s"),
            *((name, name) for name in LIMITS),
        ):
            if name in visit.query:
                brought[key] = float(visit.query[name])
        return checked(view, {**numbers.as_dict(), **brought}) if brought else numbers
    except (InvalidInput, ValueError):
        return numbers


def _held(view: NumbersView) -> tuple[Numbers, str]:
    return (view.defaults, "blank") if view.held is None else (view.held.numbers, view.held.power_up)


@router.get("")
@for_everyone
def show(visit: VisitDep, rig_id: int, saved: int = 0) -> Response:
    """The numbers of a rig."""
    try:
        view = numbers_view(visit.context, rig_id)
    except NoBank as wrong:
        return visit.page(
            "numbers/no_bank.html",
            head=visit.head(rig_id),
            sentence=wrong.problems["bank"],
            stage="numbers",
        )
    numbers, power_up = _held(view)
    tried = _tried(visit, view, numbers)
    was, now = fields_of(numbers, power_up), fields_of(tried, power_up)
    rows = compared_rows(was, now) if "brought" in visit.query else []
    return _show(
        visit,
        rig_id,
        view,
        "numbers/numbers.html",
        numbers=tried,
        power_up=power_up,
        saved=saved,
        brought=[row for row in rows if row.differs],
    )


@router.post("/draft")
@for_the_shop
def draft(visit: VisitDep, rig_id: int, sent: SentNumbers) -> Response:
    """The board with what is typed now; nothing is kept."""
    view = numbers_view(visit.context, rig_id)
    numbers, power_up = _held(view)
    problems: dict[str, str] = {}
    typed = sent.typed
    try:
        form = sent.read()
        typed = typed | form.texts
        numbers, power_up = checked(view, form.values, form.certain), form.power_up
    except InvalidInput as wrong:
        problems = wrong.problems
    return _show(
        visit,
        rig_id,
        view,
        "numbers/_board.html",
        numbers=numbers,
        power_up=power_up,
        typed=typed,
        problems=problems,
    )


def _holds_from(form: NumbersForm, view: NumbersView, now_s: float) -> float | None:
    """From when numbers hold [s since 1970]; None from the start of the log.

    Raises:
        InvalidInput: for a date that is missing, or still to come.
    """
    if form.holds == "end" and view.has_log:
        return view.end_s
    if form.holds != "date":
        return None
    if form.holds_date is None:
        raise InvalidInput({"holds_date": "Give the date and time."})
    given = at_s(form.holds_date, view.rig.zone)
    if given > now_s:
        raise InvalidInput({"holds_date": "Numbers cannot hold from a date still to come."})
    return given


@router.post("")
@for_installers
def submit(visit: VisitDep, rig_id: int, sent: SentNumbers) -> Response:
    """Try the numbers on the log, or keep them as a version."""
    context = visit.context
    view = numbers_view(context, rig_id)
    try:
        form = sent.read()
        numbers = checked(view, form.values, form.certain)
        holds_from_s = _holds_from(form, view, context.now())
    except InvalidInput as wrong:
        held_numbers, held_power_up = _held(view)
        return _show(
            visit,
            rig_id,
            view,
            "numbers/numbers.html",
            numbers=held_numbers,
            power_up=held_power_up,
            typed=sent.typed,
            problems=wrong.problems,
            reason=sent.pressed("reason"),
            holds=sent.pressed("holds"),
        )
    back = f"/rigs/{rig_id}/numbers"

    def attempt(job: Job) -> dict[str, Any]:
        tried = trial(context, rig_id, numbers, holds_from_s=holds_from_s, on_progress=job.on_progress)
        return {
            "url": f"{back}/trial/{job.id}",
            "trial": tried,
            "typed": {**form.texts, "power_up": form.power_up},
            "extra": {name: sent.typed[name] for name in ("reason", "holds", "holds_date")},
            "numbers": numbers,
            "seen": sent.typed.get("_seen", ""),
        }

    def keep(job: Job) -> dict[str, Any]:
        save(
            context,
            rig_id,
            numbers,
            holds_from_s=holds_from_s,
            reason=form.reason,
            power_up=form.power_up,
            on_progress=job.on_progress,
        )
        return {"url": f"{back}?saved=1"}

    if form.what == "try":
        return after_job(visit, "Counting the whole log with the new numbers", attempt, back)
    return after_job(visit, "Saving the numbers and counting the log with them", keep, back)


@router.get("/trial/{job_id}")
@for_everyone
def show_trial(visit: VisitDep, rig_id: int, job_id: str) -> Response:
    """Old against new over the whole log."""
    job = visit.state.jobs.job(job_id)
    if job is None or job.state != "done" or "trial" not in job.result:
        return RedirectResponse(f"/rigs/{rig_id}/numbers", 303)
    view = numbers_view(visit.context, rig_id)
    tried = job.result["trial"]
    held, power_up = _held(view)
    before, after = fields_of(held, power_up), job.result["typed"]
    rows = compared_rows(before, after) if view.held else []
    old, new = tried.old, tried.new
    was = None if old is None else (len(old.resets_s), old.soc)
    return visit.page(
        "numbers/trial.html",
        head=visit.head(rig_id),
        stage="numbers",
        view=view,
        trial=tried,
        drawing=draw_trial(tried, view.rig.zone),
        typed=job.result["typed"],
        extra=job.result["extra"],
        numbers=job.result["numbers"],
        heading=trial_heading(len(new.resets_s), new.soc, was),
        changes=[row for row in rows if row.differs],
        seen=job.result["seen"],  # of the page they were typed on, not of this one
    )


@router.post("/bring")
@for_installers
def bring(visit: VisitDep, rig_id: int, sent: SentBring) -> Response:
    """Bring numbers in from another rig or a pasted table: onto the board, not saved."""
    context = visit.context
    view = numbers_view(context, rig_id)
    try:
        form = sent.read()
        if form.other is not None:
            values = of_rig(context, view, form.other)
        else:
            values = of_table(form.table, _held(view)[0].capacity_ah)
    except InvalidInput as wrong:
        return _versions(visit, rig_id, problems=dict(wrong.problems), table=sent.typed["table"])
    brought = urlencode({**{key: f"{value:.10g}" for key, value in values.items()}, "brought": "1"})
    return RedirectResponse(f"/rigs/{rig_id}/numbers?{brought}", 303)


@router.get("/versions")
@for_everyone
def versions(visit: VisitDep, rig_id: int, a: int | None = None, b: int | None = None) -> Response:
    """Every saved version, any two side by side; numbers of others brought in."""
    return _versions(visit, rig_id, a=a, b=b)


def _versions(
    visit: Visit,
    rig_id: int,
    *,
    a: int | None = None,
    b: int | None = None,
    problems: dict[str, str] | None = None,
    table: str = "",
) -> Response:
    view = numbers_view(visit.context, rig_id)
    by_id = {version.id: version for version in view.versions}
    newest = list(reversed(view.versions))
    last, before = (*newest[:2], None, None)[:2]
    left, right = by_id.get(a or 0, before), by_id.get(b or 0, last)
    rows = []
    if left is not None and right is not None:
        was, now = fields_of(left.numbers, left.power_up), fields_of(right.numbers, right.power_up)
        rows = compared_rows(was, now)
    return visit.page(
        "numbers/versions.html",
        status=422 if problems else 200,
        problems=problems or {},
        table=table,
        others=others_with_numbers(visit.context, rig_id),
        head=visit.head(rig_id),
        stage="numbers",
        part="versions",
        view=view,
        versions=newest,
        heading=versions_heading(len(newest), None if last is None else last.saved_s, view.rig.zone),
        left=left,
        right=right,
        rows=rows,
    )
