"""Promises made on leaving: what a simple van's days lead to by hand, and what keeps or breaks one."""

import math
import unittest

from tests.core.quick.test_quick import planned
from volnik.core.numbers.defaults import default_numbers
from volnik.core.rig.use import Use
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.simulation.vehicle import vehicle_of
from volnik.core.watch.forecast import ahead
from volnik.core.watch.promises import Promise, expected_days, outcome, promise_of, season_of

EVENING = 1_763_661_600.0  # 20 Nov 2025, 18:00 UTC
HOUR = 3600.0


def promised(lines, use=None, label="100 Ah"):
    """What a van of these lines promises on an evening, left full."""
    plan = planned(lines, label)
    vehicle = vehicle_of(plan.planned, use=use or Use(), latitude=50.0)
    numbers = default_numbers(plan.bank, CHEMISTRIES["lfp"])
    profile = expected_days(vehicle, numbers, month=11, zone="UTC")
    return promise_of(ahead(profile, numbers, now_s=EVENING, soc=1.0), made_s=EVENING, based_on="survey")


def made(**more):
    """A promise of 60 to 80 % for the morning, full within two days."""
    given = {
        "made_s": EVENING,
        "morning_s": EVENING + 13 * HOUR,
        "low": 0.6,
        "middle": 0.7,
        "high": 0.8,
        "full_low_s": EVENING + 20 * HOUR,
        "full_s": EVENING + 24 * HOUR,
        "full_high_s": EVENING + 48 * HOUR,
        "based_on": "log",
    }
    return Promise(**{**given, **more})


class Days(unittest.TestCase):
    def test_a_steady_load_takes_what_the_sum_says(self):
        still = Use(drive_days=0, shore_nights=0)
        found = promised(["Radio 2 A, 0-24, duty 100 %"], still)
        self.assertEqual(found.morning_s, EVENING + 13 * HOUR)
        # by hand: 13 h x 2 A = 26 Ah of 100 Ah; a fifth more or less each way
        self.assertAlmostEqual(found.middle, 0.74, delta=0.03)
        self.assertTrue(found.low < 0.74 < found.high)
        self.assertTrue(math.isnan(found.full_s))  # nothing charges

    def test_sun_brings_it_back_to_full(self):
        found = promised(["Fridge 45 W", "Solar 400 W"], Use(drive_days=0, shore_nights=0, sky="sunny"))
        self.assertFalse(math.isnan(found.full_s))
        self.assertGreater(found.full_low_s, found.morning_s)  # by night nothing is full again

    def test_the_season_is_the_rigs_own(self):
        seasons = {1: ("winter", "summer"), 4: ("spring", "autumn"), 7: ("summer", "winter")}
        for month, both in seasons.items():
            self.assertEqual((season_of(month, south=False), season_of(month, south=True)), both)


class Outcomes(unittest.TestCase):
    def test_each_part_is_kept_broken_or_open(self):
        night, morning, later = EVENING + HOUR, EVENING + 14 * HOUR, EVENING + 60 * HOUR
        unknown = math.nan
        for now_s, came, resets, states in (
            (night, unknown, (), ("open", "open", "open")),
            (morning, 0.7, (), ("kept", "open", "open")),
            (morning, 0.59, (), ("kept", "open", "open")),  # a whole percent beside is as displays are
            (morning, 0.5, (), ("broken", "open", "broken")),
            (later, 0.7, (EVENING + 30 * HOUR,), ("kept", "kept", "kept")),
            (later, 0.7, (EVENING - HOUR,), ("kept", "broken", "broken")),
            (later, 0.7, (EVENING + 50 * HOUR,), ("kept", "broken", "broken")),
        ):
            found = outcome(made(), now_s=now_s, came=came, resets_s=resets)
            self.assertEqual((found.morning, found.full, found.state), states)

    def test_where_no_full_was_promised_none_is_missed(self):
        found = outcome(made(full_high_s=math.nan), now_s=EVENING + 90 * HOUR, came=0.7, resets_s=())
        self.assertEqual(found.state, "kept")

    def test_it_comes_back_as_it_was_kept(self):
        for promise in (made(), made(full_low_s=math.nan)):
            self.assertEqual(repr(Promise.from_body(promise.as_body())), repr(promise))
