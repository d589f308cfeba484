"""Which readings are kept whole, and how older ones are thinned, by the shop's own rule."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from volnik.core.arrays import Floats
from volnik.core.readings import Readings
from volnik.core.values import Plain

MONTH_S = 30.4375 * 86400.0  # the mean month


class Rule(Plain):
    """The shop's rule: readings older than `months` are averaged over `step_s` [s].

    None keeps every reading.
    """

    months: Annotated[float, Field(ge=1, le=1200)] | None = None
    step_s: Annotated[float, Field(ge=10, le=900)] = 60.0


def thinned_before(readings: Readings, before_s: float, step_s: float) -> Readings:
    """Readings before an instant averaged over steps, each mean standing at its last reading, so that amps
    times time stay the same.

    Where a step holds one reading it stays as it is; rounding to 0.001 keeps what a monitor's steps resolve.

    Args:
        readings: in order of time.
        before_s: what is older is thinned [s].
        step_s: between samples [s].
    """
    count = int(np.searchsorted(readings.time_s, before_s))
    if count < 2:
        return readings
    place = np.floor(readings.time_s[:count] / step_s)
    starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
    lengths = np.diff(np.append(starts, count))
    lasts = starts + lengths - 1

    def mean(values: Floats) -> Floats:
        given = np.isfinite(values[:count])
        some = np.add.reduceat(given.astype(np.float64), starts)
        sums = np.add.reduceat(np.where(given, values[:count], 0.0), starts)
        made = np.where(some > 0.0, sums / np.maximum(some, 1.0), np.nan)
        return np.concatenate([np.where(lengths == 1, values[lasts], np.round(made, 3)), values[count:]])

    extra = {name: mean(values) for name, values in readings.extra.items()}
    time_s = np.concatenate([readings.time_s[lasts], readings.time_s[count:]])
    return Readings(time_s, mean(readings.volts), mean(readings.amps), extra)
