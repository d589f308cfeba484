"""The compiled walks behind the reset map.

Every sample is one point (least volts, most amps over the hold), every cell of
the map a quadrant of such points. Method: docs/domain/resetmap.md.

Everything compiled stands in this one file: the compiler's cache does not see a change in another.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.compiled import compiled


class Limits(NamedTuple):
    """A map's rising limits [V], [A], and the lowest current that counts as tapered [A]."""

    charged_v: Floats
    tail_a: Floats
    floor_a: float


class SampledDays(NamedTuple):
    """Sampled days: true charge, what it heals to while charging goes on, charge leg of each sample, (n,).

    `full` is the charge from which a reset is right, 0..1.
    """

    charge: Floats
    healed: Floats
    leg: Any
    full: float


class Running(NamedTuple):
    """Sums that run over the samples: true charge, Ah charged, hours inside the dead band; (n,) each."""

    charge: Floats
    stored_ah: Floats
    hidden_h: Floats


class Doubts(NamedTuple):
    """What drifts between resets.

    Attributes:
        start: of the count at the start [share].
        offset_a, hidden_a: of the zero, of what the dead band hides [A].
        efficiency: [share].
        capacity: [Ah].
        step_h: length of a sample [h].
        every: samples between two looks.
    """

    start: float
    offset_a: float
    efficiency: float
    hidden_a: float
    capacity: float
    step_h: float
    every: int


@compiled()
def places(volts: Floats, amps: Floats, samples: int, limits: Limits) -> Any:
    """Where each sample's hold stands on the map.

    Args:
        volts, amps: shape (n,) [V, A].
        samples: in one hold, both ends counted.
        limits: of the map.

    Returns:
        (up, right), shape (n,) each: the highest row whose volts are met throughout, -1 for none; the first
            column whose
        tail is met throughout, the number of columns for none or where the amps fell below the floor.
    """
    charged_v, tail_a, floor_a = limits.charged_v, limits.tail_a, limits.floor_a
    n = volts.shape[0]
    up, right = np.full(n, -1, np.int16), np.full(n, tail_a.shape[0], np.int16)
    row, column = np.full(n, -1, np.int16), np.full(n, tail_a.shape[0], np.int16)
    for t in range(n):
        if volts[t] >= charged_v[0] and floor_a <= amps[t] <= tail_a[-1]:
            row[t] = np.searchsorted(charged_v, volts[t], side="right") - 1
            column[t] = np.searchsorted(tail_a, amps[t], side="left")
    run = 0
    for t in range(n):
        run = run + 1 if row[t] >= 0 and column[t] < tail_a.shape[0] else 0
        if run >= samples:
            least, most = row[t], column[t]
            for back in range(1, samples):
                least = min(least, row[t - back])
                most = max(most, column[t - back])
            up[t], right[t] = least, most
    return up, right


@compiled()
def outcomes(up: Any, right: Any, days: SampledDays, size: tuple[int, int]) -> Any:
    """What every cell of the map does over the samples: exact, at the cost of its resets.

    Args:
        up, right: of each sample, as `places`.
        days: the samples.
        size: rows and columns of the map.

    Returns:
        Shape (rows, columns) each: resets, early resets, legs reset in, legs whose last reset lasts early,
            least charge.
    """
    rows, columns = size
    charge, healed, leg, full = days.charge, days.healed, days.leg, days.full
    resets, early = np.zeros((rows, columns), np.int32), np.zeros((rows, columns), np.int32)
    legs, lasting = np.zeros((rows, columns), np.int32), np.zeros((rows, columns), np.int32)
    seen, bad = np.full((rows, columns), -1, np.int32), np.full((rows, columns), -1, np.int32)
    worst = np.ones((rows, columns))
    before_up, before_right = -1, columns
    for t in range(up.shape[0]):
        top, first = up[t], right[t]
        if top >= 0:
            for i in range(top + 1):
                # The cells of this row that held a sample ago are in one run with this one: no new reset.
                last = before_right if i <= before_up else columns
                for j in range(first, last):
                    resets[i, j] += 1
                    if charge[t] < full:
                        early[i, j] += 1
                    if charge[t] < worst[i, j]:
                        worst[i, j] = charge[t]
                    if seen[i, j] != leg[t]:
                        seen[i, j] = leg[t]
                        legs[i, j] += 1
                    if healed[t] < full and bad[i, j] != leg[t]:
                        bad[i, j] = leg[t]
                        lasting[i, j] += 1
        before_up, before_right = top, first if top >= 0 else columns
    return resets, early, legs, lasting, worst


@compiled()
def errors(up: Any, right: Any, running: Running, doubts: Doubts, size: tuple[int, int]) -> Any:
    """Root mean square of the count's expected error in every cell, shape (rows, columns), as a share of
    capacity.

    After a reset the count stands above the truth by what was missing; that heals as far as charge goes on
    rising under a count clipped at full. To it comes what drifts since the reset: offset, efficiency, what
    the dead band hides.

    Args:
        up, right: of each sample, as `places`.
        running: sums over the samples.
        doubts: what drifts.
        size: rows and columns of the map.
    """
    rows, columns = size
    charge, stored_ah, hidden_h = running.charge, running.stored_ah, running.hidden_h
    start, step_h, every = doubts.start, doubts.step_h, doubts.every
    drift_a = doubts.offset_a * step_h / doubts.capacity
    drift_in, drift_still = doubts.efficiency / doubts.capacity, doubts.hidden_a / doubts.capacity
    since, stored, hidden = np.zeros((rows, columns)), np.zeros((rows, columns)), np.zeros((rows, columns))
    own = np.full((rows, columns), start * start)
    total = np.zeros((rows, columns))
    gone = np.zeros((rows, columns))
    looks = 0
    before_up, before_right = -1, columns
    for t in range(up.shape[0]):
        top, first = up[t], right[t]
        if top >= 0:
            for i in range(top + 1):
                last = before_right if i <= before_up else columns
                for j in range(first, last):
                    gone[i, j] = 1.0 - charge[t]
                    since[i, j], stored[i, j], hidden[i, j] = t, stored_ah[t], hidden_h[t]
                    own[i, j] = 0.0
        before_up, before_right = top, first if top >= 0 else columns
        if (t + 1) % every == 0:
            looks += 1
            missing = max(0.0, 1.0 - charge[t])
            for i in range(rows):
                for j in range(columns):
                    gone[i, j] = min(gone[i, j], missing)
                    drift = (
                        (drift_a * (t - since[i, j])) ** 2
                        + (drift_in * (stored_ah[t] - stored[i, j])) ** 2
                        + (drift_still * (hidden_h[t] - hidden[i, j])) ** 2
                        + own[i, j]
                    )
                    total[i, j] += gone[i, j] ** 2 + min(drift, 0.0833)  # never more than not knowing at all
    return np.sqrt(total / max(looks, 1))


@compiled()
def charge_legs(charge: Floats, fall: float) -> Any:  # noqa: C901 -- one pass over the season, compiled
    """Parts a season into legs of charge, and says to what each sample's charge still rises before it falls.

    Args:
        fall: what charge must fall from its highest for a leg to end, and rise from its lowest for one to
            begin.

    Returns:
        (leg, healed, peaks): number of the leg at each sample, the healed charge at each, and the highest
            charge of each leg.
    """
    n = charge.shape[0]
    leg, healed = np.zeros(n, np.int32), charge.copy()
    peaks = np.zeros(n + 1)
    number, rising = 0, True
    top, top_at, bottom, begun = charge[0], 0, charge[0], 0
    for t in range(n):
        level = charge[t]
        if rising:
            if level > top:
                top, top_at = level, t
            if level < top - fall:
                for k in range(begun, top_at + 1):
                    leg[k], healed[k] = number, top
                for k in range(top_at + 1, t):
                    leg[k] = number  # still near the top: the same leg, but nothing heals any more
                peaks[number] = top
                number += 1
                rising, bottom, begun = False, level, t
        if not rising:
            leg[t] = number
            if level <= bottom:
                bottom, begun = level, t
            elif level > bottom + fall:
                # All that lies within the fall of this lowest point belongs to the rise that follows it.
                while begun > 0 and leg[begun - 1] == number and charge[begun - 1] < bottom + fall:
                    begun -= 1
                rising, top, top_at = True, level, t
    if rising:
        for k in range(begun, top_at + 1):
            leg[k], healed[k] = number, top
        for k in range(top_at + 1, n):
            leg[k] = number
        peaks[number] = top
        number += 1
    return leg, healed, peaks[:number]
