"""What the promise page says, and what a promise comes to in a sentence."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.watch.promises import Outcome, Promise
from volnik.drawings.fan import clock
from volnik.services.watch.promised import PromiseView
from volnik.web.page import percent, when

BASES = {"log": "Drawn from this rig's own days.", "survey": "Drawn from days simulated by the Survey."}
STATE_WORDS = {"kept": "kept", "broken": "broken", "open": "still open"}


@dataclass(frozen=True, slots=True)
class PromiseLine:
    """A promise made, and what came of it."""

    state: str
    word: str
    made: str
    sentences: list[str]


@dataclass(frozen=True, slots=True)
class PromisePage:
    """The page.

    Attributes:
        morning: charge on the next morning [%], "" where nothing can be promised.
        heading: the promise, or why there is none.
        details: what it rests on.
        lines: promises made.
    """

    morning: str
    heading: str
    details: list[str]
    lines: list[PromiseLine]


def promise_page(view: PromiseView) -> PromisePage:
    """The page of a rig's promises."""
    zone = view.rig.zone
    lines = [_line(each, zone) for each in view.outcomes]
    offered = view.offered
    if offered is None:
        return PromisePage("", "Nothing can be promised yet.", [view.trouble], lines)
    details = [full_words(offered, zone), BASES[offered.based_on]]
    if view.from_full:
        details.append("It starts from a full battery: charge it full before you leave.")
    return PromisePage(percent(offered.middle), morning_words(offered, zone), details, lines)


def morning_words(promise: Promise, zone: str) -> str:
    """What will stand there on the next morning."""
    at = clock(promise.morning_s, zone, promise.made_s)
    return (
        f"At {at}: {percent(promise.middle)} %, between {percent(promise.low)} and {percent(promise.high)} %."
    )


def full_words(promise: Promise, zone: str) -> str:
    """When it will be full next."""
    if math.isnan(promise.full_high_s):
        return "The next full charge is not sure within a week."
    early, likely, late = (
        clock(at, zone, promise.made_s) for at in (promise.full_low_s, promise.full_s, promise.full_high_s)
    )
    return f"Full again at about {likely}, between {early} and {late}."


def _line(given: Outcome, zone: str) -> PromiseLine:
    promise = given.promise
    came = "" if math.isnan(given.came) else f" It came to {percent(given.came)} %."
    full = "" if math.isnan(given.full_came_s) else f" It was full {when(given.full_came_s, zone, 'short')}."
    return PromiseLine(
        given.state,
        STATE_WORDS[given.state],
        when(promise.made_s, zone, "short"),
        [morning_words(promise, zone) + came, full_words(promise, zone) + full],
    )
