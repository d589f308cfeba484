"""The count against sums done by hand, against a slow independent count, and plain against fast."""

import math
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.count.slow import slow_count
from volnik.core.count.entries import Entry
from volnik.core.count.ledger import ledger
from volnik.core.count.log import LogCounter, gap_limit_s
from volnik.core.count.plain import PlainCounter
from volnik.core.count.state import CountState
from volnik.core.settings import Numbers

NUMBERS = Numbers(100.0, 20.0, 1.25, 0.9, 14.2, 4.0, 180.0, 0.1, 50.0, 1.0, 180.0)


def count(rows, numbers=NUMBERS, gap_s=300.0, entries=()):
    """Rows of (time, volts, amps) through the fast counter."""
    time_s, volts, amps = (np.array(column, dtype=float) for column in zip(*rows, strict=True))
    return LogCounter.opened(numbers, entries).feed(time_s, volts, amps, gap_s=gap_s)


def steady(amps, seconds, volts=13.0, step=60.0, start=0.0):
    """Readings at a steady current, the first only setting the clock."""
    return [(start + at * step, volts, amps) for at in range(int(seconds / step) + 1)]


class HandSums(unittest.TestCase):
    def test_each_rule_gives_the_sum_done_by_hand(self):
        cases = [
            # by hand: 5 A is C/H, so 5 A for half an hour is 2.5 Ah
            ("discharge at the hour rate", steady(-5.0, 1800), 2.5),
            # by hand: 10 A is twice C/H: 5 A x 2^1.25 = 11.892 A, for half an hour 5.946 Ah
            ("discharge above it is bent", steady(-10.0, 1800), 5.0 * 2**1.25 / 2),
            # by hand: 0.09 A lies inside the dead band of 0.1 A; 0.1 A does not: 0.1 A x 1 h = 0.1 Ah
            ("inside the dead band is nothing", steady(-0.09, 3600), 0.0),
            ("on its edge counts", steady(-0.1, 3600), 0.1),
            # by hand: 20 min of 6 A above C/H cost 5 x 1.2^1.25 / 3 = 2.0932 Ah; 10 min of 6 A give back 0.9
            # Ah
            (
                "charge times efficiency",
                steady(-6.0, 1200) + steady(6.0, 600, start=1260, step=60)[:10],
                5 * 1.2**1.25 / 3 - 0.9,
            ),
            # by hand: 15 min of 4 A cost 1 Ah; 2 h of 4 A at 13 V would give 7.2: clamped at full
            ("never above full", steady(-4.0, 900) + steady(4.0, 7200, start=960), 0.0),
            # by hand: 50 h at 5 A is 250 Ah: the deficit passes the capacity
            ("the deficit may pass the capacity", steady(-5.0, 180000), 250.0),
        ]
        for name, rows, deficit_ah in cases:
            with self.subTest(name):
                self.assertAlmostEqual(count(rows).state.deficit_ah, deficit_ah, places=9)

    def test_a_gap_is_not_counted_and_is_told(self):
        rows = [(0, 13, -5), (300, 13, -5), (601, 13, -5), (661, 13, -5)]
        counted = count(rows)
        # by hand: 300 s and 60 s of 5 A are 0.5 Ah; the 301 s between are a gap
        self.assertAlmostEqual(counted.state.deficit_ah, 0.5, places=9)
        self.assertEqual([(gap.start_s, gap.end_s) for gap in counted.gaps], [(300, 601)])

    def test_the_limit_of_a_gap_is_ten_median_steps_but_never_under_five_minutes(self):
        self.assertEqual(gap_limit_s(np.array([0.0, 1.0, 2.0, 9.0])), 300.0)
        self.assertEqual(gap_limit_s(np.array([0.0, 60.0, 120.0, 900.0])), 600.0)
        self.assertEqual(gap_limit_s(np.array([5.0])), 300.0)

    def test_a_full_reset_needs_volts_tail_and_time_together(self):
        low = replace(NUMBERS, initial_soc=0.5)
        cases = [
            ("held long enough", steady(3.0, 180, 14.2), [180.0]),
            ("one reading short", steady(3.0, 120, 14.2), []),
            ("volts a hair low", steady(3.0, 600, 14.19), []),
            ("current above the tail of 4 A", steady(4.01, 600, 14.3), []),
            ("current below the floor of 0 A", steady(-0.01, 600, 14.3), []),
            ("exactly on every edge", steady(4.0, 180, 14.2), [180.0]),
            ("a run fires once", steady(3.0, 3600, 14.4), [180.0]),
            (
                "broken by one reading",
                steady(3.0, 120, 14.2) + [(150, 13.9, 3.0)] + steady(3.0, 120, 14.2, start=180),
                [],
            ),
            ("broken by a gap", [(0, 14.3, 1), (120, 14.3, 1), (500, 14.3, 1), (560, 14.3, 1)], []),
            (
                "begun by the first reading after a gap",
                [(0, 14.3, 1), (500, 14.3, 1), (680, 14.3, 1)],
                [680.0],
            ),
            ("the dead band does not hide the tail test", steady(0.05, 180, 14.2), [180.0]),
        ]
        for name, rows, instants in cases:
            with self.subTest(name):
                counted = count(rows, low)
                self.assertEqual([reset.time_s for reset in counted.resets], instants)
                self.assertEqual(counted.state.deficit_ah == 0.0, bool(instants))

    def test_a_floor_below_zero_lets_a_resting_full_bank_reset(self):
        rows = steady(-0.2, 300, 14.3)
        self.assertEqual(count(rows).resets, [])
        self.assertEqual(len(count(rows, replace(NUMBERS, tail_floor_pct=-0.25)).resets), 1)

    def test_the_first_reset_makes_an_unknown_count_known(self):
        counted = count(
            steady(-5.0, 600) + steady(1.0, 300, 14.4, start=660), replace(NUMBERS, initial_soc=None)
        )
        self.assertTrue(math.isnan(counted.deficit_ah[5]))
        self.assertEqual(counted.state.deficit_ah, 0.0)
        # by hand: what flowed while unknown is still in the totals: 600 s of 5 A
        self.assertAlmostEqual(counted.state.out_ah, 5 * 600 / 3600, places=9)

    def test_the_ledger_balances_with_the_deficit(self):
        rows = steady(-12.0, 3600) + steady(7.0, 12000, 13.4, start=3660) + steady(-1.0, 1200, start=15720)
        counted = count(rows)
        book = ledger(CountState.opened(1.0, 100.0), counted.state)
        balance = (
            book.brought_ah + book.out_ah + book.peukert_ah + book.efficiency_ah + book.clamp_ah - book.in_ah
        )
        self.assertAlmostEqual(balance, counted.state.deficit_ah, places=9)
        # by hand: 12 A for an hour is read as 12 Ah, booked as 5 x 2.4^1.25 = 14.936 Ah
        self.assertAlmostEqual(book.peukert_ah, 5 * 2.4**1.25 - 12, places=9)
        self.assertAlmostEqual(book.out_wh, 12 * 13 + 13 / 3 * 1 + 13 / 60, delta=0.3)
        self.assertGreater(book.clamp_ah, 1.0)


class DatedEntries(unittest.TestCase):
    def test_each_entry_acts_after_the_last_reading_at_or_before_it(self):
        rows = steady(-5.0, 3600)
        wider = replace(NUMBERS, capacity_ah=200.0)
        cases = [
            # by hand: 30 min of 5 A after the setting are 2.5 Ah more
            (Entry(1800, "full"), 2.5),
            (Entry(1800, "set", soc=0.4), 62.5),
            (Entry(1800, "supply_lost", power_up="full"), 2.5 - 5 / 60),
            (Entry(1800, "supply_lost", power_up="last"), 5.0 - 5 / 60),
            # by hand: Ah below full carries over a change of capacity
            (Entry(1800, "numbers", numbers=wider), 5.0),
        ]
        for entry, deficit_ah in cases:
            with self.subTest(entry.kind, power_up=entry.power_up):
                counted = count(rows, entries=[entry])
                self.assertAlmostEqual(counted.state.deficit_ah, deficit_ah, places=9)
                self.assertAlmostEqual(counted.effects[0].before.deficit_ah, 2.5, places=9)

    def test_a_swapped_block_and_a_blank_power_up_leave_the_count_unknown(self):
        for entry in (Entry(1800, "block_swapped"), Entry(1800, "supply_lost", power_up="blank")):
            self.assertTrue(math.isnan(count(steady(-5.0, 3600), entries=[entry]).state.deficit_ah))

    def test_an_entry_breaks_a_run_so_the_hold_begins_anew(self):
        counted = count(steady(1.0, 300, 14.4), entries=[Entry(120, "set", soc=0.5)])
        self.assertEqual(counted.resets, [])

    def test_impossible_entries_are_refused(self):
        with self.assertRaisesRegex(ValueError, "0 to 1"):
            Entry(0, "set", soc=55)
        with self.assertRaisesRegex(ValueError, "carry the numbers"):
            Entry(0, "numbers")


numbers_drawn = st.builds(
    Numbers,
    st.floats(5, 800),
    st.sampled_from([5.0, 10.0, 20.0]),
    st.sampled_from([1.0, 1.05, 1.25]),
    st.floats(0.8, 1.0),
    st.floats(13.0, 14.6),
    st.floats(0.5, 20),
    st.sampled_from([0.0, 60.0, 180.0, 600.0]),
    st.sampled_from([0.0, 0.1, 0.5]),
    st.just(50.0),
    st.one_of(st.none(), st.floats(0, 1)),
    st.just(180.0),
    st.sampled_from([0.0, -0.5]),
)
rows_drawn = st.lists(
    st.tuples(
        st.sampled_from([1.0, 30.0, 60.0, 299.0, 300.0, 301.0, 4000.0]), st.floats(12, 15), st.floats(-80, 80)
    ),
    min_size=1,
    max_size=80,
)


class TwoCounters(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(numbers_drawn, rows_drawn, st.data())
    def test_plain_fast_and_slow_agree(self, numbers, rows, data):
        time_s = np.cumsum([step for step, _, _ in rows])
        volts, amps = np.array([v for _, v, _ in rows]), np.array([a for _, _, a in rows])
        kinds = st.sampled_from(["full", "set", "supply_lost", "block_swapped", "numbers"])
        entries = [
            Entry(
                data.draw(st.floats(0, float(time_s[-1]))),
                kind,
                numbers=replace(numbers, capacity_ah=77.0),
                soc=0.3,
                power_up=data.draw(st.sampled_from(["full", "last", "blank"])),
            )
            for kind in data.draw(st.lists(kinds, max_size=3))
        ]
        fast = LogCounter.opened(numbers, entries)
        cut = data.draw(st.integers(0, len(rows)))
        parts = [
            fast.feed(time_s[a:b], volts[a:b], amps[a:b], gap_s=300.0)
            for a, b in ((0, cut), (cut, len(rows)))
        ]
        plain = PlainCounter(
            numbers,
            300.0,
            CountState.opened(numbers.initial_soc, numbers.capacity_ah),
            sorted(entries, key=lambda e: e.time_s),
        )
        singly = [plain.reading(*row) for row in zip(time_s, volts, amps, strict=True)]
        deficits = np.concatenate([part.deficit_ah for part in parts])
        np.testing.assert_allclose(deficits, [item[0] for item in singly], atol=1e-9, rtol=0)
        np.testing.assert_allclose(
            np.concatenate([part.effective_a for part in parts]), [item[1] for item in singly], atol=1e-9
        )
        self.assertEqual([r.time_s for part in parts for r in part.resets], [r.time_s for r in plain.resets])
        self.assertEqual([g for part in parts for g in part.gaps], plain.gaps)
        np.testing.assert_allclose(fast.state.row(), plain.state.row(), atol=1e-9)
        if not entries:
            slow, resets = slow_count(list(zip(time_s, volts, amps, strict=True)), numbers.as_dict(), 300.0)
            np.testing.assert_allclose(deficits, slow, atol=1e-9, rtol=0)
            self.assertEqual([r.time_s for part in parts for r in part.resets], resets)

    def test_long_logs_agree_across_the_blocks_of_the_fast_counter(self):
        rng = np.random.default_rng(7)
        time_s = np.cumsum(rng.choice([1.0, 2.0, 2.0, 400.0], size=20_000, p=[0.5, 0.3, 0.1999, 0.0001]))
        phase = np.sin(time_s / 3000.0)
        amps = np.round(25 * phase + rng.normal(0, 0.2, len(time_s)), 2)
        volts = np.round(13.3 + 1.2 * phase - np.abs(amps) * 0.01, 2)
        numbers = replace(NUMBERS, charged_voltage_v=14.0, tail_current_pct=25.0, initial_soc=0.3)
        fast = LogCounter.opened(numbers).feed(time_s, volts, amps, gap_s=300.0)
        slow, resets = slow_count_long(time_s, volts, amps, numbers)
        self.assertGreater(len(resets), 3)
        self.assertEqual([reset.time_s for reset in fast.resets], resets)
        np.testing.assert_allclose(fast.deficit_ah, slow, atol=1e-8, rtol=0)

    def test_two_halves_counted_at_once_are_the_whole(self):
        rng = np.random.default_rng(8)
        time_s = np.cumsum(rng.choice([1.0, 2.0, 400.0], size=30_000, p=[0.6, 0.3998, 0.0002]))
        wave = np.sin(time_s / 2000.0)
        for name, level in (
            ("resets in both halves", 0.0),
            ("none in the later", np.where(time_s > time_s[12_000], -2.0, 0.0)),
            ("full at the join", 2.0),
        ):
            amps = np.round(10 * wave + rng.normal(0, 0.2, len(time_s)), 2)
            volts = np.round(13.3 + 1.2 * wave + level, 2)
            numbers = replace(NUMBERS, charged_voltage_v=14.0, tail_current_pct=12.0, initial_soc=0.3)
            whole = LogCounter.opened(numbers).feed(time_s, volts, amps, gap_s=300.0)
            with self.subTest(name), mock.patch("volnik.core.count.log.WORTH_IT", 1000):
                halves = LogCounter.opened(numbers).feed(time_s, volts, amps, gap_s=300.0)
                np.testing.assert_allclose(halves.deficit_ah, whole.deficit_ah, atol=1e-9, rtol=0)
                np.testing.assert_array_equal(halves.effective_a, whole.effective_a)
                np.testing.assert_allclose(halves.state.row(), whole.state.row(), atol=1e-8)
                self.assertEqual(halves.gaps, whole.gaps)
                self.assertEqual(len(halves.resets), len(whole.resets))
                for item, other in zip(halves.resets, whole.resets, strict=True):
                    np.testing.assert_allclose(item.before.row(), other.before.row(), atol=1e-8)

    def test_readings_out_of_order_are_refused(self):
        counter = LogCounter.opened(NUMBERS)
        counter.feed(np.array([10.0]), np.array([13.0]), np.array([0.0]), gap_s=300.0)
        with self.assertRaisesRegex(ValueError, "in order of time"):
            counter.feed(np.array([10.0]), np.array([13.0]), np.array([0.0]), gap_s=300.0)


def slow_count_long(time_s, volts, amps, numbers):
    """The plain counter's answer, one reading at a time, for logs too long for the look-back count."""
    plain = PlainCounter(numbers, 300.0, CountState.opened(numbers.initial_soc, numbers.capacity_ah))
    deficits = [plain.reading(*row)[0] for row in zip(time_s, volts, amps, strict=True)]
    return deficits, [reset.time_s for reset in plain.resets]
