"""What the check-up page says of a part of the log: verdict, lead, causes, what can be tried."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.numbers.meanings import MEANINGS
from volnik.core.practice.faults import faults, pages_of
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.facts import UNTAUGHT
from volnik.core.watch.checkup.measures import Measure
from volnik.core.watch.checkup.registry import CAUSES, names
from volnik.services.watch.checked import Checked, CheckupPeriod, sentence
from volnik.web.page import number, percent, tidy_number, when
from volnik.web.plural import count_of
from volnik.web.views.watch_complaints import no_faults

SIGNAL_WORDS = {"amps_factor": "amps ×", "amps_offset_a": "amps +"}
DAY_S = 86400.0


@dataclass(frozen=True, slots=True)
class PartLink:
    """A part of the log to look at: what it began with or ended before, and how much was found in it."""

    place: int
    label: str


@dataclass(frozen=True, slots=True)
class CheckupPage:
    """The check-up's words.

    Attributes:
        number, unit: the likelihood of the gravest cause and its unit, or "0" and "?" without one.
        heading: the verdict;
        lead: what follows from it.
        days: of log;
        from_to: its ends;
        guessed: whether the bank was guessed from its volts.
        parts: to choose from, where there are several.
        span, span_label: the other stretch of time that can be drawn.
        unseen: what came in unseen, in a sentence, "" for nothing;
        give_or_take: how sure that is.
        tried: what of the log would be counted anew, "" where nothing can be tried.
        in_wiring: whether the chosen cause is mended at the wiring.
        cannot_tell: causes of which nothing can be told, and why; none where nothing at all can be told.
        measures: figures the log gives all the same, and between what they lie.
        no_fault: what the log shows that is none: what it is, and when it was last seen.
        follows: what only follows from the chosen cause, "" for nothing.
        faults: pages that tell what the chosen cause may stand for: key and title.
    """

    number: str
    unit: str
    heading: str
    lead: str
    days: str
    from_to: str
    guessed: bool
    parts: list[PartLink]
    span: str
    span_label: str
    unseen: str
    give_or_take: str
    tried: str
    in_wiring: bool
    cannot_tell: list[tuple[str, str]]
    measures: list[tuple[str, str]]
    no_fault: list[tuple[str, str]]
    follows: str
    faults: list[tuple[str, str]]


def checkup_page(found: Checked, at: int, chosen: Cause | None, *, span: str, zone: str) -> CheckupPage:
    """The words of a part of a check-up.

    Args:
        at: the part.
        chosen: the cause that is looked at.
        span: "all" where the whole part is drawn.
    """
    shown = found.parts[at]
    facts = shown.found.facts
    wiring = {spec.key for spec in CAUSES if spec.in_wiring}
    is_whole = span == "all"
    return CheckupPage(
        _number(shown, chosen),
        "likely" if chosen else "",
        sentence(shown, zone),
        _lead(shown, wiring),
        f"{number((shown.end_s - shown.start_s) / DAY_S, 0)} days of log",
        f"{when(shown.start_s, zone, 'short')} – {when(shown.end_s, zone, 'short')}",
        facts is not None and bool(facts.guessed),
        _parts(found, zone),
        "near" if is_whole else "all",
        "ten days about it" if is_whole else "the whole log",
        *_unseen(shown),
        "" if chosen is None else _tried(chosen),
        chosen is not None and chosen.cause in wiring,
        _untold(shown),
        [(each.title, _measured(each)) for each in shown.found.measures],
        no_faults(shown.found.facts, zone),
        "" if chosen is None else _follows(chosen),
        [] if chosen is None else [(key, faults()[key].title) for key in pages_of(chosen.cause)],
    )


def _untold(shown: CheckupPeriod) -> list[tuple[str, str]]:
    if _trouble(shown):
        return []
    return [(names()[unsure.cause], unsure.why) for unsure in shown.found.cannot_tell]


def _measured(each: Measure) -> str:
    """A figure, and between what it lies."""
    low = number(each.low, each.digits)
    if math.isinf(each.high):
        return f"more than {low} {each.unit}"
    return f"{number(each.value, each.digits)} {each.unit}, {low} to {number(each.high, each.digits)}"


def _follows(chosen: Cause) -> str:
    """What only follows from a cause, "" for nothing."""
    return ", ".join(names()[key].lower() for key in chosen.consequences)


def _unseen(shown: CheckupPeriod) -> tuple[str, str]:
    """What came in unseen, and how sure that is [%]; both "" where nothing did."""
    if shown.unseen is None:
        return "", ""
    return f"About {number(shown.unseen.ah_day, 0)} Ah a day", percent(shown.unseen.uncertainty)


def _trouble(shown: CheckupPeriod) -> str:
    """Why nothing can be told of a part, "" where it can."""
    return "" if shown.found.facts is None else shown.found.facts.trouble


def _number(shown: CheckupPeriod, chosen: Cause | None) -> str:
    """The likelihood of the gravest cause [%], or how it stands without one."""
    if shown.worst is not None and chosen is not None:
        return percent(shown.worst.likelihood)
    return "?" if _trouble(shown) else "0"


def _lead(shown: CheckupPeriod, wiring: set[str]) -> str:
    """What follows from the verdict."""
    worst = shown.worst
    if worst is not None:
        if worst.cause in wiring:
            return f"Until it is put right the percentage cannot be believed. {worst.evidence}"
        tried = "One setting puts it right: try it on the log below. " if worst.corrected else ""
        return f"{tried}{worst.evidence}"
    if _trouble(shown) == UNTAUGHT:
        return ""
    if _trouble(shown):
        return "Nothing can be said from so little; a week with a full charge in it tells most."
    untold = len(shown.found.cannot_tell)
    of_others = f"; of {untold} nothing can be said" if untold else ""
    return f"{len(CAUSES) - untold} causes were looked for and not found{of_others}."


def _parts(found: Checked, zone: str) -> list[PartLink]:
    """The parts to choose from; none where there is but one."""
    links: list[PartLink] = []
    if len(found.parts) < 2:
        return links
    for place, part in enumerate(found.parts):
        edge = f"before {when(part.end_s, zone, 'short')}"
        if place:
            edge = f"since {when(part.start_s, zone, 'short')}, {part.began}"
        causes = len(part.found.causes)
        links.append(PartLink(place, f"{edge}: {count_of(causes, 'cause') if causes else 'nothing found'}"))
    return links


def _tried(chosen: Cause) -> str:
    """What the log can be counted anew with, "" for nothing."""
    said = []
    for key, value in chosen.corrected.items():
        word = SIGNAL_WORDS.get(key) or MEANINGS[key].label.lower()
        said.append(f"{word} {tidy_number(round(value, 3))}")
    return ", ".join(said)
