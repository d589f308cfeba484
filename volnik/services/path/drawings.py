"""The two drawings of a rig: read, changed, undone; what stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.edits import ChangeRefused, apply
from volnik.core.path.fitted import fitted
from volnik.core.path.judgement import judge, mend_all, mending, use_choice
from volnik.core.path.work import difference
from volnik.core.rig.devices import Device
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.wiring import Wiring
from volnik.services.context import AppContext
from volnik.services.path.read import RigPath, Which, read_path, survey_of
from volnik.services.yard.summary import refresh
from volnik.store import drawings as store
from volnik.store import rigs as rig_store


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
    if not path.begun:
        store.push(
            session, path.rig.id, "planned", {"wiring": plain(path.found)}, what="", saved_s=context.now()
        )
    store.push(session, path.rig.id, "planned", {"wiring": plain(wiring)}, what=what, saved_s=context.now())


def _changing(
    context: AppContext, rig_id: int, which: Which, make: Callable[[RigPath], tuple[Wiring, str]], touch: bool
) -> str:
    with context.db.writing() as session:
        path = read_path(session, context, rig_id)
        wiring, what = make(path)
        if wiring == path.drawing(which).wiring:
            return ""
        if which == "found":
            keep_survey(
                session, context, rig_id, devices=path.devices, monitor=path.monitor, wiring=wiring, what=what
            )
        else:
            keep_plan(session, context, path, wiring, what=what)
        if touch:
            rig_store.change_rig(session, rig_id, touched=True)
        refresh(session, context, rig_id, recounted=False)
        return what


def change(context: AppContext, rig_id: int, which: Which, changes: list[Any], *, touch: bool = True) -> str:
    """Change a drawing; returns what was done in a few words, "" when nothing changed.

    Raises:
        ChangeRefused: with a sentence for each field at fault; nothing is kept then.
    """

    def make(path: RigPath) -> tuple[Wiring, str]:
        before = path.seen(which)
        wiring = apply(path.drawing(which), changes)
        return wiring, describe(before, changes)

    return _changing(context, rig_id, which, make, touch)


def mend(
    context: AppContext, rig_id: int, which: Which, finding_id: str, at: str, *, touch: bool = True
) -> str:
    """Mend one finding of a drawing.

    Raises:
        ChangeRefused: when it is no longer found, or cannot be mended by itself.
    """

    def make(path: RigPath) -> tuple[Wiring, str]:
        seen = path.seen(which)
        for finding in judge(seen):
            if (finding.id, finding.at) == (finding_id, at):
                ops = mending(finding, seen, path.catalogue)
                if not ops:
                    raise ChangeRefused(
                        {
                            "mend": (
                                "Nothing on the Shelf mends this; put a fitting part there, or change "
                                "the plan by hand."
                            )
                        }
                    )
                return apply(path.drawing(which), ops), f"mended: {finding.message}"
        raise ChangeRefused({"mend": "That is no longer found; the drawing has changed."})

    return _changing(context, rig_id, which, make, touch)


def mend_everything(context: AppContext, rig_id: int, *, touch: bool = True) -> str:
    """Make every mechanical mend of the plan at once, as one revision."""

    def make(path: RigPath) -> tuple[Wiring, str]:
        wiring, made = mend_all(path.seen("planned"), path.drawing("planned"), path.catalogue)
        return wiring, f"{made} mends at once"

    return _changing(context, rig_id, "planned", make, touch)


def use(context: AppContext, rig_id: int, what: str, *, awg: bool = False, touch: bool = True) -> str:
    """Put a proposal of the sizing into the plan; raises ChangeRefused when there is nothing to put in."""

    def make(path: RigPath) -> tuple[Wiring, str]:
        try:
            ops = use_choice(what, path.seen("planned"), path.catalogue, awg=awg)
        except KeyError:
            ops = []
        if not ops:
            raise ChangeRefused({"use": "There is nothing to put in yet; choose the part before it first."})
        return apply(path.drawing("planned"), ops), f"{what.replace('_', ' ')} as proposed"

    return _changing(context, rig_id, "planned", make, touch)


def step(context: AppContext, rig_id: int, which: Which, by: int) -> bool:
    """Undo (-1) or redo (+1) one revision of a drawing."""
    with context.db.writing() as session:
        done = store.step(session, rig_id, which, by)
        if done:
            refresh(session, context, rig_id, recounted=False)
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


def let_stand(context: AppContext, rig_id: int, *, from_s: float, reason: str, touch: bool = True) -> None:
    """Let the plan stand from a date on: it was wired so.

    The studs touched since are kept, so that their proofs reopen.
    """
    with context.db.writing() as session:
        path = read_path(session, context, rig_id)
        before = store.as_built(session, rig_id)
        old = path.seen("found")
        if before:
            devices, _, wiring = survey_of({**before[-1].body, "monitor": {}})
            old = analyse(
                path.bank,
                path.chemistry,
                devices,
                fitted(wiring, path.bank, devices, path.catalogue.by_key()),
                presets=path.catalogue.by_key(),
            )
        work = difference(old, path.seen("planned"))
        planned = path.seen("planned").wiring
        ends = {
            end
            for task in work
            if (cable := planned.cable(task.about)) is not None
            for end in (cable.a, cable.b)
        }
        touched = sorted({stud for task in work for stud in task.studs} | ends)
        body = {"devices": [plain(device) for device in path.devices], "wiring": plain(path.planned)}
        store.add_stood(
            session, rig_id, body, from_s=from_s, saved_s=context.now(), reason=reason, touched=touched
        )
        if touch:
            rig_store.change_rig(session, rig_id, touched=True)


def stands(session: Session, path: RigPath) -> tuple[Wiring, tuple[Device, ...], float | None]:
    """What stands: found until Wire-up was first closed, then the plan as of that day; with its date."""
    kept = store.as_built(session, path.rig.id)
    if not kept:
        return path.found, path.devices, None
    devices, _, wiring = survey_of({**kept[-1].body, "monitor": {}})
    return fitted(wiring, path.bank, devices, path.catalogue.by_key()), devices, kept[-1].from_s
