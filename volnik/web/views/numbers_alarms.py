"""What the list of alarms says: each alarm in a sentence, its fields, its findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.numbers.alarms import KINDS, RELAYS, Alarm
from volnik.core.units import System
from volnik.drawings.alarms import AlarmScale
from volnik.services.numbers.alarms import AlarmsView
from volnik.web.page import tidy_number
from volnik.web.us_units import shown_in, shown_unit


@dataclass(frozen=True, slots=True)
class AlarmField:
    """A figure of an alarm: its field, what it means, its text and unit."""

    name: str
    label: str
    value: str
    unit: str


@dataclass(frozen=True, slots=True)
class AlarmRow:
    """One alarm of the list.

    Attributes:
        alarm: itself;
        name: of its kind.
        said: when it speaks, "" where it is not used;
        speakers: who speaks it.
        scale: its drawing, None for one of the calendar.
        fields: its figures;
        problems: what is wrong with what was typed for it.
        findings: what speaks against it.
    """

    alarm: Alarm
    name: str
    said: str
    speakers: str
    scale: AlarmScale | None
    fields: list[AlarmField]
    problems: dict[str, str]
    findings: list[Finding]


@dataclass(frozen=True, slots=True)
class AlarmsPage:
    """The list's words: how many are used, the verdict, what follows, whose monitor, the rows."""

    used: int
    heading: str
    lead: str
    monitor: str
    saved: str
    rows: list[AlarmRow]


def alarms_page(
    view: AlarmsView,
    scales: Mapping[str, AlarmScale],
    *,
    open_key: str,
    problems: dict[str, str],
    typed: dict[str, str],
    system: System,
) -> AlarmsPage:
    """The words of a rig's alarms.

    Args:
        scales: drawings by the alarm's key.
        open_key: the alarm something was typed for.
        system: of units.
    """
    used = sum(alarm.on for alarm in view.alarms.alarms)
    dialect = view.given.dialect
    heading, lead = _verdict(view, used)
    rows = []
    for alarm in view.alarms.alarms:
        mistaken = problems if alarm.key == open_key else {}
        found = [finding for finding in view.findings if finding.at.removeprefix("alarms.") == alarm.key]
        scale = scales[alarm.key] if KINDS[alarm.key].unit != "days" else None
        fields = _fields(alarm, typed if mistaken else None, system)
        rows.append(
            AlarmRow(
                alarm,
                KINDS[alarm.key].name,
                _said(alarm, system),
                _speakers(alarm),
                scale,
                fields,
                mistaken,
                found,
            )
        )
    monitor = "monitor not named" if dialect is None else dialect.name
    return AlarmsPage(used, heading, lead, monitor, "saved" if view.saved else "not saved yet", rows)


def _verdict(view: AlarmsView, used: int) -> tuple[str, str]:
    """The verdict on the list, and what follows."""
    if view.findings:
        first = view.findings[0]
        return first.message, f"{first.why} {first.hint}"
    sound = f"Each of the {used} can be reached, clears again and contradicts nothing."
    if view.saved:
        return sound, "The monitor's own are on the sheet; Volnik's are judged in Watch."
    return sound, (
        "Where to start, from the numbers, the ladder of volts, the main fuse and the second input; "
        "press one "
        "to change it."
    )


def _said(alarm: Alarm, system: System) -> str:
    """When it speaks."""
    if not alarm.on:
        return ""
    kind = KINDS[alarm.key]
    side = "under" if kind.below else "over"
    level, release = (shown_in(value, kind.unit, system) for value in (alarm.level, alarm.release))
    said = f"{side} {level} {shown_unit(kind.unit, system)}, clears at {release}"
    if alarm.delay_s:
        said += f", after {tidy_number(alarm.delay_s)} s"
    if alarm.quiet:
        said += f", silent {tidy_number(alarm.quiet[0])} to {tidy_number(alarm.quiet[1])} h"
    return said


def _speakers(alarm: Alarm) -> str:
    if alarm.monitor and alarm.volnik:
        return "monitor and Volnik"
    return "monitor" if alarm.monitor else "Volnik"


def _fields(alarm: Alarm, typed: dict[str, str] | None, system: System) -> list[AlarmField]:
    """Its figures, as they stand or as they were typed."""
    kind = KINDS[alarm.key]
    is_relay = alarm.key in RELAYS
    quiet_from, quiet_to = alarm.quiet or (None, None)
    speaks = f"warns {'under' if kind.below else 'over'}"
    asked = (
        ("level", "closes at" if is_relay else speaks, alarm.level, kind.unit),
        ("release", "opens at" if is_relay else "clears at", alarm.release, kind.unit),
        ("delay_s", "after", alarm.delay_s, "s"),
        ("quiet_from", "silent from", quiet_from, "h"),
        ("quiet_to", "to", quiet_to, "h"),
        ("most_a_day", "at most", alarm.most_a_day, "times a day"),
        ("least_min", "runs and rests at least", alarm.least_min, "min")
        if is_relay
        else ("again_min", "if nobody has seen it, again after", alarm.again_min, "min"),
    )
    return [
        AlarmField(
            name,
            label,
            shown_in(value, unit, system) if typed is None else typed.get(name, ""),
            shown_unit(unit, system),
        )
        for name, label, value, unit in asked
    ]
