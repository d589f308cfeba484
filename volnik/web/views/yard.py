"""What the Yard shows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.rig.rig import RigSummary
from volnik.core.stages import StageStatus
from volnik.core.watch.formatting import since_words
from volnik.services.yard.archive import Comparison, Conflict
from volnik.services.yard.rigs import RigStrip
from volnik.web.page import give_or_take, number, percent, thousands, when
from volnik.web.plural import count_of
from volnik.web.views.rig import belief

MOST_SHOWN = 60  # rigs at once; who looks for another searches
PRESSING = 10.0  # need from which a rig is counted as wanting something; see services/yard/summary.NEEDS
PROMISES = {"open": "promise still open", "kept": "promise kept", "broken": "promise broken"}
BAR_W = 226.0  # width of a full bar


PAGE_OF = {"survey": "survey", "watch": "watch/checkup"}
"""The page of a stage on which a finding is looked at, where it is not the stage's own."""


@dataclass(frozen=True, slots=True)
class Want:
    """What a rig wants: level of the gravest ("well" for nothing), its sentence, how many more, where to."""

    level: str
    sentence: str
    more: int = 0
    href: str = ""


@dataclass(frozen=True, slots=True)
class Bar:
    """The charge as a small bar: whole percent and how surely, how far it is believed and the word for that,
    widths of charge and reserve, what it says aloud.
    """

    percent: str
    give: str
    believed: str
    word: str
    charge_w: float
    reserve_w: float
    label: str


@dataclass(frozen=True, slots=True)
class Strip:
    """One rig: who it is, what it wants, where its stages stand, how full it was and when."""

    rig_id: int
    silhouette: str
    name: str
    what: str
    bank: str
    want: Want
    stages: Sequence[StageStatus]
    bar: Bar | None
    full: str
    as_of: str
    promise: str


@dataclass(frozen=True, slots=True)
class YardView:
    """The whole page.

    Attributes:
        count: how many rigs want something; None where it is not told.
        heading: the verdict.
        empty: what to do where no rig is shown, "" where some are.
        strips: the rigs, most in need first.
        search, archived: what was asked for.
        total: how many rigs there are of those asked for.
        more: what is left out below, "" for nothing.
    """

    count: int | None
    heading: str
    empty: str
    strips: list[Strip]
    search: str
    archived: bool
    total: int
    more: str


def yard_view(strips: list[RigStrip], *, search: str, archived: bool, every: bool = False) -> YardView:
    """The Yard as it is shown.

    Args:
        strips: the rigs asked for, most in need first.
        search: what was searched for.
        archived: whether these are the rigs put aside.
        every: show all, however many.
    """
    shown = strips if every else strips[:MOST_SHOWN]
    left = len(strips) - len(shown)
    needy = [strip for strip in strips if strip.rig.summary.need >= PRESSING]
    return YardView(
        len(needy) if strips and not archived else None,
        _heading(strips, needy, search=search, archived=archived),
        "" if strips else _empty(search, archived=archived),
        [_strip(strip) for strip in shown],
        search,
        archived,
        len(strips),
        f"Show {count_of(left, 'more rig')}" if left else "",
    )


def _heading(strips: list[RigStrip], needy: list[RigStrip], *, search: str, archived: bool) -> str:
    if archived:
        return f"Put aside: {len(strips)} rig{'' if len(strips) == 1 else 's'}."
    if not strips and not search:
        return "The Yard is empty."
    if needy:
        want = "rig wants" if len(needy) == 1 else "rigs want"
        return f"{want} something; {needy[0].rig.name} first."
    return "rigs want something. Nothing presses."


def _empty(search: str, *, archived: bool) -> str:
    if search:
        return f"No rig matches “{search}”."
    if archived:
        return "Nothing is put aside."
    return "Take in the first rig: name it, draw its battery, set its numbers, give it a log."


def _strip(strip: RigStrip) -> Strip:
    rig, summary = strip.rig, strip.rig.summary
    read = not math.isnan(summary.at_s)
    return Strip(
        rig.id,
        rig.silhouette,
        rig.name,
        rig.what,
        strip.bank_short or "no battery yet",
        _want(strip),
        strip.stages,
        _bar(summary),
        f"full {since_words(summary.at_s - summary.last_full_s)}" if read else "",
        f"as of {when(summary.at_s, rig.zone, 'short')}" if read else "no readings",
        PROMISES.get(summary.promise, ""),
    )


def _want(strip: RigStrip) -> Want:
    summary = strip.rig.summary
    if strip.alarm:
        return Want("stop", strip.alarm, href=f"/rigs/{strip.rig.id}/watch/alarms")
    if not summary.attention:
        return Want("well", summary.sentence)
    level, sentence, *stage = summary.attention[0]
    where = PAGE_OF.get(stage[0], stage[0]) if stage else ""
    return Want(level, sentence, len(summary.attention) - 1, f"/rigs/{strip.rig.id}/{where}" if where else "")


def _bar(summary: RigSummary) -> Bar | None:
    if math.isnan(summary.soc):
        return None
    shown = belief(summary)
    whole, reserve = percent(summary.soc), number(summary.reserve_pct, 0)
    state, word = ("plain", "") if shown is None else (shown.state, shown.word)
    give = "" if state == "not" or math.isnan(summary.low) else give_or_take(summary, summary.soc)
    label = f"{whole} %{' ' if give else ''}{give} charge, reserve {reserve} %{', ' if word else ''}{word}"
    reserve_w = BAR_W * summary.reserve_pct / 100.0
    filled = 0.0 if state == "not" else summary.soc  # nobody knows how much is in it
    return Bar(whole, give, state, word, round(BAR_W * filled, 1), round(reserve_w, 1), label)


RECORD_WORDS = {
    "numbers": "saved numbers",
    "entries": "dated entries",
    "photos": "photos",
    "drawing_revisions": "steps of its drawings",
    "stood": "plans that stood",
    "sheets": "sheets given out",
    "papers": "papers issued",
    "read_backs": "read-backs",
    "ticks": "ticks of wiring",
    "proofs": "proofs",
    "alarms": "lists of alarms",
    "notes": "notes",
    "incidents": "alarms that spoke",
    "changes": "changes on record",
}


@dataclass(frozen=True, slots=True)
class ArchivePage:
    """What an archive would bring, in words; `conflicts` are chosen from."""

    heading: str
    sentence: str
    brings: list[str]
    conflicts: list[Conflict]
    button: str


def archive_page(found: Comparison) -> ArchivePage:
    """An archive beside what is here."""
    brings = [f"{thousands(count)} {RECORD_WORDS[name]}" for name, count in found.new.items() if count]
    if found.readings:
        brings.append(f"{thousands(found.readings)} readings")
    if found.rig_id is None:
        heading, button = f"{found.name} is not in the Yard yet.", "Take the rig in"
        return ArchivePage(heading, "It comes in whole, with its record:", brings, [], button)
    sentence = "What is here stays; what is new is added:" if brings else "Nothing in it is new."
    if found.new.get("numbers") or found.new.get("alarms"):
        sentence += " Of numbers and alarms saved on both sides those saved last hold."
    if found.conflicts:
        sentence += " Some things are otherwise here than there; choose below."
    button = "Take it in as chosen" if found.conflicts else "Add what is new"
    return ArchivePage(f"{found.name} is in the Yard already.", sentence, brings, found.conflicts, button)
