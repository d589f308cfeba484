"""The check-up of a rig's log: cut by what its history ends, kept while the log stands, tried with what it
corrects.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.columns import of_kind
from volnik.core.count.epochs import Aspect, epochs
from volnik.core.count.log import LogCounter
from volnik.core.readings import Readings
from volnik.core.rig.rig import NumbersVersion, timeline
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.cause import Cause, odds_in_words
from volnik.core.watch.checkup.facts import Facts, RigFacts, thinned
from volnik.core.watch.checkup.registry import Checkup, checkup, mended, names, spec_of
from volnik.core.watch.checkup.retried import Retried
from volnik.core.watch.checkup.rig_facts import plan_of
from volnik.core.watch.checkup.unseen import Unseen, unseen_charge
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.log.history import history
from volnik.services.path.read import NoBank, read_path
from volnik.store import logs, watching
from volnik.store import rigs as store

QUICK_READINGS = 400_000  # while the page waits; what is longer runs as a job with its progress
ASPECTS: tuple[Aspect, ...] = ("wiring", "bank")
"""What ends a stretch that can be looked at as one; the settings are tried on the readings anew."""
LATEST_DAYS = 400.0  # older days are another state of the rig, and would outvote the latest


@dataclass(frozen=True, slots=True)
class CheckupPeriod:
    """The log between two cuts of the history, cross-examined.

    From, to [s], what was found, what came in unseen or None, and what it began with, in words.
    """

    start_s: float
    end_s: float
    found: Checkup
    unseen: Unseen | None
    began: str = ""

    @property
    def worst(self) -> Cause | None:
        """The likeliest cause."""
        return self.found.causes[0] if self.found.causes else None


@dataclass(frozen=True, slots=True)
class Checked:
    """The check-up of a rig: its parts in order of time, mendings that can be withdrawn, whether the rig's
    plan was known, a charger's own log or None.
    """

    parts: list[CheckupPeriod]
    mended: list[watching.Note]
    planned: bool
    reference_log: tuple[str, Floats, Floats] | None

    @property
    def now(self) -> CheckupPeriod:
        """The part that holds since the last cut."""
        return self.parts[-1]


def plan_for(session: Session, context: AppContext, rig_id: int) -> RigFacts | None:
    """What the Survey tells the check-up; None without a bank."""
    try:
        path = read_path(session, context, rig_id)
    except NoBank:
        return None
    return plan_of(path.bank, path.chemistry, path.analysis("found").devices)


def whole_log(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    *,
    since_s: float = -math.inf,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Readings:
    """What speaks, in one piece, averaged to 10 s where finer; of very long logs the latest 400 days."""
    since_s = max(since_s, counted_log.end_s - LATEST_DAYS * 86400.0)
    parts: list[Readings] = []
    for at, segment in enumerate(counted_log.segments):
        if segment.end_s >= since_s:
            readings = counted_log.readings(session, context, segment)
            parts.append(thinned(readings))
            on_progress((at + 1) / len(counted_log.segments))
    names = set.intersection(*(set(part.extra) for part in parts)) if parts else set()
    return Readings(
        np.concatenate([part.time_s for part in parts]),
        np.concatenate([part.volts for part in parts]),
        np.concatenate([part.amps for part in parts]),
        {name: np.concatenate([part.extra[name] for part in parts]) for name in sorted(names)},
    )


def between(readings: Readings, start_s: float, end_s: float) -> Readings:
    """The readings from one instant up to before another [s]."""
    return readings.part(
        int(np.searchsorted(readings.time_s, start_s)), int(np.searchsorted(readings.time_s, end_s))
    )


def ready(context: AppContext, rig_id: int) -> bool:
    """Whether the check-up of a rig can be had at once."""
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None:
            return True
        return kept_check(session, context, counted_log) is not None or counted_log.size <= QUICK_READINGS


def check_key(session: Session, counted_log: CountedLog) -> str:
    """All that a check-up rests on."""
    cuts = [epoch.start_s for epoch in epochs(history(session, counted_log.rig_id), *ASPECTS)]
    numbers = [version.id for version in store.numbers_versions(session, counted_log.rig_id)]
    reference_log = [
        source.id
        for source in logs.sources(session, counted_log.rig_id, withdrawn=False)
        if source.kind == "beside"
    ]
    revision = store.rig(session, counted_log.rig_id).count_revision
    return f"checkup:{counted_log.rig_id}:{revision}:{cuts}:{numbers}:{reference_log}"


def kept_check(session: Session, context: AppContext, counted_log: CountedLog) -> Checked | None:
    """The check-up of a log where it was made already."""
    return context.recalled(check_key(session, counted_log))  # type: ignore[no-any-return]


def checked(
    context: AppContext, rig_id: int, *, on_progress: Callable[[float], None] = lambda done: None
) -> Checked | None:
    """The check-up of a rig's log, or None while there is nothing to count."""
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        return None if counted_log is None else checked_in(session, context, counted_log, on_progress)


def checked_in(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Checked:
    """As `checked`, inside a reading that is open already."""
    found = kept_check(session, context, counted_log)
    if found is not None:
        return found
    rig_id = counted_log.rig_id
    key = check_key(session, counted_log)
    cuts = epochs(history(session, rig_id), *ASPECTS)
    mendings = watching.notes(session, rig_id, "mended")
    plan = plan_for(session, context, rig_id)
    versions = timeline(store.numbers_versions(session, rig_id))
    readings = whole_log(session, context, counted_log, on_progress=lambda done: on_progress(0.7 * done))
    gap_s = max(segment.gap_s for segment in counted_log.segments)
    reference_log = charger_beside(session, context, rig_id)
    parts: list[CheckupPeriod] = []
    for done, epoch in enumerate(cuts, 1):
        some = between(readings, epoch.start_s, epoch.end_s)
        if not len(some) and epoch is not cuts[-1]:
            continue
        numbers = held_at(versions, epoch.end_s).numbers
        made = checkup(some, numbers=numbers, plan=plan, gap_s=gap_s)
        first = last = max(epoch.start_s, counted_log.start_s)  # a log that ends before it says nothing of it
        if len(some):
            first, last = float(some.time_s[0]), float(some.time_s[-1])
        parts.append(CheckupPeriod(first, last, made, _unseen(made), epoch.why if parts else ""))
        on_progress(0.7 + 0.3 * done / len(cuts))
    result = Checked(parts, mendings, plan is not None and bool(plan.loads), reference_log)
    context.remember(key, result)
    return result


def held_at(versions: list[NumbersVersion], at_s: float) -> NumbersVersion:
    """The numbers that held just before an instant."""
    held = [version for version in versions if version.holds_from_s is None or version.holds_from_s < at_s]
    return (held or versions)[-1]


def _unseen(made: Checkup) -> Unseen | None:
    """The charge that came in unseen, where a cause hides any."""
    hidden = any(spec_of(cause.cause).hides_charge for cause in made.causes)
    return unseen_charge(made.at_fault) if made.at_fault is not None and hidden else None


@dataclass(frozen=True, slots=True)
class ChargerLog:
    """A charger's own word, never counted: its name, instants [s] and amps [A], shape (n,) each."""

    name: str
    time_s: Floats
    amps: Floats


def charger_logs(session: Session, context: AppContext, rig_id: int) -> list[ChargerLog]:
    """What chargers say themselves: the log kept beside, else each by its column of the rig's own."""
    sources = [source for source in logs.sources(session, rig_id, withdrawn=False) if source.kind == "beside"]
    if sources:
        source = sources[-1]
        places = logs.chunk_places(session, source.id)
        parts = [context.chunks.chunk(session, source, place.seq) for place in places]
        time_s = np.concatenate([readings.time_s for readings in parts])
        return [ChargerLog(source.name, time_s, np.concatenate([readings.amps for readings in parts]))]
    counted_log = open_counted_log(session, context, rig_id)
    return [] if counted_log is None else _charger_columns(session, context, counted_log)


def _charger_columns(session: Session, context: AppContext, counted_log: CountedLog) -> list[ChargerLog]:
    """Each charger that tells its amps by a column of the rig's own."""
    parts: dict[str, list[tuple[Floats, Floats]]] = {}
    for segment in counted_log.segments:
        told = of_kind(counted_log.sources[segment.source_id].columns, "charger_amps")
        if not told or segment.end_s < counted_log.end_s - LATEST_DAYS * 86400.0:
            continue
        readings = thinned(counted_log.readings(session, context, segment))
        for each in told:
            amps = readings.extra[each.name]
            said = np.isfinite(amps)
            parts.setdefault(each.own or "the charger", []).append((readings.time_s[said], amps[said]))
    whole = [
        ChargerLog(name, *(np.concatenate([part[at] for part in some]) for at in (0, 1)))
        for name, some in sorted(parts.items())
    ]
    return [each for each in whole if len(each.time_s)]


def charger_beside(session: Session, context: AppContext, rig_id: int) -> tuple[str, Floats, Floats] | None:
    """What chargers gave by their own word, all together: a name, instants [s], amps [A]; None for none."""
    told = charger_logs(session, context, rig_id)
    if not told:
        return None
    if len(told) == 1:
        return told[0].name, told[0].time_s, told[0].amps
    time_s, place = np.unique(np.concatenate([each.time_s for each in told]), return_inverse=True)
    weights = np.concatenate([each.amps for each in told])
    amps = np.asarray(np.bincount(place, weights=weights), dtype=np.float64)
    return f"the {len(told)} chargers together", time_s, amps


def sentence(part: CheckupPeriod, zone: str) -> str:
    """What a check-up found, in a sentence; days by the rig's clock."""
    if part.found.facts is not None and part.found.facts.trouble:
        return part.found.facts.trouble
    if part.worst is None:
        return "No problems found in this log."
    name, since_s = names()[part.worst.cause], part.worst.since_s
    since = (
        "" if since_s is None else f", since about {datetime.fromtimestamp(since_s, ZoneInfo(zone)):%-d %B}"
    )
    return f"{odds_in_words(part.worst.likelihood).capitalize()}{since}: {name[:1].lower()}{name[1:]}."


SETTINGS = (
    "capacity_ah",
    "coulombic_efficiency",
    "charged_voltage_v",
    "tail_current_pct",
    "hold_s",
    "dead_band_a",
)


def retry(facts: Facts, corrected: dict[str, float]) -> Retried | None:
    """Count the same readings anew with what a cause corrects, the readings' own factor and offset among it.

    None where nothing can be.
    """
    if facts.numbers is None or not corrected:
        return None
    changed = {key: value for key, value in corrected.items() if key in SETTINGS}
    numbers = Numbers(**{**facts.numbers.as_dict(), **changed})  # type: ignore[arg-type]
    log = mended(facts.readings, corrected)
    if "amps_factor" in corrected and facts.readings is not None:
        log = Readings(
            log.time_s, log.volts, np.where(np.abs(facts.readings.amps) < 1e-12, 0.0, log.amps), log.extra
        )
    before, before_off, before_resets = _counted_side(facts.numbers, facts.readings, facts.gap_s)
    after, after_off, after_resets = _counted_side(numbers, log, facts.gap_s)
    time_s = facts.readings.time_s
    return Retried(time_s, before, after, before_off, after_off, before_resets, after_resets, numbers)


def _counted_side(numbers: Numbers, readings: Readings, gap_s: float) -> tuple[Floats, float, int]:
    """Charge over time, how far the count was off at its full resets on average [Ah], how many there were."""
    counted = LogCounter.opened(numbers).feed(readings.time_s, readings.volts, readings.amps, gap_s=gap_s)
    off = [reset.before.deficit_ah for reset in counted.resets if not math.isnan(reset.before.deficit_ah)]
    charge = np.maximum(0.0, 1.0 - counted.deficit_ah / numbers.capacity_ah)
    return charge, float(np.mean(off)) if off else math.nan, len(counted.resets)
