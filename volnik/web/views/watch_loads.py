"""What the pages of loads and of second opinions say."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.rig.bank import Bank
from volnik.core.watch.loads import LoadsTold
from volnik.services.watch.loads import LoadsView, OpinionsView
from volnik.web.page import number, percent

MOST_UNKNOWN = 3


@dataclass(frozen=True, slots=True)
class UnknownLoad:
    """A step without a name: its amps as sent back, how it is described, and what was typed for it."""

    amps: str
    label: str
    what: str
    typed: str
    at_fault: bool


@dataclass(frozen=True, slots=True)
class LoadsPage:
    """The words of the loads.

    Attributes:
        trouble: why nothing can be told, "" where loads are.
        heading: what takes most;
        idle: how long the idle draw alone lasts;
        unseen: listed and never seen.
        unknown: steps offered for naming.
        rest: what the idle draw leaves over or lists too much.
    """

    trouble: str
    heading: str
    idle: str
    unseen: str
    unknown: list[UnknownLoad]
    rest: str


def loads_page(view: LoadsView, typed: dict[str, str], *, has_problems: bool) -> LoadsPage:
    """The words of a rig's loads.

    Args:
        typed: a name that was refused, with the amps it was typed for.
    """
    loads = view.loads
    if loads is None:
        trouble = view.facts.trouble if view.facts is not None else ""
        return LoadsPage(trouble or "There is no log.", "", "", "", [], "")
    unknown = []
    for load in loads.unknown[:MOST_UNKNOWN]:
        amps = str(round(load.amps, 2))
        refused = typed.get("amps") == amps
        label = f"{load.runs} times, {number(load.ah_day, 1)} Ah a day"
        name = typed.get("name", "") if refused else ""
        unknown.append(UnknownLoad(amps, label, f"{number(load.amps, 1)} A", name, refused and has_problems))
    unseen = f"Listed and never seen to switch: {', '.join(loads.unseen)}." if loads.unseen else ""
    too_much = loads.idle is not None and loads.idle.unknown_a < 0
    rest = "listed more than is drawn" if too_much else "not known"
    return LoadsPage("", _heading(loads), _idle(view, loads), unseen, unknown, rest)


def _heading(loads: LoadsTold) -> str:
    most = "No load was seen to switch"
    if loads.named:
        first = loads.named[0]
        most = f"{first.name} takes the most: {number(first.ah_day, 1)} Ah a day"
    elif loads.unknown:
        most = f"The most goes to something without a name, {number(loads.unknown[0].amps, 1)} A"
    if loads.idle is None:
        return f"{most}."
    return f"{most}; {number(loads.idle.ah_day, 1)} Ah a day go even with all off."


def _idle(view: LoadsView, loads: LoadsTold) -> str:
    if loads.idle is None:
        return ""
    from_now = not math.isnan(view.storage_days)
    days = view.storage_days if from_now else loads.idle.storage_days
    reserve = "its reserve from now" if from_now else "its reserve"
    return f"Left on the idle draw alone the battery lasts {number(days, 0)} days to {reserve}."


@dataclass(frozen=True, slots=True)
class OpinionsPage:
    """The words of second opinions: the number beside the heading, the heading, what follows, how sure."""

    number: str
    heading: str
    further: list[str]
    give_or_take: str


def opinions_page(view: OpinionsView) -> OpinionsPage:
    """The words of a rig's second opinions."""
    latest = view.latest
    if latest is None:
        ask = (
            "One after the other, at the same hour, nothing switching: each counts its own Ah, so they are "
            "weighed by them, not averaged."
        )
        return OpinionsPage("?", "Type what the batteries' own counters say.", [ask], "")
    first, *further = latest.sentences or ["They agree with the shunt, and none is stale."]
    sure = f"give or take {percent(latest.uncertainty)} points"
    return OpinionsPage(percent(latest.soc), first, further, sure)


def counter_rows(bank: Bank | None) -> list[dict[str, str]]:
    """Empty rows for the counters of a bank's strings; two where no bank is known."""
    empty = {"name": "", "capacity_ah": "", "soc_pct": "", "full": "", "amps": ""}
    if bank is None:
        return [empty, empty]
    capacity = f"{bank.label.ah:g}" if bank.label.ah else ""
    return [
        {**empty, "name": f"string {at + 1}", "capacity_ah": capacity} for at in range(max(2, bank.parallel))
    ]
