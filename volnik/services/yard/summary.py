"""What the Yard shows of a rig, reckoned whenever its record changes."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from volnik.core.findings import Finding, by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.path.judgement import judge
from volnik.core.rig.bank import bank_findings
from volnik.core.rig.rig import Rig, RigSummary, timeline
from volnik.core.shelf.chemistries import with_edits
from volnik.core.stages import PlanFacts, ProveFacts, WireUpFacts, stage_statuses
from volnik.core.watch.formatting import flow_sentence
from volnik.core.watch.promises import Outcome
from volnik.services.context import AppContext
from volnik.services.log.count_findings import count_findings
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.path.read import RigPath, read_path
from volnik.services.prove.record import prove_facts
from volnik.services.watch.promised import broken_sentence, outcomes
from volnik.services.wireup.job import wireup_facts
from volnik.store import rigs as store

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


def _plan_facts(path: RigPath) -> tuple[PlanFacts, list[Finding]]:
    """What is known of the plan, and its stops."""
    if not path.begun:
        return PlanFacts(), []
    stops = [finding for finding in judge(path.analysis("planned")) if finding.level == "stop"]
    return PlanFacts(True, len(stops)), stops


def renew(session: Session, context: AppContext, rig_id: int) -> None:
    """Reckon a rig's summary anew, inside the transaction that changed it."""
    rig = store.rig(session, rig_id)
    findings = rig_findings(session, context, rig_id)
    has_devices, plan, wireup, prove = False, PlanFacts(), WireUpFacts(), ProveFacts()
    if rig.bank is not None:
        path = read_path(session, context, rig_id)
        plan, stops = _plan_facts(path)
        has_devices = bool(path.devices)
        wireup, prove = wireup_facts(session, path), prove_facts(session, path)
        findings = by_weight([*stops, *findings])
    summary, findings = _of_count(session, context, rig_id, findings)
    attention = [[finding.level, finding.message] for finding in findings]
    made = outcomes(session, context, rig_id)
    attention = _with_promises(made, rig, attention)
    if math.isnan(summary.at_s) and (lacking := _nothing_counted(session, rig)):
        attention.append(["advise", lacking])
    promise = made[0].state if made else ""
    summary = replace(
        summary, has_devices=has_devices, promise=promise, plan=plan, wireup=wireup, prove=prove
    )
    if open_proof := _open_proof(summary):
        graver = sum(level != "advise" for level, _ in attention)
        attention.insert(graver, ["advise", open_proof])
    need = sum(NEEDS[level] for level, _ in attention)
    store.set_summary(session, rig_id, replace(summary, attention=attention, need=need))


def _with_promises(made: list[Outcome], rig: Rig, attention: list[list[str]]) -> list[list[str]]:
    """The findings with the latest promise where it was broken, after what is graver."""
    if not made or made[0].state != "broken":
        return attention
    graver = sum(level == "stop" for level, _ in attention)
    return [*attention[:graver], ["fix", broken_sentence(made[0], rig.zone)], *attention[graver:]]


def _of_count(
    session: Session, context: AppContext, rig_id: int, findings: list[Finding]
) -> tuple[RigSummary, list[Finding]]:
    """The figures of the count as it stands, and the findings with its own."""
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is None:
        return RigSummary(), findings
    now = moment(session, context, counted_log)
    summary = RigSummary(
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
    )
    return summary, by_weight([*count_findings(now, counted_log), *findings])


def _nothing_counted(session: Session, rig: Rig) -> str:
    """Why there is no count yet."""
    if rig.bank is None:
        return "No battery described yet."
    return "No readings yet." if store.numbers_versions(session, rig.id) else "No numbers saved yet."


def _open_proof(summary: RigSummary) -> str:
    """What is left to prove once the wiring stands, "" while it does not or nothing was measured."""
    by_word = {
        status.stage.word: status for status in stage_statuses(summary.facts(has_bank=True, has_numbers=True))
    }
    prove = by_word["prove"]
    if by_word["wireup"].state != "done" or prove.state == "done":
        return ""
    return f"The proof is open: {prove.missing_reason}."
