"""Default numbers for a bank, and the range a value is usually found in."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.rig.bank import Bank
from volnik.core.settings import LIMITS, Numbers
from volnik.core.shelf.chemistries import Chemistry


def default_numbers(bank: Bank, chemistry: Chemistry) -> Numbers:
    """Starting numbers for this chemistry and cell count. Source: the chemistry's table.

    Args:
        bank: as described.
    """
    return Numbers(
        capacity_ah=round(bank.capacity(chemistry).capacity_ah, 1),
        rated_hours=20.0,
        peukert_exponent=chemistry.peukert,
        coulombic_efficiency=chemistry.efficiency,
        charged_voltage_v=round(chemistry.charged_v * bank.cells, 2),
        tail_current_pct=chemistry.tail_pct,
        hold_s=chemistry.hold_s,
        dead_band_a=0.1,
        reserve_pct=chemistry.reserve_pct,
        initial_soc=None,
        runtime_window_s=180.0,
    )


@dataclass(frozen=True, slots=True)
class Span:
    """Where a value is usually found for this bank, in stored units."""

    low: float
    high: float


def usual_spans(bank: Bank, chemistry: Chemistry) -> dict[str, Span]:
    """The customary range of every number for this bank. Source: trade practice (docs/domain/numbers.md).

    Args:
        chemistry: of the bank.
    """
    offered = bank.capacity(chemistry).capacity_ah
    cells = bank.cells
    return {
        "capacity_ah": Span(0.6 * offered, 1.05 * offered),
        "rated_hours": Span(20.0, 20.0),
        "peukert_exponent": Span(chemistry.peukert_low, chemistry.peukert_high),
        "charged_voltage_v": Span(
            chemistry.early_v * cells, (chemistry.absorption_high_v - 0.1 / chemistry.cells_12v) * cells
        ),
        "tail_current_pct": Span(2.0, 5.0),
        "tail_floor_pct": Span(-0.5, 0.0),
        "hold_s": Span(180.0, 600.0),
        "dead_band_a": Span(0.02, 0.1),
        "coulombic_efficiency": Span(chemistry.efficiency_low, chemistry.efficiency_high),
        "reserve_pct": Span(0.0 if not chemistry.is_lead else 30.0, 20.0 if not chemistry.is_lead else 50.0),
        "runtime_window_s": Span(60.0, 1800.0),
        "initial_soc": Span(0.0, 1.0),
    }


def traps(values: dict[str, float | None], bank: Bank, chemistry: Chemistry) -> dict[str, str]:
    """Values typed in the wrong unit or for another voltage class, by key, each with a sentence.

    Args:
        values: stored units, as in SETTINGS.json.
        bank, chemistry: what the volts and the capacity are held against.
    """
    found: dict[str, str] = {}
    for key, number in values.items():
        if number is None:
            continue
        if key in LIMITS and (sentence := LIMITS[key].refusal(number)):
            found[key] = f"This {sentence}"
        elif sentence := _bank_trap(key, number, bank, chemistry) or _unit_trap(key, number):
            found[key] = sentence
    return found


def _bank_trap(key: str, number: float, bank: Bank, chemistry: Chemistry) -> str:
    """Volts of another class and a capacity ten times off, or ""."""
    if key == "charged_voltage_v":
        per_cell = number / bank.cells
        if 0.95 * chemistry.cell_v <= per_cell <= 1.35 * chemistry.cell_v:
            return ""
        return (
            f"{number:g} V is {per_cell:.2f} V a cell; this {bank.nominal_v(chemistry):g} V bank has "
            f"{bank.cells} cells, so about {chemistry.charged_v * bank.cells:.1f} V."
        )
    if key == "capacity_ah":
        offered = bank.capacity(chemistry).capacity_ah
        if 0.1 * offered <= number <= 10 * offered:
            return ""
        return f"The bank on record holds {offered:.0f} Ah; {number:g} Ah is ten times off."
    return ""


def _unit_trap(key: str, number: float) -> str:
    """What a value in the wrong unit looks like, or "". Bounds are estimates, far outside any sound value."""
    for low, high, sentence in UNIT_TRAPS.get(key, ()):
        if low < number <= high:
            return sentence.format(
                value=number,
                percent=100 * number,
                myriad=10_000 * number,
                minutes=number / 60,
                milli=number / 1000,
            )
    return ""


# A value above the first figure and up to the second is taken for another unit.
UNIT_TRAPS: dict[str, tuple[tuple[float, float, str], ...]] = {
    "tail_current_pct": (
        (-math.inf, 0.2 - 1e-12, "{value:g} % looks like a fraction: for {percent:g} % type {percent:g}."),
        (25.0, math.inf, "{value:g} % of capacity is no taper; amps go beside it, percent here."),
    ),
    "coulombic_efficiency": (
        (-math.inf, 0.5 - 1e-12, "{percent:g} % looks like a fraction: for 99 % type 99."),
    ),
    "reserve_pct": (
        (0.0, 1.0 - 1e-12, "{value:g} % looks like a fraction: for {percent:g} % type {percent:g}."),
    ),
    "dead_band_a": (
        (5.0, math.inf, "{value:g} A would hide nearly everything; {value:g} mA is {milli:g} A."),
    ),
    "hold_s": (
        (7200.0, math.inf, "{minutes:g} minutes is longer than any taper; this is minutes, not seconds."),
        (0.0, 10.0 - 1e-12, "{minutes:g} minutes is under ten seconds; 3 minutes is usual."),
    ),
    "peukert_exponent": (
        (1.6, math.inf, "Exponents lie from 1 to about 1.4; a percentage does not belong here."),
    ),
    "initial_soc": ((0.0, 0.01, "{percent:g} % looks like a fraction: for {myriad:g} % type {myriad:g}."),),
    "runtime_window_s": (
        (-math.inf, 5.0 - 1e-12, "A window under five seconds follows every spark; 3 minutes is usual."),
    ),
}
