"""Readings as plain arrays: what a monitor said, and when."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from volnik.core.arrays import Bools, Floats
from volnik.core.errors import InvalidInput

OPTIONAL_COLUMNS = ("celsius", "starter_volts", "midpoint_volts")
COLUMNS = ("volts", "amps", *OPTIONAL_COLUMNS)


@dataclass(frozen=True, slots=True)
class Plausible:
    """Between what a figure can lie, whoever sends or types it: far beyond any rig, so no sound one fails."""

    low: float
    high: float
    unit: str

    def refusal(self, value: float) -> str:
        """Why a value cannot be, or ""; NaN cannot."""
        if self.low <= value <= self.high:
            return ""
        return f"lies from {self.low:g} to {self.high:g} {self.unit}, got {value:g}."


PLAUSIBLE = {
    "volts": Plausible(-10.0, 1000.0, "V"),
    "amps": Plausible(-20_000.0, 20_000.0, "A"),
    "celsius": Plausible(-100.0, 300.0, "°C"),
    "starter_volts": Plausible(-10.0, 200.0, "V"),
    "midpoint_volts": Plausible(-10.0, 1000.0, "V"),
}
"""Limits of readings by column; source: estimate."""

PLAUSIBLE_BY_UNIT = {
    "V": PLAUSIBLE["volts"],
    "A": PLAUSIBLE["amps"],
    "°C": PLAUSIBLE["celsius"],
    "mV": Plausible(-1e6, 1e6, "mV"),
    "m": Plausible(0.0, 10_000.0, "m"),
    "min": Plausible(0.0, 1e6, "min"),
    "%": Plausible(0.0, 100.0, "%"),
    "W": Plausible(-1e6, 1e6, "W"),
    "h": Plausible(0.0, 10_000.0, "h"),
    "Ah": Plausible(0.0, 20_000.0, "Ah"),
    "N·m": Plausible(0.0, 1000.0, "N·m"),
}
"""Limits of what is typed, by its unit; source: estimate."""


@dataclass(frozen=True, slots=True)
class Readings:
    """Readings sorted by time, without duplicates.

    Attributes:
        time_s: instants, shape (n,) [s since 1970], strictly rising.
        volts, amps: shape (n,) [V, A]; positive amps charge.
        extra: further stored quantities by column name, shape (n,) each, NaN where none was given.
    """

    time_s: Floats
    volts: Floats
    amps: Floats
    extra: dict[str, Floats] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.time_s)

    def columns(self) -> dict[str, Floats]:
        """All stored quantities by column name, time apart."""
        return {"volts": self.volts, "amps": self.amps, **self.extra}

    def where(self, kept: Bools) -> Readings:
        """Those of some instants.

        Args:
            kept: whether each is kept, shape (n,).
        """
        extra = {name: values[kept] for name, values in self.extra.items()}
        return Readings(self.time_s[kept], self.volts[kept], self.amps[kept], extra)

    def part(self, first: int, last: int) -> Readings:
        """The readings [first, last), sharing memory."""
        span = slice(first, last)
        extra = {name: values[span] for name, values in self.extra.items()}
        return Readings(self.time_s[span], self.volts[span], self.amps[span], extra)


@dataclass(frozen=True, slots=True)
class Tidied:
    """Readings brought into order, and what that took.

    Attributes:
        readings: sorted, one per instant.
        duplicates: readings dropped because their instant already stood; of one instant the first stands.
        steps_back: (index in the order of arrival, seconds back) wherever the clock went back.
    """

    readings: Readings
    duplicates: int
    steps_back: list[tuple[int, float]]


def tidy(time_s: Floats, columns: dict[str, Floats]) -> Tidied:
    """Sort readings by time, the first of one instant standing [s].

    Args:
        time_s: instants in the order of arrival, shape (n,) [s].
        columns: stored quantities by name, volts and amps among them, shape (n,) each.
    """
    steps: list[tuple[int, float]] = []
    duplicates = 0
    interval_s = np.diff(time_s)
    if len(interval_s) and interval_s.min() <= 0.0:
        steps = [(int(i) + 1, float(-interval_s[i])) for i in np.flatnonzero(interval_s < 0.0)]
        order = np.argsort(time_s, kind="stable")
        time_s = time_s[order]
        standing = np.concatenate(([True], np.diff(time_s) > 0.0))
        duplicates = int(len(standing) - standing.sum())
        time_s = time_s[standing]
        columns = {name: values[order][standing] for name, values in columns.items()}
    extra = {name: values for name, values in columns.items() if name not in ("volts", "amps")}
    return Tidied(Readings(time_s, columns["volts"], columns["amps"], extra), duplicates, steps)


Row = tuple[int, float, float, float | None, float | None, float | None, str | None]
"""One reading on its way in: instant [ms], volts [V], amps [A], then what else was given, as in COLUMNS.

Last the columns of the rig's own as one JSON object (`volnik/core/columns.py`). What was not given is None.
"""


class NotKept(Exception):
    """Readings could not be written, a full disk for one.

    They were not acknowledged and must be sent again.
    """


class ReadingsRefused(InvalidInput):
    """Readings sent by a bridge that cannot be taken.

    Nothing of them is kept. `index` is that of the first at fault, from 0.
    """

    def __init__(self, sentence: str, *, index: int | None = None, field: str = "") -> None:
        at = field if index is None else f"{index}.{field}" if field else str(index)
        super().__init__({at or "readings": sentence})
        self.sentence, self.index, self.field = sentence, index, field
