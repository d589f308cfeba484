"""Typed text as numbers and amounts: "13,5", "400 mA", "1.2 kWh", "90 min", "77 °F".

A field's unit is the last part of its name (`most_a`, `hole_mm`, `deepest_ah`): with it, or with another unit
of the same kind, a figure is understood; with a unit of another kind it is refused in words.
"""

from __future__ import annotations

import math
import re

from pydantic_core import PydanticCustomError

from volnik.web.us_units import shown_unit

AMOUNT = re.compile(r"([-−+]?[ \d.,]+)([a-zµ%°Ω·/]+)", re.I)
MOST_LETTERS = 40
PREFIXED = {"A": "current", "V": "voltage", "W": "power", "Ω": "resistance", "Ah": "charge", "Wh": "energy"}
PREFIXES = {"µ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3}
UNITS: dict[str, tuple[str, float]] = {
    **{prefix + unit: (kind, step) for unit, kind in PREFIXED.items() for prefix, step in PREFIXES.items()},
    "s": ("time", 1.0),
    "min": ("time", 60.0),
    "h": ("time", 3600.0),
    "days": ("time", 86_400.0),
    "mm": ("length", 0.001),
    "cm": ("length", 0.01),
    "m": ("length", 1.0),
    "ft": ("length", 0.3048),
    "in": ("length", 0.0254),
    "%": ("share", 0.01),
    "°C": ("temperature", 1.0),
    "mV/°C": ("slope", 1.0),
}
"""What each unit is of, and its size in the first unit of that kind; source: definitions."""

SPELT = {
    "amp": "A",
    "amps": "A",
    "ampere": "A",
    "amperes": "A",
    "volt": "V",
    "volts": "V",
    "watt": "W",
    "watts": "W",
    "ohm": "Ω",
    "ohms": "Ω",
    "sec": "s",
    "secs": "s",
    "second": "s",
    "seconds": "s",
    "mins": "min",
    "minute": "min",
    "minutes": "min",
    "hr": "h",
    "hrs": "h",
    "hour": "h",
    "hours": "h",
    "day": "days",
    "d": "days",
    "inch": "in",
    "inches": "in",
    "feet": "ft",
    "foot": "ft",
    "percent": "%",
    "c": "°C",
    "f": "°F",
}
NAMED = {
    "hours": "h",
    "minutes": "min",
    "volts": "V",
    "amps": "A",
    "watts": "W",
    "percent": "%",
    "soc": "%",
    "days": "days",
    "c": "°C",
    "pct": "%",
    "mohm": "mΩ",
    "ohm": "Ω",
}
"""Units by the last part of a field's name, where that is not the unit itself in small letters."""


def fault(sentence: str, field: str = "") -> PydanticCustomError:
    """What is wrong with a form, as a validator raises it; `field` where it is not the validated one."""
    # The sentence is handed over as a value: it may hold what was typed, braces and all.
    return PydanticCustomError("form", "{sentence}", {"sentence": sentence, "field": field})


def trimmed(value: object) -> str:
    """Typed text without the blanks around it; "" for what is no text."""
    return value.strip() if isinstance(value, str) else ""


def number_in(value: object) -> float | None:
    """Typed text as a number, comma or point, or None where nothing was typed."""
    typed = trimmed(value)
    if not typed:
        return None
    try:
        number = float("".join(typed.split()).replace(",", ".").replace("−", "-"))
    except ValueError:
        number = math.nan
    if not math.isfinite(number):
        raise fault(f"“{typed[:30]}” is not a number.")
    return number


def amount_in(value: object, unit: str, system: str = "metric") -> float | None:
    """Typed text as an amount of a unit, which may stand behind it: "13 A", "400 mA"; None for nothing.

    Args:
        value: as typed.
        unit: that the field is in, such as "A" or "mV"; "" for a plain number.
        system: of units the browser shows: a bare figure is in what the field is labelled with.
    """
    typed = " ".join(trimmed(value).split())
    found = AMOUNT.fullmatch(typed) if len(typed) < MOST_LETTERS else None
    if found is None:
        number, said = number_in(value), shown_unit(unit, system)
    else:
        number, said = number_in(found[1].replace(" ", "")), unit_said(found[2])
    if number is not None and said == "°F" and unit == "°C":
        return round((number - 32.0) / 1.8, 9)
    factor = _factor(said, unit)
    if factor is None:
        asked = shown_unit(unit, system) or "a plain number"
        raise fault(f"“{typed[:30]}” is in {said}, and this is asked in {asked}.")
    return None if number is None else round(number * factor, 9)


def unit_said(word: str) -> str:
    """A unit as it was typed, in its usual letters; the word itself where it is none that is known.

    Args:
        word: such as "amps", "MV" or "°c".
    """
    known = SPELT.get(word.lower(), word)
    if known in UNITS or (known[0] == "M" and known[1:] in PREFIXED):  # mega is no milli: it is asked back
        return known
    small = {unit.lower(): unit for unit in UNITS}
    return small.get(known.lower().replace("ohm", "Ω".lower()), known)


def unit_of(name: str) -> str:
    """The unit of a field by its name, "" where it has none.

    Args:
        name: of the field, such as "most_a".
    """
    last = name.rpartition("_")[2]
    if name.endswith("_mv_c"):
        return "mV/°C"
    if last in NAMED:
        return NAMED[last]
    small = {unit.lower(): unit for unit in UNITS}
    return small.get(last, "") if "_" in name or len(last) > 1 else ""


def _factor(said: str, unit: str) -> float | None:
    """By what an amount in one unit is multiplied to be in another; None where they are not of one kind."""
    if said == unit:
        return 1.0
    if said not in UNITS or unit not in UNITS or UNITS[said][0] != UNITS[unit][0]:
        return None
    return UNITS[said][1] / UNITS[unit][1]
