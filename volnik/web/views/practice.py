"""What Practice says: a case, the looks taken, and afterwards what was wrong and how it is found soonest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.practice.cases import Case
from volnik.core.practice.faults import faults
from volnik.core.practice.looks import TOOLS, Look, What, reading
from volnik.core.practice.scene import WARM_K
from volnik.core.practice.search import Searcher, Step, named, shortest
from volnik.web.page import number
from volnik.web.plural import count_of

HOT_K = 40.0  # over its surroundings: no hand stays on it
GROUPS: dict[What, str] = {
    "display": "Read the screen",
    "bank": "Volts at the battery's posts",
    "clamp": "Clamp round a minus cable",
    "across": "Millivolts along a cable, lugs and all",
    "warmth": "Hand near a cable's lugs, after ten minutes",
}
SHORT: dict[What, str] = {
    "display": "Screen",
    "bank": "Posts",
    "clamp": "Clamp",
    "across": "Millivolts",
    "warmth": "Warmth",
}
CAUTIONS: dict[str, str] = {
    "warmth": "Feel from near first; switch the load off before anything is touched.",
    "across": "Tips only on what they are meant for: a slip between plus and minus is a short circuit.",
}


@dataclass(frozen=True, slots=True)
class Row:
    """A look that was taken: what, how long it took, what it showed, the caution it wants."""

    words: str
    minutes: str
    shows: str
    caution: str


@dataclass(frozen=True, slots=True)
class WayRow:
    """A step of a search: the look, and how many faults were possible before and after."""

    words: str
    minutes: str
    parted: str


@dataclass(frozen=True, slots=True)
class Afterwards:
    """What is told once a conclusion was given.

    Attributes:
        right: whether it was the truth.
        heading: of it.
        truth: in words.
        page: key of the fault's page.
        own, soonest: ways to it.
        compared: the two in a sentence.
    """

    right: bool
    heading: str
    truth: str
    page: str
    own: list[WayRow]
    soonest: list[WayRow]
    compared: str


@dataclass(frozen=True, slots=True)
class PracticePage:
    """A case on the page.

    Attributes:
        minutes: taken so far.
        heading: what the owner says.
        lead: since when, and what is at hand.
        rows: looks taken.
        looks: what can be looked at, by group: address and words.
        answers: what can be concluded: address and words.
        taken: the looks as they stand in the address.
        afterwards: None before a conclusion.
    """

    minutes: str
    heading: str
    lead: str
    rows: list[Row]
    looks: dict[str, list[tuple[str, str]]]
    answers: list[tuple[str, str]]
    taken: str
    afterwards: Afterwards | None


def practice_page(case: Case, searcher: Searcher, taken: Sequence[Look], answer: str) -> PracticePage:
    """The words of a case.

    Args:
        taken: looks so far, in their order.
        answer: what was concluded, as of `named`; "" for nothing yet.
    """
    papers = searcher.papers
    answers = sorted(
        {named(key) for key in searcher.all}, key=lambda key: list(faults()).index(key.split(":")[0])
    )
    minutes = sum(look.minutes for look in taken)
    return PracticePage(
        number(minutes, 0),
        f"“{case.complaint}”",
        f"So it has been for {count_of(case.since_days, 'day')}. The papers are right as they stand; at most "
        "one thing is wrong with the vehicle.",
        [_row(case, searcher, look) for look in taken],
        _left(searcher, taken),
        [(key, _supposed(key, papers)) for key in answers],
        ",".join(map(address_of, taken)),
        _afterwards(case, searcher, taken, answer) if answer else None,
    )


def _left(searcher: Searcher, taken: Sequence[Look]) -> dict[str, list[tuple[str, str]]]:
    """What can still be looked at, by group: address and words."""
    found: dict[str, list[tuple[str, str]]] = {}
    for look in searcher.looks:
        if look not in taken:
            words = f"{SHORT[look.what]}: {_short(look, searcher.papers)}"
            found.setdefault(GROUPS[look.what], []).append((address_of(look), words))
    return found


def address_of(look: Look) -> str:
    """A look as it stands in an address."""
    return f"{look.what}.{look.running}.{look.at}"


def looks_in(text: str, searcher: Searcher) -> list[Look]:
    """The looks an address tells, each once; what the rig has none of is left out."""
    known = {address_of(look): look for look in searcher.looks}
    return list(dict.fromkeys(known[word] for word in text.split(",")[:80] if word in known))


def _row(case: Case, searcher: Searcher, look: Look) -> Row:
    value = reading(searcher.real, look, case.seed)
    words = f"{GROUPS[look.what]}: {_short(look, searcher.papers)}"
    return Row(
        words, f"{look.minutes:g} min, {TOOLS[look.what]}", _shown(look, value), CAUTIONS.get(look.what, "")
    )


def _shown(look: Look, value: float) -> str:
    """What a look shows, as one reads it."""
    if math.isnan(value):
        return "nothing: it is dark"
    if look.what == "across":
        return f"{number(1000.0 * value, 1)} mV"
    if look.what == "warmth":
        return "too hot for a hand" if value > HOT_K else "warm" if value > WARM_K else "as its surroundings"
    return f"{number(value, 2)} {'V' if look.what == 'bank' else 'A'}"


def _short(look: Look, papers: WiringAnalysis) -> str:
    """A look without its group."""
    names = {device.id: device.name for device in papers.devices}
    running = f"{names[look.running]} on" if look.running else "all off"
    cable = papers.wiring.cable(look.at) if look.at else None
    return running if cable is None else f"{papers.cable_name(cable)}, {running}"


def _supposed(key: str, papers: WiringAnalysis) -> str:
    """A supposition in words: the fault, and the cable it sits at."""
    fault, _, where = key.partition(":")
    cable = papers.wiring.cable(where) if where else None
    title = faults()[fault].title
    return title if cable is None else f"{title}: {papers.cable_name(cable)}"


def _afterwards(case: Case, searcher: Searcher, taken: Sequence[Look], answer: str) -> Afterwards:
    best = shortest(case)
    own = searcher.followed(taken)
    minutes = sum(look.minutes for look in taken)
    left = len({named(key) for key in own[-1].after}) if own else len({named(key) for key in searcher.all})
    right = answer == case.truth
    known = ", which your looks had proven" if left == 1 else f"; {left} things were still possible, though"
    heading = f"Right{known}." if right else "Not that."
    return Afterwards(
        right,
        heading,
        _supposed(case.truth, searcher.papers),
        case.fault,
        [_way(step, searcher.papers) for step in own],
        [_way(step, searcher.papers) for step in best.steps],
        f"It took {count_of(round(minutes), 'minute')} of looking; the soonest way takes {best.minutes:.0f}.",
    )


def _way(step: Step, papers: WiringAnalysis) -> WayRow:
    before, after = (len({named(key) for key in some}) for some in (step.before, step.after))
    parted = f"{before} possible, then {after}" if after < before else f"parts nothing of {before}"
    return WayRow(
        f"{GROUPS[step.look.what]}: {_short(step.look, papers)}", f"{step.look.minutes:g} min", parted
    )
