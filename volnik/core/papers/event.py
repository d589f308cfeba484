"""What happened in a stretch of a log: a paragraph to forward, and the figures under it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part
from volnik.core.papers.tongue import ENGLISH, Tongue

MOST_ROWS = 6
MOST_NAMED = 3
LEAST_FED_AH = 0.5  # under which nothing is said of what fed it


@dataclass(frozen=True, slots=True)
class EventFacts:
    """A stretch of a log.

    Attributes:
        name, what: the rig, and what the stretch is called, "" for nothing.
        zone: of its clock.
        start_s, end_s: its ends [s].
        hours, read_h: how long, and how much of it was read [h].
        out_ah, in_ah, out_kwh, in_kwh: what went out and in [Ah, kWh].
        first, last, low: charge at the beginning, at the end and lowest [0..1], NaN while unknown.
        low_s: when it was lowest [s].
        reserve_pct: as set [%].
        most_out_a, most_in_a: greatest amps [A].
        low_v, high_v: between what volts [V].
        uses: (load, Ah) as told apart, heaviest first; () where the stretch is too short.
        feeds: (source, Ah) as told apart.
        feeders: sources that are not told apart.
        believed: whether the percentage may be believed; reason why not.
        reason: see there.
    """

    name: str
    what: str
    zone: str
    start_s: float
    end_s: float
    hours: float
    read_h: float
    out_ah: float
    in_ah: float
    out_kwh: float
    in_kwh: float
    first: float
    last: float
    low: float
    low_s: float
    reserve_pct: float
    most_out_a: float
    most_in_a: float
    low_v: float
    high_v: float
    uses: tuple[tuple[str, float], ...]
    feeds: tuple[tuple[str, float], ...]
    feeders: tuple[str, ...]
    believed: bool
    reason: str


def paragraph(facts: EventFacts, say: Tongue = ENGLISH) -> str:
    """What happened, as one would forward it.

    Args:
        facts: of the stretch.
        say: the language to say it in.
    """
    told = say(
        "From {start} to {end} ({span}) {name} gave {out} Ah ({kwh} kWh) and took in {taken} Ah.",
        start=say.moment(facts.start_s, facts.zone),
        end=say.moment(facts.end_s, facts.zone),
        span=_span(facts.hours, say),
        name=facts.name,
        out=say.number(facts.out_ah),
        kwh=say.number(facts.out_kwh, 1),
        taken=say.number(facts.in_ah),
    )
    said = [f"{facts.what}: {told}" if facts.what else told]
    if facts.read_h < 0.95 * facts.hours:
        span = _span(facts.read_h, say)
        said.append(
            say("Only {span} of it were read; what flowed meanwhile is not in these figures.", span=span)
        )
    if not facts.believed:
        said.append(say("Its percentage cannot be believed: {reason}", reason=say.quoted(facts.reason)))
    elif not math.isnan(facts.low):
        said.append(_lowest(facts, say))
    if facts.uses:
        said.append(
            say(
                "Of that {loads}; the other {ah} Ah are not told apart.",
                loads=_named(facts.uses[:MOST_NAMED], say),
                ah=say.number(max(0.0, facts.out_ah - sum(ah for _, ah in facts.uses[:MOST_NAMED]))),
            )
        )
    if facts.in_ah >= LEAST_FED_AH:
        said.append(_fed(facts, say))
    return " ".join(part for part in said if part)


def _named(amounts: tuple[tuple[str, float], ...], say: Tongue) -> str:
    return ", ".join(f"{name} {say.number(ah)} Ah" for name, ah in amounts)


def _fed(facts: EventFacts, say: Tongue) -> str:
    """What fed it, "" where no source is on record."""
    others = ", ".join(facts.feeders)
    if facts.feeds and others:
        return say(
            "It was fed by {sources}; the rest came from {others}, not told apart.",
            sources=_named(facts.feeds, say),
            others=others,
        )
    if facts.feeds:
        return say("It was fed by {sources}.", sources=_named(facts.feeds, say))
    return say("It was fed by {others}, not told apart.", others=others) if others else ""


def _lowest(facts: EventFacts, say: Tongue) -> str:
    """The lowest charge, and how near the reserve it came."""
    low = 100.0 * facts.low
    above = low - facts.reserve_pct
    known = {
        "low": say.number(low),
        "when": say.moment(facts.low_s, facts.zone),
        "points": say.number(abs(above)),
        "reserve": say.figure(facts.reserve_pct),
    }
    if abs(above) < 0.5:
        return say("It was lowest with {low} % at {when}, at the reserve of {reserve} %.", **known)
    if above > 0.0:
        return say(
            "It was lowest with {low} % at {when}, {points} points above the reserve of {reserve} %.", **known
        )
    return say(
        "It was lowest with {low} % at {when}, {points} points under the reserve of {reserve} %.", **known
    )


def _span(hours: float, say: Tongue) -> str:
    if hours < 48.0:
        return f"{say.number(hours)} h"
    return say("{days} days", days=say.number(hours / 24.0, 1))


def event_rows(facts: EventFacts, say: Tongue = ENGLISH) -> list[tuple[str, str]]:
    """The figures, a row each, as the table has them.

    Args:
        facts: of the stretch.
        say: the language to say them in.
    """
    rows = [
        (say("From"), say.moment(facts.start_s, facts.zone)),
        (say("To"), say.moment(facts.end_s, facts.zone)),
        (say("Hours"), say.number(facts.hours, 1)),
        (say("Hours read"), say.number(facts.read_h, 1)),
        (say("Out, Ah"), say.number(facts.out_ah, 1)),
        (say("In, Ah"), say.number(facts.in_ah, 1)),
        (say("Out, kWh"), say.number(facts.out_kwh, 2)),
        (say("In, kWh"), say.number(facts.in_kwh, 2)),
        (say("Most out, A"), say.number(facts.most_out_a, 1)),
        (say("Most in, A"), say.number(facts.most_in_a, 1)),
        (
            say("Volts"),
            say("{low} to {high}", low=say.number(facts.low_v, 2), high=say.number(facts.high_v, 2)),
        ),
    ]
    if facts.believed and not math.isnan(facts.low):
        rows += [
            (say("Percent at the beginning"), _pct(facts.first, say)),
            (say("Percent at the end"), _pct(facts.last, say)),
            (say("Lowest percent"), _pct(facts.low, say)),
            (say("Lowest at"), say.moment(facts.low_s, facts.zone)),
        ]
    return rows


def _pct(charge: float, say: Tongue) -> str:
    return say("unknown") if math.isnan(charge) else say.number(100.0 * charge)


def event_report(facts: EventFacts, *, drawing: str, say: Tongue = ENGLISH) -> Paper:
    """The report of a stretch.

    Args:
        facts: of the stretch.
        drawing: SVG of the charge over it, "" for none.
        say: the language to say it in.
    """
    called = facts.what or say("what happened")
    axis = say("Percent over the stretch; the broken line is the reserve.")
    parts = (
        Part("lines", say("What happened"), (paragraph(facts, say),)),
        Part("drawing", say("Charge"), (axis,)),
        Part("table", say("Figures"), rows=tuple(event_rows(facts, say)), columns=(2.0, 4.0)),
        _amounts(say("What used it"), facts.uses, say),
        _amounts(say("What fed it"), facts.feeds, say),
    )
    return Paper(
        "event",
        f"{facts.name}: {called}",
        say(
            "{start} to {end}",
            start=say.moment(facts.start_s, facts.zone),
            end=say.moment(facts.end_s, facts.zone),
        ),
        "",
        tuple(part for part in parts if (part.lines and (part.kind != "drawing" or drawing)) or part.rows),
        drawing=drawing,
        language=say.tag,
    )


def _amounts(title: str, amounts: tuple[tuple[str, float], ...], say: Tongue) -> Part:
    rows = tuple((name, f"{say.number(ah, 1)} Ah") for name, ah in amounts[:MOST_ROWS])
    return Part("table", title, rows=rows, columns=(3.0, 2.0))
