"""What the page of other devices says: each column of the rig's own, and what they tell together."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.columns import column
from volnik.core.watch.own_columns.cells import Cells
from volnik.core.watch.own_columns.chargers import seen_words, way_words
from volnik.core.watch.own_columns.counters import Counter
from volnik.core.watch.own_columns.switches import Switch, switch_words
from volnik.services.watch.own_columns import Jumped, OwnColumns
from volnik.web.page import figure_words, number, when

LEAST_S = 6 * 3600.0  # of readings, under which silence is no good word
OLD_S = 900.0  # behind the end of the log, from which a figure is told with its age


@dataclass(frozen=True, slots=True)
class Said:
    """A column: what it is called, its last figure, when it was said where that is long ago, its pen."""

    words: str
    figure: str
    age: str
    pen: str


@dataclass(frozen=True, slots=True)
class DevicesPage:
    """The words of other devices.

    Attributes:
        number: how many columns there are.
        heading: the gravest finding, or that nothing speaks against the shunt.
        hint: what to do about it, "" for nothing.
        span: over which days.
        rows: each column.
        parts: headings with their lines.
        findings: level and sentence of further findings.
    """

    number: str
    heading: str
    hint: str
    span: str
    rows: list[Said]
    parts: list[tuple[str, list[str]]]
    findings: list[tuple[str, str]]


def devices_page(told: OwnColumns, zone: str, system: str) -> DevicesPage:
    """The words of a rig's own columns.

    Args:
        told: what they tell.
        zone: the rig's time zone.
        system: of units, "metric" or "us".
    """
    first, further = (told.findings[0], told.findings[1:]) if told.findings else (None, ())
    return DevicesPage(
        str(len(told.latest)),
        first.message if first else _at_peace(told),
        f"{first.why} {first.hint}" if first else "",
        f"{when(told.start_s, zone, 'short')} to {when(told.end_s, zone, 'short')}",
        [_said(name, said, told.end_s, zone, system=system) for name, said in told.latest.items()],
        [(heading, lines) for heading, lines in _parts(told, zone) if lines],
        [(finding.level, finding.message) for finding in further],
    )


def _at_peace(told: OwnColumns) -> str:
    """The heading where nothing was found, or too little was read to find anything."""
    if not told.latest or told.end_s - told.start_s < LEAST_S:
        return "Too little was read of the other devices to judge them, here or since the last change."
    return "Nothing the other devices say is against the shunt."


def _parts(told: OwnColumns, zone: str) -> list[tuple[str, list[str]]]:
    """What each kind of device tells, under its heading."""
    counters = [_counter(counter, jumps, zone) for counter, jumps in told.counters]
    return [
        ("Other counters", [line for lines in counters for line in lines]),
        ("Cells", [] if told.cells is None else _cells(told.cells, zone)),
        ("Chargers", _chargers(told)),
        ("Switches", [_switch(switch, zone) for switch in told.switches]),
    ]


def words_of(name: str) -> str:
    """What a column is called.

    Args:
        name: of the column.
    """
    found = column(name)
    return name if found is None else found.words


def _said(name: str, said: tuple[float, float], end_s: float, zone: str, *, system: str) -> Said:
    value, said_s = said
    age = f"said {when(said_s, zone, 'short')}" if end_s - said_s > OLD_S else ""
    return Said(words_of(name), figure_words(name, value, system), age, name)


def _counter(counter: Counter, jumps: tuple[Jumped, ...], zone: str) -> list[str]:
    full = (
        "never said full here"
        if counter.full_s is None
        else f"last full {when(counter.full_s, zone, 'short')}"
    )
    name = words_of(counter.name)
    lines = [f"{name[:1].upper()}{name[1:]}: {counter.percent:.0f} %, {full}."]
    return lines + [f"{when(jump.time_s, zone, 'short')}: {jump.words}" for jump in jumps[::-1]]


def _cells(cells: Cells, zone: str) -> list[str]:
    lines = [
        f"Now {number(cells.low_v, 3)} to {number(cells.high_v, 3)} V, {_mv(cells.parted_v)} apart; "
        f"at most {_mv(cells.widest_v)}, {when(cells.widest_s, zone, 'short')}."
    ]
    if not math.isnan(cells.rest_v):
        lines.append(f"With little flowing they part by {_mv(cells.rest_v)}.")
    if cells.first_high:
        lines.append(f"Mostly highest {cells.first_high}, mostly lowest {cells.first_low}.")
    return lines


def _mv(volts: float) -> str:
    return f"{number(1000.0 * volts, 0)} mV"


def _chargers(told: OwnColumns) -> list[str]:
    lines = [seen_words(seen, words) for seen, words in told.seen]
    lines += [f"{_charger_name(way.name)}: {way_words(way)}." for way in told.ways]
    if told.hidden:
        lines.append(f"Now {told.hidden}.")
    return lines


def _charger_name(name: str) -> str:
    found = column(name)
    own = "" if found is None else found.own
    return f"From {own} to battery" if own else "From charger to battery"


def _switch(switch: Switch, zone: str) -> str:
    state = "on" if switch.is_on else "off"
    since = "" if math.isnan(switch.since_s) else f" since {when(switch.since_s, zone, 'short')}"
    name = words_of(switch.name)
    return (
        f"{name[:1].upper()}{name[1:]}: {state}{since}, on {number(switch.on_h, 1)} of "
        f"{number(switch.log_h, 0)} h; {switch_words(switch)}."
    )
