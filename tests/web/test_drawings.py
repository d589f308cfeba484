"""Drawings as numbers."""

import math
import unittest
from dataclasses import replace

import numpy as np

from volnik.core.numbers.defaults import default_numbers
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.watch.outlook import Outlook
from volnik.core.watch.strip import ChartMark, ChartWindow, PenTrace
from volnik.drawings.bank import draw_bank
from volnik.drawings.questions import draw_questions
from volnik.drawings.rail import draw_rail
from volnik.drawings.scale import Scale, round_steps
from volnik.drawings.strip import draw_strip

BANK = Bank("lfp", 4, 1, 2, CapacityLabel("nameplate", ah=100.0))
NUMBERS = default_numbers(BANK, CHEMISTRIES["lfp"])


class Scales(unittest.TestCase):
    def test_values_are_laid_out_and_kept_on_the_paper(self):
        scale = Scale(0, 200, 16, 416)
        # by hand: a quarter of the way is 116
        self.assertEqual([scale.at(value) for value in (0, 50, 200, 250, -9)], [16, 116, 416, 416, 16])
        self.assertEqual(round_steps(0, 320, 8), [0, 50, 100, 150, 200, 250, 300])
        self.assertEqual(round_steps(13.02, 13.38, 4), [13.1, 13.2, 13.3])


class Rail(unittest.TestCase):
    def test_the_level_and_the_reserve_stand_where_the_ah_are(self):
        rail = draw_rail(NUMBERS, 50.0, [Outlook("22:00", 6.0, 120.0)], width=1032.0)
        # by hand: 200 Ah over 1000 px: 150 Ah left are 750 px, the reserve of 15 % is 150 px
        self.assertAlmostEqual(rail.level.width, 750.0)
        self.assertAlmostEqual(rail.reserve.width, 150.0)
        self.assertEqual([word.text for word in rail.flag_words], ["now 75 %", "22:00 40 %"])
        self.assertIsNone(draw_rail(NUMBERS, math.nan, [], width=1000).level)

    def test_flags_that_stand_close_stand_on_other_heights(self):
        rail = draw_rail(NUMBERS, 50.0, [Outlook("a", 1, 51.0), Outlook("b", 2, 52.0)], width=1000)
        self.assertEqual(len({word.y for word in rail.flag_words}), 3)


class Strip(unittest.TestCase):
    def test_a_spike_is_drawn_and_a_gap_lifts_the_pen(self):
        trace = PenTrace(
            "amps",
            np.array([0.0, 10.0, 90.0]),
            np.array([1.0, -50.0, 1.0]),
            np.array([1.0, 2.0, 1.0]),
            (10.0, -50.0),
            (10.0, 2.0),
        )
        window = ChartWindow(0, 100, [trace], [ChartMark("gap", 10, 90), ChartMark("reset", 50, 50)], True)
        strip = draw_strip(window, width=500, height=200, zone="UTC", system="metric")
        path = strip.lanes[0].path
        self.assertEqual(path.count("M"), 2)
        self.assertEqual(path.count("V"), 1)
        self.assertEqual((len(strip.gaps), len(strip.resets)), (1, 1))

    def test_fahrenheit_is_drawn_as_such(self):
        trace = PenTrace(
            "celsius", np.array([0.0]), np.array([20.0]), np.array([20.0]), (0.0, 20.0), (0.0, 20.0)
        )
        lane = draw_strip(
            ChartWindow(0, 10, [trace], [], True), width=500, height=200, zone="UTC", system="us"
        ).lanes[0]
        self.assertEqual((lane.unit, lane.extremes[0].text), ("°F", "68"))


class Bankdrawing(unittest.TestCase):
    def test_the_take_off_moves_the_negative_to_the_other_string(self):
        diagonal, one_end = draw_bank(BANK, 100.0), draw_bank(replace(BANK, takeoff="one_end"), 100.0)
        self.assertEqual(len(diagonal.blocks), 2)
        self.assertEqual(diagonal.takeoffs[1][1], diagonal.blocks[1].minus[1])
        self.assertEqual(one_end.takeoffs[1][1], one_end.blocks[0].minus[1])

    def test_every_block_of_a_large_bank_stays_on_the_paper(self):
        drawing = draw_bank(Bank("flooded", 1, 24, 4, CapacityLabel("nameplate", ah=500.0)), 500.0)
        self.assertEqual(len(drawing.blocks), 96)
        for block in drawing.blocks:
            self.assertTrue(block.x > 0 and block.x + block.width < drawing.width and block.y > 0)


class Questions(unittest.TestCase):
    def test_every_number_is_on_a_drawing_and_a_dragged_line_carries_its_value(self):
        drawn = draw_questions(NUMBERS, "blank", BANK, CHEMISTRIES["lfp"], {"tail_current_pct"})
        keys = {tag.key for drawing in drawn.values() for tag in drawing.tags}
        self.assertEqual(keys, {*NUMBERS.as_dict(), "power_up"})
        grip = next(grip for grip in drawn["full"].grips if grip.key == "charged_voltage_v")
        self.assertAlmostEqual(grip.y, grip.scale.at(13.9))
        self.assertEqual(
            [tag.key for drawing in drawn.values() for tag in drawing.tags if tag.trouble],
            ["tail_current_pct"],
        )

    def test_a_charge_that_never_meets_both_is_said_so(self):
        high = replace(NUMBERS, charged_voltage_v=14.55)
        words = [
            word.text for word in draw_questions(high, "blank", BANK, CHEMISTRIES["lfp"], set())["full"].words
        ]
        self.assertIn("this charge never meets both", words)
