"""The five chemistries: charging volts, rest volts and the usual numbers of each, per cell.

Figures are for 25 °C. Source of every figure: trade practice (docs/domain/bank.md); the battery maker's sheet
comes before them.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields, replace
from typing import Any

import numpy as np

from volnik.core.settings import SettingsError
from volnik.core.shelf.cells import CELLS_12V


@dataclass(frozen=True, slots=True)
class Chemistry:
    """One chemistry. Volts are per cell.

    Attributes:
        key, name: as stored and as shown.
        cell_v: nominal volts of a cell [V].
        absorption_low_v, absorption_high_v, float_low_v, float_high_v: charging volts a cell [V].
        harm_v: volts a cell that must not be passed [V].
        charged_v: customary charged voltage a cell [V]: typical absorption less 0.3 V per 12 V.
        early_v: charged voltages below this can be met long before full [V a cell].
        tail_pct, hold_s: customary tail current [% of C] and hold time [s].
        peukert, peukert_low, peukert_high: exponent and its customary range.
        efficiency, efficiency_low, efficiency_high: coulombic efficiency and its customary range.
        reserve_pct: customary reserve [%].
        rest_v: (charge 0..1, volts a cell at rest), rising.
        source: where the figures come from.
    """

    key: str
    name: str
    cell_v: float
    absorption_low_v: float
    absorption_high_v: float
    float_low_v: float
    float_high_v: float
    harm_v: float
    charged_v: float
    early_v: float
    tail_pct: float
    hold_s: float
    peukert: float
    peukert_low: float
    peukert_high: float
    efficiency: float
    efficiency_low: float
    efficiency_high: float
    reserve_pct: float
    rest_v: tuple[tuple[float, float], ...]
    source: str = "trade practice"

    @property
    def is_lead(self) -> bool:
        """Whether the cells are lead-acid."""
        return self.cell_v < 3.0

    @property
    def cells_12v(self) -> float:
        """Cells in what the trade calls a 12 V block; of nickel lithium half of a 24 V block's seven."""
        return CELLS_12V[self.key]

    @property
    def sold(self) -> tuple[int, int]:
        """The battery its figures are told of: nominal class [V] and cells, as one is sold."""
        return (24, 7) if self.key == "nmc" else (12, round(self.cells_12v))

    def charge_at_rest(self, volts: float) -> float:
        """Charge 0..1 at rest, straight between the points of its rest curve, ends held.

        Args:
            volts: of a cell [V].
        """
        charges, points = zip(*self.rest_v, strict=True)
        return float(np.interp(volts, points, charges))


def _lead(per_12v: dict[str, float], **given: Any) -> Chemistry:
    cells: dict[str, Any] = {name: round(volts / 6, 4) for name, volts in per_12v.items()}
    return Chemistry(cell_v=2.0, **cells, **given)


def _rest(cells: int, points: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    return tuple((charge, round(volts / cells, 4)) for charge, volts in sorted(points))


_FLOODED = _rest(6, [(1.0, 12.70), (0.75, 12.47), (0.50, 12.25), (0.25, 12.05), (0.0, 11.80)])
_AGM = _rest(6, [(1.0, 12.85), (0.75, 12.60), (0.50, 12.35), (0.25, 12.10), (0.0, 11.80)])
_GEL = _rest(6, [(1.0, 12.85), (0.75, 12.65), (0.50, 12.35), (0.25, 12.00), (0.0, 11.80)])
_LFP_POINTS = [
    (1.0, 13.60),
    (0.99, 13.42),
    (0.95, 13.34),
    (0.90, 13.33),
    (0.70, 13.28),
    (0.40, 13.13),
    (0.30, 13.05),
    (0.20, 12.92),
    (0.10, 12.70),
    (0.0, 10.0),
]

_NMC_POINTS = [
    (1.0, 4.15),
    (0.95, 4.10),
    (0.90, 4.06),
    (0.80, 3.97),
    (0.70, 3.88),
    (0.60, 3.80),
    (0.50, 3.72),
    (0.40, 3.66),
    (0.30, 3.62),
    (0.20, 3.57),
    (0.10, 3.48),
    (0.05, 3.38),
    (0.0, 3.0),
]

CHEMISTRIES: dict[str, Chemistry] = {
    "flooded": _lead(
        {
            "absorption_low_v": 14.4,
            "absorption_high_v": 14.8,
            "float_low_v": 13.2,
            "float_high_v": 13.6,
            "harm_v": 15.6,
            "charged_v": 14.3,
            "early_v": 13.5,
        },
        key="flooded",
        name="Flooded lead-acid",
        tail_pct=4.0,
        hold_s=300.0,
        peukert=1.25,
        peukert_low=1.20,
        peukert_high=1.30,
        efficiency=0.90,
        efficiency_low=0.85,
        efficiency_high=0.99,
        reserve_pct=50.0,
        rest_v=_FLOODED,
    ),
    "agm": _lead(
        {
            "absorption_low_v": 14.4,
            "absorption_high_v": 14.7,
            "float_low_v": 13.5,
            "float_high_v": 13.8,
            "harm_v": 15.0,
            "charged_v": 14.2,
            "early_v": 13.5,
        },
        key="agm",
        name="AGM lead-acid",
        tail_pct=4.0,
        hold_s=300.0,
        peukert=1.12,
        peukert_low=1.10,
        peukert_high=1.15,
        efficiency=0.95,
        efficiency_low=0.92,
        efficiency_high=0.97,
        reserve_pct=50.0,
        rest_v=_AGM,
    ),
    "gel": _lead(
        {
            "absorption_low_v": 14.0,
            "absorption_high_v": 14.2,
            "float_low_v": 13.5,
            "float_high_v": 13.8,
            "harm_v": 14.4,
            "charged_v": 13.8,
            "early_v": 13.5,
        },
        key="gel",
        name="Gel lead-acid",
        tail_pct=4.0,
        hold_s=300.0,
        peukert=1.15,
        peukert_low=1.10,
        peukert_high=1.20,
        efficiency=0.95,
        efficiency_low=0.92,
        efficiency_high=0.97,
        reserve_pct=50.0,
        rest_v=_GEL,
    ),
    "lfp": Chemistry(
        key="lfp",
        name="Lithium iron phosphate",
        cell_v=3.2,
        absorption_low_v=3.5,
        absorption_high_v=3.6,
        float_low_v=3.35,
        float_high_v=3.4,
        harm_v=3.65,
        charged_v=3.475,
        early_v=3.38,
        tail_pct=4.0,
        hold_s=180.0,
        peukert=1.03,
        peukert_low=1.0,
        peukert_high=1.05,
        efficiency=0.99,
        efficiency_low=0.98,
        efficiency_high=1.0,
        reserve_pct=15.0,
        rest_v=_rest(4, _LFP_POINTS),
    ),
    "nmc": Chemistry(
        key="nmc",
        name="Nickel lithium (NMC)",
        cell_v=3.6,
        absorption_low_v=4.15,
        absorption_high_v=4.20,
        float_low_v=3.95,
        float_high_v=4.05,
        harm_v=4.22,
        charged_v=4.12,
        early_v=4.08,
        tail_pct=4.0,
        hold_s=180.0,
        peukert=1.03,
        peukert_low=1.0,
        peukert_high=1.05,
        efficiency=0.99,
        efficiency_low=0.98,
        efficiency_high=1.0,
        reserve_pct=15.0,
        rest_v=_rest(1, _NMC_POINTS),
    ),
}

EDITABLE = tuple(
    field.name for field in fields(Chemistry) if field.name not in ("key", "name", "cell_v", "source")
)
POINTS = (3, 20)  # of a rest curve, at least and at most


def with_edits(edits: dict[str, dict[str, Any]]) -> dict[str, Chemistry]:
    """The table with the shop's edits before it; an edited chemistry says the shop is its source."""
    return {
        key: replace(chemistry, **_typed(edits[key]), source="the shop's own figures")
        if edits.get(key)
        else chemistry
        for key, chemistry in CHEMISTRIES.items()
    }


def _typed(edit: dict[str, Any]) -> dict[str, Any]:
    """An edit as it was stored, its rest curve as points again."""
    if "rest_v" not in edit:
        return edit
    return {**edit, "rest_v": tuple((charge, volts) for charge, volts in edit["rest_v"])}


def checked_edit(key: str, given: dict[str, Any]) -> dict[str, Any]:
    """The changed figures of one chemistry, checked for sense.

    Args:
        key: of the chemistry.
        given: figures by name, volts a cell [V]; the rest curve as pairs of
            charge 0..1 and volts a cell, rising.

    Raises:
        SettingsError: naming each figure that cannot stand, in volts of the battery as sold.
    """
    base = CHEMISTRIES[key]
    problems = {name: "is not a figure of this table." for name in given if name not in EDITABLE}
    candidate = replace(base, **{name: value for name, value in given.items() if name in EDITABLE})
    problems |= _volts_wrong(base, candidate) | _curve_wrong(base, candidate)
    for name, (low, high) in _RANGES.items():
        if not low <= getattr(candidate, name) <= high:
            problems[name] = f"must be from {low:g} to {high:g}."
    if problems:
        raise SettingsError(problems)
    start = asdict(base)
    return {name: value for name, value in given.items() if not _same(value, start[name])}


def _same(value: Any, other: Any) -> bool:
    """Whether two figures, or two curves, are alike but for rounding."""
    mine, theirs = np.asarray(value, dtype=float), np.asarray(other, dtype=float)
    return mine.shape == theirs.shape and bool(np.allclose(mine, theirs, rtol=0.0, atol=SAME))


SAME = 1e-4  # volts a cell, or shares, that are the same figure typed in another way
_RISING = ("float_low_v", "float_high_v", "absorption_low_v", "absorption_high_v", "harm_v")
_RANGES = {
    "tail_pct": (0.2, 20.0),
    "hold_s": (0.0, 7200.0),
    "peukert": (1.0, 1.6),
    "peukert_low": (1.0, 1.6),
    "peukert_high": (1.0, 1.6),
    "efficiency": (0.5, 1.0),
    "efficiency_low": (0.5, 1.0),
    "efficiency_high": (0.5, 1.0),
    "reserve_pct": (0.0, 95.0),
}


def _volts_wrong(base: Chemistry, candidate: Chemistry) -> dict[str, str]:
    """Volts that lie below the figure before them, or are not volts a cell."""
    found = {}
    sold_v, cells = base.sold
    for lower, upper in zip(_RISING, _RISING[1:], strict=False):
        if getattr(candidate, lower) > getattr(candidate, upper) + SAME:
            below = f"{cells * getattr(candidate, lower):.4g} V"
            found[upper] = f"must not lie below {below}, the figure before it."
    for name in (*_RISING, "charged_v", "early_v"):
        if not _may_be(getattr(candidate, name), base):
            found[name] = f"is told of a {sold_v} V battery of {cells} cells, {_likely(base)}."
    return found


def _may_be(volts: float, base: Chemistry) -> bool:
    return 0.75 * base.cell_v <= volts <= 1.5 * base.cell_v


def _likely(base: Chemistry) -> str:
    _, cells = base.sold
    return f"about {cells * base.cell_v:.3g} V"


def _curve_wrong(base: Chemistry, candidate: Chemistry) -> dict[str, str]:
    """A rest curve that does not rise from empty to full, or is not of such a battery."""
    charges, volts = ([point[at] for point in candidate.rest_v] for at in (0, 1))
    sold_v, cells = base.sold
    least, most = POINTS
    if not least <= len(charges) <= most:
        return {"rest_v": f"wants {least} to {most} lines, got {len(charges)}."}
    if charges[0] != 0.0 or charges[-1] != 1.0:
        return {"rest_v": "must go from 0 % to 100 %."}
    falls = np.flatnonzero((np.diff(charges) <= 0.0) | (np.diff(volts) <= 0.0))
    if len(falls):
        at = int(falls[0]) + 1
        told = f"{100 * charges[at]:g} %, {cells * volts[at]:.4g} V"
        return {"rest_v": f"must rise from line to line, in charge and in volts; {told} does not."}
    if not all(_may_be(one, base) for one in volts):
        return {"rest_v": f"is told of a {sold_v} V battery of {cells} cells, {_likely(base)}."}
    return {}
