"""The lamps towards the next full, and when a monitor without its own reset must be told."""

import unittest
from dataclasses import replace

from volnik.core.count.state import CountState
from volnik.core.count.toward import press_full, toward_full
from volnik.core.settings import Numbers

NUMBERS = Numbers(200.0, 20.0, 1.0, 0.997, 14.2, 4.0, 180.0, 0.1, 20.0, None, 180.0)


class Toward(unittest.TestCase):
    def lit(self, volts, amps, held_s=None):
        run_s = float("nan") if held_s is None else 1000.0 - held_s
        state = replace(CountState(), last_s=1000.0, run_start_s=run_s)
        return [lamp.lit for lamp in toward_full(volts, amps, state, NUMBERS)]

    def test_each_lamp_by_itself(self):
        self.assertEqual(self.lit(13.3, -6.0), [False, False, False])
        self.assertEqual(self.lit(14.2, 30.0), [True, False, False])
        self.assertEqual(self.lit(13.5, 3.0), [False, True, False])
        self.assertEqual(self.lit(14.3, 8.0, 60.0), [True, True, False])  # 4 % of 200 Ah
        self.assertEqual(self.lit(14.3, 8.0, 180.0), [True, True, True])
        self.assertEqual(self.lit(14.3, -0.1, 180.0), [True, False, False])

    def test_only_a_monitor_that_finds_no_full_is_told_and_only_then(self):
        state = replace(CountState(), last_s=1000.0, run_start_s=800.0)
        lamps = toward_full(14.3, 2.0, state, NUMBERS)
        self.assertEqual(lamps[2].message, "both held 3 of 3 min")
        self.assertIn("press full", press_full(lamps, finds_full=False, button=True))
        self.assertIn("to 100 %", press_full(lamps, finds_full=False, button=False))
        self.assertEqual(press_full(lamps, finds_full=True, button=True), "")
        dark = (*lamps[:2], replace(lamps[2], lit=False))
        self.assertEqual(press_full(dark, finds_full=False, button=True), "")
