"""The two drawings of a rig: read, changed, undone; what stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.path.analysis import WiringAnalysis, analyse, analyse_with
from volnik.core.path.edits import ChangeRefused, apply
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge, mend_all, mending, use_choice
from volnik.core.path.new_cables import size_new_cables
from volnik.core.path.work import difference
from volnik.core.rig.devices import Device
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.wiring import Wiring
from volnik.services.context import AppContext, UnitOfWork
from volnik.services.path.read import RigPath, Which, read_path, survey_of
from volnik.store import drawings as store


def rig_path(context: AppContext, rig_id: int) -> RigPath:
    """A rig with its drawings; raises as `read_path`."""
    with context.db.reading() as session:
        return read_path(session, context, rig_id)


def plain(value: Any) -> Any:
    """A value as it is kept: what is unknown or usual stays out."""
    return value.model_dump(mode="json", exclude_defaults=True)


def keep_survey(
    session: Session,
    context: AppContext,
    rig_id: int,
    *,
    devices: tuple[Device, ...],
    monitor: Monitor,
    wiring: Wiring,
    what: str,
) -> None:
    """Keep a revision of what was found: devices, monitor and wiring go back and forth together."""
    body = {
        "devices": [plain(device) for device in devices],
        "monitor": plain(monitor),
        "wiring": plain(wiring),
    }
    if store.head(session, rig_id, "found")[0] is None:
        empty: dict[str, Any] = {"devices": [], "monitor": {}, "wiring": {}}
        store.push(session, rig_id, "found", empty, what="", saved_s=context.now())
    store.push(session, rig_id, "found", body, what=what, saved_s=context.now())


def keep_plan(session: Session, context: AppContext, path: RigPath, wiring: Wiring, *, what: str) -> None:
    """Keep a revision of the plan; the first one is preceded by what was found, so that it too can be
    undone.
    """
    known = [cable.id for cable in path.found.cables]
    if not path.begun:
        body = {"wiring": plain(path.found), "known": known}
        store.push(session, path.rig.id, "planned", body, what="", saved_s=context.now())
    body = {"wiring": plain(wiring), "known": known}
    store.push(session, path.rig.id, "planned", body, what=what, saved_s=context.now())


def _changing(
    context: AppContext,
    rig_id: int,
    which: Which,
    make: Callable[[RigPath], tuple[Wiring, str]],
    by_user: bool,
) -> str:
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        wiring, what = make(path)
        if wiring == path.drawing(which).wiring:
            work.nothing_changed()
            return ""
        work.record("found/wiring" if which == "found" else which, what)
        if which == "found":
            keep_survey(
                session, context, rig_id, devices=path.devices, monitor=path.monitor, wiring=wiring, what=what
            )
        else:
            keep_plan(session, context, path, wiring, what=what)
        return what


def change(
    context: AppContext, rig_id: int, which: Which, changes: list[Any], *, by_user: bool = True
) -> str:
    """Change a drawing; returns what was done in a few words, "" when nothing changed.

    Raises:
        ChangeRefused: with a sentence for each field at fault; nothing is kept then.
    """

    def make(path: RigPath) -> tuple[Wiring, str]:
        before = path.analysis(which)
        wiring = apply(path.drawing(which), changes)
        return wiring, describe(before, changes)

    return _changing(context, rig_id, which, make, by_user)


def mend(
    context: AppContext, rig_id: int, which: Which, finding_id: str, at: str, *, by_user: bool = True
) -> str:
    """Mend one finding of a drawing.

    Raises:
        ChangeRefused: when it is no longer found, or cannot be mended by itself.
    """

    def make(path: RigPath) -> tuple[Wiring, str]:
        analysis = path.analysis(which)
        for finding in judge(analysis):
            if (finding.id, finding.at) == (finding_id, at):
                ops = mending(finding, analysis, path.catalogue)
                if not ops:
                    raise ChangeRefused(
                        {
                            "mend": (
                                "Nothing on the Shelf puts this right; put a fitting part there, or change "
                                "the plan by hand."
                            )
                        }
                    )
                return apply(path.drawing(which), ops), f"put right: {finding.message}"
        raise ChangeRefused({"mend": "That is no longer found; the drawing has changed."})

    return _changing(context, rig_id, which, make, by_user)


def mend_everything(context: AppContext, rig_id: int, *, by_user: bool = True) -> str:
    """Make every mechanical mend of the plan at once, as one revision."""

    def make(path: RigPath) -> tuple[Wiring, str]:
        before, drawing = path.analysis("planned"), path.drawing("planned")
        wiring, made = mend_all(before, drawing, path.catalogue)
        mended = analyse_with(before, wiring)
        sized = size_new_cables(path.analysis("found"), mended, drawing, path.catalogue)
        return sized.wiring, f"{made} things put right at once"

    return _changing(context, rig_id, "planned", make, by_user)


def use(context: AppContext, rig_id: int, what: str, *, awg: bool = False, by_user: bool = True) -> str:
    """Put a proposal of the sizing into the plan; raises ChangeRefused when there is nothing to put in."""

    def make(path: RigPath) -> tuple[Wiring, str]:
        try:
            ops = use_choice(what, path.analysis("planned"), path.catalogue, awg=awg)
        except KeyError:
            ops = []
        if not ops:
            raise ChangeRefused({"use": "There is nothing to put in yet; choose the part before it first."})
        return apply(path.drawing("planned"), ops), f"{what.replace('_', ' ')} as proposed"

    return _changing(context, rig_id, "planned", make, by_user)


def step(context: AppContext, rig_id: int, which: Which, by: int) -> bool:
    """Undo (-1) or redo (+1) one revision of a drawing."""
    with context.change(rig_id) as work:
        steps = store.head(work.session, rig_id, which)[1]
        done = store.step(work.session, rig_id, which, by)
        if done:
            what = f"taken back: {steps.undo}" if by < 0 else f"done again: {steps.redo}"
            work.record(which, what)
        else:
            work.nothing_changed()
        return done


def describe(before: WiringAnalysis, changes: list[Any]) -> str:
    """What changes do, in a few words, for undo to name."""
    first = next((change for change in changes if isinstance(change, dict)), {})
    op = str(first.get("op", "change"))
    cable = before.wiring.cable(str(first.get("cable", "")))
    if op == "move_end" and cable is not None and first.get("to") in before.studs:
        return f"{before.cable_name(cable)} to the {before.studs[first['to']].name}"
    if cable is not None:
        return f"{op.replace('_', ' ')}: {before.cable_name(cable)}"
    return op.replace("_", " ")


def let_stand(context: AppContext, rig_id: int, *, from_s: float, reason: str, by_user: bool = True) -> None:
    """Let the plan stand from a date on: it was wired so."""
    with context.change(rig_id, by_user=by_user) as work:
        keep_as_built(work, read_path(work.session, context, rig_id), from_s=from_s, reason=reason)


def keep_as_built(
    work: UnitOfWork, path: RigPath, *, from_s: float, reason: str, overruled: str = ""
) -> None:
    """Keep the plan as what stands from a date on, with the studs touched since, so that their proofs
    reopen.

    Args:
        overruled: what was closed in spite of, by whom and why; "" where nothing stood against it.
    """
    session, presets = work.session, path.catalogue.by_key()
    work.record("stands", f"the plan is built: {reason}")
    before = store.as_built(session, path.rig.id)
    old = path.analysis("found")
    if before:
        devices, _, wiring = survey_of({**before[-1].body, "monitor": {}})
        drawn = fitted(wiring, path.bank, devices, presets)
        old = analyse(path.bank, path.chemistry, devices, drawn, presets=presets)
    tasks = difference(old, path.analysis("planned"))
    planned = path.analysis("planned").wiring
    cables = [cable for task in tasks if (cable := planned.cable(task.about)) is not None]
    touched = {stud for task in tasks for stud in task.studs} | {
        end for cable in cables for end in (cable.a, cable.b)
    }
    body = {"devices": [plain(device) for device in path.devices], "wiring": plain(path.planned)}
    if overruled:
        body["overruled"] = overruled
    store.add_stood(
        session,
        path.rig.id,
        body,
        from_s=from_s,
        saved_s=work.context.now(),
        reason=reason,
        touched=sorted(touched),
    )


def stands(session: Session, path: RigPath) -> tuple[Wiring, tuple[Device, ...], float | None]:
    """What stands: found until Wire-up was first closed, then the plan as of that day; with its date."""
    kept = store.as_built(session, path.rig.id)
    if not kept:
        return path.found, path.devices, None
    devices, _, wiring = survey_of({**kept[-1].body, "monitor": {}})
    return fitted(wiring, path.bank, devices, path.catalogue.by_key()), devices, kept[-1].from_s
