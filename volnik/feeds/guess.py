"""Guessing what a file's columns are and how its times are written, from its headings and first rows."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

from volnik.core.columns import MOST_OWN, column
from volnik.core.readings import COLUMNS
from volnik.feeds.instants import instants_s
from volnik.feeds.mapping import TIME_PATTERNS, Mapping

ALMOST_EPOCH_MS = 1e11  # 1973 in milliseconds; in seconds the year 5138

# Headings seen in the wild, lower case with everything but letters dropped. Source: trade practice.
HEADINGS = {
    "time": (
        "time",
        "timestamp",
        "datetime",
        "date",
        "zeit",
        "zeitstempel",
        "epoch",
        "when",
        "timeutc",
        "utc",
        "localtime",
        "unixtime",
        "unixtimes",
    ),
    "volts": (
        "volts",
        "voltage",
        "v",
        "u",
        "spannung",
        "batteryvoltage",
        "voltagev",
        "busvoltage",
        "millivolts",
        "voltagemv",
        "mv",
    ),
    "amps": (
        "amps",
        "current",
        "a",
        "i",
        "strom",
        "batterycurrent",
        "currenta",
        "milliamps",
        "currentma",
        "ma",
    ),
    "celsius": (
        "celsius",
        "temperature",
        "temp",
        "t",
        "c",
        "temperaturec",
        "temperatur",
        "surfacetemperaturet",
    ),
    "starter_volts": ("startervolts", "starter", "starterv", "auxvoltage", "aux"),
    "midpoint_volts": ("midpointvolts", "midpoint", "midpointv", "midvoltage"),
}


@dataclass(frozen=True, slots=True)
class Sniffed:
    """What the head of a CSV file shows.

    Attributes:
        headings: the file's own column names, in order.
        rows: the first lines as text, at most eight.
        suggestion: the mapping Volnik would use; its columns may lack some.
        doubts: sentences about what the installer should look at.
    """

    headings: list[str]
    rows: list[list[str]]
    suggestion: dict[str, object]
    doubts: list[str]


def _plain(heading: str) -> str:
    """Letters only, lower case, without a unit at the end of a longer word."""
    plain = "".join(ch for ch in heading.lower() if ch.isalpha())
    for unit in ("mv", "ma", "degc", "v", "a", "c"):
        if plain.endswith(unit) and any(plain[: -len(unit)] in words for words in HEADINGS.values()):
            return plain[: -len(unit)]
    return plain


def match_headings(headings: list[str]) -> dict[str, str]:
    """Our column names found among a file's headings."""
    plain = {heading: _plain(heading) for heading in headings}
    columns = {name: name for name in ("time", *COLUMNS) if name in headings}
    for name in ("time", *COLUMNS):
        for heading in headings:
            if name not in columns and plain[heading] in HEADINGS[name] and heading not in columns.values():
                columns[name] = heading
                break
    own = [heading for heading in headings if heading not in columns.values() and column(heading) is not None]
    return columns | {heading: heading for heading in own[:MOST_OWN]}


TEST_TIME = "These times begin at 0 with the test and name no day: choose a column that does, or add one."


def test_time_doubts(headings: list[str], columns: dict[str, str]) -> list[str]:
    """What to say of a table of battery tests that tells how long it ran, and not when.

    Args:
        headings: of the file.
        columns: those found among them.
    """
    starts = [heading for heading in headings if "".join(filter(str.isalpha, heading.lower())) == "testtimes"]
    return [TEST_TIME] if starts and "time" not in columns else []


def scales(columns: dict[str, str]) -> dict[str, object]:
    """Factors read off headings such as "current mA"."""

    def is_milli(name: str, unit: str) -> bool:
        heading = columns.get(name, "")
        words = re.findall(r"[A-Za-zµ]+", heading)
        letters = "".join(words)
        # The unit is a word of its own ("Strom (mA)"), or stands behind a known heading ("currentmA").
        # "Strom (A)" ends in "mA" too once its signs are dropped: "Stro" is no heading, so amps it is.
        own_word = bool(words) and words[-1].lower() == unit.lower()
        behind = letters.endswith(unit) and letters[: -len(unit)].lower() in HEADINGS[name]
        return "milli" in heading.lower() or own_word or behind

    return {
        "amps_scale": 0.001 if is_milli("amps", "mA") else 1.0,
        "volts_scale": 0.001 if is_milli("volts", "mV") else 1.0,
    }


NO_OFFSET = "The times carry no offset: choose the zone the logger's clock was in."


def time_kind(samples: list[str], doubts: list[str]) -> dict[str, object]:
    """How sample times are written; adds a sentence to `doubts` where the samples leave it open."""
    samples = list(filter(None, samples))
    numbers = [number for sample in samples if (number := _number(sample)) is not None]
    if 2 * len(numbers) > len(samples):
        return {"time_kind": "epoch_ms" if abs(numbers[0]) > ALMOST_EPOCH_MS else "epoch_s"}
    column = pl.Series(samples, dtype=pl.String)
    fits = {
        pattern: _read(column, time_kind="pattern", time_pattern=pattern, zone="UTC")
        for pattern in TIME_PATTERNS
    }
    best = max(fits, key=lambda pattern: fits[pattern])
    iso = _read(column, zone="UTC")
    if fits[best] > iso:
        if fits.get(_other_way_round(best)) == fits[best]:  # no day above the 12th tells them apart
            doubts.append("Day and month could be read either way round: look at the preview.")
        doubts.append(NO_OFFSET)
        return {"time_kind": "pattern", "time_pattern": best}
    if _read(column) < iso:
        doubts.append(NO_OFFSET)
    return {"time_kind": "iso"}


def _number(sample: str) -> float | None:
    try:
        return float(sample.replace(",", "."))
    except ValueError:
        return None


def _read(column: pl.Series, **how: Any) -> int:
    """How many of the samples are read in one way."""
    mapping = Mapping({name: name for name in ("time", "volts", "amps")}, **how)
    return int((~np.isnan(instants_s(column, mapping))).sum())


def _other_way_round(pattern: str) -> str:
    """A pattern with day and month exchanged, "" where it has none such."""
    for one_way, other in (("%d/%m", "%m/%d"), ("%m/%d", "%d/%m")):
        if one_way in pattern:
            return pattern.replace(one_way, other)
    return ""
