"""Two settings on the same simulated days, as data."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.arrays import Floats
from volnik.core.numbers.reset_map import Marked

SHOWN_DAYS = 14


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting put to the test: its name, and when it takes a bank for full [V, % of C, s]."""

    name: str
    charged_voltage_v: float
    tail_current_pct: float
    hold_s: float


@dataclass(frozen=True, slots=True)
class Side:
    """What one setting does on these days.

    Attributes:
        zone, words, sentence: by the map at the nearest hold stop.
        error: expected there, share of C.
        resets, early, lasting: over the whole season, counted with this very setting.
        off: root mean square of counted less true charge over it, with all the numbers as they are, share of
            C.
        charge: it would show, at the drawn points, 0..1.
        marks: its resets on the days shown, (day of the season, reset).
    """

    setting: Setting
    zone: str
    words: str
    sentence: str
    error: float
    off: float
    resets: int
    early: int
    lasting: int
    charge: Floats
    marks: list[tuple[float, Marked]]


@dataclass(frozen=True, slots=True)
class Compared:
    """Two sides over the same days. day: first day shown, of days; at_day, truth.

    The drawn points, in days of the season and 0..1.
    """

    first: Side
    second: Side
    day: int
    days: int
    at_day: Floats
    truth: Floats
