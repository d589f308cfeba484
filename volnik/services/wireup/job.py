"""The job of a rig: steps from what stands and what is planned, ticks as they come, the closing."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis, analyse_with
from volnik.core.rig.rig import timeline
from volnik.core.wireup.plan import steps_for
from volnik.core.wireup.power_up import CLOSING
from volnik.core.wireup.steps import JobStatus, Step, Tick, refusal, stand
from volnik.services.context import AppContext
from volnik.services.path.drawings import let_stand, stands
from volnik.services.path.read import RigPath, read_path
from volnik.services.yard.summary import refresh
from volnik.store import drawings as drawing_store
from volnik.store import records
from volnik.store import rigs as store

KINDS = ("done", "undone", "skipped", "note", "photo", "choice")
AHEAD_S = 86_400.0
MOST_TEXT = 1000


@dataclass(frozen=True, slots=True)
class JobView:
    """A rig's Wire-up.

    Attributes:
        job: number of the job, that of what stood when it began.
        standing: every step.
        school: of the closing, by key.
        stood_from_s: since when a plan stands, or None.
        earlier: ticks of jobs that were closed.
        planned: whether there is a plan. sheet: whether a sheet was given out for the numbers in force.
    """

    path: RigPath
    job: int
    standing: JobStatus
    school: str
    stood_from_s: float | None
    earlier: list[Tick] = field(default_factory=list)
    planned: bool = True

    @property
    def steps(self) -> list[Step]:
        """The steps alone."""
        return [step.step for step in self.standing.steps]


def stands_seen(session: Session, path: RigPath) -> WiringAnalysis:
    """What stands, looked at whole."""
    wiring, devices, from_s = stands(session, path)
    if from_s is None:
        return path.seen("found")
    if devices == path.devices:
        return path.seen("planned") if wiring == path.planned else analyse_with(path.seen("planned"), wiring)
    from volnik.core.path.analysis import analyse

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
    path = read_path(session, context, rig_id)
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
            stands_seen(session, path),
            path.seen("planned"),
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


def wireup_lacks(session: Session, context: AppContext, rig_id: int) -> str:
    """What Wire-up lacks, "" when the plan stands."""
    view = read_job(session, context, rig_id)
    if not view.planned:
        return "no plan yet, so there are no steps"
    if not view.standing.steps:
        return "" if view.stood_from_s is not None or view.path.found.shunt is not None else "no steps yet"
    return (
        f"{view.standing.settled} of {len(view.standing.steps)} steps" if view.standing.begun else "not begun"
    )


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
    answers = []
    with context.db.writing() as session:
        known = records.known_marks(session, [str(entry.get("mark", "")) for entry in sent])
        changed = False
        view = read_job(session, context, rig_id)
        ticks = records.ticks(session, rig_id, view.job)
        for entry in sent:
            mark = str(entry.get("mark", ""))[:80]
            if mark in known:
                answers.append(Sent(mark, True))
                continue
            tick, why = _tick(context, view, entry, who)
            if why or tick is None or len(mark) < 8:
                answers.append(Sent(mark, False, why or "This tick has no mark of its own."))
                continue
            records.add_tick(session, rig_id, view.job, tick, mark=mark, saved_s=context.now())
            known.add(mark)
            changed = True
            ticks.append(tick)
            if tick.kind == "choice":  # another order: other steps
                view = read_job(session, context, rig_id)
            else:
                view = replace(view, standing=stand(view.steps, ticks))
            answers.append(Sent(mark, True))
        if changed:
            store.change_rig(session, rig_id, touched=True)
            refresh(session, context, rig_id, recounted=False)
    return answers


def _tick(context: AppContext, view: JobView, entry: dict[str, Any], who: str) -> tuple[Tick | None, str]:
    kind, key = str(entry.get("kind", "")), str(entry.get("step", ""))[:120]
    body = entry.get("body") if isinstance(entry.get("body"), dict) else {}
    assert isinstance(body, dict)
    body = {
        str(name)[:40]: value if isinstance(value, int | float | bool) else str(value)[:MOST_TEXT]
        for name, value in body.items()
    }
    time_s = entry.get("time_s")
    if (
        not isinstance(time_s, int | float)
        or not math.isfinite(time_s)
        or not 0 < time_s <= context.now() + AHEAD_S
    ):
        time_s = context.now()
    name = " ".join(str(entry.get("who") or who).split())[:40]
    if kind not in KINDS:
        return None, f"“{kind[:20]}” is nothing that can be done at a step."
    if kind == "choice":
        if body.get("school") not in {school.key for school in CLOSING}:
            return None, "Choose one of the two orders."
        return Tick("closing", "choice", float(time_s), name, body), ""
    standing = view.standing.step(key)
    if standing is None:
        return None, "This step no longer holds: the plan has changed. Reload the page."
    if why := refusal(standing, kind, body):
        return None, why
    if kind in ("done", "skipped"):
        body |= {"mark": standing.step.mark, "title": standing.step.title}
    return Tick(key, kind, float(time_s), name, body), ""


def close_job(context: AppContext, rig_id: int, *, who: str) -> None:
    """Close Wire-up: the plan stands from now on.

    Raises:
        Refused: while a step is neither done nor skipped, or no main fuse is entered.
    """
    with context.db.reading() as session:
        view = read_job(session, context, rig_id)
    left = [step for step in view.standing.steps if not step.settled]
    if left or not view.standing.steps:
        message = (
            f"{len(left)} steps are neither done nor skipped; the first is: {left[0].step.title}."
            if left
            else "There is nothing to close."
        )
        raise InvalidInput({"close": message})
    main = view.path.seen("planned").main_feed
    if main is None or main.fuse is None:
        raise InvalidInput(
            {
                "close": (
                    "No main fuse or breaker is entered in the plan: nothing is signed off without one. "
                    "Enter it at Path."
                )
            }
        )
    day = datetime.fromtimestamp(context.now(), UTC).date().isoformat()
    let_stand(context, rig_id, from_s=context.now(), reason=f"wired as planned, closed {day} by {who}")
    with context.db.writing() as session:
        refresh(session, context, rig_id, recounted=False)
