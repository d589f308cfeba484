"""What a label says, turned into Ah at the hour rate a monitor expects. Every conversion shows its sum."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from pydantic import ConfigDict

CapacityKind = Literal["nameplate", "energy", "reserve_minutes", "other_rate"]
MONITOR_HOURS = 20.0  # the rate monitors of the trade reckon with


@dataclass(frozen=True, slots=True)
class CapacityLabel:
    """What the label of one block states.

    Attributes:
        kind: "nameplate" (Ah at 20 h), "energy" (kWh), "reserve_minutes" or "other_rate" (Ah at `hours`).
        ah, hours, kwh, minutes, test_a: the figures that kind needs [Ah, h, kWh, min, A].
    """

    __pydantic_config__ = ConfigDict(extra="forbid")  # as a section of the rig document

    kind: CapacityKind
    ah: float | None = None
    hours: float = MONITOR_HOURS
    kwh: float | None = None
    minutes: float | None = None
    test_a: float = 25.0

    def problems(self) -> dict[str, str]:
        """What keeps the label from being used, by field."""
        needed = {"nameplate": "ah", "energy": "kwh", "reserve_minutes": "minutes", "other_rate": "ah"}[
            self.kind
        ]
        words = {
            "ah": "the Ah on the label",
            "kwh": "the kWh on the label",
            "minutes": "the reserve minutes on the label",
        }
        limits = {"ah": (0.5, 5000.0, "Ah"), "kwh": (0.005, 200.0, "kWh"), "minutes": (5.0, 2000.0, "min")}
        found = {}
        value = getattr(self, needed)
        low, high, unit = limits[needed]
        if value is None:
            found[needed] = f"Type {words[needed]}."
        elif not low <= value <= high:
            found[needed] = (
                f"A battery has {low:g} to {high:g} {unit}; {value:g} {unit} looks like another unit."
            )
        if self.kind == "other_rate" and not 0.5 <= self.hours <= 200.0:
            found["hours"] = f"An hour rate is 0.5 to 200 h, got {self.hours:g} h."
        if self.kind == "reserve_minutes" and not 1.0 <= self.test_a <= 200.0:
            found["test_a"] = (
                f"The test current is 1 to 200 A (25 A on 12 V batteries), got {self.test_a:g} A."
            )
        return found


@dataclass(frozen=True, slots=True)
class Conversion:
    """A capacity with the sum that gave it.

    Attributes:
        capacity_ah: Ah at the 20-hour rate [Ah].
        sums: each line of the working, as a person would write it.
        trap_ah: the figure people mistake it for [Ah], or None, with `trap_name` saying what that is.
    """

    capacity_ah: float
    sums: list[str] = field(default_factory=list)
    trap_ah: float | None = None
    trap_name: str = ""


def capacity_at_rate(capacity_ah: float, hours: float, to_hours: float, peukert_exponent: float) -> float:
    """Ah at another hour rate, C2 = C1 (H2/H1)^(1 - 1/k).

    Source: Peukert's law, I^k t constant (docs/domain/bank.md).

    Args:
        capacity_ah: of the bank [Ah].
        hours: the hour rate the figure holds at [h].
        to_hours: the hour rate that is wanted [h].
        peukert_exponent: of the bank.
    """
    return float(capacity_ah * (to_hours / hours) ** (1.0 - 1.0 / peukert_exponent))


def capacity_from_reserve(minutes: float, test_a: float, to_hours: float, peukert_exponent: float) -> float:
    """Ah at the hour rate from minutes at a test current, C_H = I_t H (t/H)^(1/k), t = minutes/60.

    Source: Peukert's law (docs/domain/bank.md).

    Args:
        test_a: the current of the reserve test [A].
        to_hours: the hour rate that is wanted [h].
        peukert_exponent: of the bank.
    """
    return float(test_a * to_hours * (minutes / 60.0 / to_hours) ** (1.0 / peukert_exponent))


def read_label(label: CapacityLabel, *, cells: int, cell_v: float, peukert_exponent: float) -> Conversion:
    """The 20-hour capacity of one block from its label.

    Args:
        cells: of the bank in series.
        cell_v: nominal volts of a cell [V].
        peukert_exponent: of the bank.

    Raises:
        ValueError: when the label lacks its figure.
    """
    if problems := label.problems():
        raise ValueError(" ".join(problems.values()))
    k = peukert_exponent
    if label.kind == "nameplate":
        assert label.ah is not None
        return Conversion(label.ah, [f"{label.ah:g} Ah on the label, taken at the 20-hour rate"])
    if label.kind == "energy":
        assert label.kwh is not None
        volts = cells * cell_v
        ah = 1000.0 * label.kwh / volts
        return Conversion(
            ah,
            [
                f"{cells} cells × {cell_v:g} V = {volts:g} V",
                f"1000 × {label.kwh:g} kWh ÷ {volts:g} V = {ah:.1f} Ah",
            ],
        )
    if label.kind == "other_rate":
        assert label.ah is not None
        ah = capacity_at_rate(label.ah, label.hours, MONITOR_HOURS, k)
        sums = [
            f"{label.ah:g} Ah × (20 h ÷ {label.hours:g} h)^(1 − 1/{k:g}) = {ah:.1f} Ah at the 20-hour rate"
        ]
        return Conversion(ah, sums, label.ah, f"the Ah at the {label.hours:g}-hour rate")
    assert label.minutes is not None
    ah = capacity_from_reserve(label.minutes, label.test_a, MONITOR_HOURS, k)
    at_test = label.test_a * label.minutes / 60.0
    sums = [
        f"{label.test_a:g} A × {label.minutes:g} min ÷ 60 = {at_test:.1f} Ah delivered at {label.test_a:g} A",
        f"{label.test_a:g} A × 20 h × ({label.minutes:g} min ÷ 60 ÷ 20 h)^(1/{k:g}) = {ah:.1f} Ah at "
        "the 20-hour rate",
    ]
    return Conversion(ah, sums, at_test, f"the Ah at {label.test_a:g} A")
