"""What the page of alarms says: how near each came, and what would have spoken rightly."""

from __future__ import annotations

import math

from volnik.core.numbers.alarms import KINDS, Alarm
from volnik.services.watch.incidents import AlarmsWatched
from volnik.services.watch.notes import Note
from volnik.web.page import minutes, number, when
from volnik.web.plural import count_of


def _value(key: str, value: float) -> str:
    kind = KINDS[key]
    return f"{number(value, 2 if kind.unit == 'V' else 0)} {kind.unit}"


def _held(alarm: Alarm) -> str:
    return f"{minutes(alarm.delay_s)} min" if alarm.delay_s >= 60.0 else f"{alarm.delay_s:.0f} s"


def came_near(view: AlarmsWatched) -> list[tuple[str, str]]:
    """How near each alarm came over the log: its name, and the sentence."""
    found = []
    for run in view.dry:
        near = view.nearest.get(run.alarm.key, math.nan)
        if math.isnan(near):
            continue
        kind = KINDS[run.alarm.key]
        way = "lowest" if kind.below else "most"
        level = f"warns {'under' if kind.below else 'over'} {_value(run.alarm.key, run.alarm.level)}"
        found.append((kind.name, f"{way} {_value(run.alarm.key, near)}; {level} for {_held(run.alarm)}"))
    return found


def proposals(view: AlarmsWatched) -> list[tuple[str, str, str]]:
    """What would have spoken rightly: key, what was wrong, what to press for."""
    found = []
    for key, better in view.better.items():
        name = KINDS[key].name
        why = (
            "with the charge well above the reserve: a load pressed the volts"
            if key == "low_volts"
            else ("in normal use")
        )
        wrong = f"{name}: {count_of(better.wrong_before, 'warning')} {why}."
        level = f"{_value(key, better.alarm.level)} for {_held(better.alarm)}"
        then = "none" if not better.spoke else count_of(better.spoke, "warning")
        found.append((key, f"{wrong} At {level} there would have been {then}.", f"Set {level}"))
    return found


SHOWN = 4  # tries of late


def tried_words(tries: list[Note], zone: str) -> list[str]:
    """The last tries end to end, latest first, each in a sentence."""
    found = []
    for note in tries[-SHOWN:][::-1]:
        name = KINDS[str(note.body["key"])].name
        results = [
            f"{way} {'failed: ' + trouble if trouble else 'sent'}" for way, trouble in note.body["results"]
        ]
        how = "; ".join(results) or "no way but these pages is set up"
        found.append(f"{when(note.time_s, zone, 'short')}, {name}, by {note.who or 'the shop'}: {how}.")
    return found
