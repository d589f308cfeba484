"""Cases that Volnik once misjudged: each is judged as it is now, and stays so."""

import unittest

from tests.core.practice.test_play import case_of
from volnik.core.practice.cases import drawn
from volnik.core.practice.judged import by_path, by_questions, by_roll_call, said_of


class OnceMisjudged(unittest.TestCase):
    """Level 3, by number; docs/domain/practice_trials.md holds those that still are."""

    def test_a_zero_far_off_is_no_charger_that_nobody_sees(self):
        self.assertEqual(said_of(drawn(5003, 3)).named, "zero_offset")

    def test_a_load_that_draws_less_while_heavier_ones_draw_as_listed_is_no_scale(self):
        self.assertNotEqual(said_of(drawn(5107, 3)).named, "scale")

    def test_a_frozen_battery_is_no_weak_one(self):
        self.assertNotEqual(said_of(drawn(5054, 3)).named, "weak_block")

    def test_a_second_minus_is_told_from_a_wrong_scale_by_a_clamp_at_the_shunt(self):
        for seed in (5019, 5065):
            self.assertEqual(by_questions(drawn(seed, 3)).named, "half_bypass")

    def test_an_efficiency_too_low_for_lead_is_asked_for(self):
        self.assertEqual(by_questions(drawn(5123, 3)).named, "numbers_creep")


class Parts(unittest.TestCase):
    def test_roll_call_and_path_name_a_bypass_and_leave_a_sound_van_alone(self):
        bypass = case_of("load_bypass")
        self.assertEqual(by_roll_call(bypass).named, bypass.wrongs[0].where.removesuffix("_minus"))
        self.assertEqual((by_roll_call(bypass).verdict, by_path(bypass).verdict), ("right", "right"))
        sound = case_of("sound")
        self.assertEqual((by_roll_call(sound).verdict, by_path(sound).verdict), ("right", "not asked"))
        self.assertEqual(by_questions(sound).verdict, "right")
