"""Versions of the numbers: saved with time and reason, compared, tried on the log before they hold."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.log import LogCounter
from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.defaults import default_numbers, traps
from volnik.core.numbers.trial import Trial, TrialSide
from volnik.core.rig.rig import NumbersVersion, Rig, timeline
from volnik.core.settings import Numbers, SettingsError, numbers_from_dict
from volnik.core.shelf.chemistries import Chemistry
from volnik.services.context import AppContext
from volnik.services.log.counted_log import open_counted_log, pen_overview
from volnik.services.log.recount import plan, recount, spans
from volnik.services.shelf.chemistries import table_of
from volnik.store import rigs as store


class NoBank(InvalidInput):
    """Numbers were asked of a rig whose bank is not described yet."""


@dataclass(frozen=True, slots=True)
class NumbersView:
    """The numbers of a rig: those that hold (None before the first saving), the defaults, all versions,
    findings.
    """

    rig: Rig
    chemistry: Chemistry
    held: NumbersVersion | None
    defaults: Numbers
    versions: list[NumbersVersion]
    findings: list[Finding]
    has_log: bool
    end_s: float


def numbers_view(context: AppContext, rig_id: int) -> NumbersView:
    """The numbers of a rig.

    Raises:
        NoBank: when its bank is not described yet.
    """
    with context.db.reading() as session:
        rig = store.rig(session, rig_id)
        versions = store.numbers_versions(session, rig_id)
        table = table_of(session)
    if rig.bank is None:
        raise NoBank({"bank": "Describe the battery first: capacity, volts and chemistry all come from it."})
    chemistry = table[rig.bank.chemistry]
    held = timeline(versions)
    findings = numbers_findings(held[-1].numbers, rig.bank, chemistry, held[-1].power_up) if held else []
    has_log = not math.isnan(rig.summary.at_s)
    return NumbersView(
        rig,
        chemistry,
        held[-1] if held else None,
        default_numbers(rig.bank, chemistry),
        versions,
        findings,
        has_log,
        rig.summary.at_s,
    )


def checked(
    view: NumbersView, values: dict[str, float | None], sure: frozenset[str] = frozenset()
) -> Numbers:
    """Typed values as numbers.

    Args:
        values: in stored units.
        sure: keys whose value was said to be meant as it is.

    Raises:
        SettingsError: naming each value that cannot be meant.
    """
    assert view.rig.bank is not None
    if problems := traps(values, view.rig.bank, view.chemistry, sure=sure):
        raise SettingsError(problems)
    return numbers_from_dict(values)


def save(
    context: AppContext,
    rig_id: int,
    numbers: Numbers,
    *,
    holds_from_s: float | None,
    reason: str,
    power_up: str,
    on_progress: Callable[[float], None] = lambda done: None,
    by_user: bool = True,
) -> int:
    """Keep a version and recount the log with it; returns its id."""
    with context.change(rig_id, by_user=by_user) as work:
        session = work.session
        held = timeline(store.numbers_versions(session, rig_id))
        work.record(
            "numbers",
            reason.strip() or "numbers saved",
            before={**held[-1].numbers.as_dict(), "power_up": held[-1].power_up} if held else {},
            after={**numbers.as_dict(), "power_up": power_up},
        )
        version_id = store.add_numbers(
            session,
            rig_id,
            numbers,
            saved_s=context.now(),
            holds_from_s=holds_from_s,
            reason=reason.strip() or "no reason given",
            power_up=power_up,
        )
        recount(session, context, rig_id, on_progress=on_progress)
        work.recounted()
    return version_id


TRIAL_RUN = 64  # readings a drawn point of a trial


def _tell_half(on_progress: Callable[[float], None], side: int, done: float) -> None:
    """Tell progress of one of two sides, each half of the whole."""
    on_progress(0.5 * (side + done))


def trial(
    context: AppContext,
    rig_id: int,
    numbers: Numbers,
    *,
    holds_from_s: float | None,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Trial:
    """Count the log with numbers that are not saved, beside the count of record.

    Raises:
        ValueError: when there are no readings.
    """
    with context.db.reading() as session:
        versions = store.numbers_versions(session, rig_id)
        candidate = NumbersVersion(0, math.inf, holds_from_s, "trial", numbers, "last")
        new = _counted(session, context, rig_id, [*versions, candidate], on_progress)
        counted_log = open_counted_log(session, context, rig_id)
        old = None
        if counted_log is not None and versions:
            firsts, lasts, low, high = pen_overview(session, context, counted_log, "charge")
            summary = store.rig(session, rig_id).summary
            old = TrialSide(
                [event.time_s for event in counted_log.events if event.kind == "reset"],
                summary.soc,
                summary.deficit_ah,
                (firsts + lasts) / 2.0,
                low,
                high,
            )
    return Trial(old, new, float(new.time_s[0]), float(new.time_s[-1]))


def two_on_the_log(
    context: AppContext,
    rig_id: int,
    first: Numbers,
    second: Numbers,
    *,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Trial:
    """Count the whole log under each of two sets of numbers, dated entries kept; `old` is the first.

    Raises:
        ValueError: when there are no readings.
    """
    sides = []
    with context.db.reading() as session:
        for at, numbers in enumerate((first, second)):
            alone = [NumbersVersion(0, math.inf, None, "trial", numbers, "last")]
            half = partial(_tell_half, on_progress, at)
            sides.append(_counted(session, context, rig_id, alone, half))
    return Trial(sides[0], sides[1], float(sides[1].time_s[0]), float(sides[1].time_s[-1]))


def _counted(
    session: Session,
    context: AppContext,
    rig_id: int,
    versions: list[NumbersVersion],
    on_progress: Callable[[float], None],
) -> TrialSide:
    """The whole log under some versions."""
    on = plan(session, rig_id, versions)
    assert on is not None
    counter = LogCounter.opened(on.opening.numbers, on.entries)
    resets: list[float] = []
    parts: list[tuple[Floats, Floats, Floats]] = []
    for span, done in spans(session, context, rig_id):
        log = span.readings
        counted = counter.feed(log.time_s, log.volts, log.amps, gap_s=span.source.gap_s)
        resets += [reset.time_s for reset in counted.resets]
        starts = np.arange(0, len(log), TRIAL_RUN)
        soc = np.maximum(0.0, 100.0 * (1.0 - counted.deficit_ah / on.capacities(log.time_s)))
        parts.append((log.time_s[starts], np.fmin.reduceat(soc, starts), np.fmax.reduceat(soc, starts)))
        on_progress(done)
    if not parts:
        raise ValueError("There are no readings to try these numbers on.")
    counter.finish(context.now())
    ended = counter.state.deficit_ah
    joined = [np.concatenate([part[at] for part in parts]) for at in range(3)]
    return TrialSide(resets, counter.numbers.charge(ended), ended, *joined)
