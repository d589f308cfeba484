"""What is on record of a rig for the shop's file and for the labels of its battery bay."""

from __future__ import annotations

import math
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from volnik.core.papers.labels import LabelFacts
from volnik.core.papers.paper import PaperPhoto
from volnik.core.papers.shop import Rows, ShopFacts
from volnik.core.papers.tongue import Tongue
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.cables import torque_words
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Fuse
from volnik.core.visits.acts import BY_KEY
from volnik.core.watch.trends import told
from volnik.services.context import AppContext
from volnik.services.handover.facts import owner_facts
from volnik.services.numbers.sheets import sheet_view
from volnik.services.path.read import RigPath, read_path
from volnik.services.prove.record import JOINT_PLACES, ProveView, prove_of
from volnik.services.survey.enquiry import read_enquiry
from volnik.services.visits.visit import standing_temporary
from volnik.services.watch.incidents import dates_due
from volnik.services.watch.trends import trends_view
from volnik.services.watch.usual_day import wanted
from volnik.store import drawings, watching

MOST_PHOTOS = 40


def shop_facts(session: Session, context: AppContext, rig_id: int, *, shop: str) -> ShopFacts:
    """What is on record of a rig.

    Raises:
        NoBank: where it has no battery.
    """
    path = read_path(session, context, rig_id)
    rig, prove = path.rig, prove_of(session, path)
    built = drawings.as_built(session, rig_id)
    visits = watching.notes(session, rig_id, "visit")
    left = [str(note.body.get("note") or "work") for note in standing_temporary(session, rig_id)]
    return ShopFacts(
        rig.name,
        rig.what or "vehicle",
        path.bank.in_short(path.chemistry),
        rig.summary.reason if rig.summary.believed in ("not", "doubt") else "",
        (
            *_wanted(session, context, rig_id),
            *_facts(path, built[-1].from_s if built else math.nan, visits, shop),
            ("What comes later goes on", _landings(prove.analysis)),
        ),
        _cables(prove.analysis),
        _joints(prove, visits, rig.zone),
        _numbers(context, rig_id),
        _proofs(prove, rig.zone),
        _visits(visits, rig.zone),
        tuple((trend.title, told(trend)) for trend in trends_view(context, rig_id).trends),
        _open(prove, left, built),
        _photos(session, rig_id),
    )


def _photos(session: Session, rig_id: int) -> tuple[PaperPhoto, ...]:
    """The photos chosen for papers, oldest first."""
    kept = [photo for photo in drawings.photos(session, rig_id) if photo.on_papers][:MOST_PHOTOS]
    return tuple(
        PaperPhoto(photo.caption or "no caption", drawings.photo_body(session, rig_id, photo.id, small=False))
        for photo in reversed(kept)
    )


def _proofs(prove: ProveView, zone: str) -> Rows:
    """The entries in force: when, what, verdict, who."""
    return tuple(
        (_day(proof.time_s, zone), str(proof.body.get("sentence", "")), proof.verdict, proof.who)
        for proof in prove.every
        if proof.id not in prove.corrected
    )


def _visits(visits: list[watching.Note], zone: str) -> Rows:
    """The visits, latest first: when, what was done, who."""
    return tuple(
        (_day(note.time_s, zone), "; ".join(_done(act) for act in note.body["acts"]), note.who)
        for note in reversed(visits)
    )


def _open(prove: ProveView, left: list[str], built: list[drawings.AsBuilt]) -> tuple[str, ...]:
    """What is not proven, what was left for now, what was closed in spite of a stop."""
    unproven = [f"{state.title}: {state.message}" for state in prove.states if not state.done]
    overruled = [entry.reason for entry in built if "in spite of" in entry.reason]
    return (*unproven, *(f"Left for now: {what}" for what in left), *overruled)


def _done(act: dict[str, Any]) -> str:
    """What was done at a visit, in words."""
    words, what = BY_KEY[act["key"]].words, str(act["what"])
    return f"{words}: {what}" if what and what != words else words


def _wanted(session: Session, context: AppContext, rig_id: int) -> Rows:
    """Why the job exists and what was wanted, as far as it was asked."""
    asked = read_enquiry(session, rig_id)
    rows = [
        ("Reason for the job", asked.reason),
        ("In the owner's words", asked.complaint),
        ("What was wanted", wanted(context, rig_id, whole=True)),
        ("The reserve is for", asked.keeps_for),
    ]
    return tuple((what, how) for what, how in rows if how)


def _facts(path: RigPath, stood_s: float, visits: list[watching.Note], shop: str) -> Rows:
    """Battery, monitor, wiring and firmware, as (what, how it is)."""
    bank, monitor = path.bank, path.monitor
    firmware = [
        str(act["values"].get("what", ""))
        for note in visits
        for act in note.body["acts"]
        if act["key"] == "firmware"
    ]
    rows = [
        ("Battery", f"{path.bank.in_short(path.chemistry)}{', ' + bank.product if bank.product else ''}"),
        ("Made", bank.years_told),
        ("Monitor", f"{monitor.kind}{', ' + path.dialect.name if path.dialect else ''}"),
        ("Its firmware", firmware[-1] if firmware else ""),
        ("Wired", "" if math.isnan(stood_s) else f"as drawn since {_day(stood_s, path.rig.zone)}"),
        ("Fitted by", shop),
    ]
    return tuple((what, how) for what, how in rows if how)


def _landings(analysis: WiringAnalysis) -> str:
    """Where a later device belongs, and what is plugged in: else it goes to the nearest battery post."""
    if analysis.wiring.shunt is None:
        return "the shunt's rig side, once it is fitted"
    minus, plus = (analysis.studs[stud].name for stud in (analysis.rig_landing(), analysis.plus_landing()))
    return (
        f"minus: {minus}; plus, with a fuse of its own: {plus}. Plug-in chargers and panels too, both leads."
    )


def _cables(analysis: WiringAnalysis) -> Rows:
    """Every cable that stands, with its fuse."""
    rows = []
    for cable in analysis.wiring.cables:
        length = "" if cable.length_m is None else f"{cable.length_m:g} m"
        rows.append(
            (
                analysis.cable_name(cable),
                _stud(analysis, cable.a),
                _stud(analysis, cable.b),
                cable.size or "not read",
                length,
                ", ".join(_fuse(fuse) for fuse in (cable.fuse, cable.far_fuse) if fuse is not None),
            )
        )
    return tuple(rows)


def _stud(analysis: WiringAnalysis, ref: StudRef) -> str:
    stud = analysis.studs.get(ref)
    return str(ref) if stud is None else stud.name


def _fuse(fuse: Fuse) -> str:
    return f"{fuse.amps:g} A{' ' + fuse.kind if fuse.kind else ''}"


def _joints(prove: ProveView, visits: list[watching.Note], zone: str) -> Rows:
    """Every joint of battery, shunt, bars and switches: its torque, what was measured or done at it."""
    analysis = prove.analysis
    measured = {
        proof.about: f"{proof.body['mv']} mV at {proof.body['amps']} A, {_day(proof.time_s, zone)}"
        for proof in reversed(prove.every)
        if proof.check == "joint" and proof.id not in prove.corrected
    }
    done = _joints_done(visits, zone)
    studs = [stud for stud in analysis.studs.values() if stud.place in JOINT_PLACES]
    rows = [
        (
            stud.name,
            stud.thread,
            torque_words(analysis, str(stud.id)),
            "; ".join(
                said for said in (measured.get(stud.name, ""), done.pop(stud.name.casefold(), "")) if said
            ),
        )
        for stud in studs
    ]
    return (*rows, *((where, "", "", said) for where, said in done.items()))


def _joints_done(visits: list[watching.Note], zone: str) -> dict[str, str]:
    """What was done last at each joint on a visit, by its name in small letters."""
    found = {}
    for note in visits:
        for act in note.body["acts"]:
            for joint in act["joints"]:
                figures = ((joint["nm"], "N·m"), (joint["mv"], "mV"))
                said = ", ".join(f"{value:g} {unit}" for value, unit in figures if value is not None)
                found[joint["where"].casefold()] = f"{said}, {_day(note.time_s, zone)}"
    return found


def _numbers(context: AppContext, rig_id: int) -> Rows:
    """The sheet in the monitor's words, with a reason for each number."""
    rows = []
    for row in sheet_view(context, rig_id).sheet.rows:
        value = row.routine or "" if row.value is None else f"{row.value:g} {row.unit}".rstrip(" -")
        rows.append((row.label or row.name, value, row.why))
    return tuple(rows)


def label_facts(
    session: Session, context: AppContext, rig_id: int, *, shop: str, page: str, say: Tongue
) -> LabelFacts | None:
    """What the labels of a rig's bay say, in its owner's language; None while it has no numbers.

    Args:
        page: address of the rig's page, "" where no network reaches it.
    """
    facts = owner_facts(session, context, rig_id, shop=shop, say=say)
    if facts is None:
        return None
    path = read_path(session, context, rig_id)
    due = next((each for each in dates_due(context, rig_id) if each.key == "full"), None)
    analysis = prove_of(session, path).analysis
    day = "" if due is None else say.day(due.at_s, path.rig.zone)
    return LabelFacts(facts.name, facts.sense_fuse, _fuses_at_the_battery(analysis), day, page, shop)


def _fuses_at_the_battery(analysis: WiringAnalysis) -> tuple[tuple[float, str], ...]:
    """The fuses at the battery's plus posts, greatest first: rating [A], and what hangs on it."""
    found = []
    for cable in analysis.wiring.cables:
        at_post = any(
            (stud := analysis.studs.get(ref)) is not None and stud.place == "block" and stud.pole == "plus"
            for ref in (cable.a, cable.b)
        )
        heavy = not analysis.is_thin(cable) and not analysis.is_link(cable)
        if at_post and cable.fuse is not None and heavy:
            kind = f"{cable.fuse.kind}, " if cable.fuse.kind else ""
            found.append((cable.fuse.amps, f"{kind}{analysis.cable_name(cable)}"))
    return tuple(sorted(found, key=lambda each: -each[0]))


def _day(at_s: float, zone: str) -> str:
    return f"{datetime.fromtimestamp(at_s, ZoneInfo(zone)):%-d %b %Y}"
