"""What the page of complaints says: the question, what each answer ruled out, what is open, the outcome."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.complaints.asking import Standing
from volnik.core.watch.complaints.own import Seen, seen
from volnik.core.watch.complaints.tables import ComplaintRow, causes, complaints
from volnik.web.page import minutes, number, percent, when

ON_DISPLAY = ("low_high", "high_low", "backwards", "idle", "hours", "counters", "dead", "pairing")
"""Complaints that are pressed on the drawing of the display."""
GROUPS = (
    ("Percent", ("never_full", "full_too_soon", "full_at_start", "too_fast", "too_slow", "resets_itself",
                 "emptier", "own_wanders")),
    ("Amps and hours", ("less_than_charger", "after_float", "endless_hours", "weak_charger", "refused")),
    ("Volts and joints", ("under_charger_volts", "rebound", "plugged_not_full", "warm_joint", "midpoint")),
    ("Alarms and links", ("alarm_each_charge", "flood", "drops_away", "no_bridge")),
)  # fmt: skip
LEAST_SHOWN = 0.03  # odds of a cause that is listed as open
SURE = 0.9


@dataclass(frozen=True, slots=True)
class AskPage:
    """The words of one standing.

    Attributes:
        heading: the question, or what it came to.
        further: what to do, and what is left.
        caution: at the question, or "".
        here: what the rig's own log shows of it, or "".
        odds: causes with their odds [%], likeliest first.
        answered: each question with its answer and what it ruled out.
    """

    heading: str
    further: str
    caution: str
    here: str
    odds: list[tuple[str, str]]
    answered: list[tuple[str, str, str]]


def ask_page(standing: Standing, shown: Seen | None, zone: str) -> AskPage:
    """The words of where the questions stand.

    Args:
        standing: the questions so far.
        shown: what the rig's own log shows of the outcome.
        zone: the rig's time zone.
    """
    heading, further, caution = _heading(standing)
    return AskPage(
        heading,
        further,
        caution,
        "" if shown is None else _here(standing.cause, shown, zone),
        [(_cause_words(key), percent(odds)) for key, odds in standing.odds if odds >= LEAST_SHOWN],
        [
            (one.question.ask, one.words, f"Rules out {', '.join(one.rules_out)}." if one.rules_out else "")
            for one in standing.answered
        ],
    )


def _cause_words(key: str) -> str:
    name = causes()[key].name
    return name[:1].upper() + name[1:]


def _heading(standing: Standing) -> tuple[str, str, str]:
    if standing.next is not None:
        return standing.next.ask, "", standing.next.caution
    outcome = standing.outcome
    if outcome is None:
        remain = f" Still open: {', '.join(standing.still_open)}." if standing.still_open else ""
        return "No one cause is left.", f"{standing.complaint.left}{remain}", ""
    share = dict(standing.odds)[standing.cause]
    how = "" if share >= SURE else "Most likely: "
    told = outcome.told if not how else outcome.told[:1].lower() + outcome.told[1:]
    return f"{how}{told}", outcome.do, outcome.caution


def _here(cause: str, shown: Seen, zone: str) -> str:
    """The rig's own figures in a sentence."""
    at, f = when(shown.at_s, zone, "short"), shown.figures
    if cause == "after_float":
        return (
            f"So it was here at {at}: the volts came down from {number(f['from_v'], 2)} to "
            f"{number(f['to_v'], 2)} V, and {number(-f['amps'], 1)} A ran out for "
            f"{minutes(60 * f['minutes'])} min."
        )
    if cause == "rebound":
        return (
            f"So it was here at {at}: from {number(f['from_v'], 2)} V under load to {number(f['to_v'], 2)} V "
            f"within {minutes(60 * f['minutes'])} min, with nothing charging."
        )
    if cause == "cold":
        return (
            f"Last at {at}: this battery was below 5 °C for {number(f['hours'], 0)} h in three weeks, down "
            f"to {number(f['celsius'], 0)} °C, and took at most {number(f['most_a'], 1)} A then."
        )
    if cause == "nearly_full":
        return (
            f"So it was here at {at}: {number(f['amps'], 1)} A at {number(f['volts'], 2)} V; emptier, this "
            f"battery took up to {number(f['most_a'], 0)} A."
        )
    return f"So it was here at {at}: {number(f['amps'], 1)} A went in."


NO_FAULT = ("after_float", "rebound", "cold")
"""What a log often shows and nobody need worry about, by cause."""


def no_faults(facts: Facts | None, zone: str) -> list[tuple[str, str]]:
    """What a log shows that is no fault: what it is, and its last time here.

    Args:
        facts: what the log gave to look at.
        zone: the rig's time zone.
    """
    if facts is None or facts.trouble:
        return []
    shown = ((cause, seen(cause, facts)) for cause in NO_FAULT)
    return [(causes()[cause].told, _here(cause, each, zone)) for cause, each in shown if each is not None]


def more_complaints() -> list[tuple[str, list[tuple[str, ComplaintRow]]]]:
    """Complaints that are not on the drawing, in groups: title, keys with their rows."""
    known = complaints()
    return [(title, [(key, known[key]) for key in keys]) for title, keys in GROUPS]
