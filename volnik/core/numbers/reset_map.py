"""The reset map: charged voltage against tail current at one hold time, over one simulated season.
docs/domain/resetmap.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.simulation.season import Season

CELLS = 50  # a side: 0.02 V by 0.2 % on a 12 V bank, finer than any monitor's fields
# Hold times monitors offer.
HOLDS_S = (60.0, 120.0, 180.0, 300.0, 600.0, 900.0, 1200.0, 1800.0)
ZONES = ("rightly", "early_heals", "early_lasts", "rarely", "never")
ZONE_WORDS = {
    "rightly": "resets rightly",
    "early_heals": "false full, corrects itself",
    "early_lasts": "false full, stays wrong",
    "rarely": "rarely",
    "never": "never",
}
FULL = {"lead": 0.95, "lithium": 0.97}  # true charge from which a reset is called right; source: estimate
FALL = 0.01  # charge lost that ends a leg; source: docs/domain/resetmap.md
LASTING_SHARE, EARLY_SHARE = 0.05, 0.10  # of its resets, from which a cell is called so; source: estimate
WANTED_A_MONTH = 2.0  # resets; source: trade practice
OFFSET_A = 0.03  # a zero as good as it is set, [A]; source: estimate
GRIDS = {"lfp": (13.20, 0.03), "nmc": (13.30, 0.03), "gel": (13.0, 0.03)}  # lowest volts and step, 12 V bank
EFFICIENCY_DOUBT = {"lead": 0.02, "lithium": 0.004}
START_DOUBT = 0.05  # of capacity: how well the first charge is known
LOOK_S = 1800.0  # the count is compared with the truth this often


@dataclass(frozen=True, slots=True)
class Grid:
    """The limits of the map. charged_v: rising, shape (50,) [V]; tail_pct: rising, shape (50,) [% of C]."""

    charged_v: Floats
    tail_pct: Floats

    def nearest(self, charged_v: float, tail_pct: float) -> tuple[int, int]:
        """The cell nearest to a setting: (row, column).

        Args:
            charged_v: charged voltage [V].
            tail_pct: tail current [% of C].
        """
        return int(np.abs(self.charged_v - charged_v).argmin()), int(
            np.abs(self.tail_pct - tail_pct).argmin()
        )


def grid_for(chemistry: Chemistry, cells: int) -> Grid:
    """The map's limits for a bank: 50 charged voltages, 50 tails from 0.2 to 10 %.

    Volts a 12 V bank: iron phosphate 13.20 to 14.67, nickel 13.30 to 14.77, gel 13.00 to 14.47, other lead
    13.00 to 14.96.

    Args:
        chemistry: of the bank.
        cells: of the bank in series.
    """
    low, step = {"lfp": (13.20, 0.03), "nmc": (13.30, 0.03), "gel": (13.0, 0.03)}.get(
        chemistry.key, (13.0, 0.04)
    )
    scale = cells / chemistry.cells_12v
    return Grid(
        np.round(scale * (low + step * np.arange(CELLS)), 2), np.round(0.2 * np.arange(1, CELLS + 1), 1)
    )


@dataclass(frozen=True, slots=True)
class Sampled:
    """A season as the map reads it.

    Attributes:
        volts, amps: what the monitor wrote down, shape (n,).
        step_s: between two readings [s].
        charge, healed: truth at each reading, and what it still rises to, 0..1.
        leg: number of its charge leg.
        full: charge from which a reset is right.
        full_legs: legs that reached it.
        peak: highest charge of any leg.
        stored_ah, hidden_h: running sums.
        capacity_ah: as set in the monitor [Ah].
    """

    volts: Floats
    amps: Floats
    step_s: float
    charge: Floats
    healed: Floats
    leg: Any
    full: float
    full_legs: int
    legs: int
    peak: float
    stored_ah: Floats
    hidden_h: Any
    capacity_ah: float
    is_lead: bool

    @property
    def months(self) -> float:
        """How long the season is, in months of 30 days."""
        return len(self.volts) * self.step_s / (30 * 86400.0)

    @property
    def wanted(self) -> float:
        """Legs a setting must reset in: twice a month, or half of those that get full where that is fewer."""
        return max(1.0, min(WANTED_A_MONTH * self.months, 0.5 * self.full_legs))


def sampled(
    season: Season, readings: Readings, *, is_lead: bool, capacity_ah: float, dead_band_a: float
) -> Sampled:
    """A season made ready for the map.

    Args:
        readings: in order of time.
        is_lead: whether it is a lead bank.
        capacity_ah: of the bank [Ah].
        dead_band_a: below which amps are booked as nothing [A].
    """
    from volnik.core.numbers.reset_outcomes import charge_legs

    charge = np.minimum(season.truth.charge, 1.0)
    leg, healed, peaks = charge_legs(charge, FALL)
    step_h = season.days.step_s / 3600.0
    full = FULL["lead" if is_lead else "lithium"]
    later = peaks[1:]  # the first is the full bank it began with
    return Sampled(
        readings.volts,
        readings.amps,
        season.days.step_s,
        charge,
        healed,
        leg,
        full,
        int((later >= full).sum()),
        len(later),
        float(later.max()) if len(later) else 0.0,
        np.cumsum(np.maximum(readings.amps, 0.0)) * step_h,
        np.cumsum(np.abs(readings.amps) < dead_band_a) * step_h,
        capacity_ah,
        is_lead,
    )


@dataclass(frozen=True, slots=True)
class ResetMap:
    """Every cell's outcome at one hold time; arrays of shape (50, 50), rows by volts, columns by tail.

    Attributes:
        resets, early: how many, and how many of them below full.
        legs, lasting: charge legs reset in, and those left early.
        worst: least true charge at a reset, 0..1; 1 where there is none.
        zone: index into ZONES.
        error: expected error of the count, root mean square, share of capacity.
    """

    grid: Grid
    hold_s: float
    resets: Any
    early: Any
    legs: Any
    lasting: Any
    worst: Any
    zone: Any
    error: Any

    def describe(self, row: int, column: int) -> str:
        """A cell's outcome in a sentence.

        Args:
            row: of the map, by charged voltage.
            column: of the map, by tail current.
        """
        count, early = int(self.resets[row, column]), int(self.early[row, column])
        zone = ZONES[int(self.zone[row, column])]
        if zone == "never":
            return "Never resets in these days."
        worst = 100 * float(self.worst[row, column])
        times = f"{count} reset{'s' if count != 1 else ''}"
        if zone == "early_lasts":
            lasting = int(self.lasting[row, column])
            return (
                f"{times}; after {lasting} of {int(self.legs[row, column])} charges the battery was left "
                f"short. Worst: 100 % announced at {worst:.0f} %."
            )
        if zone == "early_heals":
            return (
                f"{times}, {early} of them early, at {worst:.0f} % at worst; charging went on and made "
                "up for it."
            )
        if zone == "rarely":
            return f"Only {times} in these days; between them the count drifts."
        return f"{times}, the earliest at {worst:.0f} % true charge."


def hold_samples(hold_s: float, step_s: float) -> int:
    """Samples in an unbroken hold, both ends counted.

    Args:
        hold_s: hold time [s].
        step_s: between samples [s].
    """
    return math.ceil(hold_s / step_s - 1e-9) + 1


def reset_map(
    days: Sampled,
    grid: Grid,
    *,
    hold_s: float,
    floor_pct: float = 0.0,
    dead_band_a: float = 0.1,
    with_error: bool = True,
) -> ResetMap:
    """The outcome of every cell.

    Args:
        hold_s: [s].
        floor_pct: lowest current that counts as tapered [% of C].
        dead_band_a: [A].
        days: the sampled season.
        grid: charged voltages and tail currents of the map.
        with_error: whether the error of each setting is reckoned too.
    """
    from volnik.core.numbers.reset_outcomes import (
        Doubts,
        Limits,
        Running,
        SampledDays,
        errors,
        outcomes,
        places,
    )

    size = (len(grid.charged_v), len(grid.tail_pct))
    tail_a = grid.tail_pct * days.capacity_ah / 100.0
    limits = Limits(grid.charged_v, tail_a, floor_pct * days.capacity_ah / 100.0)
    up, right = places(days.volts, days.amps, hold_samples(hold_s, days.step_s), limits)
    resets, early, legs, lasting, worst = outcomes(
        up, right, SampledDays(days.charge, days.healed, days.leg, days.full), size
    )
    error = np.zeros(size)
    if with_error:
        doubts = Doubts(
            START_DOUBT,
            OFFSET_A,
            EFFICIENCY_DOUBT["lead" if days.is_lead else "lithium"],
            dead_band_a / math.sqrt(3.0),
            days.capacity_ah,
            days.step_s / 3600.0,
            max(1, round(LOOK_S / days.step_s)),
        )
        error = errors(up, right, Running(days.charge, days.stored_ah, days.hidden_h), doubts, size)
    zone = np.full(size, ZONES.index("rightly"), np.int8)
    zone[early > EARLY_SHARE * resets] = ZONES.index("early_heals")
    zone[legs - lasting < days.wanted] = ZONES.index("rarely")
    zone[(lasting > LASTING_SHARE * legs) & (resets > 0)] = ZONES.index("early_lasts")
    zone[resets == 0] = ZONES.index("never")
    return ResetMap(grid, hold_s, resets, early, legs, lasting, worst, zone, error)


@dataclass(frozen=True, slots=True)
class Marked:
    """One reset on simulated days. at: index of the reading. charge, healed.

    True charge there and what it rose to.
    """

    at: int
    charge: float
    healed: float
    right: bool
    heals: bool


def counted_days(days: Sampled, time_s: Floats, numbers: Numbers) -> tuple[Floats, list[Marked]]:
    """The count of given numbers on simulated days.

    Charge told at each reading 0..1, and its resets judged.

    Args:
        time_s: instants of the readings, rising, shape (n,) [s].
    """
    from volnik.core.count.log import LogCounter

    counted = LogCounter.opened(numbers).feed(
        time_s, days.volts, days.amps, gap_s=max(300.0, 10 * days.step_s)
    )
    message = np.clip(1.0 - counted.deficit_ah / numbers.capacity_ah, 0.0, 1.0)
    marked = []
    for reset in counted.resets:
        at = int(np.searchsorted(time_s, reset.time_s))
        charge, healed = float(days.charge[at]), float(days.healed[at])
        marked.append(Marked(at, charge, healed, charge >= days.full, healed >= days.full))
    return message, marked
