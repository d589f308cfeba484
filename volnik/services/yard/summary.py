"""What the Yard shows of a rig, reckoned whenever its record changes."""

from __future__ import annotations

import math
from dataclasses import replace

from sqlalchemy.orm import Session

from volnik.core.findings import Finding
from volnik.core.path.judgement import judge
from volnik.core.rig.rig import Rig, RigSummary
from volnik.core.stages import PlanFacts, stage_statuses
from volnik.core.verdict import Verdict, key_of, verdict
from volnik.core.watch.formatting import last_minutes
from volnik.core.watch.promises import Outcome
from volnik.services.context import AppContext
from volnik.services.handover.issues import handover_facts
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.path.read import RigPath, read_path
from volnik.services.prove.record import facts_of, prove_of
from volnik.services.visits.visit import standing_temporary
from volnik.services.watch.own_columns import own_columns
from volnik.services.watch.promised import broken_sentence, outcomes
from volnik.services.wireup.job import wireup_facts
from volnik.services.yard import standing
from volnik.services.yard.standing import Counting
from volnik.store import rigs as store
from volnik.store import watching

NEEDS = {"stop": 100.0, "fix": 10.0, "advise": 1.0}


def renew(session: Session, context: AppContext, rig_id: int) -> None:
    """Reckon a rig's summary and verdict anew, inside the transaction that changed it."""
    rig = store.rig(session, rig_id)
    before = rig.summary
    counting = _counting(session, context, rig_id)
    findings = standing.bank_and_numbers(session, context, rig)
    findings += standing.of_count(session, context, counting, rig)
    path, view = None, None
    if rig.bank is not None:
        path = read_path(session, context, rig_id)
        view = prove_of(session, path)
        findings += standing.of_path(session, path, read=counting is not None)
        findings += standing.of_rig_and_numbers(session, context, path)
        findings += standing.of_prove(view)
    looked = standing.looked_at(session, context, counting, before.checkup)
    made = outcomes(session, context, rig_id)
    findings += [*standing.of_log(looked), *_broken(made, rig), *_left_for_now(session, rig)]
    findings += [*_calls(session, rig), *_of_other_devices(session, context, counting)]
    facts = standing.count_facts(session, context, counting, rig_id, full_seen=view is None or view.full_seen)
    found = verdict(findings, facts, since=before.known_since, now_s=context.now())
    summary = replace(
        _figures(counting),
        believed=found.believed,
        reason=found.reason,
        known_since={key_of(each.finding): each.since_s for each in found.findings},
        checkup=looked,
        promise=made[0].state if made else "",
        low=facts.low,
        high=facts.high,
    )
    if path is not None and view is not None:
        summary = replace(
            summary,
            has_devices=bool(path.devices),
            plan=_plan_facts(path),
            wireup=wireup_facts(session, path),
            prove=facts_of(view),
            handover=handover_facts(session, path, view.states),
        )
    summary = replace(summary, numbers_stops=_stops(found, "numbers"))
    attention = _attention(found, summary, "" if counting else _nothing_counted(session, rig))
    need = sum(NEEDS[level] for level, *_ in attention)
    store.set_summary(session, rig_id, replace(summary, attention=attention, need=need))


def _attention(found: Verdict, summary: RigSummary, lacking: str) -> list[list[str]]:
    """What a rig wants, gravest first: level, sentence, stage.

    Args:
        lacking: why there is no count yet, "" where there is one.
    """
    attention = [[each.finding.level, each.finding.message, each.stage] for each in found.findings]
    if open_proof := _open_proof(summary):
        graver = sum(level != "advise" for level, *_ in attention)
        attention.insert(graver, ["advise", open_proof, "prove"])
    if lacking:
        attention.append(["advise", lacking, "survey" if "battery" in lacking else "numbers"])
    return attention


def _stops(found: Verdict, stage: str) -> int:
    """How many stops stand at a stage."""
    return sum(each.stage == stage and each.finding.level == "stop" for each in found.findings)


def _plan_facts(path: RigPath) -> PlanFacts:
    """What is known of the plan, and how many stops it has."""
    if not path.begun:
        return PlanFacts()
    return PlanFacts(True, sum(finding.level == "stop" for finding in judge(path.analysis("planned"))))


def _broken(made: list[Outcome], rig: Rig) -> list[Finding]:
    """The latest promise, where it was broken."""
    if not made or made[0].state != "broken":
        return []
    return [
        Finding(
            "watch.W01",
            "fix",
            broken_sentence(made[0], rig.zone),
            "What was promised on leaving did not come.",
            "Look at what was used since, and at what charged.",
            "watch",
        )
    ]


def _left_for_now(session: Session, rig: Rig) -> list[Finding]:
    """What was left as it is for now and still stands."""
    return [
        Finding(
            "watch.W02",
            "fix",
            f"Left for now, to be put right by {note.body.get('due', '')}: {note.body.get('note', '')}.",
            "What is left for now tends to stay.",
            "Put it right, then say so on the visit page.",
            "watch",
            about=(str(note.id),),
        )
        for note in standing_temporary(session, rig.id)
    ]


def _calls(session: Session, rig: Rig) -> list[Finding]:
    """What the owner read out and nobody answered yet."""
    answered = {note.body["of"] for note in watching.notes(session, rig.id, "call_answered")}
    waiting = [note for note in watching.notes(session, rig.id, "call") if note.id not in answered]
    return [
        Finding(
            "watch.W03",
            "fix",
            f"The owner sent readings: {note.body['answer']}",
            note.body["words"] or "They read the screen out before calling.",
            "Call back, and put on record that it was answered.",
            "handover",
        )
        for note in waiting[-1:]
    ]


def _of_other_devices(session: Session, context: AppContext, counting: Counting | None) -> list[Finding]:
    """What the rig's own columns speak for, or against."""
    told = None if counting is None else own_columns(session, context, counting.counted_log)
    return [] if told is None else list(told.findings)


def _counting(session: Session, context: AppContext, rig_id: int) -> Counting | None:
    counted_log = open_counted_log(session, context, rig_id)
    return None if counted_log is None else Counting(counted_log, moment(session, context, counted_log))


def _figures(counting: Counting | None) -> RigSummary:
    """The figures of the count as it stands."""
    if counting is None:
        return RigSummary()
    now, counted_log = counting.now, counting.counted_log
    return RigSummary(
        now.read_s,
        now.soc,
        now.state.deficit_ah,
        now.values["volts"],
        now.values["amps"],
        now.last_full_s,
        counted_log.start_s,
        sum(event.kind == "reset" for event in counted_log.events),
        now.numbers.reserve_pct,
        last_minutes(now.runtime, now.numbers, known=not math.isnan(now.state.deficit_ah)),
    )


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
