"""A log counted as it stands and as corrected, as data."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.arrays import Floats
from volnik.core.settings import Numbers


@dataclass(frozen=True, slots=True)
class Retried:
    """A log counted as it stands and as corrected.

    Instants [s], charge of each [0..1], and how far each was corrected at its resets on average [Ah].
    """

    time_s: Floats
    before: Floats
    after: Floats
    off_before_ah: float
    off_after_ah: float
    resets_before: int
    resets_after: int
    numbers: Numbers
