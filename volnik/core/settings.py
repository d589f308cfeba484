"""The numbers a count runs on: the keys of SETTINGS.json, with their limits in one place."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, fields
from typing import Any

from volnik.core.errors import InvalidInput

ALIASES = {"hold_seconds": "hold_s"}


class SettingsError(InvalidInput):
    """Settings that cannot be used. `problems` maps each key to a sentence saying what to do about it."""


@dataclass(frozen=True, slots=True)
class Limit:
    """The widest value that can be meant for one key, and the unit it is given in.

    Attributes:
        low, high: ends of it; `low_open`: whether the low end itself cannot be meant.
        unit: as sentences give it.
        may_be_unknown: whether nobody need know it; it is null then.
        usual: what stands where a document leaves it out, None where it must not.
    """

    low: float
    high: float
    unit: str
    low_open: bool = False
    may_be_unknown: bool = False
    usual: float | None = None

    def refusal(self, value: float) -> str | None:
        """A sentence when `value` lies outside, else None."""
        if value < self.low or value > self.high or (self.low_open and value == self.low):
            above = "above" if self.low_open else "from"
            shown = f"{above} {self.low:g} to {self.high:g} {self.unit}".rstrip()
            return f"must be {shown}, got {value:g}."
        return None


# Limits of sense, not of taste: outside these no rig can have meant the value. Source: estimate.
LIMITS: dict[str, Limit] = {
    "capacity_ah": Limit(0.0, 100_000.0, "Ah", low_open=True),
    "rated_hours": Limit(0.1, 1_000.0, "h"),
    "peukert_exponent": Limit(1.0, 2.0, ""),
    "coulombic_efficiency": Limit(0.3, 1.0, "(a fraction, 0.99 for 99 %)"),
    "charged_voltage_v": Limit(0.0, 1_000.0, "V", low_open=True),
    "tail_current_pct": Limit(0.0, 100.0, "% of capacity", low_open=True),
    "tail_floor_pct": Limit(-1.0, 0.0, "% of capacity", usual=0.0),
    "hold_s": Limit(0.0, 86_400.0, "s"),
    "dead_band_a": Limit(0.0, 100.0, "A"),
    "reserve_pct": Limit(0.0, 99.0, "%"),
    "initial_soc": Limit(0.0, 1.0, "(a fraction, 0.5 for 50 %)", may_be_unknown=True),
    "runtime_window_s": Limit(0.0, 604_800.0, "s", low_open=True),
}


@dataclass(frozen=True, slots=True)
class Numbers:
    """The parameters of one count.

    Attributes:
        capacity_ah: capacity at the `rated_hours` rate [Ah].
        rated_hours: hour rate of that capacity [h].
        peukert_exponent: capacity lost at rates above C/H [-].
        coulombic_efficiency: Ah stored per Ah put in [0..1].
        charged_voltage_v: volts at and above which the bank may count as full [V].
        tail_current_pct: charge current at and below which charge has tapered [% of capacity].
        hold_s: how long both must be true without a break [s].
        dead_band_a: amps below which a reading counts as nothing [A].
        reserve_pct: level at which runtime reaches zero [%].
        initial_soc: charge at the first reading [0..1]; None while unknown until the first full reset.
        runtime_window_s: averaging time before runtime [s].
        tail_floor_pct: lowest current that still counts as tapered, 0 or slightly negative [% of capacity].
    """

    capacity_ah: float
    rated_hours: float
    peukert_exponent: float
    coulombic_efficiency: float
    charged_voltage_v: float
    tail_current_pct: float
    hold_s: float
    dead_band_a: float
    reserve_pct: float
    initial_soc: float | None
    runtime_window_s: float
    tail_floor_pct: float = 0.0

    def __post_init__(self) -> None:
        problems = {}
        for key, limit in LIMITS.items():
            value = getattr(self, key)
            if value is None and limit.may_be_unknown:
                continue
            if not isinstance(value, (int, float)) or isinstance(value, bool) or not math.isfinite(value):
                problems[key] = f"must be a number, got {value!r}."
            elif sentence := limit.refusal(value):
                problems[key] = sentence
        if problems:
            raise SettingsError(problems)

    @property
    def rated_a(self) -> float:
        """The current C/H above which Peukert's law applies [A]."""
        return self.capacity_ah / self.rated_hours

    @property
    def tail_a(self) -> float:
        """The tail current in amps [A]."""
        return self.tail_current_pct * self.capacity_ah / 100.0

    @property
    def floor_a(self) -> float:
        """The lowest current that still counts as tapered [A], zero or negative."""
        return self.tail_floor_pct * self.capacity_ah / 100.0

    @property
    def reserve_ah(self) -> float:
        """The deficit at which the reserve is reached [Ah]."""
        return self.capacity_ah * (1.0 - self.reserve_pct / 100.0)

    def charge(self, deficit_ah: float) -> float:
        """State of charge 0..1 at a deficit [Ah], never below 0; NaN while unknown.

        Args:
            deficit_ah: Ah below full [Ah].
        """
        return deficit_ah if math.isnan(deficit_ah) else max(0.0, 1.0 - deficit_ah / self.capacity_ah)

    def as_dict(self) -> dict[str, float | None]:
        """The keys of SETTINGS.json."""
        return asdict(self)


REQUIRED = [field.name for field in fields(Numbers) if LIMITS[field.name].usual is None]


def numbers_from_dict(given: dict[str, Any]) -> Numbers:
    """Read the keys of SETTINGS.json.

    Args:
        given: values by key.

    Raises:
        SettingsError: naming each unknown, missing or impossible key.
    """
    if not isinstance(given, dict):
        raise SettingsError({"settings": "must be one JSON object with the settings as its keys."})
    values, problems = _known_values(given)
    named = {*values, *(ALIASES.get(key, key) for key in problems)}
    problems |= {name: "is missing." for name in REQUIRED if name not in named}
    if not problems:
        return Numbers(**values)
    for name, value in values.items():
        if value is not None and (sentence := _refusal(name, value)):
            problems[name] = sentence
    raise SettingsError(problems)


def _known_values(given: dict[str, Any]) -> tuple[dict[str, Any], dict[str, str]]:
    """Values by name of a setting, and what is wrong with a key or the kind of its value."""
    values: dict[str, Any] = {}
    problems: dict[str, str] = {}
    for key, value in given.items():
        name = ALIASES.get(key, key)
        if name not in LIMITS:
            problems[key] = "is not a setting this version knows; remove it or correct its name."
        elif name in values:
            problems[key] = f"is there twice, as {name} and under its other name; keep one."
        elif not _may_stand(name, value):
            problems[key] = f"must be a number, got {value!r}."
        else:
            values[name] = None if value is None else float(value)
    return values, problems


def _may_stand(name: str, value: Any) -> bool:
    if value is None:
        return LIMITS[name].may_be_unknown
    return isinstance(value, int | float) and not isinstance(value, bool)


def _refusal(name: str, value: float) -> str:
    return (LIMITS[name].refusal(value) or "") if math.isfinite(value) else "must be a number."
