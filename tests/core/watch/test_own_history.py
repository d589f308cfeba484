"""The monitor's own history page held against battery, log and itself; nights; readings that cannot be."""

import unittest
from dataclasses import fields

import numpy as np

from volnik.core.errors import InvalidInput
from volnik.core.readings import Readings
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.watch.half_hours import HalfHours
from volnik.core.watch.nights import nights_of
from volnik.core.watch.own_history import Beside, OwnHistory, judge, own_history
from volnik.core.watch.spikes import spikes

LFP = Beside(CHEMISTRIES["lfp"], 4, 200.0, 900.0)


class OwnHistories(unittest.TestCase):
    def levels(self, own, beside=LFP):
        return [remark.level for remark in judge(own, beside)]

    def test_a_sound_page_gives_no_alarm(self):
        own = OwnHistory(120.0, 60.0, 50.0, 1000.0, 12.4, 14.5, 12.0, 3.0)
        self.assertEqual(set(self.levels(own)), {None})

    def test_what_cannot_be_or_does_harm_is_told(self):
        for own, words in (
            (OwnHistory(deepest_ah=230.0), "more than the whole battery"),
            (OwnHistory(deepest_ah=50.0, last_ah=80.0), "deeper than the deepest"),
            (OwnHistory(low_v=9.6), "under 2.5 V a cell"),
            (OwnHistory(high_v=15.4), "passes the"),
            (OwnHistory(total_ah=700.0, fulls=0.0), "Never full"),
            (OwnHistory(total_ah=400.0), "it was cleared since"),
            (OwnHistory(since_full_days=90.0), "Not full for 90 days"),
        ):
            with self.subTest(words):
                found = judge(own, LFP)
                self.assertIn(words, found[0].sentence)
                self.assertIsNotNone(found[0].level)

    def test_lead_is_flat_at_its_own_volts(self):
        lead = Beside(CHEMISTRIES["agm"], 6, 200.0, float("nan"))
        self.assertEqual(self.levels(OwnHistory(low_v=10.6), lead), [])
        self.assertEqual(self.levels(OwnHistory(low_v=10.4), lead), ["fix"])

    def test_a_page_is_held_against_the_one_before(self):
        before = Beside(CHEMISTRIES["lfp"], 4, 200.0, float("nan"), OwnHistory(total_ah=800.0))
        self.assertIn("200 Ah since", judge(OwnHistory(total_ah=1000.0), before)[0].sentence)
        self.assertIn("cleared between", judge(OwnHistory(total_ah=100.0), before)[0].sentence)

    def test_each_figure_at_fault_is_named_and_an_empty_page_refused(self):
        with self.assertRaises(InvalidInput) as refused:
            own_history({"low_v": -3.0, "fulls": 1e9})
        self.assertEqual(set(refused.exception.problems), {"low_v", "fulls"})
        with self.assertRaises(InvalidInput):
            own_history({})


class Nights(unittest.TestCase):
    def test_a_night_runs_from_evening_to_morning_on_the_rigs_own_clock(self):
        start_s = 1_767_225_600.0 + 1800.0 * np.arange(96)  # two days from midnight, UTC
        columns = {column.name: np.zeros(96) for column in fields(HalfHours)}
        columns |= {"start_s": start_s, "hours": np.full(96, 0.5), "out_ah": np.full(96, 1.0)}
        found = nights_of(HalfHours(**columns), "UTC")
        # By hand: of the two evenings only the first has its morning; 24 half hours of 1 Ah.
        self.assertEqual([night.out_ah for night in found], [24.0])
        self.assertEqual(found[0].start_s, 1_767_225_600.0 + 20 * 3600.0)


class Spikes(unittest.TestCase):
    def test_volts_of_no_battery_and_a_lone_jump_are_named_a_real_start_is_not(self):
        amps, volts = np.full(100, -2.0), np.full(100, 13.1)
        amps += 0.02 * np.sin(np.arange(100))
        volts[10] = 0.0
        amps[20] = -400.0
        amps[30:33] = -300.0  # an engine is started: three readings, no spike
        found = spikes(Readings(60.0 * np.arange(100), volts, amps), per_12v=1.0, capacity_ah=200.0)
        self.assertEqual([spike.time_s for spike in found], [600.0, 1200.0])
