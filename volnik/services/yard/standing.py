"""Every finding of a rig gathered, and its verdict: reckoned at each change, read by every page and feed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy.orm import Session

from volnik.core.count.evidence import READ_LATELY_S, contradicts_full
from volnik.core.errors import InvalidInput
from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.alarms import alarm_findings
from volnik.core.numbers.feasibility import feasibility
from volnik.core.path.judgement import judge
from volnik.core.rig.bank import bank_findings
from volnik.core.rig.rig import Rig, timeline
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.verdict import COUNT_LIES, CountFacts, key_of, of_checkup
from volnik.core.watch.checkup.cause import Cause
from volnik.services.context import AppContext
from volnik.services.log.band import width_of
from volnik.services.log.count_findings import count_findings
from volnik.services.log.counted_log import CountedLog, Moment, moment
from volnik.services.log.outage import after_outage
from volnik.services.numbers.alarms import saved_alarms
from volnik.services.numbers.study import nearest_hold, read_inputs, study_of
from volnik.services.path.read import RigPath
from volnik.services.prove.record import ProveView, prove_findings
from volnik.services.shelf.chemistries import table_of
from volnik.services.watch.checked import QUICK_READINGS, check_key, checked_in, kept_check
from volnik.services.wireup.job import analysis_as_built
from volnik.store import drawings
from volnik.store import rigs as store

BAND_AT_ONCE = 400_000  # readings; a longer log's band is taken where it was reckoned already
AGAIN_S = 6 * 3600.0  # of new readings, after which a live log is looked at anew
EVERY_BUT_NO_SHUNT = frozenset(f"path.P{number:02d}" for number in range(1, 100)) - {"path.P40", "path.P46"}
"""What is said of a path nobody planned: not that the shunt was not drawn yet."""


@dataclass(frozen=True, slots=True)
class Counting:
    """A rig's count as it stands, or that there is none."""

    counted_log: CountedLog
    now: Moment


def bank_and_numbers(session: Session, context: AppContext, rig: Rig) -> list[Finding]:
    """All that the battery and the numbers on record give cause to say, gravest first."""
    if rig.bank is None:
        return []
    chemistry = table_of(session)[rig.bank.chemistry]
    found = bank_findings(rig.bank, chemistry, this_year=datetime.fromtimestamp(context.now(), UTC).year)
    if held := timeline(store.numbers_versions(session, rig.id)):
        found += numbers_findings(held[-1].numbers, rig.bank, chemistry, held[-1].power_up)
    return by_weight(found)


def of_path(session: Session, path: RigPath, *, read: bool) -> list[Finding]:
    """What stands against the path: of the plan, and of what carries current today where a log is read of it.

    Args:
        read: whether readings come from it.
    """
    if not path.devices:
        return []
    found = judge(path.analysis("planned")) if path.begun else []
    if not read:
        return found
    wanted = COUNT_LIES if path.begun else EVERY_BUT_NO_SHUNT
    known = {key_of(finding) for finding in found}
    today = judge(analysis_as_built(session, path))
    return found + [each for each in today if each.id in wanted and key_of(each) not in known]


def of_rig_and_numbers(session: Session, context: AppContext, path: RigPath) -> list[Finding]:
    """Whether the numbers go with the rig's chargers, and the alarms with both."""
    if not path.devices or not store.numbers_versions(session, path.rig.id):
        return []
    try:
        given = read_inputs(session, context, path.rig.id)
    except InvalidInput:
        return []
    study = study_of(context, given)
    found = feasibility(
        given.vehicle,
        given.numbers,
        recommended=None if study is None else study.recommended,
        at_map=None if study is None else study.maps[nearest_hold(given.numbers.hold_s)],
    )
    alarms = saved_alarms(session, path.rig.id)
    if alarms is not None:
        found += alarm_findings(alarms, path.analysis("planned"), given.vehicle, given.numbers, given.dialect)
    return found


def of_count(session: Session, context: AppContext, counting: Counting | None, rig: Rig) -> list[Finding]:
    """What the count itself gives cause to say."""
    if counting is None:
        return []
    return [
        *count_findings(counting.now, counting.counted_log),
        *after_outage(session, context, counting.now, counting.counted_log),
        *_full_only_said(session, context, counting, rig),
    ]


def _full_only_said(session: Session, context: AppContext, counting: Counting, rig: Rig) -> list[Finding]:
    """A full said by hand at volts and amps of none, while the count rests on it."""
    opened = counting.now.opened
    if opened is None or opened.kind != "full" or rig.bank is None:
        return []
    then = moment(session, context, counting.counted_log, opened.time_s)
    volts, amps = then.values["volts"], then.values["amps"]
    cells_12v = rig.bank.cells / CELLS_12V[rig.bank.chemistry]
    lately = opened.time_s - then.read_s <= READ_LATELY_S
    if not lately or not contradicts_full(volts=volts, amps=amps, numbers=then.numbers, cells_12v=cells_12v):
        return []
    return [
        Finding(
            "count.C05",
            "fix",
            f"“Full by hand” was said at {volts:.2f} V and {amps:+.1f} A, which is no full battery.",
            "The percentage began anew from it; what is believed of the charge did not.",
            "Charge until full and watch the reset, or withdraw the entry.",
            "watch",
        )
    ]


def looked_at(
    session: Session, context: AppContext, counting: Counting | None, before: dict[str, Any]
) -> dict[str, Any]:
    """What the last check-up of the log found, made anew where the log or what it rests on changed.

    A log too long to be looked at in passing keeps what was found last, until it is looked at on its page.

    Args:
        before: what was kept.
    """
    if counting is None:
        return {}
    counted_log = counting.counted_log
    rests_on = _rests_on(session, counted_log)
    if before.get("rests_on") == rests_on and counted_log.end_s - before["until_s"] < AGAIN_S:
        return before
    found = kept_check(session, context, counted_log)
    if found is None:
        if counted_log.size > QUICK_READINGS:
            return before if before.get("rests_on") == rests_on else {}
        found = checked_in(session, context, counted_log)
    worst = found.now.worst
    kept = {"rests_on": rests_on, "until_s": counted_log.end_s, "since_s": found.now.start_s}
    if worst is None:
        return kept
    if worst.since_s is not None:
        kept["since_s"] = worst.since_s
    return kept | {
        "cause": worst.cause,
        "likelihood": worst.likelihood,
        "evidence": worst.evidence,
        "next": worst.next,
    }


def _rests_on(session: Session, counted_log: CountedLog) -> str:
    """All a check-up rests on but the newest readings."""
    _, _, rest = check_key(session, counted_log).split(":", 2)
    sources = sorted({segment.source_id for segment in counted_log.segments})
    return f"{counted_log.start_s}:{sources}:{rest.partition(':')[2]}"


def of_log(looked: dict[str, Any]) -> list[Finding]:
    """What the check-up found, as a finding.

    Args:
        looked: as of `looked_at`.
    """
    if "cause" not in looked:
        return []
    cause = Cause(looked["cause"], looked["likelihood"], looked["evidence"], looked["next"])
    return of_checkup(cause)


def of_prove(view: ProveView | None) -> list[Finding]:
    """What was measured and does not hold."""
    return [] if view is None else prove_findings(view)


def count_facts(
    session: Session, context: AppContext, counting: Counting | None, rig_id: int, *, full_seen: bool
) -> CountFacts:
    """What is known of a count, for its verdict.

    Args:
        full_seen: whether a full charge was witnessed.
    """
    if counting is None:
        return CountFacts()
    now = counting.now
    width = None
    if counting.counted_log.size <= BAND_AT_ONCE:
        width = width_of(session, context, counting.counted_log)
    band = None if width is None else width.now(math.inf)
    wired_s = drawings.last_built_s(session, rig_id)
    opened = now.opened
    claimed = opened is not None and opened.kind == "supply_lost"
    claimed = claimed and opened is not None and opened.after.deficit_ah != opened.before.deficit_ah
    return CountFacts(
        not math.isnan(now.soc),
        math.nan if band is None else band.half,
        math.nan if wired_s is None else wired_s,
        full_seen,
        claimed,
        math.nan if band is None else band.low,
        math.nan if band is None else band.high,
    )
