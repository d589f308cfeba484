"""A window of the paper strip as data: each pen's least and greatest in every column of the paper."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.arrays import Floats


@dataclass(frozen=True, slots=True)
class PenTrace:
    """One pen in one window.

    Attributes:
        pen: the quantity.
        time_s: middle of each column of paper that holds readings, shape (m,) [s].
        low, high: least and greatest there, shape (m,).
        lowest, highest: (instant, value) of the extremes in the window, or None.
    """

    pen: str
    time_s: Floats
    low: Floats
    high: Floats
    lowest: tuple[float, float] | None
    highest: tuple[float, float] | None


@dataclass(frozen=True, slots=True)
class ChartMark:
    """Something marked on the paper: a full reset, a gap, an entry."""

    kind: str
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True)
class ChartWindow:
    """A window of the strip."""

    start_s: float
    end_s: float
    pens: list[PenTrace]
    marks: list[ChartMark]
    exact: bool
    band: PenTrace | None = None
