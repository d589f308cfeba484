"""What is on record of a rig for its papers."""

from __future__ import annotations

import math
from typing import Any, cast

from sqlalchemy.orm import Session

from volnik.core.papers.owner import LoadFact, OwnerFacts
from volnik.core.papers.tongue import Tongue
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.prove.checks import known_idle
from volnik.core.rig.bank import KIND_WORDS, Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.rig import RigSummary, timeline
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.verdict import Belief
from volnik.core.visits.acts import BY_KEY
from volnik.core.watch.nights import nights_of
from volnik.core.watch.reminders import LEAD_FULL_DAYS, LITHIUM_FULL_DAYS
from volnik.services.context import AppContext
from volnik.services.log.band import width_of
from volnik.services.log.counted_log import open_counted_log
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.log.history import habits_since
from volnik.services.path.read import read_path
from volnik.services.prove.record import ProveView, prove_of
from volnik.store import rigs as store
from volnik.store import watching

REACHES = ("bay", "cab", "tent")
NIGHT_H = 12.0  # of a guess from the list of devices


def owner_facts(
    session: Session, context: AppContext, rig_id: int, *, shop: str, say: Tongue
) -> OwnerFacts | None:
    """What is known for the owner's sheet, in the owner's language; None while the rig has no numbers.

    Raises:
        NoBank: where it has no battery either.
    """
    path = read_path(session, context, rig_id)
    versions = timeline(store.numbers_versions(session, rig_id))
    if not versions:
        return None
    rig, numbers, prove = path.rig, versions[-1].numbers, prove_of(session, path)
    analysis = prove.analysis
    night_ah, measured = _night(session, context, rig_id, analysis)
    idle_a, idle_measured = _idle(prove, analysis)
    summary = rig.summary
    return OwnerFacts(
        rig.name,
        rig.what or say("vehicle"),
        path.bank.in_short(path.chemistry, say.known(KIND_WORDS[path.bank.chemistry])),
        path.bank.chemistry,
        analysis.nominal_v,
        cast(Belief, summary.believed),
        say.quoted(summary.reason),
        _half(session, context, rig_id),
        tuple(say.known(state.title) for state in prove.states if not state.done),
        numbers.capacity_ah,
        numbers.reserve_pct,
        numbers.charged_voltage_v,
        numbers.tail_a,
        _or_nan(path.bank.cut_out_pct),
        idle_a,
        idle_measured,
        night_ah,
        measured,
        _loads(analysis),
        _chargers(analysis),
        LEAD_FULL_DAYS if path.chemistry.is_lead else LITHIUM_FULL_DAYS,
        _reach(prove, say),
        _sense_fuse(analysis, say),
        _cold(path.bank, path.chemistry),
        shop,
        _last_visit(session, rig_id, rig.zone, say),
        tuple(say.quoted(stop) for stop in stops_of(summary)),
        _motors(analysis),
        numbers.peukert_exponent,
        numbers.rated_a,
    )


def _or_nan(value: float | None) -> float:
    return math.nan if value is None else value


def _loads(analysis: WiringAnalysis) -> tuple[LoadFact, ...]:
    return tuple(_load(device, analysis) for device in analysis.devices if _is_load(device, analysis))


def _chargers(analysis: WiringAnalysis) -> tuple[str, ...]:
    return tuple(device.name for device in analysis.devices if device.gives and analysis.is_on_bank(device))


def stops_of(summary: RigSummary) -> tuple[str, ...]:
    """What stands against a rig as it is built and set; its charge, and what its log shows, is told apart."""
    return tuple(
        message for level, message, stage in summary.attention if level == "stop" and stage != "watch"
    )


def _motors(analysis: WiringAnalysis) -> tuple[LoadFact, ...]:
    """What drives a boat, and takes from the battery to do so."""
    return tuple(
        _load(device, analysis)
        for device in analysis.devices
        if "regenerates" in device.preset.traits and analysis.is_on_bank(device) and device.running_a > 0.0
    )


def _last_visit(session: Session, rig_id: int, zone: str, say: Tongue) -> str:
    """When and what the shop did at its last visit, "" for none."""
    visits = watching.notes(session, rig_id, "visit")
    if not visits:
        return ""
    done = [say.inside(say.known(str(BY_KEY[act["key"]].words))) for act in visits[-1].body["acts"]]
    return f"{say.day(visits[-1].time_s, zone, 'long')}, {', '.join(done)}"


def _half(session: Session, context: AppContext, rig_id: int) -> float:
    """Half the width of the band at the end of the log [0..1], NaN for nothing known."""
    counted_log = open_counted_log(session, context, rig_id)
    width = None if counted_log is None else width_of(session, context, counted_log)
    now = None if width is None else width.now(math.inf)
    return math.nan if now is None or math.isnan(now.centre) else now.half


def _night(
    session: Session, context: AppContext, rig_id: int, analysis: WiringAnalysis
) -> tuple[float, bool]:
    """What a usual night takes [Ah], and whether by the log: else by hours and duty of the list."""
    counted_log = open_counted_log(session, context, rig_id)
    if counted_log is not None and waiting(context, counted_log) <= QUICK_PIECES:
        some = half_hours(session, context, counted_log)
        since_s = habits_since(session, rig_id, counted_log.end_s)
        zone = store.rig(session, rig_id).zone
        used = sorted(night.out_ah for night in nights_of(some.part(some.start_s >= since_s), zone))
        if used:
            return used[len(used) // 2], True
    listed = [
        device.usual_a * device.number("duty")
        for device in analysis.devices
        if _is_load(device, analysis) and device.number("duty") > 0.0 and not device.windows
    ]
    return (NIGHT_H * sum(listed), False) if listed else (math.nan, False)


def _idle(prove: ProveView, analysis: WiringAnalysis) -> tuple[float, bool]:
    """What is drawn with everything off [A], and whether it was measured."""
    proof = prove.latest.get(("idle", ""))
    if proof is not None:
        return abs(float(proof.body["amps"])), True
    known = known_idle(analysis)
    return (sum(amps for _, amps in known), False) if known else (math.nan, False)


def _is_load(device: ResolvedDevice, analysis: WiringAnalysis) -> bool:
    return device.takes and not device.gives and analysis.is_on_bank(device) and device.running_a > 0.0


def _load(device: ResolvedDevice, analysis: WiringAnalysis) -> LoadFact:
    watts = device.watts if device.watts is not None else device.running_a * analysis.nominal_v
    return LoadFact(device.name, watts, not device.is_spare_load, "cycles" in device.preset.traits)


def _reach(prove: ProveView, say: Tongue) -> str:
    """How far the reading arrives, as measured; "" where nobody did."""
    proof = prove.latest.get(("reach", ""))
    if proof is None:
        return ""
    told: dict[str, Any] = proof.body
    metres = {key: say.metres(told[key]) for key in REACHES if told.get(key) is not None}
    phrases = {
        "bay": say("at the bay up to {metres}", metres=metres.get("bay", "")),
        "cab": say("in the cab up to {metres}", metres=metres.get("cab", "")),
        "tent": say("outside up to {metres}", metres=metres.get("tent", "")),
    }
    return ", ".join(phrases[key] for key in metres)


def _sense_fuse(analysis: WiringAnalysis, say: Tongue) -> str:
    """The fuse of the monitor's own supply, "" where none is drawn."""
    lead = analysis.supply_lead
    if lead is None or lead.fuse is None:
        return ""
    return say(
        "{amps} A in the thin lead at {stud}",
        amps=say.figure(lead.fuse.amps),
        stud=analysis.studs[lead.b].name,
    )


def _cold(bank: Bank, chemistry: Chemistry) -> float:
    """The cold below which it takes no charge [°C], NaN where it matters little."""
    return _or_nan(bank.coldest_charge_c(chemistry))
