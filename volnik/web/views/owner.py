"""What the owner's page says."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from volnik.core.papers.owner import message_to_shop
from volnik.core.papers.tongue import Tongue, tongue
from volnik.services.handover.owner import OwnerView
from volnik.services.watch.notes import Note
from volnik.web.page import percent

FIGURES = ("volts", "amps", "percent", "days")


@dataclass(frozen=True, slots=True)
class CallLine:
    """Readings sent: number, when, what was read, the words with it, what was answered, in the owner's
    language and, where that is another, in English; how grave, and whether the shop answered.
    """

    id: int
    when: str
    read: str
    words: str
    answer: str
    english: str
    level: str
    answered: bool


@dataclass(frozen=True, slots=True)
class OwnerPage:
    """The words of the owner's page.

    Attributes:
        figure, give: the percentage and its ±, "?" and "" while there is none.
        as_of: of what instant.
        ahead: where it will stand, a line each.
        full: when to charge until full.
        calls: readings sent, latest first.
        subject, message: for where the shop's pages do not reach: the readings sent last, or blanks.
    """

    figure: str
    give: str
    as_of: str
    ahead: list[str]
    full: str
    calls: list[CallLine]
    subject: str
    message: str


def _ahead(view: OwnerView, say: Tongue) -> list[str]:
    """Where it will stand, a line each."""
    if view.facts is None:
        return []
    capacity_ah, at_s = view.facts.capacity_ah, view.rig.summary.at_s
    return [
        say(
            "{percent} % at {when}",
            percent=percent(min(1.0, max(0.0, 1.0 - each.deficit_ah / capacity_ah))),
            when=_when(at_s, each.in_h, view.rig.zone, say),
        )
        for each in view.ahead
    ]


def _when(at_s: float, in_h: float, zone: str, say: Tongue) -> str:
    """An hour to come, with its weekday where it is more than a day away."""
    then_s = at_s + 3600.0 * in_h
    return say.clock(then_s, zone) if in_h <= 24.0 else say.weekday(then_s, zone)


def owner_page(view: OwnerView) -> OwnerPage:
    """The words of a rig's page for its owner."""
    zone, at_s, say = view.rig.zone, view.rig.summary.at_s, tongue(view.rig.language)
    full = ""
    if view.full_due is not None:
        full = say("Charge until full by {day}.", day=say.day(view.full_due.at_s, zone))
    as_of = say("no readings yet")
    if not math.isnan(at_s):
        as_of = say("as of {when}", when=say.moment(at_s, zone))
    return OwnerPage(
        "?" if math.isnan(view.soc) else percent(view.soc),
        "" if math.isnan(view.half) else f"± {max(1.0, 100.0 * view.half):.0f}",
        as_of,
        _ahead(view, say),
        full,
        [_call(note, zone, say, answered=answered) for note, answered in view.calls],
        *message_to_shop(view.rig.name, _latest(view, say), say),
    )


def _latest(view: OwnerView, say: Tongue) -> tuple[str, ...]:
    """What was read out last, in the order it is asked; blanks where nothing was."""
    body: dict[str, Any] = view.calls[0][0].body if view.calls else {"read": {}, "words": ""}
    read = body["read"]
    figures = (say.figure(read[name]) if name in read else "" for name in FIGURES)
    return (*figures, str(body["words"]))


def _call(note: Note, zone: str, say: Tongue, *, answered: bool) -> CallLine:
    units = {"volts": "V", "amps": "A", "percent": "%", "days": say("days since full")}
    body = note.body
    shown = str(body.get("shown", body["answer"]))
    return CallLine(
        note.id,
        say.moment(note.time_s, zone),
        ", ".join(f"{say.figure(value)} {units[name]}" for name, value in body["read"].items()),
        body["words"],
        shown,
        "" if shown == body["answer"] else body["answer"],
        body["level"],
        answered,
    )
