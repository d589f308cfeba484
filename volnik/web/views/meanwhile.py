"""What a page that is older than what stands is answered: both side by side, and whose to keep."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from volnik.core.changes import Change, Difference, merged
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.watch.formatting import ago_words
from volnik.web.forms.devices import LOAD, SOURCE, shown_figure

FIGURES = {name for name, _words, _unit in (*LOAD, *SOURCE)}
LABELS = {
    "silhouette": "kind of vehicle",
    "what": "what it is",
    "zone": "time zone",
    "climate": "where it lives",
    "block_cells": "cells in a battery",
    "series": "batteries in a string",
    "parallel": "strings",
    "kind": "the label states",
    "ah": "Ah",
    "test_a": "test current",
    "takeoff": "where the leads leave",
    "string_ah": "Ah of each string",
    "made_year": "year made",
    "cut_out_pct": "its own cut-out",
    "power_up": "after a loss of supply",
    "level": "warns at",
    "release": "ends at",
    "delay_s": "after",
    **{name: words.lower() for name, words, _unit in (*LOAD, *SOURCE)},
    **{name: meaning.label.lower() for name, meaning in MEANINGS.items()},
}


@dataclass(frozen=True, slots=True)
class MeanwhileLine:
    """One field: its name in words, and its texts; `choice` where the form can be sent with either."""

    field: str
    label: str
    seen: str
    theirs: str
    mine: str
    choice: bool
    proposed: str
    both: bool


@dataclass(frozen=True, slots=True)
class MadeBy:
    """One change: by whom, how long ago, and what."""

    by: str
    ago: str
    what: str


@dataclass(frozen=True, slots=True)
class Meanwhile:
    """What was changed since a page was made.

    Attributes:
        changes: by whom, when and what, oldest first.
        lines: the fields that differ.
        typed: the form as it was sent, to be sent again: (name, text).
        seen: the last change this answer shows.
    """

    changes: list[MadeBy]
    lines: list[MeanwhileLine]
    typed: list[tuple[str, str]]
    seen: int


def meanwhile(missed: list[Change], typed: Mapping[str, str], now_s: float) -> Meanwhile:
    """Both sides of what was changed twice.

    Args:
        typed: the form as it was sent; empty where no form was.
        now_s: now [s since 1970].
    """
    text = text_of(missed[-1].subject)
    lines = [_line(found) for found in merged(missed, typed, text)]
    chosen = {line.field for line in lines if line.choice}
    own = ("_token", "_seen")
    rest = [(name, value) for name, value in typed.items() if name not in chosen and name not in own]
    made = [MadeBy(change.by, ago_words(now_s - change.at_s), change.what) for change in missed]
    return Meanwhile(made, lines, rest, missed[-1].id)


def _line(found: Difference) -> MeanwhileLine:
    return MeanwhileLine(
        found.field,
        label_of(found.field),
        found.seen,
        found.theirs,
        "" if found.mine is None else found.mine,
        found.mine is not None,
        found.proposed,
        found.both,
    )


def label_of(field: str) -> str:
    """A field's name in words."""
    return LABELS.get(field, field.replace("_", " "))


def text_of(subject: str) -> Callable[[str, Any], str]:
    """How the values of a subject are typed."""
    if subject == "numbers":
        return _number_text
    return _device_text if subject.startswith("found/") else _plain_text


def _device_text(name: str, value: Any) -> str:
    return shown_figure(name, value) if name in FIGURES else _plain_text(name, value)


def _number_text(name: str, value: Any) -> str:
    if name in MEANINGS and value is not None:
        return f"{round(value * MEANINGS[name].per_stored, 9):.10g}"
    return _plain_text(name, value)


def _plain_text(_name: str, value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "1" if value else ""
    if isinstance(value, float):
        return f"{value:.10g}"
    if isinstance(value, list):
        return " ".join(_plain_text("", item) for item in value)
    return str(value)
