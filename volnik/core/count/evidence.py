"""What people, mishaps and rested volts say of the charge at an instant, and how much of it is believed.

A claim is no fact: a monitor that wakes at "100 %" knows no more than before. After it the charge is worth
its last value with the doubt of that. Evidence (a full seen at its volts, a setting with a reason, volts at
rest) begins a band of its own. Docs: docs/domain/band.md.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.errors import InvalidInput
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry

HAND_SET = 0.05  # doubt of a count set by hand [0..1]; source: estimate
HAND_FULL = 0.02  # of a full said by hand, at volts and amps of one; source: estimate
NINE_OF_TEN = 1.645  # standard deviations
FULL_UNDER_V = (
    0.25  # below the charged voltage, for 12 V, at which a full can still be meant; source: estimate
)
FULL_DRAIN = 0.01  # of capacity: who gives more than this is not being held full; source: estimate
READ_LATELY_S = 900.0  # older volts say nothing of now
REST_V = 0.06  # doubt of rested volts, for 12 V [V]; source: trade practice, see job steps on resting
REST_H = {"lead_discharge": 6.0, "lead_charge": 24.0, "lithium": 2.0}
"""Hours without current before volts are at rest; source: trade practice."""


@dataclass(frozen=True, slots=True)
class Word:
    """What is said of the charge at an instant.

    Attributes:
        time_s: the instant [s].
        counted: what the count stands at after it, 0..1; NaN where it stays as it was.
        low, high: charge 0..1 that it bears witness to, nine cases of ten; NaN for a bare claim.
    """

    time_s: float
    counted: float = math.nan
    low: float = math.nan
    high: float = math.nan

    @property
    def is_evidence(self) -> bool:
        """Whether it says anything of the battery, and not only of the monitor."""
        return not math.isnan(self.low)


def set_by_hand(time_s: float, soc: float) -> Word:
    """A count set by hand, for a reason.

    Args:
        time_s: when [s].
        soc: to what, 0..1.
    """
    half = NINE_OF_TEN * HAND_SET
    return Word(time_s, soc, max(0.0, soc - half), min(1.0, soc + half))


def full_by_hand(
    time_s: float, *, volts: float, amps: float, read_s: float, numbers: Numbers, cells_12v: float
) -> Word:
    """A full said by hand: evidence where volts and amps of that instant are those of a full battery.

    Args:
        time_s: when [s].
        volts, amps, read_s: the last reading before it [V, A, s]; NaN for none.
        numbers: the settings that held.
        cells_12v: how many 12 V the bank is.
    """
    if math.isnan(read_s) or time_s - read_s > READ_LATELY_S:
        return set_by_hand(time_s, 1.0)
    if contradicts_full(volts=volts, amps=amps, numbers=numbers, cells_12v=cells_12v):
        return Word(time_s, 1.0)
    return Word(time_s, 1.0, 1.0 - 2.0 * NINE_OF_TEN * HAND_FULL, 1.0)


def contradicts_full(*, volts: float, amps: float, numbers: Numbers, cells_12v: float) -> bool:
    """Whether volts and amps are those of a battery that is not being held full.

    Args:
        volts, amps: at that instant [V, A].
        numbers: the settings that held.
        cells_12v: how many 12 V the bank is.
    """
    too_low = volts < numbers.charged_voltage_v - FULL_UNDER_V * cells_12v
    return too_low or amps < -FULL_DRAIN * numbers.capacity_ah


def at_rest(
    time_s: float, *, volts: float, cells: int, chemistry: Chemistry, hours: float, after_charge: bool
) -> Word:
    """Volts read at rest, as evidence of the charge.

    Args:
        time_s: when [s].
        volts: of the whole bank [V].
        cells: in series.
        chemistry: of the bank, with the rest curve that is gone by.
        hours: since the last current [h].
        after_charge: whether that current charged.

    Raises:
        InvalidInput: where the bank has not rested long enough, or no cell stands at such volts.
    """
    kind = "lithium" if not chemistry.is_lead else "lead_charge" if after_charge else "lead_discharge"
    if hours < REST_H[kind]:
        raise InvalidInput(
            {
                "hours": f"Not at rest yet: it wants {REST_H[kind]:g} hours without current, and has had "
                f"{hours:g}. Until then the volts still drift."
            }
        )
    cell_v, per_12v = volts / cells, 1.0 / chemistry.cells_12v
    empty_v, full_v = chemistry.rest_v[0][1], chemistry.rest_v[-1][1]
    if not empty_v - per_12v <= cell_v <= full_v + per_12v:
        raise InvalidInput(
            {"volts": f"{volts:g} V is not a battery of this rig at rest; look at the number."}
        )
    low = chemistry.charge_at_rest(cell_v - REST_V * per_12v)
    high = chemistry.charge_at_rest(cell_v + REST_V * per_12v)
    return Word(time_s, math.nan, low, high)


@dataclass(frozen=True, slots=True)
class Standing:
    """What the charge is believed to be at a place: its middle and deviation [0..1]."""

    centre: float
    deviation: float

    @property
    def bounds(self) -> tuple[float, float]:
        """Between what it lies, nine cases of ten."""
        half = NINE_OF_TEN * self.deviation
        return self.centre - half, self.centre + half


Beginnings = tuple[NDArray[np.int64], Floats, Floats]
"""From which reading each one's band grows, the count's excess over the charge there, and its deviation."""


def weighed(
    words: Sequence[Word],
    time_s: Floats,
    soc: Floats,
    begins: Beginnings,
    standing_at: Callable[[int, Beginnings], Standing],
) -> Beginnings:
    """The beginnings of a band after all that was said, in order of time.

    What was said holds until the count is next reset.

    Args:
        words: in order of time; those after the last reading are left out.
        time_s: of the readings, shape (n,) [s].
        soc: the count at each, shape (n,) [0..1].
        begins: as the resets alone give them.
        standing_at: what is believed at a reading, given the beginnings.
    """
    at, excess, deviation = begins
    places = np.arange(len(time_s))
    for word in words:
        first = int(np.searchsorted(time_s, word.time_s, side="right"))
        if first == len(time_s):
            continue
        before = Standing(math.nan, math.nan)
        if first:
            before = standing_at(first - 1, (at, excess, deviation))
        after = after_word(word, before)
        counted = word.counted if not math.isnan(word.counted) else float(soc[max(first - 1, 0)])
        later = (places >= first) & (at < first)
        at = np.where(later, max(first - 1, 0), at)
        known = 0.0 if math.isnan(counted) or math.isnan(after.centre) else counted - after.centre
        excess = np.where(later, known, excess)
        deviation = np.where(later, after.deviation, deviation)
    return at, excess, deviation


def after_word(word: Word, before: Standing) -> Standing:
    """What is believed after something was said.

    Rested volts only bound: where they and what was believed overlap, both hold; where not, the volts do.

    Args:
        word: what was said.
        before: what was believed; NaN for nothing.
    """
    if not word.is_evidence:
        if math.isnan(before.centre):
            return Standing(word.counted, 0.3)
        return before
    low, high = word.low, word.high
    if math.isnan(word.counted) and not math.isnan(before.centre):
        least, most = before.bounds
        both = max(low, least), min(high, most)
        if both[0] <= both[1]:
            low, high = both
    return Standing((low + high) / 2.0, max(0.004, (high - low) / 2.0 / NINE_OF_TEN))
