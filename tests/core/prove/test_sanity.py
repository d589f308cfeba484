"""What a monitor shows held against itself, worked by hand."""

import unittest

from volnik.core.errors import InvalidInput
from volnik.core.prove import sanity
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES

NUMBERS = Numbers(100, 20, 1.1, 0.95, 14.2, 4, 180, 0.1, 20, 1.0, 180)


class Sanity(unittest.TestCase):
    def test_each_at_its_limit(self):
        for verdict, word in (
            (sanity.judge_watts(13.0, -10.0, 130.0), "well"),
            (sanity.judge_watts(13.0, -10.0, 122.0), "off"),  # 5 % of 130 W are 6.5 W
            (sanity.judge_watts(13.0, -0.1, 3.0), "well"),  # a step of the display
            (sanity.judge_hours(60.0, -10.0, 4.0, NUMBERS), "well"),  # (60 - 20) Ah / 10 A
            (sanity.judge_hours(60.0, -10.0, 6.0, NUMBERS), "off"),
            (sanity.judge_hours(60.0, -10.0, 10.5, NUMBERS), "off"),  # 105 Ah of 100
            (sanity.judge_hours(60.0, -0.5, 80.0, NUMBERS), "too small to tell"),
            (sanity.judge_hours(60.0, -10.0, 4.0, None), "seen"),
            (sanity.judge_counter(-10.0, -15.0, 30.0, -10.0), "well"),  # 10 A over half an hour
            (sanity.judge_counter(-10.0, -17.5, 30.0, -10.0), "off"),  # a 75 mV shunt as 50 mV
            (sanity.judge_counter(-10.0, -11.0, 6.0, -10.0), "too small to tell"),
            (sanity.judge_screens(-5.0, -5.1), "well"),
            (sanity.judge_screens(-5.0, -0.2), "off"),
            (sanity.judge_float(13.5, 0.3, NUMBERS), "well"),
            (sanity.judge_float(13.5, -0.4, NUMBERS), "well"),
            (sanity.judge_float(13.5, 6.0, NUMBERS), "off"),
            (sanity.judge_float(13.5, -6.0, NUMBERS), "off"),
        ):
            with self.subTest(verdict.sentence):
                self.assertEqual(verdict.word, word)
        whole = sanity.judge_hours(60.0, -10.0, 10.5, NUMBERS)
        self.assertEqual(whole.level, "fix")
        self.assertIn("more than the whole battery holds", whole.sentence)

    def test_rested_volts_and_percentage_have_four_meanings(self):
        def rested(volts, percent, hours=8.0):
            return sanity.judge_rested(
                volts, hours, percent, chemistry=CHEMISTRIES["flooded"], cells=6, charged=False
            )

        # By hand, from the rest volts: 12.65 V are 95 %, 12.17 V are 40 %, 12.05 V are 25 %.
        self.assertEqual(rested(12.65, 95.0).word, "well")
        self.assertIn("charge it soon", rested(12.05, 27.0).sentence)
        self.assertIn("claims more", rested(12.17, 100.0).sentence)
        self.assertIn("more in it", rested(12.65, 30.0).sentence)
        with self.assertRaises(InvalidInput):
            rested(12.65, 95.0, hours=1.0)
