"""What the Count page tells of an instant: the verdict, what it rests on, what the crosshair shows."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.count.uncertainty import CAUSES
from volnik.core.units import System
from volnik.core.watch.formatting import flow_sentence, since_words
from volnik.services.log.band import WidthNow
from volnik.services.log.counted_log import Moment
from volnik.services.watch.view import WatchView
from volnik.web.page import ah, figure_words, give_or_take, number, percent, since_full, when

FOLLOWS = "count.C04"  # large corrections: what a doubted count shows, and no news beside its cause


@dataclass(frozen=True, slots=True)
class Doubt:
    """How wide the count is, and why: a summary, each cause with its half width and what narrows it."""

    summary: str
    causes: list[tuple[str, str, str]]
    span: str


@dataclass(frozen=True, slots=True)
class Tip:
    """What a pen shows at the instant: pen, value on its scale, text."""

    pen: str
    value: float
    text: str


@dataclass(frozen=True, slots=True)
class CountVerdict:
    """What is told of an instant.

    Attributes:
        percent: of charge, "?" while unknown;
        known: whether it is.
        give: the width beside it, "" for none.
        heading: the verdict;
        evidence: whether the check-up has the evidence for it.
        told: how far below full, and where it leads if this goes on.
        own_days: its charge on the next morning by the rig's own days, "" for nothing; the heading then tells
            their reserve and full.
        doubt: how wide it is and why, or None.
        findings: level and sentence of what else is to be said.
        full: since when the bank was full;
        as_of: the instant.
        tips: what each pen shows.
    """

    percent: str
    known: bool
    give: str
    heading: str
    evidence: bool
    told: str
    own_days: str
    doubt: Doubt | None
    findings: list[tuple[str, str]]
    full: str
    as_of: str
    tips: list[Tip]


@dataclass(frozen=True, slots=True)
class OwnDays:
    """What the rig's own days say: when it comes to reserve and full, and its charge on the next morning."""

    heading: str
    morning: str


def count_verdict(
    view: WatchView,
    now: Moment,
    *,
    doubted: str,
    own_days: OwnDays | None,
    system: System,
    absorption_h: float | None = None,
) -> CountVerdict:
    """What is told of an instant.

    Args:
        view: the rig at that instant.
        now: the instant itself.
        doubted: why the percentage cannot be believed, "" where it can.
        own_days: what the rig's own days say, None for nothing.
        system: of units, for the tips.
        absorption_h: as of `flow_sentence` [h].
    """
    zone = view.rig.zone
    counted = not math.isnan(now.state.deficit_ah)
    sentence = flow_sentence(now.runtime, now.numbers, known=counted, absorption_h=absorption_h)
    heading, morning = _leads(own_days, now, sentence, doubted, zone)
    known = not math.isnan(now.soc)
    width = view.width if view.width is not None and not math.isnan(view.width.centre) else None
    full = not math.isnan(now.last_full_s)
    return CountVerdict(
        percent(now.soc) if known else "?",
        known,
        _give(width, now.soc, doubted),
        heading,
        bool(doubted) and not now.in_gap,
        _told(view, now, sentence, doubted=bool(doubted), leads=bool(morning)),
        morning,
        None if doubted else _doubt(width, now),
        [(each.level, each.message) for each in view.findings if not (doubted and each.id == FOLLOWS)],
        f"full {since_words(now.at_s - now.last_full_s)}" if full else "no full reset yet",
        f"as of {when(now.at_s, zone)}",
        _tips(now, system),
    )


def _give(width: WidthNow | None, soc: float, doubted: str) -> str:
    return "" if doubted or width is None or math.isnan(soc) else give_or_take(width, soc)


def _leads(own_days: OwnDays | None, now: Moment, sentence: str, doubted: str, zone: str) -> tuple[str, str]:
    """The heading, and the next morning by the rig's own days, "" where these do not lead."""
    if own_days is None or doubted or now.in_gap:
        return _heading(now, sentence, doubted, zone), ""
    return own_days.heading, own_days.morning


def _heading(now: Moment, sentence: str, doubted: str, zone: str) -> str:
    if now.in_gap:
        return f"No readings since {when(now.read_s, zone, 'short')}: nothing was counted here."
    return f"The percentage cannot be believed. {doubted}" if doubted else sentence


def _told(view: WatchView, now: Moment, sentence: str, *, doubted: bool, leads: bool) -> str:
    """How far below full, and where it leads; with the sentence of a count that is doubted, or of the last
    minutes where the rig's own days lead.
    """
    if doubted:
        return f"As counted: {sentence}"
    said = [f"By the last minutes: {sentence}"] if leads else []
    if not math.isnan(now.soc):
        said.append(f"{ah(now.state.deficit_ah)} Ah below full.")
    if view.ahead:
        capacity = now.numbers.capacity_ah
        points = [
            f"{number(100.0 * (1.0 - point.deficit_ah / capacity), 0)} % at {point.name}"
            for point in view.ahead
        ]
        said.append(f"If this goes on, {', '.join(points)}.")
    return " ".join(said)


def _doubt(width: WidthNow | None, now: Moment) -> Doubt | None:
    if width is None or not width.causes:
        return None
    most = f"most of the doubt is {CAUSES[width.causes[0][0]][0]}"
    if not math.isnan(now.last_full_s):
        most = f"{since_full(now.at_s - now.last_full_s)}; {most}"
    low, high, centre = (number(100.0 * value, 0) for value in (width.low, width.high, width.centre))
    return Doubt(
        most,
        [(f"± {number(100.0 * half, 1)}", *CAUSES[name]) for name, half in width.causes],
        f"Nine cases of ten lie between {low} and {high} %, the likeliest is {centre} %.",
    )


def _tips(now: Moment, system: System) -> list[Tip]:
    found = []
    for pen, value in now.values.items():
        if math.isnan(value):
            continue
        found.append(Tip(pen, value, figure_words(pen, value, system)))
    if not math.isnan(now.soc):
        found.append(Tip("charge", 100.0 * now.soc, f"{number(100.0 * now.soc, 1)} %"))
    return found
