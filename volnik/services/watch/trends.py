"""What of a rig changes over months: from its log, month by month, and from what was measured at visits."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from volnik.core.count.epochs import Epoch, Event, epochs
from volnik.core.prove.record import Proof
from volnik.core.readings import Readings
from volnik.core.rig.rig import NumbersVersion, Rig, timeline
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.watch.checkup.facts import RigFacts, gather
from volnik.core.watch.opinions import Opinion
from volnik.core.watch.spikes import Spike, spikes
from volnik.core.watch.trends import Trend, TrendPoint, Wanted, capacity_point, resistance_point
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.log.history import history
from volnik.services.watch.checked import QUICK_READINGS, between, check_key, held_at, plan_for, whole_log
from volnik.store import records, watching
from volnik.store import rigs as store

LEAST_DAYS = 3.0  # of readings in a month, under which it tells nothing
OFF_MV = 0.1  # two meter tips; source: estimate
OFF_SHARE = 0.1  # of a drop and of the amps it is held against; source: estimate
ZEROED: Wanted = "near zero"
PENCIL = ("joint", "net", "idle", "zero", "auxiliary")
"""The measurements at visits of which a trend is made."""


@dataclass(frozen=True, slots=True)
class BankTrends:
    """What the log tells of one battery of a rig, month by month."""

    why: str
    start_s: float
    capacity: tuple[TrendPoint, ...]
    resistance: tuple[TrendPoint, ...]


@dataclass(frozen=True, slots=True)
class JointLine:
    """A joint at a visit: when [s], where, its torque [N·m], drop [mV], resistance [mΩ]; NaN for none."""

    time_s: float
    where: str
    nm: float
    mv: float
    mohm: float


@dataclass(frozen=True, slots=True)
class TrendsView:
    """The trends of a rig.

    Attributes:
        rig: the rig.
        trends: those with a figure at least; of the battery there is first.
        cuts: what ended the history of battery or wiring, in order.
        joints: every joint torqued or measured, latest first.
        earlier: the batteries before, oldest first.
        odd: readings that cannot be, in order.
        since_s: when the battery there is came [s], -inf for the first one.
    """

    rig: Rig
    trends: list[Trend]
    cuts: list[Event]
    joints: list[JointLine]
    earlier: list[BankTrends] = field(default_factory=list)
    odd: list[Spike] = field(default_factory=list)
    since_s: float = -math.inf


def ready(context: AppContext, rig_id: int) -> bool:
    """Whether the trends of a rig can be had at once."""
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None or counted_log.size <= QUICK_READINGS:
            return True
        return context.recalled(_key(session, counted_log)) is not None


def _key(session: Session, counted_log: CountedLog) -> str:
    return f"trends:{check_key(session, counted_log)}"


def trends_view(
    context: AppContext, rig_id: int, *, on_progress: Callable[[float], None] = lambda done: None
) -> TrendsView:
    """The trends of a rig."""
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        counted_log = open_counted_log(session, context, rig_id)
        events = history(session, rig_id)
        told = _Told([], [])
        if counted_log is not None:
            told = _told(session, context, counted_log, rig, on_progress)
        banks = told.banks
        proofs = [proof for proof in records.proofs(session, rig_id) if proof.check in PENCIL]
        visits = watching.notes(session, rig_id, "visit")
        opinions = watching.notes(session, rig_id, "opinions")
        versions = timeline(store.numbers_versions(session, rig_id))
    set_ah = versions[-1].numbers.capacity_ah if versions else math.nan
    trends = [
        *(_of_bank(banks[-1], set_ah) if banks else []),
        *_of_proofs(proofs),
        *_of_opinions(opinions),
    ]
    return TrendsView(
        rig,
        [trend for trend in trends if trend.points],
        [event for event in events if event.ends(("bank", "wiring"))],
        _joints(proofs, visits),
        banks[:-1],
        told.odd,
        banks[-1].start_s if banks else -math.inf,
    )


@dataclass(frozen=True, slots=True)
class _Told:
    """What the readings of a rig tell: of each battery, and those that cannot be."""

    banks: list[BankTrends]
    odd: list[Spike]


def _told(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    rig: Rig,
    on_progress: Callable[[float], None],
) -> _Told:
    """What the log tells, kept while it stands."""
    key = _key(session, counted_log)
    kept: _Told | None = context.recalled(key)
    if kept is not None:
        return kept
    plan = plan_for(session, context, rig.id)
    versions = timeline(store.numbers_versions(session, rig.id))
    readings = whole_log(session, context, counted_log, on_progress=lambda done: on_progress(0.6 * done))
    gap_s = max(segment.gap_s for segment in counted_log.segments)
    found = []
    events = history(session, rig.id)
    cuts = epochs(events, "bank", "wiring")
    for at, battery in enumerate(epochs(events, "bank")):
        inside = [epoch for epoch in cuts if battery.start_s <= epoch.start_s < battery.end_s]
        months = [
            month
            for epoch in inside
            for month in _months(between(readings, epoch.start_s, epoch.end_s), rig.zone)
        ]
        points = [_points(month, held_at(versions, float(month.time_s[-1])), plan, gap_s) for month in months]
        found.append(_bank_trends(battery, points, is_first=at == 0))
        on_progress(0.6 + 0.4 * (at + 1) / len(cuts))
    made = _Told(found, _odd(readings, plan, versions[-1].numbers.capacity_ah))
    context.remember(key, made)
    return made


def _bank_trends(
    battery: Epoch, points: list[tuple[TrendPoint | None, TrendPoint | None]], *, is_first: bool
) -> BankTrends:
    """What its months tell of a battery."""
    return BankTrends(
        "" if is_first else battery.why,
        battery.start_s,
        tuple(capacity for capacity, _ in points if capacity is not None),
        tuple(resistance for _, resistance in points if resistance is not None),
    )


def _points(
    month: Readings, version: NumbersVersion, plan: RigFacts | None, gap_s: float
) -> tuple[TrendPoint | None, TrendPoint | None]:
    """Capacity and resistance of a month, None for what it does not tell."""
    facts = gather(month, numbers=version.numbers, plan=plan, gap_s=gap_s)
    return (None, None) if facts.trouble else (capacity_point(facts), resistance_point(facts))


def _odd(readings: Readings, plan: RigFacts | None, capacity_ah: float) -> list[Spike]:
    """The readings that cannot be, of a bank that is known."""
    if plan is None:
        return []
    per_12v = plan.cells / CELLS_12V[plan.chemistry]
    return spikes(readings, per_12v=per_12v, capacity_ah=capacity_ah)


def _months(readings: Readings, zone: str) -> Iterator[Readings]:
    """A stretch of a log by the rig's own months, those with too little left out."""
    if not len(readings):
        return
    tz = ZoneInfo(zone)
    local = datetime.fromtimestamp(float(readings.time_s[0]), tz)
    end_s = float(readings.time_s[-1])
    start_s = float(readings.time_s[0])
    while start_s <= end_s:
        local = datetime(local.year + local.month // 12, local.month % 12 + 1, 1, tzinfo=tz)
        month = between(readings, start_s, local.timestamp())
        if len(month) and float(month.time_s[-1] - month.time_s[0]) >= LEAST_DAYS * 86_400.0:
            yield month
        start_s = local.timestamp()


def _of_bank(bank: BankTrends, set_ah: float) -> list[Trend]:
    return [
        Trend("capacity", "Capacity", "Ah", 0, "high", bank.capacity, set_ah),
        Trend("resistance", "Resistance of the battery", "mΩ", 1, "low", bank.resistance),
    ]


def _of_proofs(proofs: list[Proof]) -> list[Trend]:
    """What was measured at visits and means something over time."""
    joints = _by_about(proofs, "joint", _joint_point)
    loops = _by_about(proofs, "net", _loop_point)
    idle = _by_about(proofs, "idle", lambda proof: _plain_point(proof, -float(proof.body["amps"]), 0.02))
    zero = _by_about(proofs, "zero", lambda proof: _plain_point(proof, float(proof.body["amps"]), 0.01))
    middle = _by_about(proofs, "auxiliary", _midpoint)
    return [
        *(Trend(f"joint:{about}", f"Joint {about}", "mΩ", 2, "low", points) for about, points in joints),
        *(
            Trend(f"loop:{about}", f"Way from {about} to the battery", "mΩ", 1, "low", points)
            for about, points in loops
        ),
        *(Trend("idle", "Idle draw", "A", 2, "low", points) for _, points in idle),
        *(Trend("zero", "Zero", "A", 2, ZEROED, points) for _, points in zero),
        *(
            Trend(
                f"midpoint:{about}", f"Midpoint off half, {about or 'at rest'}", "%", 1, "near zero", points
            )
            for about, points in middle
        ),
    ]


def _by_about(
    proofs: list[Proof], check: str, point_of: Callable[[Proof], TrendPoint | None]
) -> list[tuple[str, tuple[TrendPoint, ...]]]:
    """The points of one measurement, by what it is of, in order of time; a corrected entry is left out."""
    corrected = {proof.corrects for proof in proofs}
    found: dict[str, list[TrendPoint]] = {}
    for proof in sorted(proofs, key=lambda proof: proof.time_s):
        point = point_of(proof) if proof.check == check and proof.id not in corrected else None
        if point is not None:
            found.setdefault(proof.about, []).append(point)
    return [(about, tuple(points)) for about, points in found.items()]


def _plain_point(proof: Proof, value: float, off: float) -> TrendPoint:
    return TrendPoint(proof.time_s, value, value - off, value + off, how=proof.who)


def _joint_point(proof: Proof) -> TrendPoint | None:
    mv, amps = float(proof.body["mv"]), abs(float(proof.body["amps"]))
    if amps <= 0.0:
        return None
    mohm = abs(mv) / amps
    off = OFF_SHARE * mohm + OFF_MV / amps
    return TrendPoint(proof.time_s, mohm, max(0.0, mohm - off), mohm + off, how=f"{mv:g} mV at {amps:g} A")


def _loop_point(proof: Proof) -> TrendPoint | None:
    charger_v, bank_v = proof.body.get("charger_v"), proof.body.get("bank_v")
    amps = float(proof.body["display"])
    if charger_v is None or bank_v is None or amps <= 0.0:
        return None
    lost_v = float(charger_v) - float(bank_v)
    mohm, off = 1000.0 * lost_v / amps, 1000.0 * 0.02 / amps  # two displays of a hundredth of a volt
    return TrendPoint(proof.time_s, mohm, mohm - off, mohm + off, how=f"{lost_v:.2f} V at {amps:g} A")


def _midpoint(proof: Proof) -> TrendPoint | None:
    shown, whole = proof.body.get("shown"), proof.body.get("whole")
    if shown is None or not whole:
        return None
    off = 100.0 * (2.0 * float(shown) / float(whole) - 1.0)
    return _plain_point(proof, off, 0.2)


def _of_opinions(notes: list[watching.Note]) -> list[Trend]:
    """How far a battery's own counters stood apart, and each of them, over time."""
    apart: list[TrendPoint] = []
    for note in notes:
        some = [Opinion.model_validate(item) for item in note.body["opinions"]]
        socs = [opinion.soc_pct for opinion in some]
        if len(socs) > 1:
            spread = max(socs) - min(socs)
            names = ", ".join(f"{opinion.name} {opinion.soc_pct:g} %" for opinion in some)
            apart.append(TrendPoint(note.time_s, spread, max(0.0, spread - 2.0), spread + 2.0, how=names))
    return [Trend("apart", "Strings apart, by their own counters", "%", 0, "low", tuple(apart))]


def _joints(proofs: list[Proof], visits: list[watching.Note]) -> list[JointLine]:
    """Every joint torqued or measured, latest first."""
    found = [
        JointLine(visit.time_s, joint["where"], _or_nan(joint["nm"]), _or_nan(joint["mv"]), math.nan)
        for visit in visits
        for act in visit.body["acts"]
        for joint in act["joints"]
    ]
    for proof in proofs:
        point = _joint_point(proof) if proof.check == "joint" else None
        if point is not None:
            mv = float(proof.body["mv"])
            found.append(JointLine(proof.time_s, proof.about, math.nan, mv, point.value))
    return sorted(found, key=lambda line: (-line.time_s, line.where))


def _or_nan(value: float | None) -> float:
    return math.nan if value is None else float(value)
