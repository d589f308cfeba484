"""What a rig's own columns tell: other counters, cells, chargers and switches, over the latest days."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.columns import column, of_kind
from volnik.core.count.epochs import since
from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.ladder import cell_limits
from volnik.core.readings import COLUMNS, Readings
from volnik.core.rig.rig import Rig
from volnik.core.watch.checkup.facts import thinned
from volnik.core.watch.opinions import Opinion, reconcile
from volnik.core.watch.own_columns.cells import Cells, cell_findings, cells_of
from volnik.core.watch.own_columns.chargers import (
    Seen,
    Way,
    chargers_of,
    hidden_now,
    seen_findings,
    seen_of,
    way_findings,
)
from volnik.core.watch.own_columns.counters import Counter, counter_of, is_sound, jump_words
from volnik.core.watch.own_columns.switches import Switch, switch_of
from volnik.services.context import AppContext
from volnik.services.log.band import width_of
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.log.history import history
from volnik.services.shelf.chemistries import table_of
from volnik.store import rigs as store
from volnik.store.counts import CountSegment

DAYS = 7.0  # looked at: what is older may be mended
MOST_JUMPS = 6  # told of a counter
FRESH_S = 900.0  # before the end of the log, within which a counter speaks of now


@dataclass(frozen=True, slots=True)
class Jumped:
    """A jump of another counter: when [s], in words, and whether it is as it should be."""

    time_s: float
    words: str
    sound: bool


@dataclass(frozen=True, slots=True)
class OwnColumns:
    """What a rig's own columns tell.

    Attributes:
        start_s, end_s: of what was looked at [s since 1970].
        latest: last figure of each, and when it was said, by column [s since 1970].
        counters: with their jumps.
        cells: or None.
        ways: of chargers that tell both volts and amps.
        seen: how much of each charger the shunt sees, with what it is called.
        hidden: what loads take straight from the chargers now, in words; "" for nothing.
        switches: in order of their columns.
        findings: gravest first.
    """

    start_s: float
    end_s: float
    latest: Mapping[str, tuple[float, float]]
    counters: tuple[tuple[Counter, tuple[Jumped, ...]], ...]
    cells: Cells | None
    ways: tuple[Way, ...]
    seen: tuple[tuple[Seen, str], ...]
    hidden: str
    switches: tuple[Switch, ...]
    findings: tuple[Finding, ...]


def own_columns(session: Session, context: AppContext, counted_log: CountedLog) -> OwnColumns | None:
    """What the columns of a rig's own tell over the latest days; None for a rig without any."""
    if not any(name not in COLUMNS for source in counted_log.sources.values() for name in source.columns):
        return None
    rig = store.rig(session, counted_log.rig_id)
    events = history(session, rig.id, counted=counted_log.events)
    cut_s = since(events, math.inf, "wiring", "bank")
    half = _half_band(session, context, counted_log)
    # All it rests on: a mending or a battery put on record changes neither the readings nor their count.
    key = f"own_columns:{rig.id}:{rig.count_revision}:{cut_s}:{half:.3f}:{rig.bank}"
    kept: OwnColumns | None = context.recalled(key)
    if kept is None:
        start_s = max(counted_log.end_s - DAYS * 86400.0, counted_log.start_s, cut_s)
        kept = _told(session, context, counted_log, rig, start_s=start_s, half=half)
        context.remember(key, kept)
    return kept


def _half_band(session: Session, context: AppContext, counted_log: CountedLog) -> float:
    """Half the width of the count's band [0..1]; NaN while it is not reckoned."""
    width = width_of(session, context, counted_log)
    band = None if width is None else width.now(math.inf)
    return math.nan if band is None or math.isnan(band.centre) else band.half


def _told(
    session: Session,
    context: AppContext,
    counted_log: CountedLog,
    rig: Rig,
    *,
    start_s: float,
    half: float,
) -> OwnColumns:
    """What they tell from an instant on; nothing where no reading came since."""
    readings = _readings(session, context, counted_log, start_s)
    own = {name: values for name, values in readings.extra.items() if name not in COLUMNS}
    now = moment(session, context, counted_log)
    gap_s = max(segment.gap_s for segment in counted_log.segments)
    said = _counters(readings, own, now.numbers.capacity_ah)
    counters = [(told, _jumps(session, context, counted_log, told)) for told in said]
    chemistry = "" if rig.bank is None else table_of(session)[rig.bank.chemistry].key
    cells = cells_of(readings.time_s, readings.amps, own, now.numbers.capacity_ah, chemistry=chemistry)
    ways = tuple(chargers_of(own, readings.volts))
    seen = tuple(_seen(readings, own))
    latest = _latest(readings.time_s, own)
    return OwnColumns(
        start_s,
        counted_log.end_s,
        latest,
        tuple(counters),
        cells,
        ways,
        seen,
        hidden_now(_now(latest, now.values, counted_log.end_s, gap_s)),
        tuple(_switches(readings, own, gap_s)),
        tuple(
            by_weight(
                [
                    *_of_cells(session, cells, rig),
                    *_apart(counted_log.end_s, now, said, half=half),
                    *seen_findings(list(seen)),
                    *way_findings(list(ways)),
                    *_of_jumps(counters),
                ]
            )
        ),
    )


def _counters(readings: Readings, own: Mapping[str, Floats], capacity_ah: float) -> list[Counter]:
    """Each other counter that said anything."""
    time_s, amps = readings.time_s, readings.amps
    told = [
        counter_of(each.name, time_s, amps, own[each.name], capacity_ah=capacity_ah)
        for each in of_kind(own, "percent")
    ]
    return [counter for counter in told if counter is not None]


def _seen(readings: Readings, own: Mapping[str, Floats]) -> list[tuple[Seen, str]]:
    """How much of each charger the shunt sees, with what it is called."""
    chargers = {each.name: each.own or "charger" for each in of_kind(own, "charger_amps")}
    told = seen_of(readings.time_s, {name: own[name] for name in chargers}, readings.amps, readings.volts)
    return [(seen, chargers[seen.name]) for seen in told]


def _switches(readings: Readings, own: Mapping[str, Floats], gap_s: float) -> list[Switch]:
    """Each switch that was told of."""
    time_s, amps = readings.time_s, readings.amps
    told = [
        switch_of(each.name, time_s, amps, own[each.name], gap_s=gap_s) for each in of_kind(own, "switch")
    ]
    return [switch for switch in told if switch is not None]


def _readings(session: Session, context: AppContext, counted_log: CountedLog, start_s: float) -> Readings:
    """The log from an instant on, averaged to 10 s where finer; what a part lacks is NaN."""
    parts = [
        _thinned(session, context, counted_log, segment)
        for segment in counted_log.segments
        if segment.end_s >= start_s
    ]
    if not parts:
        return Readings(np.empty(0), np.empty(0), np.empty(0))
    names = sorted({name for part in parts for name in part.extra})
    columns: dict[str, Floats] = {
        name: np.concatenate([part.columns().get(name, np.full(len(part), np.nan)) for part in parts])
        for name in ("volts", "amps", *names)
    }
    whole = Readings(
        np.concatenate([part.time_s for part in parts]),
        columns.pop("volts"),
        columns.pop("amps"),
        columns,
    )
    return whole.part(int(np.searchsorted(whole.time_s, start_s)), len(whole))


def _thinned(
    session: Session, context: AppContext, counted_log: CountedLog, segment: CountSegment
) -> Readings:
    """A piece of the log averaged, kept while it stands as it is."""
    source = counted_log.sources[segment.source_id]
    rewritten = source.report.get("rewritten", 0)
    place = f"{segment.chunk_seq}:{segment.first}:{segment.last}:{rewritten}"
    key = f"thinned:{counted_log.rig_id}:{source.id}:{place}"
    kept: Readings | None = context.recalled(key)
    if kept is None:
        kept = thinned(counted_log.readings(session, context, segment))
        context.remember(key, kept)
    return kept


def _latest(time_s: Floats, own: Mapping[str, Floats]) -> dict[str, tuple[float, float]]:
    """The last figure of each column that said any, and when it was said [s]."""
    found = {}
    for name, values in own.items():
        said = np.flatnonzero(np.isfinite(values))
        if len(said):
            found[name] = (float(values[said[-1]]), float(time_s[said[-1]]))
    return found


def _now(
    latest: Mapping[str, tuple[float, float]], values: Mapping[str, float], at_s: float, gap_s: float
) -> dict[str, float]:
    """What is still said at the end of the log, by column."""
    fresh = {name: value for name, (value, said_s) in latest.items() if at_s - said_s <= gap_s}
    return {"volts": values["volts"], "amps": values["amps"], **fresh}


def _jumps(
    session: Session, context: AppContext, counted_log: CountedLog, counter: Counter
) -> tuple[Jumped, ...]:
    """The latest jumps of a counter, held against the shunt's count of that minute."""
    found = column(counter.name)
    words = found.words if found is not None else counter.name
    told = []
    for jump in counter.jumps[-MOST_JUMPS:]:
        shunt = moment(session, context, counted_log, jump.time_s).soc
        told.append(Jumped(jump.time_s, jump_words(jump, shunt, words=words), is_sound(jump, shunt)))
    return tuple(told)


def _of_cells(session: Session, cells: Cells | None, rig: Rig) -> list[Finding]:
    if cells is None or rig.bank is None:
        return []
    chemistry = table_of(session)[rig.bank.chemistry].key
    low_v, high_v = cell_limits(chemistry, rig.bank)
    return cell_findings(cells, chemistry=chemistry, low_v=low_v, high_v=high_v)


def _apart(end_s: float, now: Moment, counters: list[Counter], *, half: float) -> list[Finding]:
    """Counters that say another charge than the shunt, by more than both can be off by.

    Nothing while either is not known, or how wide the shunt's count is.
    """
    found = []
    for counter in counters:
        if math.isnan(now.soc + half) or end_s - counter.time_s > FRESH_S:
            continue
        said = Opinion(
            name=counter.name[:60],
            soc_pct=counter.percent,
            capacity_ah=now.numbers.capacity_ah,
            full_s=counter.full_s,
        )
        weighed = reconcile(
            [said],
            bank_ah=now.numbers.capacity_ah,
            shunt_soc=now.soc,
            shunt_half=half,
            at_s=counter.time_s,
        )
        if not weighed.agree:
            found.append(
                Finding(
                    "watch.W07",
                    "advise",
                    f"{_words(counter.name)} says {counter.percent:.0f} %, the shunt's count "
                    f"{100.0 * now.soc:.0f} %: more than both can be off by.",
                    "One of them is wrong, or does not see all that flows.",
                    "Fill the battery, reset both at once, and compare again; Check-up says whether the "
                    "shunt misses anything.",
                    "watch",
                    about=(counter.name,),
                )
            )
    return found


def _words(name: str) -> str:
    """What a column is called, at the beginning of a sentence."""
    found = column(name)
    words = name if found is None else found.words
    return words[:1].upper() + words[1:]


def _of_jumps(counters: list[tuple[Counter, tuple[Jumped, ...]]]) -> list[Finding]:
    """The latest jump of each counter that is not as it should be."""
    found = []
    for counter, jumps in counters:
        wrong = [jump for jump in jumps if not jump.sound]
        if wrong:
            message = wrong[-1].words[:1].upper() + wrong[-1].words[1:]
            found.append(
                Finding(
                    "watch.W06",
                    "advise",
                    message.partition(": ")[0] + ".",
                    "A counter that restarts, or resets before the battery is full, is no witness against "
                    "the shunt.",
                    "Look at it on Other devices, and fill the battery before the two are compared.",
                    "watch",
                    about=(counter.name,),
                )
            )
    return found


def standing(context: AppContext, rig_id: int) -> tuple[CountedLog | None, OwnColumns | None]:
    """The count of a rig and what its own columns tell, None where there is none."""
    with context.db.reading() as session:
        counted_log = open_counted_log(session, context, rig_id)
        if counted_log is None:
            return None, None
        return counted_log, own_columns(session, context, counted_log)
