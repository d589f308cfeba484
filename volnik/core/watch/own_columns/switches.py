"""Switches beside the amps: how long each was on, and what it takes or gives by the steps at its turns."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats

AROUND = 3  # readings on either side of a turn
NEAR_S = 120.0  # between readings about a turn; over longer ones other loads hide it
LEAST_TURNS = 3  # under which no amps are said
LEAST_A = 0.3
DOUBT = 3.0  # a step is told from this many times its own doubt on


@dataclass(frozen=True, slots=True)
class Switch:
    """What a switch did over a log.

    Attributes:
        name: of its column.
        is_on: whether it was at the last reading.
        since_s: since when [s since 1970]; NaN since before the log.
        on_h: was on [h].
        log_h: was told of [h].
        turns: seen with readings on both sides.
        amps: change at turning on, plus charging; NaN where too few turns were seen [A].
        doubt_a: of it [A].
    """

    name: str
    is_on: bool
    since_s: float
    on_h: float
    log_h: float
    turns: int
    amps: float
    doubt_a: float

    @property
    def shows(self) -> bool:
        """Whether its turns show in the shunt's amps."""
        return abs(self.amps) > max(LEAST_A, DOUBT * self.doubt_a)


def switch_of(name: str, time_s: Floats, amps: Floats, state: Floats, *, gap_s: float) -> Switch | None:
    """What a switch did; None where it was never told of.

    Args:
        name: of its column.
        time_s: instants, shape (n,) [s].
        amps: of the shunt, shape (n,) [A].
        state: 1 on, 0 off, NaN untold, shape (n,).
        gap_s: the longest interval that counts [s].
    """
    told = np.isfinite(state)
    if not told.any():
        return None
    at, flows, on = time_s[told], amps[told], state[told] > 0.5
    interval = np.minimum(np.diff(at), gap_s)
    turned = np.flatnonzero(np.diff(on.astype(np.int8)) != 0) + 1
    steps = _steps(at, flows, on, turned)
    return Switch(
        name,
        bool(on[-1]),
        float(at[turned[-1]]) if len(turned) else math.nan,
        float(interval[on[:-1]].sum()) / 3600.0,
        float(interval.sum()) / 3600.0,
        len(steps),
        float(np.median(steps)) if len(steps) >= LEAST_TURNS else math.nan,
        _doubt(steps),
    )


def _steps(at: Floats, flows: Floats, on: np.ndarray, turned: np.ndarray) -> np.ndarray:
    """The change of amps at each turn, as if it were turned on [A]."""
    found = []
    for place in turned:
        first, last = place - AROUND, place + AROUND
        if first < 0 or last >= len(at) or np.diff(at[first : last + 1]).max() > NEAR_S:
            continue
        if np.diff(on[first : last + 1].astype(np.int8)).nonzero()[0].size != 1:
            continue  # it turned twice
        change = np.median(flows[place + 1 : last + 1]) - np.median(flows[first:place])
        found.append(change if on[place] else -change)
    return np.array(found, dtype=np.float64)


def _doubt(steps: np.ndarray) -> float:
    """Of the median of steps, by how they scatter [A]."""
    if len(steps) < LEAST_TURNS:
        return math.nan
    scatter = 1.48 * float(np.median(np.abs(steps - np.median(steps))))
    return max(1.25 * scatter / math.sqrt(len(steps)), 0.05)


def switch_words(switch: Switch) -> str:
    """What its turns show.

    Args:
        switch: it.
    """
    if math.isnan(switch.amps):
        return f"seen turned {switch.turns} times; from {LEAST_TURNS} on its amps are told"
    if not switch.shows:
        most = max(LEAST_A, DOUBT * switch.doubt_a)
        return (
            f"{switch.turns} turns and no step above {most:.1f} A: it switches less, or past the shunt; put "
            "a clamp on its cable"
        )
    what = "takes" if switch.amps < 0 else "gives"
    return f"{what} {abs(switch.amps):.1f} ± {switch.doubt_a:.1f} A by {switch.turns} turns"
