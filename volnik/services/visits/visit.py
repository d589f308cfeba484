"""A visit: kept in one unit of work with all it ends, read with what it still wants, taken back as one."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.count.entries import Entry, PowerUp
from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.rig import NotFound, Rig
from volnik.core.visits.acts import ACTS, Act, Done
from volnik.core.watch.reminders import Due
from volnik.services.context import AppContext, UnitOfWork
from volnik.services.log.recount import recount
from volnik.services.path.read import NoBank
from volnik.services.prove.record import ProveView, read_prove
from volnik.services.watch.incidents import dates_due
from volnik.store import rigs as store
from volnik.store import watching
from volnik.store.watching import Note

AHEAD_S = 60.0  # clocks differ
DAY_S = 86_400.0
SOON_DAYS = 30.0  # what falls due by then is worth doing while one is here
ENTRIES = ("block_swapped", "battery_replaced", "supply_lost")
"""Events that move the count, and are dated entries of it."""


@dataclass(frozen=True, slots=True)
class Occasion:
    """When a visit was, who made it and why.

    Attributes:
        time_s: when [s].
        who: whose it is.
        reason: why.
    """

    time_s: float
    who: str
    reason: str


@dataclass(frozen=True, slots=True)
class VisitsView:
    """The visits of a rig, and what the next one wants.

    Attributes:
        rig: the rig.
        acts: what can be done on it.
        blocks: its batteries as drawn.
        devices: (id, name).
        due: what falls due soon.
        open: states that are not proven yet, (title, why).
        temporary: what was left for now and still stands, latest first.
        visits: all of them, latest first.
    """

    rig: Rig
    acts: list[Act]
    blocks: tuple[str, ...]
    devices: tuple[tuple[str, str], ...]
    due: list[Due]
    open: tuple[tuple[str, str], ...]
    temporary: list[Note]
    visits: list[Note]


@dataclass(frozen=True, slots=True)
class AskedAgain:
    """A proof that a visit opened again, and whether it was answered since."""

    what: str
    answered: bool


@dataclass(frozen=True, slots=True)
class Report:
    """A visit as it is handed over.

    Attributes:
        rig: the rig.
        visit: its note.
        asked: what must be proven again.
        withdrawn: whether it was taken back.
    """

    rig: Rig
    visit: Note
    asked: list[AskedAgain]
    withdrawn: bool


def blocks_of(bank: Bank | None) -> tuple[str, ...]:
    """The batteries of a bank as they are drawn: A1, A2, B1 …"""
    if bank is None:
        return ()
    strings = range(min(bank.parallel, 26))
    return tuple(f"{chr(65 + string)}{place + 1}" for string in strings for place in range(bank.series))


def visits_view(context: AppContext, rig_id: int) -> VisitsView:
    """The visits of a rig, and what the next one wants."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        prove = _prove(session, context, rig_id)
        visits = watching.notes(session, rig_id, "visit")[::-1]
        temporary = standing_temporary(session, rig_id)
    now_s = _now(context, rig)
    due = [each for each in dates_due(context, rig_id) if each.at_s <= now_s + SOON_DAYS * DAY_S]
    return VisitsView(
        rig,
        _acts_of(rig.bank),
        blocks_of(rig.bank),
        () if prove is None else tuple((row.device.id, row.device.name) for row in prove.rows),
        due,
        () if prove is None else _open(prove),
        temporary,
        visits,
    )


def _acts_of(bank: Bank | None) -> list[Act]:
    """What can be done to a bank of its chemistry."""
    chemistry = "" if bank is None else bank.chemistry
    return [act for act in ACTS if act.chemistry in ("", chemistry)]


def _open(prove: ProveView) -> tuple[tuple[str, str], ...]:
    """The proofs still to come: title and sentence."""
    return tuple((state.title, state.message) for state in prove.states if not state.done)


def _prove(session: Session, context: AppContext, rig_id: int) -> ProveView | None:
    try:
        return read_prove(session, context, rig_id)
    except NoBank:
        return None


def _now(context: AppContext, rig: Rig) -> float:
    """The rig's now: a bench rig's clock may run ahead of the wall's."""
    at_s = rig.summary.at_s
    return context.now() if math.isnan(at_s) else max(context.now(), at_s)


def standing_temporary(session: Session, rig_id: int) -> list[Note]:
    """What was left as it is for now and was not put right since, latest first."""
    cleared = {note.body["of"] for note in watching.notes(session, rig_id, "cleared")}
    return [note for note in watching.notes(session, rig_id, "temporary") if note.id not in cleared][::-1]


def keep_visit(
    context: AppContext,
    rig_id: int,
    occasion: Occasion,
    done: Sequence[Done],
    *,
    on_progress: Callable[[float], None] = lambda share: None,
) -> int:
    """Keep a visit and all it ends; returns its number.

    Raises:
        InvalidInput: for a visit to come, one on which nothing was done, or a battery there is none of.
    """
    with context.change(rig_id) as work:
        session = work.session
        rig = store.rig(session, rig_id)
        _refuse(context, rig, occasion, done)
        entries = [_enter(work, occasion, act) for act in done if act.act.event in ENTRIES]
        notes = [_note(work, occasion, act) for act in done if _is_noted(act)]
        body: dict[str, Any] = {
            "reason": occasion.reason,
            "acts": [_kept(act) for act in done],
            "opens": sorted({check for act in done for check in act.opens}),
            "entries": entries,
            "notes": notes,
            "battery": {} if rig.bank is None else rig.bank.as_flat(),
        }
        visit = watching.add_note(
            session,
            rig_id,
            "visit",
            time_s=occasion.time_s,
            saved_s=context.now(),
            who=occasion.who,
            body=body,
        )
        work.record("visit", "; ".join(act.act.words.lower() for act in done), adds=True)
        if entries:
            recount(session, context, rig_id, on_progress=on_progress)
            work.recounted()
    return visit


def _refuse(context: AppContext, rig: Rig, occasion: Occasion, done: Sequence[Done]) -> None:
    if occasion.time_s > _now(context, rig) + AHEAD_S:
        raise InvalidInput({"time": "That lies in the future; choose an instant up to now."})
    if not done:
        raise InvalidInput({"acts": "Nothing is ticked: say what was done, or leave it."})
    blocks = blocks_of(rig.bank)
    for act in done:
        which = str(act.values.get("which", "")).upper()
        unknown = [name for name in which.replace(",", " ").split() if name not in blocks]
        if act.act.key == "swapped" and blocks and unknown:
            raise InvalidInput(
                {"swapped.which": f"There is no battery {unknown[0]}; it has {', '.join(blocks)}."}
            )


def _kept(act: Done) -> dict[str, Any]:
    return {
        "key": act.act.key,
        "what": act.words,
        "values": dict(act.values),
        "devices": list(act.devices),
        "joints": [{"where": joint.where, "nm": joint.nm, "mv": joint.mv} for joint in act.joints],
    }


def _enter(work: UnitOfWork, occasion: Occasion, act: Done) -> int:
    """Keep what moves the count as a dated entry; returns its number."""
    assert work.rig_id is not None
    entry, said = Entry(occasion.time_s, "block_swapped"), act.words
    if act.act.event == "battery_replaced":
        said = f"all of them, {said}"
    if act.act.event == "supply_lost":
        claimed: PowerUp = str(act.values.get("claimed") or "last")  # type: ignore[assignment]
        entry = Entry(occasion.time_s, "supply_lost", power_up=claimed)
    return store.add_entry(work.session, work.rig_id, entry, written_s=work.context.now(), note=said[:300])


def _is_noted(act: Done) -> bool:
    """Whether an act leaves a note of its own beside the visit's."""
    return act.act.event not in ENTRIES and bool(act.act.event or act.act.key == "temporary")


def _note(work: UnitOfWork, occasion: Occasion, act: Done) -> int:
    assert work.rig_id is not None
    return watching.add_note(
        work.session,
        work.rig_id,
        act.act.event or act.act.key,
        time_s=occasion.time_s,
        saved_s=work.context.now(),
        who=occasion.who,
        body={"note": act.words, **{key: value for key, value in act.values.items() if key == "due"}},
    )


def withdraw_visit(context: AppContext, rig_id: int, visit_id: int, *, back: bool = False) -> None:
    """Take a visit back with all it ended, or bring it back.

    Raises:
        NotFound: where there is none of that number.
    """
    with context.change(rig_id) as work:
        session = work.session
        when_s = None if back else context.now()
        note = watching.withdraw_note(session, rig_id, visit_id, when_s)
        for number in note.body.get("notes", []):
            watching.withdraw_note(session, rig_id, int(number), when_s)
        for number in note.body.get("entries", []):
            store.withdraw_entry(session, rig_id, int(number), when_s)
        work.record(f"visit/{visit_id}", "visit brought back" if back else "visit taken back")
        if note.body.get("entries"):
            recount(session, context, rig_id)
            work.recounted()


def clear_temporary(context: AppContext, rig_id: int, note_id: int, *, who: str) -> None:
    """Put on record that what was left for now was put right."""
    with context.change(rig_id) as work:
        session = work.session
        if all(note.id != note_id for note in standing_temporary(session, rig_id)):
            return
        now_s = context.now()
        watching.add_note(
            session, rig_id, "cleared", time_s=now_s, saved_s=now_s, who=who, body={"of": note_id}
        )
        work.record(f"temporary/{note_id}", "temporary work put right")


def report(context: AppContext, rig_id: int, visit_id: int) -> Report:
    """A visit as it is handed over.

    Raises:
        NotFound: where there is none of that number.
    """
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        every = watching.notes(session, rig_id, "visit", withdrawn=True)
        visit = next((note for note in every if note.id == visit_id), None)
        if visit is None:
            raise NotFound("visit", visit_id)
        prove = _prove(session, context, rig_id)
    asked = [] if prove is None else [_asked(check, prove, visit) for check in visit.body.get("opens", [])]
    return Report(rig, visit, asked, visit.withdrawn_s is not None)


def _asked(check: str, prove: ProveView, visit: Note) -> AskedAgain:
    """What a proof is called, and whether it was given after the visit."""
    key, _, device = check.partition(":")
    if key == "rollcall":
        return _called_again(prove, device)
    if key in STATE_OF:
        state = next(each for each in prove.states if each.key == STATE_OF[key])
        return AskedAgain(state.title, state.done)
    title = next((each.title for each in prove.checks if each.key == key), key)
    answered = any(proof.check == key and proof.time_s > visit.time_s for proof in prove.every)
    return AskedAgain(title, answered)


def _called_again(prove: ProveView, device: str) -> AskedAgain:
    """One device of the roll call, or all where none is named."""
    rows = [row for row in prove.rows if device in ("", row.device.id)]
    proven = bool(rows) and all(row.proven for row in rows)
    if not device:
        return AskedAgain("Switch all on and off", proven)
    name = rows[0].device.name if rows else device
    return AskedAgain(f"Switch on and off: {name}", proven)


STATE_OF = {"full": "full", "readback": "numbers"}
"""Proofs that are states of the whole rig."""
