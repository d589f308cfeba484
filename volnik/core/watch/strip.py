"""A window of the paper strip as data: each pen's least and greatest in every column of the paper."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

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


def trace(
    pen: str, time_s: Floats, low: Floats, high: Floats, start_s: float, *, end_s: float, columns: int
) -> PenTrace:
    """One pen in a window, as many columns of paper wide.

    Args:
        pen: the quantity.
        time_s: instants, shape (n,) [s].
        low, high: least and greatest at each, shape (n,).
        start_s, end_s: of the window [s].
        columns: of paper.
    """
    first = int(np.searchsorted(time_s, start_s, side="left"))
    last = int(np.searchsorted(time_s, end_s, side="right"))
    time_s, low, high = time_s[first:last], low[first:last], high[first:last]
    known = ~np.isnan(low)
    if not known.all():
        time_s, low, high = time_s[known], low[known], high[known]
    if not len(time_s):
        return PenTrace(pen, time_s, low, high, None, None)
    lowest, highest = int(np.argmin(low)), int(np.argmax(high))
    extremes = ((float(time_s[lowest]), float(low[lowest])), (float(time_s[highest]), float(high[highest])))
    width_s = (end_s - start_s) / columns
    place = np.minimum(((time_s - start_s) / width_s).astype(np.int64), columns - 1)
    if len(time_s) > columns:
        starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
        time_s = start_s + (place[starts] + 0.5) * width_s
        low, high = np.minimum.reduceat(low, starts), np.maximum.reduceat(high, starts)
    return PenTrace(pen, time_s, low, high, *extremes)
