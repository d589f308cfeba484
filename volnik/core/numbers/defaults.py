"""Default numbers for a bank, and the range a value is usually found in."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.bank import Bank
from volnik.core.settings import LIMITS, Numbers
from volnik.core.shelf.chemistries import Chemistry


def default_numbers(bank: Bank, chemistry: Chemistry) -> Numbers:
    """Starting numbers for this chemistry and cell count. Source: the chemistry's table."""
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
    """The customary range of every number for this bank. Source: trade practice (docs/domain/numbers.md)."""
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
    """
    found: dict[str, str] = {}

    def refuse(key: str, test: bool, sentence: str) -> None:
        if test and key not in found:
            found[key] = sentence

    def value(key: str) -> float:
        number = values.get(key)
        return float("nan") if number is None else number

    for key, number in values.items():
        if number is not None and key in LIMITS and (sentence := LIMITS[key].refusal(number)):
            found[key] = f"This {sentence}"
    volts, cells = value("charged_voltage_v"), bank.cells
    per_cell = volts / cells
    nominal = bank.nominal_v(chemistry)
    low, high = 0.95 * chemistry.cell_v, 1.35 * chemistry.cell_v
    refuse(
        "charged_voltage_v",
        not low <= per_cell <= high and per_cell == per_cell,
        f"{volts:g} V is {per_cell:.2f} V a cell; this {nominal:g} V bank has {cells} cells, so "
        f"about {chemistry.charged_v * cells:.1f} V.",
    )
    tail = value("tail_current_pct")
    refuse(
        "tail_current_pct",
        tail < 0.2,
        f"{tail:g} % looks like a fraction: for {100 * tail:g} % type {100 * tail:g}.",
    )
    refuse(
        "tail_current_pct",
        tail > 25.0,
        f"{tail:g} % of capacity is no taper; amps go beside it, percent here.",
    )
    offered = bank.capacity(chemistry).capacity_ah
    capacity = value("capacity_ah")
    refuse(
        "capacity_ah",
        capacity > 10 * offered or capacity < 0.1 * offered,
        f"The bank on record holds {offered:.0f} Ah; {capacity:g} Ah is ten times off.",
    )
    efficiency = value("coulombic_efficiency")
    refuse(
        "coulombic_efficiency",
        efficiency < 0.5,
        f"{100 * efficiency:g} % looks like a fraction: for 99 % type 99.",
    )
    reserve = value("reserve_pct")
    refuse(
        "reserve_pct",
        0.0 < reserve < 1.0,
        f"{reserve:g} % looks like a fraction: for {100 * reserve:g} % type {100 * reserve:g}.",
    )
    band = value("dead_band_a")
    refuse(
        "dead_band_a",
        band > 5.0,
        f"{band:g} A would hide nearly everything; {band:g} mA is {band / 1000:g} A.",
    )
    hold = value("hold_s")
    refuse(
        "hold_s",
        hold > 7200.0,
        f"{hold / 60:g} minutes is longer than any taper; this is minutes, not seconds.",
    )
    refuse("hold_s", 0.0 < hold < 10.0, f"{hold / 60:g} minutes is under ten seconds; 3 minutes is usual.")
    refuse(
        "peukert_exponent",
        value("peukert_exponent") > 1.6,
        "Exponents lie from 1 to about 1.4; a percentage does not belong here.",
    )
    first = value("initial_soc")
    refuse(
        "initial_soc",
        0.0 < first <= 0.01,
        f"{100 * first:g} % looks like a fraction: for {10000 * first:g} % type {10000 * first:g}.",
    )
    window = value("runtime_window_s")
    refuse(
        "runtime_window_s",
        window < 5.0,
        "A window under five seconds follows every spark; 3 minutes is usual.",
    )
    return found
