"""Columns of readings: those every rig may have, and a rig's own, whose name begins with what they are.

A column of a rig's own is a kind and its own name: `percent_pack` is what the pack's counter says,
`switch_pump` whether the pump's switch is on, `cell_volts_3` the third cell. So a column says its unit by its
name alone, and whoever sends it need not be told of beforehand.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from volnik.core.readings import COLUMNS, PLAUSIBLE, Plausible, Row

MOST_OWN = 24  # columns of a rig's own
OWN_NAME = re.compile(r"[a-z0-9]+(_[a-z0-9]+)*")
UNITS = frozenset(
    {"v", "mv", "a", "ma", "w", "c", "degc", "pct"}
)  # that end a heading and say nothing of whose
MOST_NAME = 40  # letters of a column's name


@dataclass(frozen=True, slots=True)
class Kind:
    """What a column of a rig's own can be.

    Attributes:
        words: what it is called on the screen.
        named: the same with its own name, {own}.
        limits: between what its figures lie, and its unit.
        reach: the least its lane of the strip reaches, in its unit.
        alone: whether the kind's name alone is a column too.
    """

    words: str
    named: str
    limits: Plausible
    reach: float
    alone: bool = True

    @property
    def unit(self) -> str:
        """Its unit; "" for what is on or off."""
        return self.limits.unit


KINDS: dict[str, Kind] = {
    "celsius": Kind("temperature", "{own} temperature", PLAUSIBLE["celsius"], 4.0, alone=False),
    "volts": Kind("volts", "{own} volts", PLAUSIBLE["volts"], 0.4, alone=False),
    "amps": Kind("amps", "{own} amps", PLAUSIBLE["amps"], 2.0, alone=False),
    "watts": Kind("watts", "{own} watts", Plausible(-1e6, 1e6, "W"), 40.0),
    "percent": Kind("other counter", "{own} counter", Plausible(0.0, 100.0, "%"), 10.0),
    "cell_volts": Kind("cell", "cell {own}", Plausible(0.0, 20.0, "V"), 0.05, alone=False),
    "charger_volts": Kind("charger volts", "{own} volts", PLAUSIBLE["volts"], 0.4),
    "charger_amps": Kind("charger amps", "{own} amps", PLAUSIBLE["amps"], 2.0),
    "switch": Kind("switch", "{own} switch", Plausible(0.0, 1.0, ""), 1.0, alone=False),
    "level": Kind("level", "{own} level", Plausible(0.0, 100.0, "%"), 10.0, alone=False),
}
"""What a column of a rig's own can be, by what its name begins with. Limits: far beyond any rig; estimate."""

_FIXED = {
    "volts": Kind("volts", "{own}", PLAUSIBLE["volts"], 0.4),
    "amps": Kind("amps", "{own}", PLAUSIBLE["amps"], 2.0),
    "celsius": Kind("temperature", "{own}", PLAUSIBLE["celsius"], 4.0),
    "starter_volts": Kind("starter", "{own}", PLAUSIBLE["starter_volts"], 0.4),
    "midpoint_volts": Kind("midpoint", "{own}", PLAUSIBLE["midpoint_volts"], 0.2),
}
_LONGEST_FIRST = sorted(KINDS, key=len, reverse=True)


@dataclass(frozen=True, slots=True)
class Column:
    """A column that can be kept.

    Attributes:
        name: as it is sent and stored.
        kind: what its name begins with, or the name of one every rig may have.
        own: its own name in words, "" for none.
        of: what it is.
    """

    name: str
    kind: str
    own: str
    of: Kind

    @property
    def words(self) -> str:
        """What it is called on the screen."""
        if not self.own:
            return self.of.words
        if self.kind == "cell_volts" and self.own in ("low", "high"):
            return "lowest cell" if self.own == "low" else "highest cell"
        return self.of.named.format(own=self.own)


@lru_cache(maxsize=4096)
def column(name: str) -> Column | None:
    """A column by its name, None where it is none.

    Args:
        name: as it is sent.
    """
    if name in _FIXED:
        return Column(name, name, "", _FIXED[name])
    if len(name) > MOST_NAME:
        return None
    for kind in _LONGEST_FIRST:
        if name == kind and KINDS[kind].alone:
            return Column(name, kind, "", KINDS[kind])
        own = name.removeprefix(f"{kind}_")
        if own != name and OWN_NAME.fullmatch(own):
            return Column(name, kind, own.replace("_", " "), KINDS[kind])
    return None


def own_name(kind: str, heading: str) -> str:
    """The name of a column of a rig's own for what a file calls otherwise.

    Args:
        kind: what it is, of KINDS.
        heading: as the file names it.
    """
    found = column(heading)
    if found is not None and found.kind == kind:
        return heading
    words = re.findall(r"[a-z0-9]+", heading.lower())
    if len(words) > 1 and words[-1] in UNITS:
        words = words[:-1]
    plain = "_".join(words).removeprefix(f"{kind}_").removeprefix(f"{kind.partition('_')[0]}_")
    return f"{kind}_{plain or 'other'}"[:MOST_NAME].rstrip("_")


def limits_of(name: str) -> Plausible:
    """Between what the figures of a column lie.

    Args:
        name: of a column.

    Raises:
        KeyError: when it is none.
    """
    found = column(name)
    if found is None:
        raise KeyError(name)
    return found.of.limits


def of_kind(names: Iterable[str], kind: str) -> list[Column]:
    """Those of some columns that are of a kind, in their order.

    Args:
        names: of columns.
        kind: asked for.
    """
    return [found for name in names if (found := column(name)) is not None and found.kind == kind]


def row_of(time_ms: int, values: Mapping[str, float | None]) -> Row:
    """A reading as it travels.

    Args:
        time_ms: its instant [ms since 1970].
        values: by column, volts and amps among them; None and what is missing was not given.

    Raises:
        KeyError: without volts or amps.
    """
    volts, amps = values["volts"], values["amps"]
    if volts is None or amps is None:
        raise KeyError("volts" if volts is None else "amps")
    celsius, starter, midpoint = (values.get(name) for name in COLUMNS[2:])
    own = {name: value for name, value in values.items() if name not in COLUMNS and value is not None}
    return (time_ms, volts, amps, celsius, starter, midpoint, _packed(own) if own else None)


def _packed(own: Mapping[str, float]) -> str:
    return json.dumps(own, separators=(",", ":"), sort_keys=True)


def own_values(row: Row) -> dict[str, float]:
    """The columns of a rig's own that came with a reading.

    Args:
        row: the reading.
    """
    found: dict[str, float] = json.loads(row[-1]) if row[-1] else {}
    return found


def values_of(row: Row) -> dict[str, float]:
    """What was given with a reading, by column.

    Args:
        row: the reading.
    """
    fixed = {name: float(value) for name, value in zip(COLUMNS, row[1:-1], strict=True) if value is not None}
    return fixed | own_values(row)
