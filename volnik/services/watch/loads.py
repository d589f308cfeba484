"""Loads of a rig told apart from its log, with the names the shop gave to steps it knows.

Second opinions against the shunt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from volnik.core.errors import InvalidInput
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.rig import Rig, timeline
from volnik.core.values import read_plain
from volnik.core.watch.beside import Beside, beside
from volnik.core.watch.checkup.facts import Facts, KnownLoad, gather
from volnik.core.watch.forecast import TooShort, profile_of
from volnik.core.watch.learned import LearnedLoad, LogSpan, Untold, untold
from volnik.core.watch.loads import Idle, LoadsTold, storage_days, tell_apart
from volnik.core.watch.opinions import Opinion, Reconciled, reconcile
from volnik.core.watch.promises import charging_v
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.log.history import habits_since
from volnik.services.path.read import NoBank, RigPath, read_path
from volnik.services.watch import notes
from volnik.services.watch.checked import between, charger_beside, check_key, plan_for, whole_log
from volnik.services.watch.learned import NOT_CHECKED, distrusted, inverter_of, learned_loads, listed_devices
from volnik.services.watch.view import width_now
from volnik.store import rigs as store
from volnik.store import watching
from volnik.store.watching import Note

LEAST_STEP_A = 0.5  # of a load, from which its switching shows
SPAN_DAYS = 21.0  # three weeks hold every weekday thrice


@dataclass(frozen=True, slots=True)
class LoadsView:
    """What each device did.

    Attributes:
        rig, now: the rig and its moment, None without a log.
        loads: told apart, None where they cannot be.
        facts: what the log gave to look at.
        storage_days: to the reserve on the idle draw alone, NaN.
        named: loads the shop named.
        learned: what it shows of the listed devices; () where its amps are not to be trusted.
        distrusted: why not, or "".
        whole_ah_day: used in all, what chargers fed straight among it, NaN while it cannot be told [Ah].
        beside: the charger's own log held against it, or None.
        untold: hours at which much is not told apart, or None.
    """

    rig: Rig
    now: Moment | None
    loads: LoadsTold | None
    facts: Facts | None
    storage_days: float
    named: list[Note]
    learned: tuple[LearnedLoad, ...] = ()
    distrusted: str = ""
    whole_ah_day: float = math.nan
    beside: Beside | None = None
    untold: Untold | None = None


@dataclass(frozen=True, slots=True)
class _Told:
    """What is reckoned once for a log."""

    loads: LoadsTold | None
    facts: Facts
    learned: tuple[LearnedLoad, ...]
    distrusted: str
    whole_ah_day: float
    beside: Beside | None
    untold: Untold | None = None


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
        told = _told(session, context, counted_log, named, since_s)
    return LoadsView(
        rig,
        now,
        told.loads,
        told.facts,
        _days_left(now, told.loads),
        named,
        told.learned,
        told.distrusted,
        told.whole_ah_day,
        told.beside,
        told.untold,
    )


def _told(
    session: Session, context: AppContext, counted_log: CountedLog, named: list[Note], since_s: float
) -> _Told:
    """All that is told of a log from an instant on; remembered until log, names or Survey change."""
    rig_id = counted_log.rig_id
    path = _path(session, context, rig_id)
    survey = "" if path is None else str(hash(tuple(device.model_dump_json() for device in path.devices)))
    checked = check_key(session, counted_log)  # cuts, mendings and a charger's own log are among it
    key = f"loads:{checked}:{since_s}:{[note.id for note in named]}:{survey}"
    kept = context.recalled(key)
    if kept is None:
        readings = between(whole_log(session, context, counted_log, since_s=since_s), since_s, math.inf)
        numbers = timeline(store.numbers_versions(session, rig_id))[-1].numbers
        facts = gather(readings, numbers=numbers, plan=plan_for(session, context, rig_id))
        kept = _reckoned(session, context, counted_log, named, (path, facts, numbers.reserve_ah))
        if kept.distrusted != NOT_CHECKED and waiting(context, counted_log) <= QUICK_PIECES:
            context.remember(key, kept)
    return kept  # type: ignore[no-any-return]


def _reckoned(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    named: list[Note],
    known: tuple[RigPath | None, Facts, float],
) -> _Told:
    path, facts, reserve_ah = known
    if facts.trouble:
        return _Told(None, facts, (), "", math.nan, None)
    listed = [] if path is None else listed_devices(path)
    inverter = inverter_of(listed)
    stated = [] if facts.plan is None else list(facts.plan.loads)
    loads = [load for load in stated if inverter is None or load.id != inverter.id]
    loads += [_named_load(note, listed) for note in named]
    told = tell_apart(
        facts,
        tuple(load for load in loads if load.amps >= LEAST_STEP_A),
        _standing(listed),
        reserve_ah=reserve_ah,
        inverter=inverter,
    )
    why = distrusted(session, context, counted_log)
    whole = _whole_ah_day(session, context, counted_log, facts)
    shown = () if why or path is None else tuple(learned_loads(path, told, facts))
    told = replace(told, idle=_as_measured(told.idle, shown))
    own = charger_beside(session, context, counted_log.rig_id)
    rig = store.rig(session, counted_log.rig_id)
    held = None if own is None else beside(*own, facts.readings, rig.zone)
    return _Told(told, facts, shown, why, whole, held, _rest(facts, told, shown, listed, rig.zone))


def _rest(
    facts: Facts, told: LoadsTold, shown: tuple[LearnedLoad, ...], listed: list[ResolvedDevice], zone: str
) -> Untold | None:
    return untold(told, shown, listed, LogSpan(float(facts.readings.time_s[-1]), facts.days_read, zone))


def _as_measured(idle: Idle | None, shown: tuple[LearnedLoad, ...]) -> Idle | None:
    """The idle draw with the standbys that it speaks against as it shows them."""
    if idle is None:
        return None
    lower = {one.name: one.standby for one in shown if one.standby is not None}
    known = tuple((name, lower[name].value if name in lower else amps) for name, amps in idle.known)
    return replace(idle, known=known, unknown_a=idle.amps - sum(amps for _, amps in known))


def _named_load(note: Note, listed: list[ResolvedDevice]) -> KnownLoad:
    """A step the shop named; a name that is on the list makes it that device's."""
    name, amps = str(note.body["name"]), float(note.body["amps"])
    same = next((device for device in listed if device.name.casefold() == name.casefold()), None)
    if same is None:
        return KnownLoad(name, amps)
    cycles = 0.05 <= same.number("duty") <= 0.95 and same.round_the_clock
    return KnownLoad(same.name, amps, cycles, same.id)


def _whole_ah_day(session: Session, context: AppContext, counted_log: CountedLog, facts: Facts) -> float:
    """Used on a whole day, what chargers feed straight included; NaN while that is not known."""
    rig = store.rig(session, counted_log.rig_id)
    if rig.bank is None or waiting(context, counted_log) > QUICK_PIECES:
        return math.nan
    some = half_hours(session, context, counted_log)
    some = some.part(some.start_s >= float(facts.readings.time_s[0]))
    efficiency = timeline(store.numbers_versions(session, rig.id))[-1].numbers.coulombic_efficiency
    try:
        days = profile_of(some, zone=rig.zone, charging_v=charging_v(rig.bank), efficiency=efficiency)
    except TooShort:
        return math.nan
    return float(days.load_ah.sum(axis=1).mean())


def _path(session: Session, context: AppContext, rig_id: int) -> RigPath | None:
    try:
        return read_path(session, context, rig_id)
    except NoBank:
        return None


def _days_left(now: Moment, loads: LoadsTold | None) -> float:
    """Days to the reserve on the idle draw alone, NaN while that or the charge is unknown."""
    if loads is None or loads.idle is None or math.isnan(now.soc):
        return math.nan
    return storage_days(now.numbers, loads.idle, now.soc)


def _standing(devices: list[ResolvedDevice]) -> tuple[tuple[str, float], ...]:
    """What always draws by the list: standby of devices, and those that never switch off."""
    found = []
    for device in devices:
        always = device.takes and device.number("duty") >= 0.98 and device.round_the_clock
        amps = device.usual_a if always else device.number("standby_a")
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
    None, notes of all, latest first; of late, when, and what counters and shunt said, oldest first [0..1].
    """

    rig: Rig
    now: Moment | None
    half: float
    latest: Reconciled | None
    at_s: float
    kept: list[Note]
    over_time: tuple[tuple[float, float, float], ...] = ()


LATE = 8  # opinions that are held against the shunt over time


def _over_time(
    session: Session, context: AppContext, counted_log: CountedLog | None, kept: list[Note]
) -> tuple[tuple[float, float, float], ...]:
    """When, what the counters said weighed by their Ah, and the shunt then; NaN where it is not known."""
    found = []
    for note in kept[:LATE][::-1]:
        some = [Opinion.model_validate(item) for item in note.body["opinions"]]
        total = sum(each.capacity_ah for each in some)
        said = sum(each.soc_pct * each.capacity_ah for each in some) / (100.0 * total)
        shunt = math.nan
        if counted_log is not None and counted_log.start_s <= note.time_s <= counted_log.end_s + 3600.0:
            shunt = moment(session, context, counted_log, note.time_s).soc
        found.append((note.time_s, said, shunt))
    return tuple(found)


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
        over_time = _over_time(session, context, counted_log, kept)
    return OpinionsView(rig, now, half, latest, at_s, kept, over_time)


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
