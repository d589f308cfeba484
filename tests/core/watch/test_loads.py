"""Loads told apart on a log made by hand."""

import math
import unittest

import numpy as np

from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts, gather
from volnik.core.watch.loads import storage_days, tell_apart

NUMBERS = Numbers(200.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.05, 20.0, 1.0, 180.0)
MIDNIGHT = 1_700_006_400.0
DAYS = 6


def log():
    """Idle 0.3 A; a fridge of 4 A for 10 minutes of each 30; a lamp of 2.5 A from 18 to 22 h.

    Something of 9 A at 7 h for half an hour; a charger of 20 A at noon.
    """
    rng = np.random.default_rng(4)
    time_s = MIDNIGHT + 30.0 * np.arange(DAYS * 2880)
    minute, hour = (time_s / 60.0) % 30.0, (time_s / 3600.0) % 24.0
    amps = (
        -0.3
        - 4.0 * (minute < 10)
        - 2.5 * ((hour >= 18.2) & (hour < 22.2))
        - 9.0 * ((hour >= 7.55) & (hour < 8.05))
        + 20.0 * ((hour >= 12) & (hour < 14))
    )
    volts = 13.2 + 0.004 * amps + 0.6 * (amps > 5)
    return Readings(
        time_s, volts + rng.normal(0, 0.002, len(time_s)), amps + rng.normal(0, 0.01, len(time_s))
    )


class Loads(unittest.TestCase):
    def setUp(self):
        self.facts = gather(log(), numbers=NUMBERS, plan=RigFacts("lfp", 4))
        known = (KnownLoad("fridge", 4.2, True), KnownLoad("lamp", 2.5), KnownLoad("pump", 60.0))
        self.found = tell_apart(self.facts, known, (("radio", 0.2),), reserve_ah=NUMBERS.reserve_ah)

    def test_each_device_has_its_runs_hours_and_amp_hours(self):
        message = {item.name: item for item in self.found.named}
        self.assertEqual(set(message), {"fridge", "lamp"})
        self.assertEqual(self.found.unseen, ["pump"])
        # by hand: 48 runs a day, 1/6 h each at 4 A, four of them in the two hours of charging
        self.assertAlmostEqual(message["fridge"].ah_day, 48 / 6 * 4, delta=1.2)
        self.assertAlmostEqual(message["fridge"].beside_ah_day, 4 / 6 * 4, delta=0.5)
        self.assertAlmostEqual(message["fridge"].amps, 4.0, delta=0.05)
        self.assertAlmostEqual(message["lamp"].hours_day, 4.0, delta=0.2)
        self.assertEqual(message["lamp"].runs, DAYS)

    def test_a_gap_of_a_year_is_no_idle_year(self):
        whole = log()
        apart_s = np.where(np.arange(len(whole)) < len(whole) // 2, 0.0, 365 * 86_400.0)
        parted = Readings(whole.time_s + apart_s, whole.volts, whole.amps)
        facts = gather(parted, numbers=NUMBERS, plan=RigFacts("lfp", 4))
        found = tell_apart(facts, (KnownLoad("fridge", 4.2, True),), (), reserve_ah=NUMBERS.reserve_ah)
        self.assertAlmostEqual(found.named[0].ah_day, 48 / 6 * 4, delta=1.2)
        self.assertAlmostEqual(found.out_ah_day, self.found.out_ah_day, delta=0.2)

    def test_what_has_no_name_is_offered_and_a_charger_going_off_is_not_a_load(self):
        self.assertEqual([round(item.amps) for item in self.found.unknown], [9])
        self.assertEqual(self.found.unknown[0].runs, DAYS)

    def test_the_idle_draw_is_split_into_what_is_known_and_told_in_days(self):
        idle = self.found.idle
        self.assertAlmostEqual(idle.amps, 0.3, delta=0.02)
        self.assertAlmostEqual(idle.unknown_a, 0.1, delta=0.02)
        self.assertAlmostEqual(
            idle.storage_days, 160 / 7.2, delta=1.0
        )  # by hand: 160 Ah to the reserve at 7.2 Ah a day
        self.assertAlmostEqual(storage_days(NUMBERS, idle, 0.5), 60 / idle.ah_day, places=6)

    def test_a_log_that_is_never_quiet_has_no_idle_draw(self):
        noisy = log()
        loud = Readings(noisy.time_s, noisy.volts, noisy.amps + 8.0 * np.sin(noisy.time_s / 40.0))
        found = tell_apart(gather(loud, numbers=NUMBERS, plan=RigFacts("lfp", 4)), (), (), reserve_ah=100.0)
        self.assertIsNone(found.idle)
        self.assertFalse(math.isnan(found.out_ah_day))
