"""Runtime to the reserve and time to full."""

import math
import unittest

import numpy as np

from volnik.core.count.runtime import mean_rate_a, runtime
from volnik.core.settings import Numbers

NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)


class MeanRate(unittest.TestCase):
    def test_the_mean_is_weighted_by_time_inside_the_window(self):
        time_s = np.array([0.0, 60.0, 120.0, 240.0])
        booked = np.array([0.0, -1.0, -2.0, -4.0])
        cases = [
            # by hand: the last 180 s hold 60 s of 2 A and 120 s of 4 A: (120 + 480) / 180
            (180.0, 600 / 180),
            # by hand: the last 150 s hold 30 s of 2 A and 120 s of 4 A
            (150.0, (60 + 480) / 150),
            (1e6, (60 + 120 + 480) / 240),
        ]
        for window_s, rate_a in cases:
            with self.subTest(window_s=window_s):
                self.assertAlmostEqual(
                    mean_rate_a(time_s, booked, at_s=240.0, window_s=window_s, gap_s=300.0), rate_a
                )

    def test_a_gap_inside_the_window_is_left_out_and_nothing_counted_is_unknown(self):
        time_s, booked = np.array([0.0, 400.0, 460.0]), np.array([-9.0, -9.0, -3.0])
        self.assertAlmostEqual(mean_rate_a(time_s, booked, at_s=460.0, window_s=500.0, gap_s=300.0), 3.0)
        self.assertTrue(
            math.isnan(mean_rate_a(time_s[:2], booked[:2], at_s=400.0, window_s=180.0, gap_s=300.0))
        )
        self.assertTrue(
            math.isnan(mean_rate_a(time_s[:1], booked[:1], at_s=0.0, window_s=180.0, gap_s=300.0))
        )


class Meaning(unittest.TestCase):
    def test_the_hours_run_to_the_reserve_or_to_full(self):
        cases = [
            # by hand: 80 Ah to use, 30 gone, 5 A: 10 h
            (5.0, 30.0, "discharging", 10.0, None),
            (5.0, 90.0, "discharging", 0.0, None),
            (-6.0, 30.0, "charging", None, 5.0),
            (0.0, 30.0, "idle", None, None),
            (math.nan, 30.0, "unknown", None, None),
            (5.0, math.nan, "discharging", None, None),
        ]
        for rate_a, deficit_ah, flow, to_reserve, to_full in cases:
            with self.subTest(rate_a=rate_a, deficit_ah=deficit_ah):
                found = runtime(rate_a, deficit_ah, NUMBERS)
                self.assertEqual(
                    (found.flow, found.to_reserve_h, found.to_full_h), (flow, to_reserve, to_full)
                )
