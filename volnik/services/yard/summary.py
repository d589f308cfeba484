"""What the Yard shows of a rig, reckoned whenever its record changes."""

from __future__ import annotations

import math
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.path.judgement import judge
from volnik.core.rig.bank import bank_findings
from volnik.core.rig.rig import RigSummary, timeline
from volnik.core.shelf.chemistries import with_edits
from volnik.core.stages import NO_PLAN, NO_STEPS
from volnik.core.watch.formatting import flow_sentence
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog, Moment, moment, open_counted_log
from volnik.services.path.read import read_path
from volnik.store import rigs as store

DAY_S = 86_400.0
RECENT_RESETS = 6
LARGE_CORRECTION = 0.08  # of capacity; sound counts correct 1 to 3 %; source: estimate from simulated rigs
LONG_SINCE_FULL_DAYS = 14.0  # a full charge at least twice a month; docs/domain/numbers.md
NEEDS = {"stop": 100.0, "fix": 10.0, "advise": 1.0}


def rig_findings(session: Session, context: AppContext, rig_id: int) -> list[Finding]:
    """All that the bank and numbers on record give cause to say, gravest first."""
    rig = store.rig(session, rig_id)
    if rig.bank is None:
        return []
    chemistry = with_edits(store.shop(session, "chemistries"))[rig.bank.chemistry]
    found = bank_findings(rig.bank, chemistry, this_year=datetime.fromtimestamp(context.now(), UTC).year)
    if held := timeline(store.numbers_versions(session, rig_id)):
        found += numbers_findings(held[-1].numbers, rig.bank, chemistry, held[-1].power_up)
    return by_weight(found)


def path_standing(session: Session, context: AppContext, rig_id: int) -> tuple[bool, str, list[Finding]]:
    """Whether the survey lists devices, what the plan lacks, and what stops it."""
    path = read_path(session, context, rig_id)
    if not path.begun:
        return bool(path.devices), NO_PLAN, []
    stops = [finding for finding in judge(path.seen("planned")) if finding.level == "stop"]
    lacks = (
        f"{len(stops)} thing{'' if len(stops) == 1 else 's'} to stop for, so the count would lie"
        if stops
        else ""
    )
    return bool(path.devices), lacks, stops


def count_findings(now: Moment, counted_log: CountedLog) -> list[Finding]:
    """What the count itself gives cause to say up to an instant (docs/findings.md, count)."""
    found = []
    first_s = counted_log.start_s
    resets = [
        event.before.deficit_ah
        for event in counted_log.events
        if event.kind == "reset" and event.time_s <= now.at_s
    ]
    corrected = sorted(value for value in resets[-RECENT_RESETS:] if not math.isnan(value))
    if (
        len(corrected) >= 3
        and (middle := corrected[len(corrected) // 2]) > LARGE_CORRECTION * now.numbers.capacity_ah
    ):
        found.append(
            Finding(
                "count.C04",
                "fix",
                f"The last {len(corrected)} full resets had to correct the count by about "
                f"{middle:.0f} Ah each.",
                "A sound count stands near full when the bank is full: charge is coming in that the "
                "shunt never sees, or the resets come early.",
                "Switch on each charger in turn and look whether the shunt sees its amps.",
                "watch",
            )
        )
    if math.isnan(now.state.deficit_ah):
        found.append(
            Finding(
                "count.C01",
                "fix",
                f"The count is unknown: no full reset in {(now.read_s - first_s) / DAY_S:.0f} days of log.",
                "Until the bank was full once, no percentage can be told.",
                "Charge until full, or set the count by hand and say what it rests on.",
                "watch",
            )
        )
    never = math.isnan(now.last_full_s)
    days = (now.read_s - (first_s if never else now.last_full_s)) / DAY_S
    if days > LONG_SINCE_FULL_DAYS and not (never and math.isnan(now.state.deficit_ah)):
        seen = "No full reset in this log" if never else "No full reset"
        found.append(
            Finding(
                "count.C02",
                "fix",
                f"{seen} for {days:.0f} days.",
                "Small errors add up between resets: the percentage drifts while looking as precise as ever.",
                "Look at the charged voltage against what the chargers reach, or give it a shore night.",
                "watch",
            )
        )
    if now.runtime.to_reserve_h == 0.0:
        found.append(
            Finding(
                "count.C03",
                "stop",
                f"The level is below the reserve of {now.numbers.reserve_pct:g} %.",
                "What the owner meant to keep back is being used.",
                "Shed loads, or charge now.",
                "watch",
            )
        )
    return found


def refresh(session: Session, context: AppContext, rig_id: int, *, recounted: bool) -> None:
    """Reckon a rig's standing anew, inside the caller's transaction."""
    if recounted:
        # A new revision first: the opened tape is named by it.
        store.set_standing(session, rig_id, RigSummary(), recounted=True)
        session.flush()
    findings = rig_findings(session, context, rig_id)
    rig = store.rig(session, rig_id)
    has_devices, path_lacks = False, NO_PLAN
    wireup_lacks, prove_lacks = NO_STEPS, NO_STEPS
    if rig.bank is not None:
        from volnik.services.prove.record import prove_lacks as prove_lacks_of
        from volnik.services.wireup.job import wireup_lacks as wireup_lacks_of

        wireup_lacks = wireup_lacks_of(session, context, rig_id)
        prove_lacks = prove_lacks_of(session, context, rig_id)
        has_devices, path_lacks, stops = path_standing(session, context, rig_id)
        findings = by_weight([*stops, *findings])
    counted_log = open_counted_log(session, context, rig_id)
    lacking = []
    if rig.bank is None:
        lacking = [["advise", "No bank described yet."]]
    elif counted_log is None:
        has_numbers = bool(store.numbers_versions(session, rig_id))
        lacking = [["advise", "No readings yet." if has_numbers else "No numbers saved yet."]]
    if counted_log is None:
        standing = RigSummary(attention=[[finding.level, finding.message] for finding in findings] + lacking)
    else:
        now = moment(session, context, counted_log)
        findings = by_weight([*count_findings(now, counted_log), *findings])
        standing = RigSummary(
            now.read_s,
            now.soc,
            now.state.deficit_ah,
            now.values["volts"],
            now.values["amps"],
            now.last_full_s,
            counted_log.start_s,
            sum(event.kind == "reset" for event in counted_log.events),
            now.numbers.reserve_pct,
            flow_sentence(now.runtime, now.numbers, known=not math.isnan(now.state.deficit_ah)),
            [[finding.level, finding.message] for finding in findings],
        )
    if wireup_lacks == "" and prove_lacks and prove_lacks != NO_STEPS:
        graver = sum(level != "advise" for level, _ in standing.attention)
        standing.attention.insert(graver, ["advise", f"The proof is open: {prove_lacks}."])
    need = sum(NEEDS[level] for level, _ in standing.attention)
    standing = RigSummary(
        **{
            name: getattr(standing, name)
            for name in RigSummary.__slots__
            if name not in ("need", "has_devices", "path_lacks", "wireup_lacks", "prove_lacks")
        },
        need=need,
        has_devices=has_devices,
        path_lacks=path_lacks,
        wireup_lacks=wireup_lacks,
        prove_lacks=prove_lacks,
    )
    store.set_standing(session, rig_id, standing, recounted=False)
