"""Chargers with bulk, absorption and float, each behind its own cable.

Source: docs/domain/truth.md, section 2.
"""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.arrays import Floats

SOLAR_RESTART_S, RESTART_S = 3 * 3600.0, 300.0  # dark or off so long, a charger starts anew in bulk


@dataclass(frozen=True, slots=True)
class Charger:
    """One charger and what it can give at each step.

    Attributes:
        name: for the record.
        available_a: largest amps at each step, shape (n,) [A]; 0 is off.
        absorption_v, float_v: its set volts at 25 °C [V].
        absorption_s: longest absorption [s].
        end_a: its own amps, loads included, below which absorption ends [A].
        cable_ohm: between charger and bank, out and back [ohm].
        counted: share of its current that crosses the shunt.
        slope_v: change of its volts a degree above 25 °C [V/K], 0 or negative.
        restart_s: how long it must be off to start anew [s].
    """

    name: str
    available_a: Floats
    absorption_v: float
    float_v: float
    absorption_s: float
    end_a: float
    cable_ohm: float
    counted: float = 1.0
    slope_v: float = 0.0
    restart_s: float = SOLAR_RESTART_S
