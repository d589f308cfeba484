"""The plain counter: one reading at a time, in the words of the rules. The reference for `fast.py`."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

from volnik.core.count.entries import Entry, EntryEffect, apply_entry
from volnik.core.count.state import HOURS_PER_SECOND, CountState, FullReset, Gap
from volnik.core.settings import Numbers


def effective_current(amps: float, numbers: Numbers) -> float:
    """The current the count books for a reading [A], positive charges.

    Nothing inside the dead band; charge times coulombic efficiency; discharge above C/H bent by Peukert's
    law, I_H (|I|/I_H)^k. Source: docs/domain/count.md, rules 2 to 4.

    Args:
        amps: positive charging [A].
        numbers: the settings it is counted by.
    """
    if abs(amps) < numbers.dead_band_a:
        return 0.0
    if amps > 0.0:
        return numbers.coulombic_efficiency * amps
    if numbers.peukert_exponent != 1.0 and -amps > numbers.rated_a:
        return float(amps * (-amps / numbers.rated_a) ** (numbers.peukert_exponent - 1.0))
    return amps


@dataclass(slots=True)
class PlainCounter:
    """A count fed one reading at a time.

    Attributes:
        numbers: the numbers that hold now.
        gap_s: longest interval that is still counted [s].
        state: where the count stands.
        pending: dated entries still to come, in order of time.
    """

    numbers: Numbers
    gap_s: float
    state: CountState
    pending: list[Entry] = field(default_factory=list)
    resets: list[FullReset] = field(default_factory=list)
    gaps: list[Gap] = field(default_factory=list)
    effects: list[EntryEffect] = field(default_factory=list)

    def reading(self, time_s: float, volts: float, amps: float) -> tuple[float, float]:
        """Count one reading [s, V, A]; returns (deficit [Ah], effective current [A]) after it.

        Args:
            time_s: instant of the reading [s].
            volts: at the bank [V].
            amps: positive charging [A].

        Raises:
            ValueError: when the reading is not later than the last one.
        """
        if time_s <= self.state.last_s:
            raise ValueError(
                f"readings must come in order of time, got {time_s} s after {self.state.last_s} s"
            )
        while self.pending and self.pending[0].time_s < time_s:
            entry = self.pending.pop(0)
            after, self.numbers = apply_entry(entry, self.state, self.numbers)
            self.effects.append(EntryEffect(entry, self.state, after))
            self.state = after
        effective_a = effective_current(amps, self.numbers)
        self._flow(time_s, volts, amps, effective_a)
        self._judge_full(time_s, volts, amps)
        return self.state.deficit_ah, effective_a

    def _flow(self, time_s: float, volts: float, amps: float, effective_a: float) -> None:
        state = self.state
        interval_s = time_s - state.last_s
        if interval_s > self.gap_s:
            self.gaps.append(Gap(state.last_s, time_s))
            state = state.without_run()
        elif interval_s <= self.gap_s:
            hours = interval_s * HOURS_PER_SECOND
            deficit_ah = state.deficit_ah - effective_a * hours if effective_a else state.deficit_ah
            if effective_a > 0.0:
                state = replace(
                    state,
                    in_ah=state.in_ah + amps * hours,
                    in_wh=state.in_wh + amps * hours * volts,
                    efficiency_loss_ah=state.efficiency_loss_ah + (amps - effective_a) * hours,
                )
            elif effective_a < 0.0:
                state = replace(
                    state,
                    out_ah=state.out_ah - amps * hours,
                    out_wh=state.out_wh - amps * hours * volts,
                    peukert_loss_ah=state.peukert_loss_ah + (amps - effective_a) * hours,
                )
            if deficit_ah < 0.0:
                state = replace(state, clamp_ah=state.clamp_ah - deficit_ah)
                deficit_ah = 0.0
            if deficit_ah == 0.0:
                state = replace(state, full_s=state.full_s + interval_s)
            deepest_ah = deficit_ah if deficit_ah > state.deepest_ah else state.deepest_ah
            state = replace(state, deficit_ah=deficit_ah, deepest_ah=deepest_ah)
        self.state = replace(state, last_s=time_s)

    def _judge_full(self, time_s: float, volts: float, amps: float) -> None:
        numbers, state = self.numbers, self.state
        if not (volts >= numbers.charged_voltage_v and numbers.floor_a <= amps <= numbers.tail_a):
            self.state = state.without_run()
            return
        if math.isnan(state.run_start_s):
            state = replace(state, run_start_s=time_s, run_spent=0.0)
        if not state.run_spent and time_s - state.run_start_s >= numbers.hold_s:
            self.resets.append(FullReset(time_s, state))
            state = replace(state, deficit_ah=0.0, deepest_ah=0.0, run_spent=1.0)
        self.state = state
