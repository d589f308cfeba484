"""Another counter's percentage, reading by reading: what it says now, and where it jumped."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.own_columns.despiked import despiked

LEAST_JUMP = 5.0  # points; a display in whole points that counts never makes so many at once
WITHIN_S = 900.0  # between two readings; over a longer silence it may well have counted on
TWICE = 2.0  # by which a jump exceeds what the current can have done
FULL = 99.0  # points from which a counter says full
NEAR_FULL = 0.93  # of the shunt's charge, from which a jump to full is no surprise; source: estimate


@dataclass(frozen=True, slots=True)
class Jump:
    """Where a counter's percentage moved by more than current can have done.

    Attributes:
        time_s: of the reading after it [s since 1970].
        before, after: the percentages [%].
    """

    time_s: float
    before: float
    after: float

    @property
    def to_full(self) -> bool:
        """Whether it says full after it."""
        return self.after >= FULL


@dataclass(frozen=True, slots=True)
class Counter:
    """What another counter said.

    Attributes:
        name: of its column.
        percent: latest [%].
        time_s: of that [s since 1970].
        full_s: when it last said full; None where it never did.
        jumps: in order of time.
    """

    name: str
    percent: float
    time_s: float
    full_s: float | None
    jumps: tuple[Jump, ...]


def counter_of(
    name: str, time_s: Floats, amps: Floats, percent: Floats, *, capacity_ah: float
) -> Counter | None:
    """What a counter said over a log; None where it said nothing.

    Args:
        name: of its column.
        time_s: instants, shape (n,) [s].
        amps: of the shunt, shape (n,) [A].
        percent: it said, NaN where nothing, shape (n,) [%].
        capacity_ah: of the bank [Ah].
    """
    said = np.isfinite(percent)
    if not said.any():
        return None
    at, value = time_s[said], despiked(percent[said])
    passed_ah = np.concatenate(([0.0], np.cumsum(np.abs(np.nan_to_num(amps[1:])) * np.diff(time_s)))) / 3600.0
    moved_pct = np.diff(passed_ah[said]) / capacity_ah * 100.0
    step = np.diff(value)
    jumped = (np.abs(step) >= LEAST_JUMP + TWICE * moved_pct) & (np.diff(at) <= WITHIN_S)
    full = np.flatnonzero(value >= FULL)
    return Counter(
        name,
        float(percent[said][-1]),
        float(at[-1]),
        float(at[full[-1]]) if len(full) else None,
        tuple(Jump(float(at[i + 1]), float(value[i]), float(value[i + 1])) for i in np.flatnonzero(jumped)),
    )


def jump_words(jump: Jump, shunt: float, *, words: str) -> str:
    """What a jump means.

    Args:
        jump: it.
        shunt: charge the shunt counted then [0..1]; NaN while unknown.
        words: what the counter is called.
    """
    moved = f"{words} went from {jump.before:.0f} to {jump.after:.0f} % at once"
    if not jump.to_full:
        return f"{moved}: it lost its supply, or somebody set it. No current does that."
    if math.isnan(shunt):
        return f"{moved}: it reset at full, lost its supply, or somebody set it."
    if shunt >= NEAR_FULL:
        return f"{moved}, the shunt's count at {100 * shunt:.0f} %: a reset at full, as it should be."
    return (
        f"{moved}, the shunt's count at {100 * shunt:.0f} %: it restarted and claims full, its numbers let "
        "it reset too early, or the shunt's count is wrong. Look at volts and tail current of that minute."
    )


def is_sound(jump: Jump, shunt: float) -> bool:
    """Whether a jump may be what a counter should do: to full, near full, or nobody knows how near.

    Args:
        jump: it.
        shunt: charge the shunt counted then [0..1]; NaN while unknown.
    """
    return jump.to_full and not shunt < NEAR_FULL
