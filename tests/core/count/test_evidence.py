"""What is said of the charge: claims, settings, full by hand and volts at rest; worked by hand."""

import math
import unittest

import numpy as np

from volnik.core.count.entries import Entry
from volnik.core.count.evidence import Standing, Word, after_word, at_rest, contradicts_full, set_by_hand
from volnik.core.count.log import LogCounter
from volnik.core.count.uncertainty import PRIORS, band, prior_for
from volnik.core.errors import InvalidInput
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES

NUMBERS = Numbers(100.0, 20.0, 1.0, 0.997, 14.0, 4.0, 180.0, 0.1, 20.0, 0.62, 180.0)
START_S = 1.7e9
HOUR_S = 3600.0


def log(*, hours=40.0, amps=-1.0, hole=None):
    """Readings a minute apart at a steady current, with a hole (from, to) [h]."""
    hour = np.arange(0.0, hours, 1 / 60)
    if hole is not None:
        hour = hour[(hour <= hole[0]) | (hour >= hole[1])]
    return Readings(START_S + HOUR_S * hour, np.full(len(hour), 13.1), np.full(len(hour), amps))


def banded(readings, *, entries=(), words=(), numbers=NUMBERS):
    made = LogCounter.opened(numbers, entries).feed(
        readings.time_s, readings.volts, readings.amps, gap_s=300.0
    )
    return made, band(readings, made, numbers, chemistry="lfp", cells=4, gap_s=300.0, words=words)


def at_hour(readings, hour):
    return int(np.searchsorted(readings.time_s, START_S + HOUR_S * hour))


class Claims(unittest.TestCase):
    def test_a_monitor_that_wakes_at_100_knows_no_more_than_before(self):
        readings = log()
        lost_s = START_S + 10 * HOUR_S
        made, found = banded(
            readings,
            entries=[Entry(lost_s, "supply_lost", power_up="full")],
            words=[Word(lost_s, 1.0)],
        )
        before, after = at_hour(readings, 9.9), at_hour(readings, 10.2)
        self.assertAlmostEqual(made.deficit_ah[after], 0.2, delta=0.05)  # the count itself claims it
        # By hand: 62 % less 1 A over 10.2 h of 100 Ah.
        self.assertAlmostEqual(found.centre[after], 0.62 - 0.102, delta=0.006)
        self.assertLess(found.high[after], 0.65)
        self.assertGreaterEqual(found.half[after], found.half[before] - 1e-4)

    def test_charge_after_the_claim_brings_the_battery_nearer_to_what_is_claimed(self):
        readings = log(amps=2.0, hours=10.0)
        lost_s = START_S + HOUR_S
        _, found = banded(
            readings, entries=[Entry(lost_s, "supply_lost", power_up="full")], words=[Word(lost_s, 1.0)]
        )
        last = len(readings) - 1
        # 62 % and 9 h of 2 A while the count stands at full: 0.7 of it is believed to have gone in.
        self.assertAlmostEqual(found.centre[last], 0.64 + 0.7 * 0.18, delta=0.02)

    def test_a_setting_by_hand_begins_anew(self):
        readings = log()
        set_s = START_S + 20 * HOUR_S
        _, found = banded(readings, entries=[Entry(set_s, "set", soc=0.8)], words=[set_by_hand(set_s, 0.8)])
        place = at_hour(readings, 20.1)
        self.assertAlmostEqual(found.centre[place], 0.8, delta=0.005)
        self.assertAlmostEqual(found.half[place], 1.645 * 0.05, delta=0.003)

    def test_a_full_said_at_volts_of_none_is_a_claim(self):
        twelve = {"numbers": NUMBERS, "cells_12v": 1.0}
        self.assertTrue(contradicts_full(volts=13.2, amps=-2.5, **twelve))
        self.assertTrue(contradicts_full(volts=14.1, amps=-2.5, **twelve))
        self.assertFalse(contradicts_full(volts=14.1, amps=1.0, **twelve))
        self.assertFalse(contradicts_full(volts=13.8, amps=0.0, **twelve))


class Silence(unittest.TestCase):
    def test_a_day_nobody_read_widens_by_what_could_have_flowed(self):
        readings = log(hours=100.0, hole=(30.0, 54.0))
        _, found = banded(readings)
        place = at_hour(readings, 54.01)
        # By hand: 1 A of its own habit over 24 h of 100 Ah.
        self.assertAlmostEqual(float(found.parts["gaps"][place]), 0.24, delta=0.01)
        self.assertGreater(found.half[place], 0.3)
        self.assertLess(found.half[at_hour(readings, 30.0)], 0.12)

    def test_no_cause_is_wider_than_the_whole(self):
        readings = log(hours=9000.0, hole=(30.0, 8990.0))
        _, found = banded(readings)
        self.assertLessEqual(max(float(part.max()) for part in found.parts.values()), 1.0)
        self.assertEqual((found.low[-1], found.high[-1]), (0.0, 1.0))

    def test_where_nothing_is_known_the_largest_device_says_what_could_have_flowed(self):
        usual = prior_for("lfp", strings=1, capacity_ah=100.0)
        self.assertEqual(usual.unknown_flow, PRIORS["lfp"].unknown_flow)
        self.assertEqual(prior_for("lfp", strings=1, capacity_ah=100.0, most_flow_a=30.0).unknown_flow, 0.3)
        self.assertEqual(prior_for("lfp", strings=1, capacity_ah=100.0, most_flow_a=500.0).unknown_flow, 1.0)

    def test_a_lithium_batterys_own_electronics_drain_it_past_the_shunt(self):
        numbers = Numbers(**{**NUMBERS.as_dict(), "initial_soc": 0.9})
        readings = log(hours=720.0, amps=0.0)
        made, _ = banded(readings, numbers=numbers)
        drains = [
            band(
                readings,
                made,
                numbers,
                chemistry="lfp",
                cells=4,
                gap_s=300.0,
                prior=prior_for("lfp", strings=strings, capacity_ah=100.0),
            ).centre[-1]
            for strings in (0, 2)
        ]
        # By hand: two packs of 10 mA over 720 h are 14.4 Ah of 100.
        self.assertAlmostEqual(drains[0] - drains[1], 0.144, delta=0.001)


class Rest(unittest.TestCase):
    def rested(self, **more):
        given = {"volts": 12.55, "cells": 6, "chemistry": "flooded", "hours": 8.0, "after_charge": False}
        given |= more
        return at_rest(START_S, **{**given, "chemistry": CHEMISTRIES[given["chemistry"]]})

    def test_it_is_refused_before_the_battery_rests(self):
        for more in ({"hours": 5.0}, {"hours": 23.0, "after_charge": True}):
            with self.assertRaises(InvalidInput) as refused:
                self.rested(**more)
            self.assertIn("hours", refused.exception.problems)
        with self.assertRaises(InvalidInput):
            self.rested(chemistry="lfp", cells=4, volts=13.2, hours=1.9)
        with self.assertRaises(InvalidInput):
            self.rested(volts=25.1)

    def test_lead_says_where_it_stands_and_lithium_only_bounds(self):
        lead = self.rested()
        # By hand: 12.49 V lie 0.02 of 0.23 V above 75 %, 12.61 V lie 0.14 of them: 0.25 each.
        self.assertAlmostEqual(lead.low, 0.772, delta=0.001)
        self.assertAlmostEqual(lead.high, 0.902, delta=0.001)
        plateau = self.rested(chemistry="lfp", cells=4, volts=13.2, hours=3.0)
        self.assertGreater(plateau.high - plateau.low, 0.23)
        self.assertTrue(self.rested(chemistry="lfp", cells=4, volts=12.6, hours=3.0).high < 0.15)

    def test_bounds_narrow_what_is_believed_and_overrule_what_they_cannot_meet(self):
        near = after_word(Word(0.0, math.nan, 0.5, 0.7), Standing(0.55, 0.1))
        self.assertAlmostEqual(near.centre, (0.5 + 0.7) / 2, delta=0.01)
        self.assertLess(near.deviation, 0.1)
        narrow = after_word(Word(0.0, math.nan, 0.2, 0.95), Standing(0.55, 0.02))
        self.assertAlmostEqual(narrow.centre, 0.55)
        self.assertAlmostEqual(narrow.deviation, 0.02)
        far = after_word(Word(0.0, math.nan, 0.2, 0.3), Standing(0.9, 0.02))
        self.assertAlmostEqual(far.centre, 0.25)
