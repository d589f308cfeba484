"""The count of record: sources, versions, entries, windows of the strip, instants."""

import math
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from tests.services.shops import NOW, NUMBERS, opened_context, rig, steady, take
from volnik.core.count.entries import Entry
from volnik.core.count.log import LogCounter
from volnik.core.count.runtime import mean_rate_a
from volnik.core.readings import Readings
from volnik.jobs.board import JobCancelled
from volnik.services.log import entries
from volnik.services.log import sources as log
from volnik.services.numbers import versions
from volnik.services.watch.view import watch_strip, watch_view
from volnik.services.yard.rigs import archive, new_rig, yard


class Sources(unittest.TestCase):
    def test_the_same_readings_twice_change_nothing(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            first = take(shop, rig_id, steady(-5, 61))
            again = take(shop, rig_id, steady(-5, 61), name="copy.csv")
            self.assertEqual((again.repeated, again.source.id), (True, first.source.id))
            self.assertEqual(len(log.source_views(shop, rig_id)), 1)
            # by hand: 60 minutes of 5 A are 5 Ah
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 5.0)

    def test_an_overlapping_file_is_set_aside_where_another_speaks(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-5, 61))
            take(shop, rig_id, steady(-8, 121), name="longer.csv")
            # by hand: one hour of 5 A from the first, one hour of 8 A from the second
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 13.0)
            speaks = [round(view.speaks, 2) for view in log.source_views(shop, rig_id)]
            self.assertEqual(speaks, [1.0, 0.5])

    def test_a_withdrawn_source_is_silent_and_can_come_back(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            source = take(shop, rig_id, steady(-5, 61)).source
            log.withdraw(shop, rig_id, source.id)
            self.assertIsNone(watch_view(shop, rig_id).now)
            log.withdraw(shop, rig_id, source.id, back=True)
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 5.0)
            log.withdraw(shop, rig_id, source.id)
            self.assertFalse(take(shop, rig_id, steady(-5, 61)).repeated)
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 5.0)

    def test_a_cancelled_import_leaves_nothing_behind(self):
        def stop(done):
            if done > 0.5:
                raise JobCancelled

        with opened_context() as shop:
            rig_id = rig(shop)
            with self.assertRaises(JobCancelled):
                log.take_in(shop, rig_id, steady(-5, 61), kind="file", name="x", report={}, on_progress=stop)
            self.assertEqual(log.source_views(shop, rig_id), [])
            self.assertIsNone(watch_view(shop, rig_id).now)


class VersionsAndEntries(unittest.TestCase):
    def test_each_stretch_is_counted_with_the_version_that_held(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            log_ = steady(-5, 121)
            take(shop, rig_id, log_)
            middle = float(log_.time_s[60])
            versions.save(
                shop,
                rig_id,
                replace(NUMBERS, peukert_exponent=1.5, rated_hours=25.0),
                holds_from_s=middle,
                reason="new",
                power_up="blank",
            )
            # by hand: one hour of 5 A plain; one of 5 A above C/H = 4 A: 4 x 1.25^1.5 = 5.590 Ah
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 5 + 4 * 1.25**1.5)
            self.assertAlmostEqual(watch_view(shop, rig_id, middle).now.state.deficit_ah, 5.0)
            versions.save(shop, rig_id, NUMBERS, holds_from_s=None, reason="back", power_up="blank")
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 10.0)
            self.assertEqual(
                [version.reason for version in versions.numbers_view(shop, rig_id).versions],
                ["first", "new", "back"],
            )

    def test_ah_below_full_carries_over_a_change_of_capacity(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-5, 121))
            versions.save(
                shop,
                rig_id,
                replace(NUMBERS, capacity_ah=200.0),
                holds_from_s=NOW - 86400 + 3600,
                reason="grown",
                power_up="blank",
            )
            now = watch_view(shop, rig_id).now
            self.assertAlmostEqual(now.state.deficit_ah, 10.0)
            self.assertAlmostEqual(now.soc, 0.95)

    def test_a_trial_counts_the_whole_log_and_keeps_nothing(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(2, 121, volts=13.8))
            tried = versions.trial(shop, rig_id, replace(NUMBERS, charged_voltage_v=13.7), holds_from_s=None)
            self.assertEqual((len(tried.old.resets_s), len(tried.new.resets_s)), (0, 1))
            self.assertEqual(len(versions.numbers_view(shop, rig_id).versions), 1)
            self.assertEqual(watch_view(shop, rig_id).counted_log.events, [])

    def test_a_hand_setting_is_on_record_and_can_be_withdrawn(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-5, 61))
            entry_id = entries.enter(shop, rig_id, Entry(NOW - 86400 + 1800, "set", soc=0.5), "rest volts")
            now = watch_view(shop, rig_id).now
            # by hand: 50 Ah below full, then half an hour of 5 A
            self.assertAlmostEqual(now.state.deficit_ah, 52.5)
            self.assertAlmostEqual(now.book.brought_ah, 50.0)
            entries.withdraw(shop, rig_id, entry_id)
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.deficit_ah, 5.0)
            with self.assertRaisesRegex(ValueError, "future"):
                entries.enter(shop, rig_id, Entry(NOW + 7200, "full"), "")

    def test_an_entry_after_the_last_reading_holds_at_the_rigs_now(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-5, 61))
            entries.enter(shop, rig_id, Entry(NOW - 3600, "full"), "topped by hand")
            self.assertEqual(watch_view(shop, rig_id).now.state.deficit_ah, 0.0)


class Windows(unittest.TestCase):
    def test_the_shape_is_kept_at_every_zoom(self):
        rng = np.random.default_rng(4)
        count = 400_000  # more than are opened for one window: the overviews serve
        amps = np.round(rng.normal(0, 1, count), 2)
        amps[123_456] = -77.0
        time_s = NOW - 10 * 86400 + np.arange(count)
        log_ = Readings(time_s, np.full(count, 13.3), amps)
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, log_)
            for start, end in (
                (time_s[0], time_s[-1]),
                (time_s[100_000], time_s[200_000]),
                (time_s[123_400], time_s[123_500]),
            ):
                with self.subTest(span=end - start):
                    window = watch_strip(
                        shop,
                        rig_id,
                        start_s=float(start),
                        end_s=float(end),
                        columns=300,
                        pens=["amps", "charge"],
                    )
                    pen = window.pens[0]
                    self.assertEqual(pen.low.min(), -77.0)
                    self.assertEqual(pen.lowest, (pen.lowest[0], -77.0))
                    self.assertLessEqual(abs(pen.lowest[0] - time_s[123_456]), 256)
                    self.assertLessEqual(len(pen.time_s), 300)

    def test_a_moment_anywhere_equals_a_count_up_to_there(self):
        log_ = steady(-5, 400)
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, log_)
            for at in (0, 1, 250, 399):
                now = watch_view(shop, rig_id, float(log_.time_s[at])).now
                self.assertAlmostEqual(now.state.deficit_ah, 5 * at / 60)
            self.assertEqual(watch_view(shop, rig_id).now.runtime.flow, "discharging")
            # by hand: 80 Ah to use, 33.25 gone, at 5 A
            self.assertAlmostEqual(watch_view(shop, rig_id).now.runtime.to_reserve_h, (80 - 33.25) / 5)

    def test_inside_a_gap_nothing_is_promised(self):
        parts = steady(-5, 61), steady(-5, 61, start_s=NOW - 86400 + 36000)
        both = Readings(
            *(np.concatenate([getattr(part, name) for part in parts]) for name in ("time_s", "volts", "amps"))
        )
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, both)
            now = watch_view(shop, rig_id, NOW - 86400 + 20000).now
            self.assertTrue(now.in_gap and math.isnan(now.runtime.rate_a))

    def test_windows_that_cannot_be_drawn_are_refused(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            with self.assertRaisesRegex(ValueError, "no readings"):
                watch_strip(shop, rig_id, start_s=0, end_s=1, columns=10, pens=["amps"])
            take(shop, rig_id, steady(-5, 61))
            for start, end, columns, pen in ((1, 1, 10, "amps"), (0, 1, 0, "amps"), (0, 1, 10, "celsius")):
                with self.assertRaises(ValueError):
                    watch_strip(shop, rig_id, start_s=start, end_s=end, columns=columns, pens=[pen])


class Yard(unittest.TestCase):
    def test_rigs_stand_in_order_of_need_and_can_be_searched_and_put_aside(self):
        with opened_context() as shop:
            needy, well = rig(shop, "Zander"), rig(shop, "Avocet")
            take(shop, needy, steady(-5, 3000, start_s=NOW - 200_000))
            take(shop, well, steady(-1, 61))
            self.assertEqual([strip.rig.name for strip in yard(shop)], ["Zander", "Avocet"])
            self.assertIn("below the reserve", yard(shop)[0].rig.summary.attention[0][1])
            self.assertEqual([strip.rig.name for strip in yard(shop, search="avo")], ["Avocet"])
            archive(shop, needy)
            self.assertEqual([strip.rig.name for strip in yard(shop)], ["Avocet"])
            self.assertEqual([strip.rig.name for strip in yard(shop, archived=True)], ["Zander"])
            archive(shop, needy, back=True)
            self.assertEqual(len(yard(shop)), 2)

    def test_a_nameless_rig_is_refused(self):
        with opened_context() as shop, self.assertRaisesRegex(ValueError, "Give the rig a name"):
            new_rig(shop, name=" ", silhouette="van", what="", zone="UTC")


class AcrossChunks(unittest.TestCase):
    """Readings are kept in chunks of 65,536: nothing may change at their edges."""

    def setUp(self):
        rng = np.random.default_rng(9)
        count = 150_000
        self.time_s = NOW - 5 * 86400 + 2.0 * np.arange(count)
        phase = np.sin(self.time_s / 9000.0)
        self.volts = np.round(13.4 + 1.0 * phase, 2)
        self.amps = np.round(8 * phase + rng.normal(0, 0.3, count), 2)
        self.numbers = replace(NUMBERS, tail_current_pct=9.0, hold_s=120.0)

    def test_instants_windows_and_runtime_equal_a_count_of_the_whole(self):
        entry = Entry(float(self.time_s[65_536]) + 1.0, "set", soc=0.6)
        whole = LogCounter.opened(self.numbers, [entry]).feed(self.time_s, self.volts, self.amps, gap_s=300.0)
        self.assertGreater(len(whole.resets), 3)
        with opened_context() as shop:
            rig_id = rig(shop)
            versions.save(shop, rig_id, self.numbers, holds_from_s=None, reason="test", power_up="blank")
            take(shop, rig_id, Readings(self.time_s, self.volts, self.amps))
            entries.enter(shop, rig_id, entry, "test")
            for at in (0, 65_535, 65_536, 65_537, 131_071, 131_072, 149_999):
                now = watch_view(shop, rig_id, float(self.time_s[at])).now
                self.assertAlmostEqual(now.state.deficit_ah, whole.deficit_ah[at], places=9, msg=at)
                first = max(0, at - 91)
                rate_a = mean_rate_a(
                    self.time_s[first : at + 1],
                    whole.effective_a[first : at + 1],
                    at_s=float(self.time_s[at]),
                    window_s=180.0,
                    gap_s=300.0,
                )
                if at:
                    self.assertAlmostEqual(now.runtime.rate_a, rate_a, places=9, msg=at)
                book = now.book
                balance = (
                    book.brought_ah
                    + book.out_ah
                    + book.peukert_ah
                    + book.efficiency_ah
                    + book.clamp_ah
                    - book.in_ah
                )
                self.assertAlmostEqual(balance, book.balance_ah, places=8, msg=at)
            events = [
                event.time_s for event in watch_view(shop, rig_id).counted_log.events if event.kind == "reset"
            ]
            self.assertEqual(events, [reset.time_s for reset in whole.resets])
            start, end = float(self.time_s[65_500]), float(self.time_s[65_600])
            pen = watch_strip(shop, rig_id, start_s=start, end_s=end, columns=1000, pens=["charge"]).pens[0]
            np.testing.assert_allclose(pen.low, 100 - whole.deficit_ah[65_500:65_601], atol=1e-9)

    def test_two_sources_laid_over_each_other_are_counted_as_one_log(self):
        half = 80_000
        self.amps[half + 5] = -200.0  # a spike just behind the seam
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, Readings(self.time_s[:half], self.volts[:half], self.amps[:half]))
            later = slice(half - 20_000, None)
            take(
                shop,
                rig_id,
                Readings(self.time_s[later], self.volts[later], self.amps[later]),
                name="later.csv",
            )
            whole = LogCounter.opened(NUMBERS).feed(self.time_s, self.volts, self.amps, gap_s=300.0)
            self.assertAlmostEqual(
                watch_view(shop, rig_id).now.state.deficit_ah, whole.state.deficit_ah, places=9
            )
            self.assertAlmostEqual(watch_view(shop, rig_id).now.state.in_ah, whole.state.in_ah, places=6)
            everything = watch_strip(
                shop, rig_id, start_s=self.time_s[0], end_s=self.time_s[-1], columns=500, pens=["volts"]
            )
            self.assertEqual(everything.pens[0].high.max(), self.volts.max())
            with mock.patch("volnik.services.watch.strip.MOST_READ", 1000):
                wide = watch_strip(
                    shop,
                    rig_id,
                    start_s=self.time_s[0],
                    end_s=self.time_s[-1],
                    columns=500,
                    pens=["amps", "charge"],
                )
            self.assertFalse(wide.exact)
            self.assertEqual(
                (wide.pens[0].low.min(), wide.pens[0].high.max()), (-200.0, np.float32(self.amps.max()))
            )
            self.assertAlmostEqual(wide.pens[1].low.min(), max(0.0, 100 - whole.deficit_ah.max()), places=4)

    def test_the_numbers_that_hold_later_scale_the_charge_pen_later(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-5, 121))
            versions.save(
                shop,
                rig_id,
                replace(NUMBERS, capacity_ah=200.0),
                holds_from_s=NOW - 86400 + 3600,
                reason="x",
                power_up="blank",
            )
            pen = watch_strip(
                shop, rig_id, start_s=NOW - 86400, end_s=NOW, columns=4000, pens=["charge"]
            ).pens[0]
            # by hand: 5 Ah of 100 gone after an hour, then 5.083 Ah of 200 a minute later
            self.assertAlmostEqual(pen.low[60], 95.0)
            self.assertAlmostEqual(pen.low[61], 100 - 100 * (5 + 5 / 60) / 200)
