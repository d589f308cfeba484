"""The fast counter: one compiled pass over whole arrays. `plain.py` is its reference, rule for rule.

The pass goes in blocks small enough to stay in the processor's nearest cache. Each block is first turned into
booked amps (which the compiler does eight at a time), then summed: by a bare running sum where no gap, no
qualifying reading and no clamp can occur in the block, reading by reading otherwise.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.compiled import compiled
from volnik.core.count.state import FIELD_COUNT, HOURS_PER_SECOND

BLOCK = 512  # readings: their hours and amps stay in the nearest cache
MEMO_BITS = 13  # 8,192 powers kept: a monitor shows amps in steps, so the same ones come back


class Span(NamedTuple):
    """Readings to be counted: sorted instants [s], volts [V], amps [A], shape (n,) each."""

    time_s: Floats
    volts: Floats
    amps: Floats


class Rule(NamedTuple):
    """The numbers a span is counted under, and its gap limit.

    Attributes:
        gap_s: longest interval that is still counted [s].
        rated_a: current above which Peukert bends [A].
        peukert_exponent, efficiency: as set.
        charged_v, floor_a, tail_a, hold_s: when a bank is full [V, A, A, s].
        dead_band_a: amps taken as none [A].
    """

    gap_s: float
    rated_a: float
    peukert_exponent: float
    efficiency: float
    charged_v: float
    floor_a: float
    tail_a: float
    hold_s: float
    dead_band_a: float


class _Scratch(NamedTuple):
    """Room for one block: intervals [h], booked amps [A], its five sums."""

    hours: Floats
    booked: Floats
    sums: Floats


class _Powers(NamedTuple):
    """Powers already computed: amps in, bent amps out, by slot."""

    amps: Floats
    bent: Floats


@compiled(error_model="numpy", fastmath={"reassoc", "nsz", "nnan"})
def _book_block(span: Span, room: _Scratch, last_s: float, gap_h: float, rule: Rule) -> Any:
    """Book one block: fills intervals [h] and booked amps [A] (Peukert apart) and the five sums of the block.

    Only sums and counts, no running maximum: a maximum keeps the compiler from taking several readings at
    once.

    Returns (whether any interval is longer than `gap_h`, whether any reading qualifies as full, whether any
    lies above C/H).
    """
    time_s, volts, amps = span.time_s, span.volts, span.amps
    hours, booked, sums = room.hours, room.booked, room.sums
    rated_a, efficiency, dead_band_a = rule.rated_a, rule.efficiency, rule.dead_band_a
    charged_v, floor_a, tail_a = rule.charged_v, rule.floor_a, rule.tail_a
    n = time_s.shape[0]
    hours[0] = (time_s[0] - last_s) * HOURS_PER_SECOND
    for i in range(1, n):
        hours[i] = (time_s[i] - time_s[i - 1]) * HOURS_PER_SECOND
    long = full = high = 0
    in_ah = out_ah = in_wh = out_wh = stored_ah = 0.0
    for i in range(n):
        a = amps[i]
        v = volts[i]
        h = hours[i]
        live = 0.0 if abs(a) < dead_band_a else a
        up = live if live > 0.0 else 0.0
        down = live if live < 0.0 else 0.0
        stored = efficiency * up
        booked[i] = stored + down
        up *= h
        down *= h
        in_ah += up
        in_wh += up * v
        out_ah -= down
        out_wh -= down * v
        stored_ah += stored * h
        long += h > gap_h
        full += (v >= charged_v) & (a >= floor_a) & (a <= tail_a)
        high += -live > rated_a
    sums[0], sums[1], sums[2], sums[3], sums[4] = in_ah, out_ah, in_wh, out_wh, stored_ah
    return long > 0, full > 0, high > 0


@compiled(error_model="numpy")
def _bend_block(bits: Any, hours: Floats, booked: Floats, known: _Powers, rule: Rule) -> float:
    """Bend the booked amps above C/H by Peukert's law; returns the extra charge booked [Ah].

    A monitor shows amps in steps, so the same few thousand values come back: each power is computed once.
    """
    rated_a, memo_in, memo_out = rule.rated_a, known.amps, known.bent
    extra_ah = 0.0
    exponent = rule.peukert_exponent - 1.0
    for i in range(bits.shape[0]):
        a = booked[i]
        if -a > rated_a:
            slot = ((bits[i] * 0x9E3779B97F4A7C15 - 0x7FFFFFFFFFFFFFFF) >> 40) & ((1 << MEMO_BITS) - 1)
            if memo_in[slot] != a:
                memo_in[slot] = a
                memo_out[slot] = a * (-a / rated_a) ** exponent
            e = memo_out[slot]
            booked[i] = e
            extra_ah += (a - e) * hours[i]
    return extra_ah


@compiled(error_model="numpy")
def count_span(  # noqa: C901 -- one loop, compiled whole: a call a reading would cost more than the count
    span: Span, deficit_ah: Floats, effective_a: Floats, state: Floats, rule: Rule
) -> Any:
    """Count sorted readings under one set of numbers, in place.

    Kept as one long function on purpose: it is the inner loop of every recount, and the compiler keeps its
    state in registers only while it sees the whole of it.

    Args:
        span: the readings, times strictly rising.
        deficit_ah, effective_a: outputs, shape (n,) [Ah, A], or (0,) where they are not kept.
        state: row of `CountState`, shape (13,); updated in place.
        rule: the numbers, tail and floor already in amps.

    Returns:
        (resets, gaps): rows of the state just before each full reset, whose field 1 is the instant, shape (r,
            13); and the index of each reading that ends a gap, shape (g,).

    Source: docs/domain/count.md, rules 1 to 6.
    """
    time_s, volts, amps = span.time_s, span.volts, span.amps
    gap_s, hold_s, peukert_exponent = rule.gap_s, rule.hold_s, rule.peukert_exponent
    charged_v, floor_a, tail_a = rule.charged_v, rule.floor_a, rule.tail_a
    keep = deficit_ah.shape[0] > 0
    d, last, run, spent = state[0], state[1], state[2], state[3]
    rising = run == run
    resets = np.empty((16, FIELD_COUNT))
    n_resets = 0
    gaps = np.empty(16, dtype=np.int64)
    n_gaps = 0
    hours = np.empty(BLOCK)
    booked = np.empty(BLOCK)
    sums = np.empty(5)
    memo_in = np.full(1 << MEMO_BITS, np.nan)
    memo_out = np.empty(1 << MEMO_BITS)
    bits = amps.view(np.int64)
    room, known = _Scratch(hours, booked, sums), _Powers(memo_in, memo_out)
    # a hair short: what lies on the edge is judged reading by reading
    gap_h = gap_s * 0.999999 * HOURS_PER_SECOND
    n = time_s.shape[0]
    for start in range(0, n, BLOCK):
        end = min(n, start + BLOCK)
        m = end - start
        first = last != last  # the very first reading only sets the clock
        any_long, any_full, any_high = _book_block(
            Span(time_s[start:end], volts[start:end], amps[start:end]),
            room,
            time_s[start] if first else last,
            gap_h,
            rule,
        )
        extra_ah = 0.0
        if any_high and peukert_exponent != 1.0:
            extra_ah = _bend_block(bits[start:end], hours[:m], booked, known, rule)
        simple = not any_long and not any_full and not first
        if simple and not (d - sums[4] <= 0.0):
            deepest = state[12]
            for i in range(m):
                d -= booked[i] * hours[i]
                hours[i] = d
            if keep:
                for i in range(m):
                    deficit_ah[start + i] = hours[i]
                    effective_a[start + i] = booked[i]
            deeper = 0
            for i in range(m):
                deeper += hours[i] > deepest
            if deeper > 0:
                for i in range(m):
                    deepest = hours[i] if hours[i] > deepest else deepest
                state[12] = deepest
            state[4] += sums[0]
            state[5] += sums[1]
            state[6] += sums[2]
            state[7] += sums[3]
            state[8] += sums[0] - sums[4]
            state[9] += extra_ah
            rising = False
            last = time_s[end - 1]
            continue
        for i in range(m):
            t = time_s[start + i]
            v = volts[start + i]
            a = amps[start + i]
            e = booked[i]
            dt = t - last  # NaN at the very first reading: neither counted nor a gap
            last = t
            if dt <= gap_s:
                h = hours[i]
                if e > 0.0:
                    state[4] += a * h
                    state[6] += a * h * v
                    state[8] += (a - e) * h
                    d -= e * h
                    if d < 0.0:
                        state[10] -= d
                        d = 0.0
                elif e < 0.0:
                    state[5] -= a * h
                    state[7] -= a * h * v
                    state[9] += (a - e) * h
                    d -= e * h
                    if d > state[12]:
                        state[12] = d
                if d == 0.0:
                    state[11] += dt
            elif dt > gap_s:
                rising = False
                if n_gaps == gaps.shape[0]:
                    grown = np.empty(2 * n_gaps, dtype=np.int64)
                    grown[:n_gaps] = gaps
                    gaps = grown
                gaps[n_gaps] = start + i
                n_gaps += 1
            if v >= charged_v and a >= floor_a and a <= tail_a:
                if not rising:
                    rising = True
                    run = t
                    spent = 0.0
                if spent == 0.0 and t - run >= hold_s:
                    if n_resets == resets.shape[0]:
                        wider = np.empty((2 * n_resets, FIELD_COUNT))
                        wider[:n_resets] = resets
                        resets = wider
                    resets[n_resets] = state
                    resets[n_resets, 0], resets[n_resets, 1] = d, t
                    resets[n_resets, 2], resets[n_resets, 3] = run, 0.0
                    n_resets += 1
                    spent = 1.0
                    d = 0.0
                    state[12] = 0.0
            else:
                rising = False
            if keep:
                deficit_ah[start + i] = d
                effective_a[start + i] = e
    if not rising:
        run, spent = np.nan, 0.0
    state[0], state[1], state[2], state[3] = d, last, run, spent
    return resets[:n_resets], gaps[:n_gaps]
