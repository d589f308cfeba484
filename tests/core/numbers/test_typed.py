"""Numbers as people type them."""

import math
import unittest

from tests.core.numbers.test_advice import LFP, VAN
from volnik.core.numbers.defaults import default_numbers, traps
from volnik.core.numbers.typed import NotRead, as_shown, asked_back, readings


class Typing(unittest.TestCase):
    def test_every_figure_may_carry_its_unit_or_another(self):
        for key, text, shown in (
            ("charged_voltage_v", "14,2 V", 14.2),
            ("charged_voltage_v", "14200 mV", 14.2),
            ("tail_current_pct", "4 %", 4.0),
            ("tail_current_pct", "13 A", 6.5),  # of 200 Ah
            ("tail_current_pct", "13A", 6.5),
            ("tail_current_pct", "6500 mA", 3.25),
            ("tail_floor_pct", "−0.4 A", -0.2),
            ("hold_s", "180 s", 3.0),
            ("hold_s", "3 min", 3.0),
            ("dead_band_a", "50 mA", 0.05),
            ("reserve_pct", "40 Ah", 20.0),
            ("capacity_ah", "1.234,5 Ah", 1234.5),
            ("capacity_ah", "1,234.5", 1234.5),
            ("coulombic_efficiency", "99 percent", 99.0),
        ):
            with self.subTest(key=key, text=text):
                self.assertAlmostEqual(as_shown(key, text, 200.0), shown)
        self.assertIsNone(as_shown("initial_soc", "  ", 200.0))

    def test_what_is_no_number_of_its_kind_is_refused_with_what_is(self):
        for key, text, words in (
            ("hold_s", "3 V", "typed in min"),
            ("tail_current_pct", "3 V", "or in A"),
            ("charged_voltage_v", "high", "not a number"),
            ("peukert_exponent", "1.05 %", "no unit"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(NotRead, words):
                as_shown(key, text, 200.0)
        with self.assertRaisesRegex(NotRead, "capacity first"):
            as_shown("tail_current_pct", "4 A", math.nan)

    def test_a_slip_is_asked_back_with_what_it_may_mean(self):
        for key, shown, meant in (
            ("coulombic_efficiency", 0.99, "99"),
            ("coulombic_efficiency", 0.95, "95"),
            ("tail_current_pct", 20.0, "6.25"),  # 20 A of 320 Ah
            ("tail_current_pct", 0.04, "4"),
            ("reserve_pct", 0.2, "20"),
            ("hold_s", 180.0, "3"),
            ("dead_band_a", 50.0, "0.05"),
            ("charged_voltage_v", 28.4, "14.2"),
            ("charged_voltage_v", 142.0, "14.2"),
            ("charged_voltage_v", 3.55, "14.2"),
            ("peukert_exponent", 105.0, "1.05"),
            ("capacity_ah", 3200.0, "320"),
            ("capacity_ah", 0.32, "320"),
        ):
            with self.subTest(key=key, shown=shown):
                found = readings(key, shown, VAN, LFP, 320.0)
                self.assertEqual(found[0].text, meant)

    def test_sound_numbers_are_never_asked_back(self):
        sound = default_numbers(VAN, LFP).as_dict()
        self.assertEqual(asked_back(sound, VAN, LFP, frozenset()), {})
        for key, values in {
            "tail_current_pct": (0.5, 1, 2, 4, 6, 10),
            "hold_s": (20, 60, 180, 600, 1800, 3600),
            "reserve_pct": (0, 5, 10, 20, 50, 80),
            "dead_band_a": (0, 0.01, 0.1, 0.5, 1.0),
            "coulombic_efficiency": (0.8, 0.9, 0.95, 0.99, 1.0),
            "charged_voltage_v": (13.4, 13.8, 14.2, 14.6),
            "capacity_ah": (160, 280, 320, 400),
            "initial_soc": (0, 0.1, 0.5, 1.0),
        }.items():
            for value in values:
                with self.subTest(key=key, value=value):
                    self.assertEqual(asked_back({**sound, key: float(value)}, VAN, LFP, frozenset()), {})

    def test_said_to_be_meant_it_is_taken(self):
        values = {**default_numbers(VAN, LFP).as_dict(), "tail_current_pct": 20.0}
        self.assertIn("20 A", traps(values, VAN, LFP)["tail_current_pct"])
        self.assertEqual(traps(values, VAN, LFP, sure=frozenset({"tail_current_pct"})), {})


if __name__ == "__main__":
    unittest.main()
