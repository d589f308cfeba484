"""Numbers as people type them: with their unit, in another unit, as a fraction, ten times off.

What can be meant in one way is read; what is likely meant otherwise is asked back with both readings. Bounds:
docs/domain/numbers.md.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.numbers.meanings import MEANINGS
from volnik.core.rig.bank import Bank
from volnik.core.shelf.chemistries import Chemistry

WRITTEN = re.compile(r"[+\-−]?[\d.,\s]+")
TIMES = {"min": 1.0, "mins": 1.0, "minutes": 1.0, "m": 1.0, "s": 1 / 60, "sec": 1 / 60, "h": 60.0}
UNITS: dict[str, dict[str, float]] = {
    "capacity_ah": {"ah": 1.0, "a h": 1.0, "amp hours": 1.0, "mah": 0.001},
    "rated_hours": {"h": 1.0, "hr": 1.0, "hours": 1.0, "hour": 1.0},
    "peukert_exponent": {},
    "charged_voltage_v": {"v": 1.0, "volt": 1.0, "volts": 1.0, "mv": 0.001},
    "tail_current_pct": {"%": 1.0, "% of c": 1.0, "percent": 1.0},
    "tail_floor_pct": {"%": 1.0, "% of c": 1.0, "percent": 1.0},
    "hold_s": TIMES,
    "dead_band_a": {"a": 1.0, "amps": 1.0, "amp": 1.0, "ma": 0.001},
    "reserve_pct": {"%": 1.0, "percent": 1.0},
    "coulombic_efficiency": {"%": 1.0, "percent": 1.0},
    "runtime_window_s": TIMES,
    "initial_soc": {"%": 1.0, "percent": 1.0},
}
"""How many of the unit on the page one of a typed unit makes."""
OF_CAPACITY: dict[str, dict[str, float]] = {
    "tail_current_pct": {"a": 100.0, "amps": 100.0, "amp": 100.0, "ma": 0.1},
    "tail_floor_pct": {"a": 100.0, "amps": 100.0, "amp": 100.0, "ma": 0.1},
    "reserve_pct": {"ah": 100.0},
    "initial_soc": {"ah": 100.0},
}
"""Units of which one makes so many percent of a capacity of one Ah."""


class NotRead(ValueError):
    """Text that is no number of its kind; the sentence says what is."""


def as_shown(key: str, text: str, capacity_ah: float) -> float | None:
    """Typed text as a number in the unit the page shows, None where nothing was typed.

    Args:
        key: of the number.
        text: as typed, with a unit or without, comma or point.
        capacity_ah: against which amps and Ah are held [Ah]; NaN while it is not known.

    Raises:
        NotRead: saying what units it takes.
    """
    typed = text.strip()
    if not typed:
        return None
    found = WRITTEN.match(typed)
    number = math.nan if found is None else _number(found[0])
    if found is None or not math.isfinite(number):
        raise NotRead(f"“{typed[:30]}” is not a number.")
    written = typed[found.end() :]
    unit = " ".join(written.lower().rstrip(".").split())
    if not unit:
        return number
    if unit in UNITS[key]:
        return number * UNITS[key][unit]
    if unit in OF_CAPACITY.get(key, {}):
        if not capacity_ah > 0.0:
            raise NotRead("Type the capacity first: this is a share of it.")
        return number * OF_CAPACITY[key][unit] / capacity_ah
    raise NotRead(_units_of(key, written))


def _units_of(key: str, unit: str) -> str:
    shown = MEANINGS[key].unit
    also = " or in A" if "a" in OF_CAPACITY.get(key, {}) else ""
    takes = f"it is typed in {shown}{also}" if shown else "it has no unit"
    return f"“{unit[:12]}” is no unit of this: {takes}."


def _number(text: str) -> float:
    """A number with comma or point; both in it, the last is the decimal one."""
    bare = "".join(text.split()).replace("−", "-")
    if "," in bare and "." in bare:
        thousands = "," if bare.rindex(".") > bare.rindex(",") else "."
        bare = bare.replace(thousands, "")
    try:
        return float(bare.replace(",", "."))
    except ValueError:
        return math.nan


@dataclass(frozen=True, slots=True)
class Reading:
    """One way to read what was typed: the text of the field, and what it is in words."""

    text: str
    words: str


SLIPS: dict[str, tuple[tuple[float, str], ...]] = {
    "capacity_ah": ((10.0, ""), (0.1, ""), (0.001, ""), (1000.0, "comma for thousands")),
    "peukert_exponent": ((0.01, ""), (0.1, "")),
    "charged_voltage_v": ((10.0, ""), (0.1, ""), (0.001, "mV typed as V")),
    "tail_current_pct": ((100.0, "a fraction"), (10.0, ""), (0.1, "")),
    "hold_s": ((1 / 60, "seconds"),),
    "dead_band_a": ((0.001, "mA"), (0.1, ""), (0.01, "")),
    "reserve_pct": ((100.0, "a fraction"),),
    "coulombic_efficiency": ((100.0, "a fraction"), (0.1, ""), (10.0, "")),
    "runtime_window_s": ((1 / 60, "seconds"),),
    "initial_soc": ((100.0, "a fraction"),),
}
"""Factors by which a number is mistyped, with what it then was."""
CLASS_FACTORS = (2.0, 3.0, 4.0, 0.5, 0.25)
"""Volts of another class of battery: 12 V typed for 24, 36 or 48, and back."""


def readings(key: str, shown: float, bank: Bank, chemistry: Chemistry, capacity_ah: float) -> list[Reading]:
    """What else an unlikely number can have meant, likeliest first; none where it is likely as it is.

    Args:
        key: of the number.
        shown: its value in the unit the page shows.
        bank: of the rig.
        chemistry: of the bank.
        capacity_ah: as set [Ah].
    """
    low, high = _likely(key, bank, chemistry)
    if key not in SLIPS or low <= shown <= high:
        return []
    unit = MEANINGS[key].unit
    found = {}
    for value, how in _meant(key, shown, chemistry, capacity_ah):
        text = f"{round(value, 4):.10g}"
        if low <= value <= high and text not in found:
            found[text] = Reading(text, f"{text} {unit}".strip() + (f" ({how})" if how else ""))
    return list(found.values())


def _meant(key: str, shown: float, chemistry: Chemistry, capacity_ah: float) -> Iterator[tuple[float, str]]:
    if key == "tail_current_pct" and capacity_ah > 0.0:
        yield 100.0 * shown / capacity_ah, f"{shown:g} A"
    if key == "charged_voltage_v":
        yield from ((shown * factor, "volts of another class") for factor in CLASS_FACTORS)
        yield shown * chemistry.cells_12v, "volts a cell, of 12 V"
    yield from ((shown * factor, how) for factor, how in SLIPS[key])


def _likely(key: str, bank: Bank, chemistry: Chemistry) -> tuple[float, float]:
    """Between what a number lies that nobody would ask back, in the unit the page shows. Source: estimate,
    wide of all that practitioners set.
    """
    offered = bank.capacity(chemistry).capacity_ah
    return {
        "capacity_ah": (0.3 * offered, 2.1 * offered),
        "peukert_exponent": (1.0, 1.5),
        "charged_voltage_v": (0.95 * chemistry.cell_v * bank.cells, 1.35 * chemistry.cell_v * bank.cells),
        "tail_current_pct": (0.25, 12.0),
        "hold_s": (0.25, 60.0),
        "dead_band_a": (0.0, 1.5),
        "reserve_pct": (1.0, 95.0),
        "coulombic_efficiency": (60.0, 100.0),
        "runtime_window_s": (0.05, 240.0),
        "initial_soc": (1.5, 100.0),
    }.get(key, (-math.inf, math.inf))


def asked_back(
    values: dict[str, float | None], bank: Bank, chemistry: Chemistry, sure: frozenset[str]
) -> dict[str, list[Reading]]:
    """Numbers that are likely meant otherwise, with what else they can mean.

    Args:
        values: in stored units.
        bank: of the rig.
        chemistry: of the bank.
        sure: keys whose number was said to be meant as it is.
    """
    capacity_ah = values.get("capacity_ah") or math.nan
    found = {}
    for key, value in values.items():
        if value is None or key in sure or (key in ("reserve_pct", "initial_soc") and value == 0.0):
            continue
        others = readings(key, value * MEANINGS[key].per_stored, bank, chemistry, capacity_ah)
        if others:
            found[key] = others
    return found
