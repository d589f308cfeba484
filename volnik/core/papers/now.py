"""What an owner is to do now, and what five readings on the telephone say."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from volnik.core.count.evidence import at_rest
from volnik.core.errors import InvalidInput
from volnik.core.papers.owner import COMFORT, OwnerFacts
from volnik.core.papers.tongue import ENGLISH, Tongue
from volnik.core.shelf.chemistries import Chemistry

Grade = Literal["", "advise", "fix", "stop"]
STILL = 0.02  # of capacity: with more flowing the volts say little of the charge; source: trade practice
FLAT_V = {"lead": 1.75, "lfp": 2.5, "nmc": 3.0}
"""Volts a cell, lead or lithium, at which a battery is empty; source: trade practice."""
MARGIN = 0.15  # of charge: batteries of a kind differ by so much at like volts; source: estimate
RESTED_H = {True: 6.0, False: 2.0}
"""Hours of rest, lead or lithium, a caller is taken to have waited; source: as for rested volts."""
MOST = {"volts": 100.0, "amps": 2000.0, "percent": 100.0, "days": 3650.0}


@dataclass(frozen=True, slots=True)
class Now:
    """What to do now: how grave, and the sentence."""

    level: Grade
    sentence: str


def owner_now(facts: OwnerFacts, soc: float, say: Tongue = ENGLISH) -> Now:
    """What to do at a charge, as the owner's sheet has it.

    Args:
        facts: what is known of the rig.
        soc: charge [0..1], NaN while unknown.
        say: the language to say it in.
    """
    if facts.stops:
        first = facts.stops[0]
        return Now("stop", say.caution("The shop has to put this right first: {stop}", stop=first))
    if facts.believed == "not":
        told = say.caution("Do not go by the percentage.")
        return Now("stop", f"{told} {facts.reason}".strip())
    if math.isnan(soc):
        return Now("fix", say("The percentage starts once the battery was full: charge until it says 100 %."))
    percent = 100.0 * soc
    if percent <= facts.reserve_pct:
        return Now("stop", say("At the reserve: charge today. Keep only what must stay on."))
    if percent <= facts.reserve_pct + COMFORT:
        off = _first_off(facts, say)
        return Now("fix", say("Near the reserve: switch {loads} off, and plan to charge.", loads=off))
    return Now("", say("Nothing to do."))


def _first_off(facts: OwnerFacts, say: Tongue) -> str:
    going = [load for load in facts.loads if not load.kept and not load.cools]
    if not going:
        return say("comfort")
    return say.inside(max(going, key=lambda load: load.watts).name)


@dataclass(frozen=True, slots=True)
class Reading:
    """What an owner reads out: volts [V], amps [A], percent, days since 100 %; NaN for what was not read."""

    volts: float = math.nan
    amps: float = math.nan
    percent: float = math.nan
    days: float = math.nan


def reading(figures: dict[str, float | None], say: Tongue = ENGLISH) -> Reading:
    """Figures as read out.

    Args:
        figures: by name, None for what was not read.
        say: the language a problem is told in.

    Raises:
        InvalidInput: naming each figure that cannot be, or all where nothing was read.
    """
    problems = {
        name: say(
            "It lies between {least} and {most}.",
            least=say.figure(_least(name)),
            most=say.figure(most),
        )
        for name, most in MOST.items()
        if (value := figures.get(name)) is not None and not _least(name) <= value <= most
    }
    if not problems and all(figures.get(name) is None for name in MOST):
        problems["volts"] = say("Type at least one figure of the screen.")
    if problems:
        raise InvalidInput(problems)
    return Reading(**{name: math.nan if (value := figures.get(name)) is None else value for name in MOST})


def _least(name: str) -> float:
    """The least a figure can be: amps alone go below nothing."""
    return -MOST[name] if name == "amps" else 0.0


def call_answer(
    read: Reading, facts: OwnerFacts, *, cells: int, chemistry: Chemistry, say: Tongue = ENGLISH
) -> Now:
    """What to say to a caller, by what the screen shows.

    Args:
        read: the figures read out.
        facts: what is known of the rig.
        cells: in series.
        chemistry: of the bank.
        say: the language to say it in.
    """
    if read.volts <= FLAT_V["lead" if facts.is_lead else facts.chemistry] * cells:
        return Now(
            "stop",
            say.caution("Empty: all off at the main switch, charge at once, leave nothing on meanwhile."),
        )
    if facts.believed == "not":
        told = say.caution("Go by the volts, not by the percentage.")
        return Now("stop", f"{told} {facts.reason}".strip())
    clash = _clash(read, facts, cells, chemistry, say)
    if clash.sentence:
        return clash
    if read.days > 2.0 * (facts.full_days if not math.isnan(facts.full_days) else 14.0):
        return Now("fix", say("Charge until full first: after so long the percentage has drifted."))
    if not math.isnan(read.percent):
        return owner_now(facts, read.percent / 100.0, say)
    return Now("advise", say("That alone says little: read percent, volts and amps with everything off."))


def _clash(read: Reading, facts: OwnerFacts, cells: int, chemistry: Chemistry, say: Tongue) -> Now:
    """Percent and volts that do not go together; nothing where too much flows to tell."""
    if math.isnan(read.volts) or math.isnan(read.percent):
        return Now("", "")
    if not abs(read.amps) <= STILL * facts.capacity_ah:  # NaN: nobody knows what flows
        return Now("", "")
    rested_h = RESTED_H[facts.is_lead]
    known = {"volts": say.figure(read.volts), "rested": say.hours(rested_h)}
    try:
        word = at_rest(
            0.0,
            volts=read.volts,
            cells=cells,
            chemistry=chemistry,
            hours=rested_h,
            after_charge=False,
        )
    except InvalidInput:
        return Now("advise", say("{volts} V is not this battery at rest: read it again.", **known))
    said = read.percent / 100.0
    if said > word.high + MARGIN:
        return Now(
            "fix",
            say(
                "If all has been off for {rested}, less is in it than it says: {volts} V are at most "
                "{percent} %. Charge until full; if it comes again, something bypasses the shunt.",
                percent=say.number(100.0 * word.high),
                **known,
            ),
        )
    if said < word.low - MARGIN:
        return Now(
            "advise",
            say(
                "If nothing charged it for {rested}, more is in it than it says: {volts} V are at least "
                "{percent} %. Charge until full; a charger may bypass the shunt.",
                percent=say.number(100.0 * word.low),
                **known,
            ),
        )
    return Now("", "")
