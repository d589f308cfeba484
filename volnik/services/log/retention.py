"""Retention: what is stored, what the shop's rule would thin, and the thinning itself, told and put on
record.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.readings import Readings, tidy
from volnik.core.values import read_plain
from volnik.core.watch.retention import MONTH_S, Rule, thinned_before
from volnik.services.context import AppContext
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.log.recount import recount
from volnik.store import logs, watching
from volnik.store import rigs as store

WORTH = 0.05  # a source of which less would go is left alone


@dataclass(frozen=True, slots=True)
class Stored:
    """What one rig's readings take up: readings, bytes; how many readings the rule would let go."""

    rig_id: int
    name: str
    readings: int
    size: int
    would_go: int

    @property
    def each(self) -> float:
        """Bytes a reading."""
        return self.size / max(1, self.readings)


@dataclass(frozen=True, slots=True)
class StorageView:
    """What is stored, rig by rig, most first, and the shop's rule."""

    rule: Rule
    rigs: list[Stored]

    @property
    def each(self) -> float:
        """Bytes a reading over all rigs."""
        return sum(source.size for source in self.rigs) / max(1, sum(source.readings for source in self.rigs))

    @property
    def fifty_years(self) -> float:
        """What fifty years of one rig at 1 Hz would need at that rate [bytes]."""
        return 50.0 * 365.25 * 86400.0 * (self.each if self.rigs else 3.5)


def rule_of(session: Session) -> Rule:
    """The shop's rule; every reading is kept until it sets one."""
    return Rule.model_validate(store.shop(session, "retention"))


def set_rule(context: AppContext, values: dict[str, object]) -> Rule:
    """Keep the shop's rule; nothing is thinned by it alone.

    Raises:
        InvalidInput: naming each field at fault.
    """
    rule = read_plain(Rule, values)
    with context.change() as work:
        before = rule_of(work.session).model_dump(mode="json")
        store.set_shop(work.session, "retention", rule.model_dump(mode="json"))
        work.record("storage", "the rule of storage", before=before, after=rule.model_dump(mode="json"))
    return rule


def storage_view(context: AppContext) -> StorageView:
    """What is stored, and what the rule would let go."""
    with context.db.reading() as session:
        rule = rule_of(session)
        found = []
        for rig in [*store.all_rigs(session), *store.all_rigs(session, archived=True)]:
            some = logs.sources(session, rig.id)
            if some:
                size = sum(logs.bytes_of(session, source.id) for source in some)
                would = sum(_would_go(source, rule, context.now()) for source in some)
                found.append(Stored(rig.id, rig.name, sum(source.readings for source in some), size, would))
    return StorageView(rule, sorted(found, key=lambda source: -source.size))


def _would_go(source: logs.Source, rule: Rule, now_s: float) -> int:
    """About how many readings of a source the rule lets go, as if they lay evenly."""
    if rule.months is None or source.end_ms <= source.start_ms:
        return 0
    before_s = now_s - rule.months * MONTH_S
    part = min(
        1.0, max(0.0, (before_s - source.start_ms / 1000.0) / ((source.end_ms - source.start_ms) / 1000.0))
    )
    old = source.readings * part
    left = (source.end_ms - source.start_ms) / 1000.0 * part / rule.step_s
    return int(max(0.0, old - left)) if old - left > WORTH * source.readings else 0


def thin(
    context: AppContext, rig_id: int, *, who: str, on_progress: Callable[[float], None] = lambda done: None
) -> int:
    """Thin a rig's older readings by the shop's rule and count anew; returns how many readings went.

    All or nothing, and on record.

    A count of thinned readings can differ a little: the note says what it stood at before and after.
    """
    with context.change(rig_id) as work:
        rule = rule_of(work.session)
        before_ah = _below_full_ah(work.session, context, rig_id)
        gone = _thin_sources(work.session, context, rig_id, rule, lambda done: on_progress(0.6 * done))
        if not gone:
            work.nothing_changed()
            return 0
        recount(work.session, context, rig_id, on_progress=lambda done: on_progress(0.6 + 0.4 * done))
        work.recounted()
        after_ah = _below_full_ah(work.session, context, rig_id)
        watching.add_note(
            work.session,
            rig_id,
            "retention",
            time_s=context.now(),
            saved_s=context.now(),
            who=who,
            body={"note": _thinned_note(gone, rule, before_ah, after_ah)},
        )
    return gone


def _below_full_ah(session: Session, context: AppContext, rig_id: int) -> float:
    """Where the count of record stands [Ah below full], NaN where it is not known."""
    counted_log = open_counted_log(session, context, rig_id)
    return math.nan if counted_log is None else moment(session, context, counted_log).state.deficit_ah


def _thinned_note(gone: int, rule: Rule, before_ah: float, after_ah: float) -> str:
    assert rule.months is not None
    many = f"{gone:,}".replace(",", " ")
    told = f"{many} readings older than {rule.months:g} months averaged over {rule.step_s:g} s"
    if math.isnan(before_ah) or math.isnan(after_ah):
        return told
    return f"{told}; the count stood at {before_ah:.2f} Ah below full and is at {after_ah:.2f}"


def _thin_sources(
    session: Session, context: AppContext, rig_id: int, rule: Rule, on_progress: Callable[[float], None]
) -> int:
    """Replace each source of which enough would go; returns how many readings went."""
    if rule.months is None:
        return 0
    before_s = context.now() - rule.months * MONTH_S
    gone = 0
    some = [source for source in logs.sources(session, rig_id) if _would_go(source, rule, context.now())]
    for at, source in enumerate(some, 1):
        whole = _whole(session, context, source)
        kept = thinned_before(whole, before_s, rule.step_s)
        gone += len(whole) - len(kept)
        logs.remove_source(session, source.id)
        made = logs.add_source(
            session,
            rig_id,
            kept,
            kind=source.kind,
            name=source.name,
            digest=f"{source.digest.split('|')[0]}|{rule.step_s:g}:{before_s:.0f}",
            arrived_s=source.arrived_s,
            gap_s=max(source.gap_s, 5.0 * rule.step_s),
            report={**source.report, "thinned": [rule.step_s, before_s, len(whole)]},
        )
        if source.withdrawn_s is not None:
            logs.withdraw_source(session, rig_id, made.id, source.withdrawn_s)
        on_progress(at / len(some))
    return gone


def _whole(session: Session, context: AppContext, source: logs.Source) -> Readings:
    """Every reading of a source, in order of time."""
    chunks = [chunk.seq for chunk in logs.chunk_places(session, source.id)]
    parts = list(context.chunks.following(session, source, chunks))
    columns = {
        name: np.concatenate([readings.columns()[name] for readings in parts]) for name in source.columns
    }
    return tidy(np.concatenate([readings.time_s for readings in parts]), columns).readings
