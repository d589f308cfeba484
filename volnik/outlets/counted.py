"""A counted log as CSV, and its summary as plain values for JSON."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from volnik.core.arrays import Floats
from volnik.core.count.log import Counted
from volnik.core.count.runtime import Runtime
from volnik.core.instants import iso_text


def write_counted_csv(path: Path, time_s: Floats, counted: Counted) -> None:
    """Write time,soc,deficit_ah for each reading; charge and deficit are empty while unknown.

    Raises:
        OSError: when the file cannot be written.
    """
    deficit = pl.Series("deficit_ah", counted.deficit_ah).fill_nan(None)
    soc = pl.Series("soc", np.maximum(0.0, 1.0 - counted.deficit_ah / counted.numbers.capacity_ah)).fill_nan(
        None
    )
    moments = pl.Series("time", np.round(time_s * 1000.0).astype(np.int64)).cast(pl.Datetime("ms"))
    whole = bool((np.round(time_s * 1000.0) % 1000 == 0).all())
    times = moments.dt.strftime("%Y-%m-%dT%H:%M:%SZ" if whole else "%Y-%m-%dT%H:%M:%S%.3fZ")
    frame = pl.DataFrame([times, soc, deficit])
    with path.open("wb") as out:
        frame.write_csv(out)


def summary(
    time_s: Floats, counted: Counted, runtime: Runtime, problems: list[dict[str, Any]]
) -> dict[str, Any]:
    """The summary `volnik replay --json` prints; instants as ISO 8601, what is unknown as None."""
    state = counted.state
    soc = counted.numbers.charge(state.deficit_ah)

    def known(value: float) -> float | None:
        return None if math.isnan(value) else value

    return {
        "readings": len(time_s),
        "start": iso_text(float(time_s[0])),
        "end": iso_text(float(time_s[-1])),
        "soc": known(soc),
        "deficit_ah": known(state.deficit_ah),
        "ah_in": state.in_ah,
        "ah_out": state.out_ah,
        "wh_in": state.in_wh,
        "wh_out": state.out_wh,
        "resets": [{"time": iso_text(reset.time_s)} for reset in counted.resets],
        "gaps": [{"start": iso_text(gap.start_s), "end": iso_text(gap.end_s)} for gap in counted.gaps],
        "runtime_h": runtime.to_reserve_h,
        "errors": problems,
    }
