"""What the visit page and a visit's report say."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from volnik.core.papers.visit import VisitFacts
from volnik.core.visits.acts import BY_KEY, Act, ActField
from volnik.services.visits.visit import AskedAgain, Report, VisitsView
from volnik.services.watch.notes import Note
from volnik.services.yard.rigs import RigStrip
from volnik.web.page import when
from volnik.web.plural import count_of
from volnik.web.views.yard import PAGE_OF

MOST_WANTS = 12


@dataclass(frozen=True, slots=True)
class Wanted:
    """Something this visit is wanted for: level, sentence, where it is done."""

    level: str
    sentence: str
    href: str


@dataclass(frozen=True, slots=True)
class AskedField:
    """A field of an act as it is shown."""

    name: str
    asked: ActField
    value: str


@dataclass(frozen=True, slots=True)
class ActSlip:
    """An act with its fields, and whether it stands open."""

    act: Act
    fields: list[AskedField]
    open: bool


@dataclass(frozen=True, slots=True)
class Left:
    """What was left for now: number, what, by when."""

    id: int
    what: str
    due: str


@dataclass(frozen=True, slots=True)
class VisitLine:
    """A visit in the list."""

    id: int
    when: str
    what: str


@dataclass(frozen=True, slots=True)
class VisitPage:
    """The visit page.

    Attributes:
        heading: how much this visit is wanted for.
        wants: what for, gravest first.
        left: what was left for now.
        slips: what can be done, in its order.
        before: visits so far, latest first.
        time, reason: as typed.
    """

    heading: str
    wants: list[Wanted]
    left: list[Left]
    slips: list[ActSlip]
    before: list[VisitLine]
    time: str
    reason: str


def visit_page(
    view: VisitsView, head: RigStrip, typed: dict[str, str], problems: dict[str, str], *, now_s: float
) -> VisitPage:
    """The visit page of a rig.

    Args:
        typed: as typed, by field.
        problems: a sentence for each field at fault.
        now_s: the rig's now [s].
    """
    zone = head.rig.zone
    wants = _wants(view, head)
    slips = [_slip(act, typed, problems) for act in view.acts]
    return VisitPage(
        _heading(len(wants)),
        wants[:MOST_WANTS],
        [Left(note.id, str(note.body["note"]), str(note.body.get("due", ""))) for note in view.temporary],
        slips,
        [
            VisitLine(note.id, when(note.time_s, zone, "day"), f"{_did(note)} ({note.who})")
            for note in view.visits
        ],
        typed.get("time") or when(now_s, zone, "field"),
        typed.get("reason", ""),
    )


def _heading(wants: int) -> str:
    if not wants:
        return "Nothing is due here."
    return f"{count_of(wants, 'thing')} to see to on this visit."


def _wants(view: VisitsView, head: RigStrip) -> list[Wanted]:
    base = f"/rigs/{view.rig.id}"
    found = []
    for level, sentence, *stage in head.rig.summary.attention:
        if level != "advise" and not sentence.startswith("Left for now"):
            page = PAGE_OF.get(stage[0], stage[0]) if stage else "watch"
            found.append(Wanted(level, sentence, f"{base}/{page}"))
    if head.stood_from_s:
        found += [Wanted("advise", f"{title}: {message}.", f"{base}/prove") for title, message in view.open]
    found += [
        Wanted("advise", f"{due.what}, due {when(due.at_s, view.rig.zone, 'day')}.", f"{base}/watch/alarms")
        for due in view.due
        if due.key != "file"
    ]
    return found


def _slip(act: Act, typed: dict[str, str], problems: dict[str, str]) -> ActSlip:
    fields = [
        AskedField(f"{act.key}.{asked.key}", asked, typed.get(f"{act.key}.{asked.key}", ""))
        for asked in act.fields
    ]
    at_fault = any(shown.name in problems for shown in fields)
    return ActSlip(act, fields, at_fault or bool(typed.get(act.key)))


def _did(note: Note) -> str:
    return "; ".join(BY_KEY[act["key"]].words.lower() for act in note.body["acts"] if act["key"] in BY_KEY)


@dataclass(frozen=True, slots=True)
class JointLine:
    """A joint as it was torqued."""

    where: str
    torque: str
    drop: str


@dataclass(frozen=True, slots=True)
class ActLine:
    """An act in the report: what, its details, its joints."""

    title: str
    what: str
    joints: list[JointLine]


@dataclass(frozen=True, slots=True)
class ReportPage:
    """A visit's report.

    Attributes:
        id: of the visit.
        heading: what is still asked.
        when, who, reason: of the visit.
        acts: what was done.
        asked: what must be proven again.
        standing: what stands against the rig now, (level, sentence).
        withdrawn: whether it was taken back.
    """

    id: int
    heading: str
    when: str
    who: str
    reason: str
    acts: list[ActLine]
    asked: list[AskedAgain]
    standing: list[tuple[str, str]]
    withdrawn: bool


def report_page(found: Report) -> ReportPage:
    """The report of a visit."""
    visit, zone = found.visit, found.rig.zone
    open_ones = [each for each in found.asked if not each.answered]
    heading = "Done, and proven again." if found.asked else "Done."
    if open_ones:
        heading = f"Done; {count_of(len(open_ones), 'proof')} to give again."
    if found.withdrawn:
        heading = "This visit was taken back."
    return ReportPage(
        visit.id,
        heading,
        when(visit.time_s, zone),
        visit.who,
        str(visit.body.get("reason", "")),
        [_act(act) for act in visit.body["acts"] if act["key"] in BY_KEY],
        found.asked,
        [(level, sentence) for level, sentence, *_ in found.rig.summary.attention if level != "advise"],
        found.withdrawn,
    )


def visit_facts(shown: ReportPage, name: str, shop: str) -> VisitFacts:
    """A report's words for its paper."""
    return VisitFacts(
        name,
        shown.when,
        shown.who,
        shown.reason,
        tuple((act.title, act.what) for act in shown.acts),
        tuple((joint.where, joint.torque, joint.drop) for act in shown.acts for joint in act.joints),
        tuple((each.what, "done since" if each.answered else "open") for each in shown.asked),
        tuple(sentence for _, sentence in shown.standing),
        shop,
    )


def _act(kept: dict[str, Any]) -> ActLine:
    joints = [
        JointLine(
            joint["where"],
            "" if joint["nm"] is None else f"{joint['nm']:g} N·m",
            "" if joint["mv"] is None else f"{joint['mv']:g} mV",
        )
        for joint in kept.get("joints", [])
    ]
    return ActLine(BY_KEY[kept["key"]].words, "" if joints else str(kept["what"]), joints)
