"""Cells by their own volts: how far they part, which ones, and whether one reaches its limit first."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.columns import column, of_kind
from volnik.core.findings import Finding, Level
from volnik.core.watch.own_columns.despiked import despiked

AT_REST_V = {"lfp": 0.03, "nmc": 0.03}
"""What sound lithium cells part by when little flows [V]. Source: estimate; the maker's sheet first."""
AT_REST_LEAD_V = 0.06  # of a lead cell; source: estimate
BETWEEN_V = {"lfp": (3.20, 3.36), "nmc": (3.50, 4.05)}
"""Between which volts of a cell rest is looked at.

Near full and near empty sound cells part too: they are balanced, or on the steep end of their curve. Source:
estimate, by the curves of core/shelf/cells.py."""
REST_C = 0.02  # of the bank's Ah, under which little flows [1/h]; source: estimate
AT_LIMIT_V = 0.03  # from its limit, at which a cell is as good as there
LEADS_V = 0.10  # by which the first cell is then ahead of the last: the others are not at their end
LEAST = 20  # readings at rest, under which nothing is said of rest


@dataclass(frozen=True, slots=True)
class Cells:
    """How the cells of a bank stood to each other over a log.

    Attributes:
        names: of their columns.
        low_v, high_v: lowest and highest cell of the latest reading [V].
        rest_v: what they part by when little flows, the median; NaN where it was too short [V].
        widest_v: the most they parted by [V].
        widest_s: when [s since 1970].
        first_high, first_low: the cell that is mostly highest and lowest, in words; "" where only the
            extremes are told.
        peak_v, peak_parted_v: highest any cell stood, and what they parted by then [V].
        sag_v, sag_parted_v: lowest any cell stood, and what they parted by then [V].
    """

    names: tuple[str, ...]
    low_v: float
    high_v: float
    rest_v: float
    widest_v: float
    widest_s: float
    first_high: str
    first_low: str
    peak_v: float
    peak_parted_v: float
    sag_v: float
    sag_parted_v: float

    @property
    def parted_v(self) -> float:
        """What they part by now [V]."""
        return self.high_v - self.low_v


def cells_of(
    time_s: Floats, amps: Floats, columns: Mapping[str, Floats], capacity_ah: float, *, chemistry: str
) -> Cells | None:
    """How the cells stood over a log; None without two of them.

    Args:
        time_s: instants, shape (n,) [s].
        amps: of the shunt, shape (n,) [A].
        columns: of the log by name, shape (n,) each; those of cells are looked at.
        capacity_ah: of the bank [Ah].
        chemistry: of the bank, by its key; "" while unknown.
    """
    names = [found.name for found in of_kind(columns, "cell_volts")]
    if len(names) < 2:
        return None
    table = np.stack([columns[name] for name in names])
    whole = np.isfinite(table).all(axis=0)
    if not whole.any():
        return None
    now, at = table[:, whole][:, -1], time_s[whole]
    table = despiked(table[:, whole])
    low, high = table.min(axis=0), table.max(axis=0)
    parted = high - low
    least_v, most_v = BETWEEN_V.get(chemistry, (0.0, math.inf))
    middle_v = np.median(table, axis=0)
    resting = (np.abs(amps[whole]) < REST_C * capacity_ah) & (middle_v >= least_v) & (middle_v <= most_v)
    rest_v = float(np.median(parted[resting])) if resting.sum() >= LEAST else math.nan
    widest, peak, sag = int(parted.argmax()), int(high.argmax()), int(low.argmin())
    by_name = set(names) != {"cell_volts_low", "cell_volts_high"}
    return Cells(
        tuple(names),
        float(now.min()),
        float(now.max()),
        rest_v,
        float(parted[widest]),
        float(at[widest]),
        _mostly(names, table.argmax(axis=0)) if by_name else "",
        _mostly(names, table.argmin(axis=0)) if by_name else "",
        float(high[peak]),
        float(parted[peak]),
        float(low[sag]),
        float(parted[sag]),
    )


def _mostly(names: list[str], which: np.ndarray) -> str:
    """The cell that is it most often, in words."""
    found = column(names[int(np.bincount(which, minlength=len(names)).argmax())])
    return found.words if found is not None else ""


def cell_findings(cells: Cells, *, chemistry: str, low_v: float, high_v: float | None) -> list[Finding]:
    """What the cells give cause to say, gravest first.

    Args:
        cells: how they stood.
        chemistry: of the bank, by name.
        low_v, high_v: where the battery's own protection opens, a cell [V]; None where it has none above.
    """
    found = [*_at_top(cells, high_v), *_at_bottom(cells, low_v), *_at_rest(cells, chemistry)]
    return found[:1]


def _said(level: Level, message: str, why: str, remedy: str) -> list[Finding]:
    return [Finding("watch.W04", level, message, why, remedy, "watch")]


def _at_top(cells: Cells, high_v: float | None) -> list[Finding]:
    if high_v is None or cells.peak_v < high_v - AT_LIMIT_V or cells.peak_parted_v < LEADS_V:
        return []
    which = f" ({cells.first_high})" if cells.first_high else ""
    return _said(
        "fix",
        f"One cell{which} reached {cells.peak_v:.2f} V, {1000 * cells.peak_parted_v:.0f} mV ahead of the "
        f"last; its protection opens at {high_v:.2f} V.",
        "The battery switches its charge off before the others are full: the count meets no full charge, and "
        "the charger's volts jump.",
        "Hold the charge a little under that cell's limit for hours, so that the balancer works; if they "
        "part again within weeks, have the battery looked at.",
    )


def _at_bottom(cells: Cells, low_v: float) -> list[Finding]:
    if cells.sag_v > low_v + AT_LIMIT_V or cells.sag_parted_v < LEADS_V:
        return []
    which = f" ({cells.first_low})" if cells.first_low else ""
    return _said(
        "fix",
        f"One cell{which} fell to {cells.sag_v:.2f} V, {1000 * cells.sag_parted_v:.0f} mV under the best; "
        f"its protection opens at {low_v:.2f} V.",
        "The battery goes dark with Ah left in the other cells: the percentage promises what is not there.",
        "Fill it and let it balance, then draw it down once more; if that cell falls first again, it is "
        "weak, and the reserve has to be higher.",
    )


def _at_rest(cells: Cells, chemistry: str) -> list[Finding]:
    bound = AT_REST_V.get(chemistry, AT_REST_LEAD_V)
    if math.isnan(cells.rest_v) or cells.rest_v <= bound:
        return []
    return _said(
        "advise",
        f"At rest the cells part by {1000 * cells.rest_v:.0f} mV; sound ones stay within about "
        f"{1000 * bound:.0f} mV.",
        "Cells that part reach their limits one by one: the battery ends early at the top and at the bottom.",
        "Fill it and hold it there for some hours, then look again; the maker's sheet says what its balancer "
        "allows.",
    )
