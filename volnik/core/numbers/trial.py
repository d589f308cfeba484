"""A trial as data: the whole log counted with new numbers beside the count of record."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.arrays import Floats


@dataclass(frozen=True, slots=True)
class TrialSide:
    """One side of a trial: full resets, where it ends, and the charge over time for drawing."""

    resets_s: list[float]
    soc: float
    deficit_ah: float
    time_s: Floats
    soc_low: Floats
    soc_high: Floats


@dataclass(frozen=True, slots=True)
class Trial:
    """The whole log counted with new numbers beside the count of record."""

    old: TrialSide | None
    new: TrialSide
    start_s: float
    end_s: float
