"""What the page of totals says: the whole log in sentences, its rows, what changed the count."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.units import System
from volnik.core.watch.formatting import since_words
from volnik.core.watch.own_history import FIELDS, OwnHistory, OwnRemark
from volnik.services.watch.own_history import OwnHistoryRead
from volnik.services.watch.sums import Life, SumsView
from volnik.web.page import as_temperature, kwh, number, percent, when
from volnik.web.views.watch_record import EVENT_WORDS

MOST_ROWS = 63
DAY_S = 86400.0


@dataclass(frozen=True, slots=True)
class Change:
    """What people or mishaps did to the count: when, and what."""

    when: str
    what: str


@dataclass(frozen=True, slots=True)
class SumsPage:
    """The words of the totals.

    Attributes:
        heading, lead: the whole log.
        rows: the table's cells, latest first.
        changes: what changed the count.
        batteries: those before the one there is, latest first, a sentence each.
    """

    heading: str
    lead: str
    rows: list[list[str]]
    changes: list[Change]
    batteries: list[str]


@dataclass(frozen=True, slots=True)
class OwnLine:
    """One reading of the monitor's own history: number, when and by whom, its figures, remarks on them."""

    id: int
    when: str
    figures: str
    remarks: list[OwnRemark]


def own_page(kept: list[OwnHistoryRead], zone: str) -> list[OwnLine]:
    """The readings of a monitor's own history, latest first."""
    return [
        OwnLine(
            read.id,
            f"{when(read.time_s, zone, 'day')}, {read.who}" if read.who else when(read.time_s, zone, "day"),
            _own_figures(read.own),
            read.remarks,
        )
        for read in kept
    ]


def _own_figures(own: OwnHistory) -> str:
    """The figures as typed, in a line."""
    given = own.to_dict()
    shown = [f"{field.label} {given[field.key]:g} {field.unit}" for field in FIELDS if field.key in given]
    return ", ".join(each.strip() for each in shown)


def sums_page(view: SumsView, zone: str, system: System) -> SumsPage:
    """The words of a rig's totals."""
    changes = [
        Change(when(event.time_s, zone, "short"), _change(event.kind, was, now, event.body.get("note", "")))
        for event, was, now in view.changes
    ]
    if view.life is None:
        return SumsPage("", "", [], changes, [])
    heading = _heading(view.life)
    if view.before:
        heading = f"Since {when(view.life.since_s, zone, 'day')}, {view.life.why}: {heading}"
    batteries = _batteries(view, zone)
    return SumsPage(heading, _lead(view.life, system) + _nights(view), _rows(view, zone), changes, batteries)


def _batteries(view: SumsView, zone: str) -> list[str]:
    """The batteries before the one there is, latest first."""
    assert view.life is not None
    said = []
    every = [*view.before, view.life]
    for life, after in reversed(list(zip(every, every[1:], strict=False))):
        end_s = after.since_s
        sentence = f"Until {when(end_s, zone, 'day')}: {number(life.out_ah, 0)} Ah out in "
        sentence += f"{number(life.days, 0)} days of log, {number(life.cycles, 1)} full cycles' worth"
        if not math.isnan(life.deepest):
            sentence += f", deepest {percent(life.deepest)} %"
        if not math.isnan(life.mean_depth):
            sentence += f", on average {percent(life.mean_depth)} %"
        said.append(f"{sentence}.")
    return said


def _heading(life: Life) -> str:
    if not life.days:
        return "nothing read of it yet."
    reset = "never reset"
    if life.resets:
        reset = f"reset {life.resets} times, last {since_words(life.since_full_days * DAY_S)}"
    out, into, days = number(life.out_ah, 0), number(life.in_ah, 0), number(life.days, 0)
    return f"{out} Ah out and {into} Ah in over {days} days; {reset}."


def _lead(life: Life, system: System) -> str:
    if not life.days:
        return "What it does is told from its first readings on; what the one before did is kept beside."
    parts = [f"Deepest {percent(life.deepest)} % taken out"]
    if not math.isnan(life.mean_depth):
        last, mean = percent(life.last_depth), percent(life.mean_depth)
        parts[0] += f", last {last} %, on average {mean} % between fulls"
    volts = f"{number(life.low_v, 2)} to {number(life.high_v, 2)} V"
    if not math.isnan(life.low_c):
        volts += f", {as_temperature(life.low_c, system)} to {as_temperature(life.high_c, system)}"
    parts.append(f"{volts}; {percent(life.full_share)} % of the time at full")
    parts.append(f"{number(life.out_kwh, 1)} kWh out, {number(life.in_kwh, 1)} in")
    if life.losses:
        parts.append(f"{life.losses} losses of supply")
    return f"{'. '.join(parts)}."


def _nights(view: SumsView) -> str:
    """What a night takes, from evening to morning; "" where none was read whole."""
    if not view.nights:
        return ""
    used = sorted(night.out_ah for night in view.nights)
    middle = used[len(used) // 2]
    spread = f" ({number(used[0], 0)} to {number(used[-1], 0)})" if len(used) > 1 else ""
    last = view.nights[-1].out_ah
    return (
        f" A night takes {number(middle, 0)} Ah from 20 to 8 o'clock{spread}, the last one {number(last, 0)}."
    )


def _rows(view: SumsView, zone: str) -> list[list[str]]:
    rows = view.rows
    if rows is None:
        return []
    found = []
    for at in range(len(rows) - 1, max(-1, len(rows) - 1 - MOST_ROWS), -1):
        found.append(
            [
                when(float(rows.start_s[at]), zone, "day"),
                number(float(rows.out_ah[at]), 1),
                number(float(rows.in_ah[at]), 1),
                kwh(float(rows.out_wh[at])),
                kwh(float(rows.in_wh[at])),
                percent(float(rows.low_soc[at])),
                f"{number(float(rows.low_v[at]), 2)} – {number(float(rows.high_v[at]), 2)}",
                number(float(view.resets[at]), 0),
            ]
        )
    return found


def _change(kind: str, was: float, now: float, note: str) -> str:
    """What an event did to the charge, as far as it was known."""
    said = EVENT_WORDS[kind]
    before = "unknown" if math.isnan(was) else f"{percent(was)} %"
    after = "unknown" if math.isnan(now) else f"{percent(now)} %"
    if not (math.isnan(was) and math.isnan(now)):
        said += f": {before} became {after}"
    return f"{said}; {note}" if note else said
