"""A year at 1 Hz made from the demo's own log."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import polars as pl

from volnik.core.readings import Readings
from volnik.tasks.demo import bookbus_log

YEAR = 31_536_000
START_S = datetime(2025, 1, 1, tzinfo=UTC).timestamp()


def demo_year(count: int = YEAR) -> Readings:
    """Readings like the Bookbus's, one a second, with the meter's own noise and steps."""
    rng = np.random.default_rng(11)
    demo = bookbus_log(START_S + 45 * 86400)
    at = (np.arange(count) // 60) % len(demo)
    volts = np.round(demo.volts[at] + rng.normal(0.0, 0.006, count), 2)
    amps = np.round(demo.amps[at] + rng.normal(0.0, 0.02, count), 2)
    return Readings(START_S + np.arange(count, dtype=float), volts, amps)


def write_csv(readings: Readings, path: Path) -> None:
    """The readings as time,volts,amps with ISO times."""
    moments = pl.Series("time", (readings.time_s * 1000).astype(np.int64)).cast(pl.Datetime("ms"))
    frame = pl.DataFrame(
        [
            moments.dt.strftime("%Y-%m-%dT%H:%M:%SZ"),
            pl.Series("volts", readings.volts),
            pl.Series("amps", readings.amps),
        ]
    )
    frame.write_csv(path)
