"""The job of a rig: steps from what stands and what is planned, ticks as they come, the closing."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis, analyse, analyse_with
from volnik.core.path.judgement import judge
from volnik.core.path.protection.cut import main_cut_of
from volnik.core.rig.photo import ReadyPhoto
from volnik.core.rig.rig import timeline
from volnik.core.stages import WireUpFacts
from volnik.core.wireup.plan import steps_for
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import JobStatus, Step, Tick, refusal, stand
from volnik.services.context import AppContext, UnitOfWork
from volnik.services.path.drawings import keep_as_built, stands
from volnik.services.path.read import RigPath, read_path
from volnik.store import drawings as drawing_store
from volnik.store import records
from volnik.store import rigs as store

KINDS = ("done", "undone", "skipped", "note", "photo", "choice")
AHEAD_S = 86_400.0  # a phone's clock may be a zone off; a day ahead is none
MOST_TEXT = 1000
LEAST_REASON = 10  # letters of a reason to close in spite of a stop


@dataclass(frozen=True, slots=True)
class JobView:
    """A rig's Wire-up.

    Attributes:
        job: number of the job, that of what stood when it began.
        status: every step.
        school: of the closing, by key.
        stood_from_s: since when a plan stands, or None.
        earlier: ticks of jobs that were closed.
        planned: whether there is a plan. sheet: whether a sheet was given out for the numbers in force.
    """

    path: RigPath
    job: int
    status: JobStatus
    school: str
    stood_from_s: float | None
    earlier: list[Tick] = field(default_factory=list)
    planned: bool = True

    @property
    def steps(self) -> list[Step]:
        """The steps alone."""
        return [step.step for step in self.status.steps]


def built(context: AppContext, rig_id: int) -> tuple[RigPath, WiringAnalysis]:
    """A rig and what stands on it; raises as `read_path`."""
    with context.db.reading() as session:
        path = read_path(session, context, rig_id)
        return path, analysis_as_built(session, path)


def analysis_as_built(session: Session, path: RigPath) -> WiringAnalysis:
    """What stands, looked at whole."""
    wiring, devices, from_s = stands(session, path)
    if from_s is None:
        return path.analysis("found")
    if devices == path.devices:
        return (
            path.analysis("planned")
            if wiring == path.planned
            else analyse_with(path.analysis("planned"), wiring)
        )
    return analyse(
        path.bank, path.chemistry, devices, wiring, monitor=path.monitor, presets=path.catalogue.by_key()
    )


def job_number(session: Session, rig_id: int) -> int:
    """The job that is open: the number of what was last let stand, 0 before the first."""
    kept = drawing_store.as_built(session, rig_id)
    return kept[-1].id if kept else 0


def read_job(
    session: Session, context: AppContext, rig_id: int, *, sheet: tuple[str, ...] = (), dialect: str = ""
) -> JobView:
    """A rig's Wire-up; raises as `read_path`."""
    return job_of(session, read_path(session, context, rig_id), sheet=sheet, dialect=dialect)


def job_of(session: Session, path: RigPath, *, sheet: tuple[str, ...] = (), dialect: str = "") -> JobView:
    """The Wire-up of a rig whose drawings were read already.

    Args:
        sheet: rows of the sheet as they are entered.
        dialect: name of the fitted monitor.
    """
    rig_id = path.rig.id
    job = job_number(session, rig_id)
    every = records.ticks(session, rig_id)
    ticks = records.ticks(session, rig_id, job)
    school = next(
        (str(tick.body.get("school")) for tick in reversed(every) if tick.kind == "choice"), CLOSING[0].key
    )
    _, _, from_s = stands(session, path)
    steps: list[Step] = []
    if path.begun:
        held = timeline(store.numbers_versions(session, rig_id))
        steps = steps_for(
            analysis_as_built(session, path),
            path.analysis("planned"),
            silhouette=path.rig.silhouette,
            school=school,
            version=str(held[-1].id) if held else "",
            sheet=sheet,
            dialect=dialect,
        )
    return JobView(
        path, job, stand(steps, ticks), school, from_s, every[: len(every) - len(ticks)], path.begun
    )


def job_view(context: AppContext, rig_id: int, *, sheet: tuple[str, ...] = (), dialect: str = "") -> JobView:
    """A rig's Wire-up; raises as `read_path`.

    Args:
        sheet: rows of the sheet as they are entered.
        dialect: name of the fitted monitor.
    """
    with context.db.reading() as session:
        return read_job(session, context, rig_id, sheet=sheet, dialect=dialect)


def wireup_facts(session: Session, path: RigPath) -> WireUpFacts:
    """What is known of a rig's Wire-up."""
    view = job_of(session, path)
    status = view.status
    stands_already = view.stood_from_s is not None or view.path.found.shunt is not None
    return WireUpFacts(view.planned, status.begun, status.settled, len(status.steps), stands_already)


@dataclass(frozen=True, slots=True)
class Sent:
    """What became of one tick: kept (also when it was kept before), or why not."""

    mark: str
    kept: bool
    why: str = ""


def take_ticks(context: AppContext, rig_id: int, sent: list[dict[str, Any]], *, who: str) -> list[Sent]:
    """Keep ticks as a browser sends them, in its order, each once by its mark.

    A refused one does not hold up the others.

    Args:
        sent: objects with mark, step, kind, time_s and body.
        who: name of the one who holds the browser; an own "who" in a tick comes before it.
    """
    with context.change(rig_id) as work:
        intake = _Intake(work, read_job(work.session, context, rig_id), who, sent)
        answers = [intake.take(entry) for entry in sent]
        if not intake.kept:
            work.nothing_changed()
    return answers


@dataclass(frozen=True, slots=True)
class SentPhoto:
    """A photo of a step, as a browser sends it: mark by which it is known again, the step, the photo."""

    mark: str
    step: str
    photo: ReadyPhoto


def keep_step_photo(context: AppContext, rig_id: int, sent: SentPhoto, *, who: str) -> int:
    """Keep a photo together with its tick; returns the photo's number.

    Raises:
        InvalidInput: when the step no longer holds; the photo is not kept then.
    """
    with context.change(rig_id) as work:
        view = read_job(work.session, context, rig_id)
        shown = view.status.step(sent.step)
        caption = shown.step.title[:100] if shown is not None else "Wire-up"
        number = drawing_store.add_photo(
            work.session, rig_id, sent.photo, caption=caption, added_s=context.now()
        )
        entry = {
            "mark": sent.mark or f"photo-{rig_id}-{number}-{sent.step}",
            "step": sent.step,
            "kind": "photo",
            "body": {"photo": number},
        }
        answer = _Intake(work, view, who, [entry]).take(entry)
        if not answer.kept:
            raise InvalidInput({"photo": answer.why})
    return number


class _Intake:
    """Ticks taken one after the other, each judged by what the ones before it left."""

    def __init__(self, work: UnitOfWork, view: JobView, who: str, sent: list[dict[str, Any]]) -> None:
        self._work, self._view, self._who = work, view, who
        keys = [str(entry.get("mark", "")) for entry in sent]
        self._known = records.known_keys(work.session, keys)
        self._ticks = records.ticks(work.session, view.path.rig.id, view.job)
        self.kept = 0

    def take(self, entry: dict[str, Any]) -> Sent:
        """Keep one tick, or say why not; one that is there already is kept too."""
        key = str(entry.get("mark", ""))[:80]
        if key in self._known:
            return Sent(key, True)
        work, view = self._work, self._view
        tick, why = _tick(work.context, view, entry, self._who)
        if why or tick is None or len(key) < 8:
            return Sent(key, False, why or "This tick has no mark of its own.")
        rig_id = view.path.rig.id
        records.add_tick(
            work.session, rig_id, view.job, tick, idempotency_key=key, saved_s=work.context.now()
        )
        self._known.add(key)
        self._ticks.append(tick)
        self.kept += 1
        if tick.kind == "choice":  # another order: other steps
            self._view = read_job(work.session, work.context, rig_id)
        else:
            self._view = replace(view, status=stand(view.steps, self._ticks))
        return Sent(key, True)


def _tick(context: AppContext, view: JobView, entry: dict[str, Any], who: str) -> tuple[Tick | None, str]:
    """A tick from what a browser sent, or why it is refused."""
    kind, key = str(entry.get("kind", "")), str(entry.get("step", ""))[:120]
    body, time_s = _body_of(entry), _time_of(entry, context.now())
    name = " ".join(str(entry.get("who") or who).split())[:40]
    if kind not in KINDS:
        return None, f"“{kind[:20]}” is nothing that can be done at a step."
    if kind == "choice":
        if body.get("school") not in {school.key for school in CLOSING}:
            return None, "Choose one of the two orders."
        return Tick("closing", "choice", time_s, name, body), ""
    step = view.status.step(key)
    if step is None:
        return None, "This step no longer holds: the plan has changed. Reload the page."
    if why := refusal(step, kind, body):
        return None, why
    if kind in ("done", "skipped"):
        body |= {"mark": step.step.mark, "title": step.step.title}
    return Tick(key, kind, time_s, name, body), ""


def _body_of(entry: dict[str, Any]) -> dict[str, Any]:
    """What was typed at a step, in plain values of bounded length."""
    body = entry.get("body")
    if not isinstance(body, dict):
        return {}
    return {
        str(name)[:40]: value if isinstance(value, int | float | bool) else str(value)[:MOST_TEXT]
        for name, value in body.items()
    }


def _time_of(entry: dict[str, Any], now_s: float) -> float:
    """When a browser says it was done [s]; now, where it says nothing that can be."""
    time_s = entry.get("time_s")
    if isinstance(time_s, int | float) and math.isfinite(time_s) and 0 < time_s <= now_s + AHEAD_S:
        return float(time_s)
    return now_s


def close_job(context: AppContext, rig_id: int, *, who: str, in_spite: str = "") -> None:
    """Close Wire-up: the plan stands from now on.

    Args:
        in_spite: why it is closed although the plan has things to stop for; "" where it is not to be.

    Raises:
        InvalidInput: while a step is neither done nor skipped, no main fuse is entered, or a stop stands
            and no reason is given.
    """
    with context.change(rig_id) as work:
        view = read_job(work.session, context, rig_id)
        if refused := _not_closable(view):
            raise InvalidInput({"close": refused})
        stops = plan_stops(view)
        if stops and len(in_spite.strip()) < LEAST_REASON:
            raise InvalidInput({"in_spite": _in_spite_wanted(stops)})
        day = datetime.fromtimestamp(context.now(), UTC).date().isoformat()
        reason = f"wired as planned, closed {day} by {who}"
        overruled = ""
        if stops:
            told = "; ".join(finding.message for finding in stops)
            overruled = f"closed by {who} in spite of: {told} Why: {in_spite.strip()}"
        keep_as_built(work, view.path, from_s=context.now(), reason=reason, overruled=overruled)


def plan_stops(view: JobView) -> list[Finding]:
    """What the plan itself has to stop for."""
    return [finding for finding in judge(view.path.analysis("planned")) if finding.level == "stop"]


def _in_spite_wanted(stops: list[Finding]) -> str:
    several = f"{len(stops)} things" if len(stops) > 1 else "one thing"
    return (
        f"The plan has {several} to stop for; the first: {stops[0].message} Put it right at Path, or "
        "say why it stays all the same: your name and reason stay with the rig."
    )


def _not_closable(view: JobView) -> str:
    """Why Wire-up cannot be closed yet, or ""."""
    if not view.status.steps:
        return "There is nothing to close."
    left = [step for step in view.status.steps if not step.settled]
    if left:
        return f"{len(left)} steps are neither done nor skipped; the first is: {left[0].step.title}."
    cut = main_cut_of(view.path.analysis("planned"))
    if cut.open or not cut.fused:
        return (
            "No main fuse or breaker is entered in the plan: nothing is signed off without one. "
            "Enter it at Path."
        )
    return ""
