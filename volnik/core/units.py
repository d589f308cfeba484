"""Conversions for showing. Stored values are always SI."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

System = Literal["metric", "us"]


def fahrenheit(celsius: float) -> float:
    """Degrees Fahrenheit from Celsius: F = C x 9/5 + 32.

    Args:
        celsius: temperature [°C].
    """
    return celsius * 9.0 / 5.0 + 32.0


def temperature(celsius: float, system: System) -> tuple[float, str]:
    """A temperature and its unit in the wanted system.

    Args:
        celsius: temperature [°C].
    """
    return (fahrenheit(celsius), "°F") if system == "us" else (celsius, "°C")


@dataclass(frozen=True, slots=True)
class ShownUnit:
    """A unit that a stored value is shown and typed in; a shown value times `per_shown` is the stored one."""

    name: str
    per_shown: float

    def shown(self, stored: float) -> float:
        """A stored value in this unit."""
        return stored / self.per_shown


LENGTH: dict[System, ShownUnit] = {"metric": ShownUnit("m", 1.0), "us": ShownUnit("ft", 0.3048)}
"""Lengths, stored in metres; source: the international foot is 0.3048 m by definition."""

TORQUE: dict[System, ShownUnit] = {"metric": ShownUnit("N·m", 1.0), "us": ShownUnit("lbf·ft", 1.3558)}
"""Torques, stored in newton metres; source: pound-force 4.4482 N times the foot."""
