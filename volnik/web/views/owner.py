"""What the owner's page says."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.services.handover.owner import OwnerView
from volnik.web.page import percent, when

UNITS = {"volts": "V", "amps": "A", "percent": "%", "days": "days since full"}


@dataclass(frozen=True, slots=True)
class CallLine:
    """Readings sent: number, when, what was read, the words with it, what was answered, how grave."""

    id: int
    when: str
    read: str
    words: str
    answer: str
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
    """

    figure: str
    give: str
    as_of: str
    ahead: list[str]
    full: str
    calls: list[CallLine]


def _ahead(view: OwnerView) -> list[str]:
    """Where it will stand, a line each."""
    if view.facts is None:
        return []
    capacity_ah = view.facts.capacity_ah
    return [
        f"{percent(min(1.0, max(0.0, 1.0 - each.deficit_ah / capacity_ah)))} % at {each.name}"
        for each in view.ahead
    ]


def owner_page(view: OwnerView) -> OwnerPage:
    """The words of a rig's page for its owner."""
    zone, at_s = view.rig.zone, view.rig.summary.at_s
    calls = [
        CallLine(
            note.id,
            when(note.time_s, zone, "short"),
            ", ".join(f"{value:g} {UNITS[name]}" for name, value in note.body["read"].items()),
            note.body["words"],
            note.body["answer"],
            note.body["level"],
            answered,
        )
        for note, answered in view.calls
    ]
    return OwnerPage(
        "?" if math.isnan(view.soc) else percent(view.soc),
        "" if math.isnan(view.half) else f"± {max(1.0, 100.0 * view.half):.0f}",
        "no readings yet" if math.isnan(at_s) else f"as of {when(at_s, zone)}",
        _ahead(view),
        "" if view.full_due is None else f"Charge until full by {when(view.full_due.at_s, zone, 'day')}.",
        calls,
    )
