"""What the lamps of an old voltage gauge mean for this bank, at rest."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.bank import Bank
from volnik.core.shelf.chemistries import Chemistry

USUAL_12V = (11.8, 12.2, 12.6)  # a common panel's lamps, 12 V; source: trade practice
DOUBT_12V = 0.1  # how far a lamp's trip point is off, on 12 V; source: estimate


@dataclass(frozen=True, slots=True)
class Lamp:
    """One lamp: the volts it lights from, the charge at rest there with its range 0..1, and whether that
    comforts falsely.
    """

    volts: float
    charge: float
    low: float
    high: float
    below_reserve: bool
    sentence: str


def usual_lamps(bank: Bank, chemistry: Chemistry) -> tuple[float, ...]:
    """Volts of a common panel, scaled to the bank's class: twelve-volt panels are by far the commonest.

    Args:
        chemistry: of the bank.
    """
    scale = max(1, round(bank.nominal_v(chemistry) / 12.5))
    return tuple(round(volts * scale, 1) for volts in USUAL_12V)


def read_lamps(lamps_v: tuple[float, ...], bank: Bank, chemistry: Chemistry, reserve: float) -> list[Lamp]:
    """What each lamp means at rest, lowest first.

    Args:
        lamps_v: volts each lamp lights from [V].
        reserve: part never meant to be used, 0..1.
        bank: as described.
        chemistry: of the bank.
    """
    found = []
    for volts in sorted(lamps_v):
        cell = volts / bank.cells
        charge = chemistry.charge_at_rest(cell)
        uncertainty = DOUBT_12V / chemistry.cells_12v
        low, high = (
            chemistry.charge_at_rest(cell - uncertainty),
            chemistry.charge_at_rest(cell + uncertainty),
        )
        false = charge < reserve - 1e-9
        if cell >= chemistry.rest_v[-1][1]:
            sentence = "never at rest: only while it charges, or just after"
        elif cell <= chemistry.rest_v[0][1]:
            sentence = "lit until the battery is empty: it says nothing"
        elif high - low > 0.25:
            sentence = f"anything from {100 * low:.0f} to {100 * high:.0f} %: volts tell almost nothing here"
        elif false:
            sentence = (
                f"about {100 * charge:.0f} %, below the reserve of {100 * reserve:.0f} %: false comfort"
            )
        else:
            sentence = f"about {100 * charge:.0f} % ({100 * low:.0f} to {100 * high:.0f})"
        found.append(Lamp(volts, charge, low, high, false, sentence))
    return found
