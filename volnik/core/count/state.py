"""Where a count stands between two readings, and the rows it leaves behind."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace

import numpy as np

from volnik.core.arrays import Floats

HOURS_PER_SECOND = 1.0 / 3600.0


@dataclass(frozen=True, slots=True)
class CountState:
    """Everything a count must remember from one reading to the next.

    The sums run from the first reading of the log and never fall back, so the ledger of any span is the
    difference of two states. The order of the fields is the layout that `fast.count_span` works on.

    Attributes:
        deficit_ah: Ah below full [Ah]; NaN while the count is unknown.
        last_s: instant of the last reading [s since 1970]; NaN before the first.
        run_start_s: first reading of the qualifying run now open [s]; NaN when none is open.
        run_spent: 1.0 once the open run has fired its full reset, else 0.0.
        in_ah, out_ah: charge put in and taken out, as read [Ah].
        in_wh, out_wh: the same times volts [Wh].
        efficiency_loss_ah: charge read but not stored, (1 - eta) I dt [Ah].
        peukert_loss_ah: extra charge booked at rates above C/H [Ah].
        clamp_ah: charge that came in although the count already stood at full [Ah].
        full_s: counted time spent at a deficit of zero [s].
        deepest_ah: largest deficit since the last full reset [Ah]; 0 while unknown.
    """

    deficit_ah: float = math.nan
    last_s: float = math.nan
    run_start_s: float = math.nan
    run_spent: float = 0.0
    in_ah: float = 0.0
    out_ah: float = 0.0
    in_wh: float = 0.0
    out_wh: float = 0.0
    efficiency_loss_ah: float = 0.0
    peukert_loss_ah: float = 0.0
    clamp_ah: float = 0.0
    full_s: float = 0.0
    deepest_ah: float = 0.0

    @classmethod
    def opened(cls, initial_soc: float | None, capacity_ah: float) -> CountState:
        """A count that has seen nothing yet, standing at `initial_soc` (0..1), or unknown when None.

        Args:
            capacity_ah: of the bank [Ah].
        """
        if initial_soc is None:
            return cls()
        deficit_ah = (1.0 - initial_soc) * capacity_ah
        return cls(deficit_ah=deficit_ah, deepest_ah=deficit_ah)

    def row(self) -> Floats:
        """The state as the row of floats the fast counter works on, shape (13,)."""
        return np.array([getattr(self, field.name) for field in fields(self)], dtype=np.float64)

    @classmethod
    def from_row(cls, row: Floats) -> CountState:
        """The state held by a row written by the fast counter."""
        return cls(*(float(value) for value in row))

    def without_run(self) -> CountState:
        """The same count with any qualifying run broken off."""
        return replace(self, run_start_s=math.nan, run_spent=0.0)


FIELD_COUNT = len(fields(CountState))


@dataclass(frozen=True, slots=True)
class FullReset:
    """One full reset: the count was set to 100 % by the readings themselves.

    Attributes:
        time_s: the reading at which the hold time was reached [s since 1970].
        before: the state just before the count was set; its deficit is what the reset corrected.
    """

    time_s: float
    before: CountState


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch without readings, longer than the source's gap_s: not counted."""

    start_s: float
    end_s: float
