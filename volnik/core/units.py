"""Conversions for showing. Stored values are always SI."""

from __future__ import annotations

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
