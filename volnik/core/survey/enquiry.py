"""Why the job exists: what is wanted, what happened so far, and whether a shunt is needed at all.

Source: docs/domain/enquiry.md.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from volnik.core.shelf.dialects import Dialect
from volnik.core.survey.day_energy import Usable
from volnik.core.values import Plain

REASONS = (
    "change to lithium",
    "the percentage is not believed",
    "nearly flat in bad weather",
    "a load wired straight to the battery",
    "a whole day away from any plug",
    "hours under motor",
    "new build",
)
GAUGES: dict[str, tuple[str, str]] = {
    "lamps": ("panel with lamps", "volts only: on lithium they tell next to nothing"),
    "plug": ("voltmeter in a socket", "volts at that socket, less what its cable loses"),
    "sun": ("page of the solar controller", "its own amps out, not what the battery gets"),
    "cells": ("the battery's own app", "one battery's amps; the others go their own way"),
    "factory": ("factory panel with a percentage", "usually volts, or only the circuits it feeds"),
    "inverter": ("display of the inverter", "what it gives in mains watts, not what it takes"),
    "clamp": ("meter without a sensor in the cable", "volts, whatever percentage it shows"),
}
"""What is already on board, and what each really senses; source: trade practice."""
FUNCTIONS: dict[str, tuple[str, tuple[str, ...]]] = {
    "relay": ("a relay", ("relay_on_pct",)),
    "alarm_charge": ("alarm on charge", ("low_alarm_pct",)),
    "alarm_volts": ("alarm on volts", ("low_alarm_v", "high_alarm_v")),
    "reserve": ("hours to a reserve", ("reserve_pct",)),
    "efficiency": ("efficiency to be set", ("coulombic_efficiency",)),
    "starter": ("starter battery's volts", ()),
    "celsius": ("temperature of the battery", ()),
    "log": ("a log to take out", ()),
}
"""What may be wanted of a monitor, and the parameters of a dialect that tell whether it has it; where there
are none its dialect does not tell: look at its papers.
"""
Text = Annotated[str, Field(max_length=400)]
Answer = Literal["", "yes", "no"]
Counter = Literal["", "no", "yes", "factory"]


class Enquiry(Plain):
    """What was asked and answered before anything was touched.

    Attributes:
        reason: one of REASONS, or as typed.
        complaint: in the owner's words.
        nights: wanted without sun or plug.
        matters: loads that must run.
        keeps_for: what the reserve is for.
        survived_days: that the bank lasted so far without charging.
        own_counter: what counts amps in and out already: nothing, "yes" for each battery itself, or the
            factory's own counter.
        past_gauge, critical: whether something was wired past the old gauge; whether work or safety hangs on
            the figure.
        reads, read_by: on a screen, a phone or both; by whom and from where.
        wants: keys of FUNCTIONS.
        makers: "one" family or "any".
        gauges: keys of GAUGES that are on board.
        access, mount: where the battery is and how it is reached; where shunt and display go.
        hole_mm, cable_m: of the display.
        trial: whether it is a trial; review: its date.
    """

    reason: Text = ""
    complaint: Text = ""
    nights: Annotated[float, Field(ge=0, le=60)] | None = None
    matters: Text = ""
    keeps_for: Text = ""
    survived_days: Annotated[float, Field(gt=0, le=365)] | None = None
    own_counter: Counter = ""
    past_gauge: Answer = ""
    critical: Answer = ""
    reads: Literal["", "screen", "phone", "both"] = ""
    read_by: Text = ""
    wants: tuple[str, ...] = ()
    makers: Literal["", "one", "any"] = ""
    gauges: tuple[str, ...] = ()
    access: Text = ""
    mount: Text = ""
    hole_mm: Annotated[float, Field(gt=0, le=500)] | None = None
    cable_m: Annotated[float, Field(gt=0, le=100)] | None = None
    trial: bool = False
    review: date | None = None

    @property
    def said(self) -> bool:
        """Whether anything was answered."""
        return self != Enquiry()


def implied_ah_day(usable: Usable, survived_days: float) -> tuple[float, float]:
    """What a day took, by how long the bank lasted without charging: least and most [Ah].

    Nobody knows how far down it went: at least to the reserve, at most to where it went dark.

    Args:
        usable: of the bank.
        survived_days: that it lasted.
    """
    return usable.left / survived_days, (usable.holds - usable.after_cut_out) / survived_days


@dataclass(frozen=True, slots=True)
class Needed:
    """Whether a shunt is needed: "yes", "no" or "" while not all is answered; in a sentence, and why."""

    answer: Answer
    heading: str
    why: str


def shunt_needed(asked: Enquiry, strings: int) -> Needed:
    """Whether a shunt of its own is needed, from three answers and how many strings there are.

    Args:
        asked: as answered.
        strings: in parallel; 0 while nobody described the bank.
    """
    if asked.own_counter == "":
        return Needed("", "First: does anything count amps already?", "")
    if asked.own_counter == "no":
        return Needed("yes", "Yes: nothing counts yet.", ALONE)
    if asked.own_counter == "yes" and strings > 1:
        return Needed("yes", f"Yes: {strings} strings in parallel.", APART)
    if asked.own_counter == "factory" and asked.past_gauge == "yes":
        return Needed("yes", "Yes: something was wired past the counter there is.", PAST)
    if asked.critical == "yes":
        return Needed("yes", "Yes: much hangs on the figure.", DRIFTS)
    left = _left_open(asked, strings)
    if left:
        return Needed("", f"Still open: {left}", "")
    if asked.own_counter == "factory":
        return Needed("no", "No: the factory's counter sees all of it.", FACTORY)
    return Needed("no", "No: the battery's own count does.", SEES_ALL)


def _left_open(asked: Enquiry, strings: int) -> str:
    """The question that is still to be answered before the answer can be no, "" for none."""
    if asked.own_counter == "factory" and asked.past_gauge == "":
        return "was anything wired to the battery after the old gauge?"
    if asked.critical == "":
        return "does work or safety hang on the figure?"
    return "describe the battery." if asked.own_counter == "yes" and strings == 0 else ""


ALONE = "Nothing here counts amps; volts alone are no gauge."
APART = "Each battery counts for itself alone; only a shunt in the common minus sees all strings as one."
PAST = "What goes round the factory's counter is missing in its percentage, every day a little more."
DRIFTS = "Such a count drifts and its zero cannot be set; where much hangs on it, count beside it."
FACTORY = (
    "Nothing goes round it. Find out whether it counts amps at all or only shows volts as a percentage: with "
    "a heavy load on it must show its amps at once. If it does not, take this answer back."
)
SEES_ALL = (
    "One battery that counts its own amps sees every load and charger on it, whatever was wired where. Set "
    "its capacity, compare it once at full, and leave the money in the owner's pocket."
)


def lacks(asked: Enquiry, dialect: Dialect) -> tuple[list[str], list[str]]:
    """What is wanted and a monitor lacks, and what its description does not tell.

    Args:
        asked: with what is wanted.
        dialect: of the monitor.
    """
    missing, untold = [], []
    for key in asked.wants:
        if key not in FUNCTIONS:
            continue
        words, fields = FUNCTIONS[key]
        if not fields:
            untold.append(words)
        elif not any(dialect.field_of(name) is not None for name in fields):
            missing.append(words)
    return missing, untold
