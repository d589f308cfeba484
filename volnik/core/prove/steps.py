"""Steps of a device switched on and off, found in the readings.

Noise, surges, start phases and other loads allowed for.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats

LEAST_NOISE_A = (
    0.02  # a monitor that shows no noise still has steps of its own; source: docs/domain/truth.md, section 2
)
CLEAR = 5.0  # times the noise before a step is one; docs/domain/prove.md
SETTLE_S = 3.0  # surges of motors and inverters are over by then; source: estimate
EARLY_S, LATE_S = 25.0, 6.0  # a switch is thrown so long before, or after, the press that says so
LEAST_READINGS = 3  # on each side of a step: a lone spike is no level
SLOW, SLOW_S = (
    1.6,
    20.0,
)  # a step shows at the next reading: so many intervals late; from this interval on readings are slow
AGREE = 0.25  # on and off may differ by this share of what was expected


@dataclass(frozen=True, slots=True)
class Change:
    """A lasting change of the current: when, by how much [A], and the level after it [A]."""

    time_s: float
    delta_a: float
    level_a: float


def noise_of(amps: Floats) -> float:
    """Standard deviation of the readings' noise, from the median of their differences [A].

    Steps do not move it.

    Args:
        amps: of the readings, shape (n,), positive charging [A].
    """
    if len(amps) < 3:
        return LEAST_NOISE_A
    return max(LEAST_NOISE_A, 1.4826 * float(np.median(np.abs(np.diff(amps)))) / math.sqrt(2.0))


def changes(time_s: Floats, amps: Floats, *, least_a: float) -> list[Change]:
    """The lasting changes in a stretch of readings, in order.

    A change lasts when two readings in a row stand off the level by more than `least_a`; a lone spike does
    not. A surge that falls back within `SETTLE_S` counts with the level it falls to.

    Args:
        time_s, amps: shape (n,), rising times [s, A].
        least_a: smallest change looked for [A].
    """
    found: list[Change] = []
    if not len(amps):
        return found
    level, members = float(amps[0]), [float(amps[0])]
    at = 1
    while at < len(amps):
        if abs(amps[at] - level) <= least_a:
            members.append(float(amps[at]))
            level = float(np.median(members[-15:]))
            at += 1
            continue
        following = amps[at + 1] if at + 1 < len(amps) else amps[at]
        if abs(following - level) <= least_a:
            at += 1  # a lone spike
            continue
        settled = _settled(time_s, amps, at, least_a)
        members = _near(amps, settled, least_a)
        new = float(np.median(members))
        if abs(new - level) > least_a:
            _note(found, Change(float(time_s[at]), new - level, new))
        level = new
        at = settled + 1
    return [change for change in found if abs(change.delta_a) > least_a]


def _settled(time_s: Floats, amps: Floats, at: int, least_a: float) -> int:
    """The place at which a change no longer falls back from its surge."""
    settled = at
    while settled + 1 < len(amps) and time_s[settled] - time_s[at] < SETTLE_S:
        if abs(amps[settled + 1] - amps[settled]) <= least_a:
            break
        settled += 1
    return settled


def _near(amps: Floats, at: int, least_a: float) -> list[float]:
    """The next readings that stand at the new level."""
    return [float(value) for value in amps[at : at + 5] if abs(value - amps[at]) <= least_a]


def _note(found: list[Change], change: Change) -> None:
    """Add a change; the tail of a surge belongs to the change before it."""
    if found and change.time_s - found[-1].time_s <= SETTLE_S:
        before = found.pop()
        change = Change(before.time_s, before.delta_a + change.delta_a, change.level_a)
    found.append(change)


@dataclass(frozen=True, slots=True)
class SwitchResponse:
    """What the readings show of a device switched on and off.

    Attributes:
        on_a, off_a: the steps, with their signs [A]; 0 where none came.
        amps: of the device as seen, negative for a load [A].
        noise_a: of the readings [A].
        agrees: whether on and off tell the same.
        others: changes that belong to something else.
    """

    on_a: float
    off_a: float
    amps: float
    noise_a: float
    agrees: bool
    others: tuple[Change, ...] = ()


def interval_of(time_s: Floats) -> float:
    """The usual interval of readings [s]; 1 where there are too few to tell.

    Args:
        time_s: instants of the readings, rising, shape (n,) [s].
    """
    return float(np.median(np.diff(time_s))) if len(time_s) > 1 else 1.0


def readings_wanted(time_s: Floats) -> int:
    """How many readings are waited for after a press: three, two where they come slowly.

    Args:
        time_s: instants of the readings, rising, shape (n,) [s].
    """
    return LEAST_READINGS if interval_of(time_s) <= SLOW_S else 2


def readings_after(time_s: Floats, pressed_s: float) -> int:
    """How many readings there are after a press, its surge over.

    Args:
        time_s: instants of the readings, rising, shape (n,) [s].
        pressed_s: when it was pressed [s].
    """
    return int(np.count_nonzero(time_s > pressed_s + SETTLE_S))


def seen_between(
    time_s: Floats,
    amps: Floats,
    *,
    on_s: float,
    off_s: float,
    expected_a: tuple[float, ...],
    began_s: float = -math.inf,
) -> SwitchResponse:
    """The steps of a device that was switched on by `on_s` and off by `off_s`, and was off at `began_s`.

    Args:
        time_s, amps: readings from half a minute before it was switched on to some after it went off, shape
            (n,) [s, A].
        on_s, off_s: when it was pressed on and off [s].
        expected_a: what it may draw, with its sign, such as running and start phase [A].
        began_s: since when it is known to be off [s].
    """
    noise = noise_of(amps)
    # A press comes before or after its step by as long as a hand and a slow monitor take.
    slow_s = SLOW * interval_of(time_s)
    sizes = np.abs(expected_a)
    smallest, largest = float(sizes.min(initial=math.inf)), float(sizes.max(initial=0.0))
    smallest = smallest if len(sizes) else 0.0
    # Steps well under the smallest expected one are other things' and would only make ambiguity.
    steps = changes(time_s, amps, least_a=max(CLEAR * noise, 0.08 * smallest))
    on = _belonging(_from(steps, began_s - 1.0), on_s, expected_a, slow_s)
    # Off cannot be the step that was on: without this a device that only clicks would close on itself.
    later = _from([change for change in steps if change is not on], on_s if on is None else on.time_s)
    off = _belonging(later, off_s, tuple(-expected for expected in expected_a), slow_s)
    others = [change for change in steps if change is not on and change is not off]
    own = _own_phases(on, off, others)
    on_a, off_a = _delta(on), _delta(off)
    allowed = max(2 * CLEAR * noise, AGREE * largest)
    # What falls from its start phase by itself ends lower than it began: its own steps belong to the sum.
    drift = on_a + off_a + sum(_delta(change) for change in own)
    agrees = abs(on_a + off_a) <= allowed or (bool(own) and abs(drift) <= allowed)
    return SwitchResponse(
        on_a,
        off_a,
        on_a if own else 0.5 * (on_a - off_a),
        noise,
        agrees,
        tuple(change for change in others if change not in own),
    )


def _from(steps: list[Change], since_s: float) -> list[Change]:
    """The steps from an instant on."""
    return [change for change in steps if change.time_s >= since_s]


def _delta(change: Change | None) -> float:
    """The size of a step [A], 0 for none."""
    return 0.0 if change is None else change.delta_a


def _own_phases(on: Change | None, off: Change | None, others: list[Change]) -> list[Change]:
    """A start phase that ended between on and off is the device's own: each step is then judged by itself."""
    if on is None or off is None:
        return []
    between = (change for change in others if on.time_s < change.time_s < off.time_s)
    return [change for change in between if change.delta_a * on.delta_a < 0]


def _belonging(
    steps: list[Change], pressed_s: float, expected_a: tuple[float, ...], slow_s: float
) -> Change | None:
    """The change that belongs to a press: of those near it, the one most like what was expected."""
    near = [
        change
        for change in steps
        if pressed_s - max(EARLY_S, slow_s) <= change.time_s <= pressed_s + max(LATE_S, slow_s)
    ]
    if not near:
        return None
    return min(
        near,
        key=lambda change: (
            min(abs(change.delta_a - wanted) for wanted in expected_a) if expected_a else 0.0,
            abs(change.time_s - pressed_s),
        ),
    )


def level(time_s: Floats, amps: Floats, *, until_s: float, span_s: float = 10.0) -> tuple[float, int]:
    """Median of the readings of the last seconds up to an instant, and how many they were [A].

    Args:
        time_s: instants of the readings, rising, shape (n,) [s].
        amps: of the readings, shape (n,), positive charging [A].
        until_s: end of the span [s].
        span_s: how long before the end [s].
    """
    chosen = amps[(time_s <= until_s) & (time_s > until_s - span_s)]
    return (float(np.median(chosen)), len(chosen)) if len(chosen) else (math.nan, 0)
