"""Idle draw fuse by fuse, a charge forced to its end, a trial: sound and faulty, by hand."""

import math
import unittest

from volnik.core.prove.longer import judge_forced, judge_idle_part, judge_trial
from volnik.core.settings import Numbers

NUMBERS = Numbers(200.0, 20.0, 1.0, 0.997, 14.2, 4.0, 180.0, 0.1, 20.0, None, 180.0)


class Longer(unittest.TestCase):
    def test_a_fuse_tells_what_it_feeds(self):
        found = judge_idle_part("Inverter", -0.92, -0.30)
        self.assertEqual((found.word, found.level), ("seen", None))
        self.assertIn("0.62 A with all off, 14.9 Ah a day", found.sentence)
        self.assertEqual(judge_idle_part("Pump", -0.30, -0.30).word, "nothing")
        self.assertEqual(judge_idle_part("Fan", -0.30, -1.90).level, "advise")

    def test_amps_of_a_forced_charge_add_up_or_something_is_missing(self):
        sound = judge_forced(40.0, 12.0, 28.0, 14.0, NUMBERS)
        self.assertIsNone(sound.level)
        self.assertIn("Not at its end yet: wants 14.2 V and 8.0 A", sound.sentence)
        self.assertIn("The end is reached", judge_forced(10.0, 4.0, 6.0, 14.4, NUMBERS).sentence)
        self.assertEqual(judge_forced(40.0, 6.0, 28.0, 14.0, NUMBERS).level, "fix")
        self.assertIn("Another charger", judge_forced(40.0, 30.0, 28.0, 14.0, NUMBERS).next)

    def test_a_trial_is_held_against_the_readings_of_its_time(self):
        self.assertIsNone(judge_trial(24.0, 100.0, 160.0, logged_ah=61.0).level)
        self.assertEqual(judge_trial(24.0, 100.0, 160.0, logged_ah=80.0).level, "fix")
        self.assertEqual(judge_trial(24.0, 100.0, 90.0, logged_ah=math.nan).level, "fix")
        self.assertEqual(judge_trial(2.0, 100.0, 105.0, logged_ah=5.0).word, "too small to tell")
        self.assertIn("60 Ah a day", judge_trial(24.0, 100.0, 160.0, logged_ah=math.nan).sentence)
