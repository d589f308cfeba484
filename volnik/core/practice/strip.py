"""The log of a case as a window of the strip."""

from __future__ import annotations

import numpy as np

from volnik.core.practice.log import OUT_S, Log
from volnik.core.watch.strip import ChartMark, ChartWindow, trace


def window_of(log: Log, *, columns: int, charge: bool = True) -> ChartWindow:
    """A log as the strip draws it: volts, amps and the monitor's own percentage, its resets and gaps.

    Args:
        log: of a case, of two readings or more.
        columns: of paper.
        charge: whether the percentage is drawn.

    Raises:
        ValueError: for a log of fewer readings.
    """
    readings = log.readings
    if len(readings) < 2:
        raise ValueError("a strip wants two readings")
    start_s, end_s = float(readings.time_s[0]), float(readings.time_s[-1])
    columns_of = {"volts": readings.volts, "amps": readings.amps}
    if charge:
        columns_of["charge"] = 100.0 * log.soc
    pens = [
        trace(pen, readings.time_s, values, values, start_s, end_s=end_s, columns=columns)
        for pen, values in columns_of.items()
    ]
    gaps = np.flatnonzero(np.diff(readings.time_s) > OUT_S)
    marks = [ChartMark("gap", float(readings.time_s[at]), float(readings.time_s[at + 1])) for at in gaps]
    marks += [ChartMark("reset", at, at) for at in log.resets_s if charge]
    return ChartWindow(start_s, end_s, pens, marks, exact=False)
