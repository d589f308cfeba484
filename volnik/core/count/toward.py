"""How far a reading is from the next full reset: volts, amps and time, each a lamp that is lit or not."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.count.state import CountState
from volnik.core.settings import Numbers


@dataclass(frozen=True, slots=True)
class ResetLamp:
    """One of the three things a full reset wants.

    Attributes:
        what: volts, amps or time.
        lit: whether it is there.
        message: what is and what is wanted, in words.
    """

    what: str
    lit: bool
    message: str

    @property
    def reached(self) -> str:
        """Whether it is lit, in words."""
        return "there" if self.lit else "not yet"


def toward_full(volts: float, amps: float, state: CountState, numbers: Numbers) -> tuple[ResetLamp, ...]:
    """The three lamps at a reading; the reset comes when all are lit.

    Args:
        volts, amps: of the reading [V, A].
        state: the count after it.
        numbers: the settings that hold.
    """
    floor_a = numbers.tail_floor_pct * numbers.capacity_ah / 100.0
    high = volts >= numbers.charged_voltage_v
    small = floor_a <= amps <= numbers.tail_a
    held_s = 0.0 if math.isnan(state.run_start_s) else state.last_s - state.run_start_s
    held = high and small and held_s >= numbers.hold_s
    return (
        ResetLamp("volts", high, f"{volts:.2f} V, wants {numbers.charged_voltage_v:g} V and more"),
        ResetLamp("amps", small, _amps(amps, floor_a, numbers.tail_a)),
        ResetLamp("time", held, _time(min(held_s, numbers.hold_s), numbers.hold_s)),
    )


def _amps(amps: float, floor_a: float, tail_a: float) -> str:
    return f"{amps:+.1f} A, wants {floor_a:.1f} to {tail_a:.1f} A".replace("-", "−").replace("+0.0", "0.0")


def _time(held_s: float, hold_s: float) -> str:
    return f"both held {held_s / 60.0:.0f} of {hold_s / 60.0:g} min"


def all_lit(lamps: tuple[ResetLamp, ...]) -> bool:
    """Whether all is there that a full reset wants.

    Args:
        lamps: of a reading; none for nothing known.
    """
    return bool(lamps) and all(lamp.lit for lamp in lamps)


def press_full(lamps: tuple[ResetLamp, ...], *, finds_full: bool, button: bool) -> str:
    """What to do at the monitor now, "" for nothing: one that finds no full itself is told when it is.

    Args:
        lamps: of the latest reading.
        finds_full: whether the monitor resets itself.
        button: whether full can be pressed on it.
    """
    if finds_full or not all_lit(lamps):
        return ""
    return "Now: press full on the monitor." if button else "Now: set the monitor to 100 %."
