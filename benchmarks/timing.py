"""Clocks shared by the benches."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from fastapi.testclient import TestClient

from benchmarks.years import START_S, YEAR

SPANS_S = (YEAR, YEAR / 3, 30 * 86400, 7 * 86400, 3 * 86400, 86400, 3600)


def timed(work: Callable[[], object], times: int = 3) -> float:
    """The best of a few runs [s]."""
    best = float("inf")
    for _ in range(times):
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return best


def slowest_window(client: TestClient, rig_id: int, *, seed: int, times: int = 1) -> float:
    """The slowest of 21 windows of the year's plot, three pens, 1200 wide; each the best of `times` [s]."""
    rng = np.random.default_rng(seed)
    worst = 0.0
    for span in SPANS_S:
        for _ in range(3):
            start = START_S + rng.uniform(0, YEAR - span)
            window = f"start={start}&end={start + span}&width=1200"
            ask = f"/rigs/{rig_id}/watch/strip?{window}&pens=volts,amps,charge"
            worst = max(worst, timed(lambda ask=ask: client.get(ask), times))  # type: ignore[misc]
    return worst
