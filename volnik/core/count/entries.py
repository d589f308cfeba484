"""Dated entries: what people and mishaps do to a count between two readings."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

from volnik.core.count.state import CountState
from volnik.core.settings import Numbers

EntryKind = Literal["numbers", "set", "full", "supply_lost", "block_swapped"]
PowerUp = Literal["full", "last", "blank", "half"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One dated entry. It acts after the last reading at or before `time_s` and before the next one.

    Attributes:
        time_s: instant [s since 1970].
        kind: "numbers" (new numbers from here on), "set" (count set by hand to `soc`), "full" (full by hand),
            "supply_lost" (the monitor lost its supply; `power_up` says what it claims afterwards),
            "block_swapped" (the count is unknown until the next full reset or hand setting).
        numbers: for "numbers" only.
        soc: for "set" only [0..1].
        power_up: for "supply_lost" only.
    """

    time_s: float
    kind: EntryKind
    numbers: Numbers | None = None
    soc: float | None = None
    power_up: PowerUp = "last"

    def __post_init__(self) -> None:
        if self.kind == "numbers" and self.numbers is None:
            raise ValueError("an entry of new numbers must carry the numbers")
        if self.kind == "set" and (self.soc is None or not 0.0 <= self.soc <= 1.0):
            raise ValueError(f"a count set by hand must lie from 0 to 1, got {self.soc}")


@dataclass(frozen=True, slots=True)
class EntryEffect:
    """What one entry did: the count before and after it [Ah below full, NaN while unknown]."""

    entry: Entry
    before: CountState
    after: CountState


def apply_entry(entry: Entry, state: CountState, numbers: Numbers) -> tuple[CountState, Numbers]:
    """The count and the numbers after `entry`.

    Ah below full carries over a change of capacity. Every entry breaks a qualifying run. After a loss of
    supply the next reading only sets the clock: what flowed while the monitor was dark was not counted.

    Args:
        state: before the entry.
    """
    state = state.without_run()
    if entry.kind == "numbers":
        assert entry.numbers is not None
        return state, entry.numbers
    if entry.kind == "set":
        assert entry.soc is not None
        deficit_ah = (1.0 - entry.soc) * numbers.capacity_ah
    elif entry.kind == "full":
        deficit_ah = 0.0
    elif entry.kind == "supply_lost":
        state = replace(state, last_s=math.nan)
        deficit_ah = {
            "full": 0.0,
            "half": 0.5 * numbers.capacity_ah,
            "last": state.deficit_ah,
            "blank": math.nan,
        }[entry.power_up]
    else:
        deficit_ah = math.nan
    deepest_ah = 0.0 if math.isnan(deficit_ah) else deficit_ah
    if entry.kind == "supply_lost" and entry.power_up == "last":
        deepest_ah = state.deepest_ah
    return replace(state, deficit_ah=deficit_ah, deepest_ah=deepest_ah), numbers
