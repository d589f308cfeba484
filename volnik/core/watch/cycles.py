"""From one full charge to the next: how deep the battery went between, and how long it took."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from volnik.core.watch.half_hours import SLOT_S, HalfHours

KEPT_FULL = 0.03  # of charge taken out that makes no cycle: the battery was kept full; source: estimate


@dataclass(frozen=True, slots=True)
class Cycle:
    """One cycle.

    Attributes:
        start_s, end_s: of the full charges it lies between [s]; of the last one, where the log ends.
        low_s: when it was deepest [s].
        low: charge then [0..1].
        out_ah: taken out [Ah].
        is_open: whether no full charge ended it yet.
    """

    start_s: float
    end_s: float
    low_s: float
    low: float
    out_ah: float
    is_open: bool = False

    @property
    def days(self) -> float:
        """How long it took [d]."""
        return (self.end_s - self.start_s) / 86400.0


def cycles_of(some: HalfHours, resets_s: Sequence[float]) -> list[Cycle]:
    """The cycles of a log, in order of time; while a battery is kept full there is none.

    Args:
        some: half hours of the log.
        resets_s: instants of its full resets, in order [s].
    """
    if not len(some) or not resets_s:
        return []
    end_s = float(some.start_s[-1]) + SLOT_S
    edges = [*resets_s, end_s] if end_s > resets_s[-1] else list(resets_s)
    found = []
    for at, (start, end) in enumerate(zip(edges, edges[1:], strict=False)):
        cycle = _between(some, start, end, is_open=at == len(resets_s) - 1)
        if cycle is not None:
            found.append(cycle)
    return found


def _between(some: HalfHours, start_s: float, end_s: float, *, is_open: bool) -> Cycle | None:
    first, last = np.searchsorted(some.start_s, (start_s, end_s))
    low_soc = some.low_soc[first:last]
    if not len(low_soc) or np.isnan(low_soc).all():
        return None
    deepest = int(np.nanargmin(low_soc))
    low = float(low_soc[deepest])
    if math.isnan(low) or low > 1.0 - KEPT_FULL:
        return None
    out_ah = float(some.out_ah[first:last].sum())
    low_s = float(some.start_s[first + deepest]) + 0.5 * SLOT_S
    return Cycle(start_s, end_s, min(max(low_s, start_s), end_s), low, out_ah, is_open)
