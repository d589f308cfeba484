"""What an owner is told to do now, and on the telephone: sound readings and those that clash."""

import math
import unittest
from dataclasses import replace

from tests.core.papers.test_owner import FACTS
from volnik.core.errors import InvalidInput
from volnik.core.papers.now import Reading, call_answer, owner_now, reading
from volnik.core.papers.owner import owner_sheet
from volnik.core.shelf.chemistries import CHEMISTRIES

AGM = replace(FACTS, chemistry="agm", nominal_v=12.0, full_days=14.0)


class Now(unittest.TestCase):
    def test_by_the_steps_of_the_sheet(self):
        for soc, level, words in (
            (0.80, "", "Nothing to do"),
            (0.24, "fix", "switch inverter off"),
            (0.15, "stop", "charge today"),
            (math.nan, "fix", "starts once the battery was full"),
        ):
            with self.subTest(soc):
                found = owner_now(FACTS, soc)
                self.assertEqual(found.level, level)
                self.assertIn(words, found.sentence)
        self.assertEqual(owner_now(replace(FACTS, believed="not", reason="A bypass."), 0.9).level, "stop")


class Call(unittest.TestCase):
    def answer(self, facts=FACTS, cells=4, **read):
        return call_answer(Reading(**read), facts, cells=cells, chemistry=CHEMISTRIES[facts.chemistry])

    def test_an_empty_battery_is_empty_whatever_the_percentage(self):
        self.assertIn("Empty", self.answer(volts=9.9, percent=100.0).sentence)
        self.assertIn("Empty", self.answer(AGM, 6, volts=10.4, percent=100.0).sentence)

    def test_it_says_100_and_it_is_dead(self):
        found = self.answer(AGM, 6, volts=11.9, amps=-0.3, percent=100.0)
        self.assertEqual(found.level, "fix")
        self.assertIn("less is in it than it says", found.sentence)

    def test_sound_readings_raise_no_alarm(self):
        self.assertEqual(self.answer(volts=13.2, amps=-0.5, percent=65.0, days=3.0).level, "")
        self.assertEqual(self.answer(AGM, 6, volts=12.5, amps=0.0, percent=80.0, days=3.0).level, "")
        # under load or on charge volts say nothing of the charge
        self.assertEqual(self.answer(AGM, 6, volts=11.9, amps=-60.0, percent=80.0).level, "")
        self.assertEqual(self.answer(volts=14.2, amps=30.0, percent=60.0).level, "")

    def test_long_since_full_and_too_little_to_tell(self):
        self.assertIn("Charge until full first", self.answer(percent=70.0, days=90.0).sentence)
        self.assertIn("says little", self.answer(volts=13.2).sentence)

    def test_each_figure_at_fault_is_named(self):
        with self.assertRaises(InvalidInput) as refused:
            reading({"volts": -1.0, "percent": 120.0, "amps": -50.0})
        self.assertEqual(set(refused.exception.problems), {"volts", "percent"})
        with self.assertRaises(InvalidInput):
            reading({})


class Stops(unittest.TestCase):
    def test_a_danger_comes_before_the_charge_on_page_and_sheet(self):
        facts = replace(FACTS, stops=("No main fuse.",))
        self.assertEqual(owner_now(facts, 0.9).level, "stop")
        self.assertIn("put this right first: No main fuse.", owner_now(facts, 0.9).sentence)
        self.assertIn("put this right first: No main fuse.", "\n".join(owner_sheet(facts).text()))
