"""Loads of a rig told apart from its log, with the names the shop gave to steps it knows.

Second opinions against the shunt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.rig.rig import Rig, timeline
from volnik.core.values import read_plain
from volnik.core.watch.checkup.facts import Facts, KnownLoad, gather
from volnik.core.watch.loads import LoadsTold, storage_days, tell_apart
from volnik.core.watch.opinions import Opinion, Reconciled, reconcile
from volnik.services.context import AppContext
from volnik.services.log.counted_log import Moment, moment, open_counted_log
from volnik.services.log.history import habits_since
from volnik.services.path.read import NoBank, read_path
from volnik.services.watch import notes
from volnik.services.watch.checked import between, plan_for, whole_log
from volnik.services.watch.view import width_now
from volnik.store import rigs as store
from volnik.store import watching
from volnik.store.watching import Note

SPAN_DAYS = 21.0  # three weeks hold every weekday thrice


@dataclass(frozen=True, slots=True)
class LoadsView:
    """What each device did; now: the moment, None without a log; storage_days.

    To the reserve on the idle draw alone, NaN; named: loads the shop named.
    """

    rig: Rig
    now: Moment | None
    loads: LoadsTold | None
    facts: Facts | None
    storage_days: float
    named: list[Note]


def loads_view(context: AppContext, rig_id: int) -> LoadsView:
    """The last three weeks of a rig, load by load."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        named = watching.notes(session, rig_id, "load")
        if counted_log is None:
            return LoadsView(rig, None, None, None, math.nan, named)
        now = moment(session, context, counted_log)
        cut_s = habits_since(session, rig_id, counted_log.end_s)
        since_s = max(cut_s, counted_log.end_s - SPAN_DAYS * 86400.0)
        key = f"loads:{rig_id}:{rig.count_revision}:{since_s}:{[note.id for note in named]}"
        kept = context.recalled(key)
        if kept is None:
            readings = between(whole_log(session, context, counted_log, since_s=since_s), since_s, math.inf)
            plan = plan_for(session, context, rig_id)
            numbers = timeline(store.numbers_versions(session, rig_id))[-1].numbers
            facts = gather(readings, numbers=numbers, plan=plan)
            known, standing = (
                list(plan.loads) if plan is not None else [],
                _standing(session, context, rig_id),
            )
            known += [KnownLoad(str(note.body["name"]), float(note.body["amps"])) for note in named]
            loads = None
            if not facts.trouble:
                loads = tell_apart(
                    facts,
                    tuple(load for load in known if load.amps >= 0.5),
                    standing,
                    reserve_ah=numbers.reserve_ah,
                )
            kept = (loads, facts)
            context.remember(key, kept)
    loads, facts = kept
    return LoadsView(rig, now, loads, facts, _days_left(now, loads), named)


def _days_left(now: Moment, loads: LoadsTold | None) -> float:
    """Days to the reserve on the idle draw alone, NaN while that or the charge is unknown."""
    if loads is None or loads.idle is None or math.isnan(now.soc):
        return math.nan
    return storage_days(now.numbers, loads.idle, now.soc)


def _standing(session: Session, context: AppContext, rig_id: int) -> tuple[tuple[str, float], ...]:
    """What always draws by the Survey: standby of devices, and those that never switch off."""
    try:
        path = read_path(session, context, rig_id)
    except NoBank:
        return ()
    found = []
    for device in path.analysis("planned" if path.begun else "found").devices:
        always = device.takes and device.number("duty") >= 0.98 and device.round_the_clock
        amps = device.running_a if always else device.number("standby_a")
        if amps > 0.0:
            found.append((device.device.name, round(amps, 3)))
    return tuple(found)


def name_load(context: AppContext, rig_id: int, *, name: str, amps: float, at_s: float, who: str) -> int:
    """Give a name to a step nobody had named; it is matched from then on.

    Raises:
        InvalidInput: naming the field at fault.
    """
    message = " ".join(name.split())
    if not 1 <= len(message) <= 60:
        raise InvalidInput({"name": "A name has 1 to 60 letters."})
    if not 0.5 <= amps <= 2000.0:
        raise InvalidInput({"amps": f"A step shows from 0.5 A on, got {amps:g} A."})
    return notes.add(
        context,
        rig_id,
        "load",
        time_s=min(at_s, context.now()),
        who=who,
        body={"name": message, "amps": round(amps, 2)},
    )


@dataclass(frozen=True, slots=True)
class OpinionsView:
    """Second opinions: the rig and its moment, the shunt's half width [0..1], the latest opinions weighed or
    None, notes of all, latest first.
    """

    rig: Rig
    now: Moment | None
    half: float
    latest: Reconciled | None
    at_s: float
    kept: list[Note]


def _reserve_pct(then: Moment | None) -> float:
    return math.nan if then is None else then.numbers.reserve_pct


def _cut_out_pct(rig: Rig) -> float | None:
    return None if rig.bank is None else rig.bank.cut_out_pct


def opinions_view(context: AppContext, rig_id: int) -> OpinionsView:
    """The opinions of a rig's other counters against its shunt, at the instant they were read."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        kept = watching.notes(session, rig_id, "opinions")[::-1]
        now = None if counted_log is None else moment(session, context, counted_log)
        latest, at_s, half = None, math.nan, 0.0
        if kept:
            at_s = kept[0].time_s
            then = None
            if counted_log is not None:
                then = moment(session, context, counted_log, max(at_s, counted_log.start_s))
                width = width_now(session, context, counted_log, then.read_s)
                half = 0.0 if width is None or math.isnan(width.centre) else width.half
            some = [Opinion.model_validate(item) for item in kept[0].body["opinions"]]
            bank_ah = then.numbers.capacity_ah if then else sum(opinion.capacity_ah for opinion in some)
            latest = reconcile(
                some,
                bank_ah=bank_ah,
                shunt_soc=math.nan if then is None else then.soc,
                shunt_half=half,
                at_s=at_s,
                cut_out_pct=_cut_out_pct(rig),
                reserve_pct=_reserve_pct(then),
            )
    return OpinionsView(rig, now, half, latest, at_s, kept)


def keep_opinions(
    context: AppContext, rig_id: int, rows: list[dict[str, object]], *, at_s: float, who: str
) -> int:
    """Keep what several counters said at one instant.

    Raises:
        InvalidInput: naming each row and field at fault, as "0.soc_pct".
    """
    problems: dict[str, str] = {}
    made = []
    for place, row in enumerate(rows):
        try:
            made.append(read_plain(Opinion, row))
        except InvalidInput as wrong:
            problems |= {f"{place}.{at.split('.')[-1]}": message for at, message in wrong.problems.items()}
    if not rows:
        problems["0.name"] = "Type what at least one counter says."
    if problems:
        raise InvalidInput(problems)
    return notes.add(
        context,
        rig_id,
        "opinions",
        time_s=at_s,
        who=who,
        body={"opinions": [opinion.model_dump(mode="json") for opinion in made]},
    )
