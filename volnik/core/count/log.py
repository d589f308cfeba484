"""Counting whole logs: arrays in, Ah below full out, in as many pieces as the caller likes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.count.entries import Entry, EntryEffect, apply_entry
from volnik.core.count.halves import WORTH_IT, count_halves
from volnik.core.count.state import CountState, FullReset, Gap
from volnik.core.settings import Numbers

NONE = np.empty(0)


def gap_limit_s(time_s: Floats) -> float:
    """The longest interval that still counts, for one source: max(300, 10 x median step) [s].

    Args:
        time_s: sorted instants without duplicates, shape (n,) [s].

    Source: docs/domain/count.md, rule 6.
    """
    if len(time_s) < 2:
        return 300.0
    return max(300.0, 10.0 * float(np.median(np.diff(time_s))))


@dataclass(frozen=True, slots=True)
class Counted:
    """The count of a span of readings.

    Attributes:
        deficit_ah: Ah below full after each reading, shape (n,) [Ah]; NaN while unknown; empty when not kept.
        effective_a: current the count booked, shape (n,) [A]; empty when not kept.
        resets, gaps, effects: what happened in the span, in order of time.
        state: the count after the span.
        numbers: the numbers that held at its end.
    """

    deficit_ah: Floats
    effective_a: Floats
    resets: list[FullReset]
    gaps: list[Gap]
    effects: list[EntryEffect]
    state: CountState
    numbers: Numbers


@dataclass(slots=True)
class LogCounter:
    """A count fed array by array. Equal to `PlainCounter` fed the same readings singly.

    Attributes:
        numbers: the numbers that hold now.
        state: where the count stands.
        pending: dated entries still to come, in order of time.
    """

    numbers: Numbers
    state: CountState
    pending: list[Entry] = field(default_factory=list)

    @classmethod
    def opened(cls, numbers: Numbers, entries: Iterable[Entry] = ()) -> LogCounter:
        """A count that has seen nothing yet, opened at the numbers' own initial charge.

        Args:
            entries: dated, in any order.
        """
        state = CountState.opened(numbers.initial_soc, numbers.capacity_ah)
        return cls(numbers, state, sorted(entries, key=lambda entry: entry.time_s))

    def feed(
        self, time_s: Floats, volts: Floats, amps: Floats, *, gap_s: float, keep: bool = True
    ) -> Counted:
        """Count a span of readings that follows all earlier ones.

        Args:
            time_s, volts, amps: shape (n,) [s, V, A], times strictly rising and after the last reading.
            gap_s: longest interval that is still counted [s]; see `gap_limit_s`.
            keep: whether the deficit and effective current of every reading are wanted.

        Raises:
            ValueError: when the span starts at or before the last reading.
        """
        if len(time_s) and time_s[0] <= self.state.last_s:
            raise ValueError(
                f"readings must come in order of time, got {time_s[0]} s after {self.state.last_s} s"
            )
        deficit_ah = np.empty(len(time_s)) if keep else NONE
        effective_a = np.empty(len(time_s)) if keep else NONE
        resets: list[FullReset] = []
        gaps: list[Gap] = []
        effects: list[EntryEffect] = []
        start = 0
        while True:
            # An entry acts after the last reading at or before its instant.
            end = len(time_s)
            if self.pending:
                end = min(end, int(np.searchsorted(time_s, self.pending[0].time_s, side="right")))
            part = slice(start, end)
            if end > start:
                outputs = (deficit_ah[part], effective_a[part]) if keep else (NONE, NONE)
                self._count(
                    time_s, volts, amps, part, outputs, gap_s=gap_s, keep=keep, resets=resets, gaps=gaps
                )
            if end == len(time_s):
                break
            effects.append(self._enter())
            start = end
        return Counted(deficit_ah, effective_a, resets, gaps, effects, self.state, self.numbers)

    def finish(self, until_s: float) -> list[EntryEffect]:
        """Apply the entries dated up to `until_s` that no later reading has brought in [s]."""
        effects = []
        while self.pending and self.pending[0].time_s <= until_s:
            effects.append(self._enter())
        return effects

    def _enter(self) -> EntryEffect:
        entry = self.pending.pop(0)
        before = self.state
        self.state, self.numbers = apply_entry(entry, before, self.numbers)
        return EntryEffect(entry, before, self.state)

    def _count(
        self,
        time_s: Floats,
        volts: Floats,
        amps: Floats,
        part: slice,
        outputs: tuple[Floats, Floats],
        *,
        gap_s: float,
        keep: bool,
        resets: list[FullReset],
        gaps: list[Gap],
    ) -> None:
        from volnik.core.count.fast import Rule, Span, count_span  # numba is slow to import: only here

        row, numbers = self.state.row(), self.numbers
        rule = Rule(
            gap_s,
            numbers.rated_a,
            numbers.peukert_exponent,
            numbers.coulombic_efficiency,
            numbers.charged_voltage_v,
            numbers.floor_a,
            numbers.tail_a,
            numbers.hold_s,
            numbers.dead_band_a,
        )

        def kernel(within: slice, state: Floats) -> tuple[Floats, Any]:
            chosen = slice(part.start + within.start, part.start + within.stop)
            span = Span(time_s[chosen], volts[chosen], amps[chosen])
            deficits, effective = (output[within] if keep else NONE for output in outputs)
            found: tuple[Floats, Any] = count_span(span, deficits, effective, state, rule)
            return found

        def qualifies_at(index: int) -> bool:
            at = part.start + index
            return bool(
                volts[at] >= numbers.charged_voltage_v and numbers.floor_a <= amps[at] <= numbers.tail_a
            )

        count = part.stop - part.start
        if count > WORTH_IT:
            reset_rows, gap_ends = count_halves(time_s[part], qualifies_at, row, kernel)
        else:
            reset_rows, gap_ends = kernel(slice(0, count), row)
        previous_s = self.state.last_s
        for index in gap_ends + part.start:
            gaps.append(
                Gap(float(time_s[index - 1]) if index > part.start else previous_s, float(time_s[index]))
            )
        resets.extend(FullReset(float(reset[1]), CountState.from_row(reset)) for reset in reset_rows)
        self.state = CountState.from_row(row)
