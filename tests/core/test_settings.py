"""SETTINGS.json: unknown, missing and impossible keys are refused by name."""

import json
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from volnik.core.numbers.schema import settings_schema
from volnik.core.settings import LIMITS, Numbers, SettingsError, numbers_from_dict

GOOD = {
    "capacity_ah": 100,
    "rated_hours": 20,
    "peukert_exponent": 1.25,
    "coulombic_efficiency": 0.9,
    "charged_voltage_v": 14.2,
    "tail_current_pct": 4,
    "hold_s": 180,
    "dead_band_a": 0.1,
    "reserve_pct": 50,
    "initial_soc": None,
    "runtime_window_s": 180,
}


class Reading(unittest.TestCase):
    def test_good_settings_are_read_and_go_round(self):
        numbers = numbers_from_dict(GOOD)
        # by hand: 4 % of 100 Ah is 4 A, 100 Ah over 20 h is 5 A, half of it is to use
        self.assertEqual(
            (numbers.tail_a, numbers.rated_a, numbers.reserve_ah, numbers.tail_floor_pct),
            (4.0, 5.0, 50.0, 0.0),
        )
        self.assertEqual(numbers_from_dict(numbers.as_dict()), numbers)

    def test_hold_seconds_is_another_name_of_hold_s(self):
        other = {key: value for key, value in GOOD.items() if key != "hold_s"} | {"hold_seconds": 240}
        self.assertEqual(numbers_from_dict(other).hold_s, 240.0)

    def test_each_fault_is_named_with_what_to_do(self):
        cases = [
            ({"shunt_a": 500}, "shunt_a", "not a setting"),
            ({"hold_seconds": 1}, "hold_seconds", "twice"),
            ({"capacity_ah": 0}, "capacity_ah", "above 0"),
            ({"capacity_ah": "100"}, "capacity_ah", "must be a number"),
            ({"capacity_ah": True}, "capacity_ah", "must be a number"),
            ({"capacity_ah": None}, "capacity_ah", "must be a number"),
            ({"peukert_exponent": 0.9}, "peukert_exponent", "from 1"),
            ({"initial_soc": 80}, "initial_soc", "0.5 for 50 %"),
            ({"coulombic_efficiency": 99}, "coulombic_efficiency", "0.99 for 99 %"),
            ({"tail_floor_pct": 0.5}, "tail_floor_pct", "-1 to 0"),
            ({"hold_s": float("nan")}, "hold_s", "number"),
        ]
        for change, key, words in cases:
            with self.subTest(change), self.assertRaises(SettingsError) as caught:
                numbers_from_dict({**GOOD, **change})
            self.assertIn(words, caught.exception.problems[key])

    def test_each_number_at_its_limits_and_just_outside(self):
        for key, value, taken in (
            ("capacity_ah", 0.1, True),
            ("capacity_ah", 100_000, True),
            ("capacity_ah", 0, False),
            ("capacity_ah", 100_001, False),
            ("rated_hours", 0.1, True),
            ("rated_hours", 1000, True),
            ("rated_hours", 0.09, False),
            ("rated_hours", 1001, False),
            ("peukert_exponent", 1.0, True),
            ("peukert_exponent", 2.0, True),
            ("peukert_exponent", 0.99, False),
            ("peukert_exponent", 2.01, False),
            ("coulombic_efficiency", 0.3, True),
            ("coulombic_efficiency", 1.0, True),
            ("coulombic_efficiency", 0.29, False),
            ("coulombic_efficiency", 1.01, False),
            ("charged_voltage_v", 0.1, True),
            ("charged_voltage_v", 0, False),
            ("charged_voltage_v", 1001, False),
            ("tail_current_pct", 100, True),
            ("tail_current_pct", 0, False),
            ("tail_current_pct", 101, False),
            ("tail_floor_pct", -1, True),
            ("tail_floor_pct", 0, True),
            ("tail_floor_pct", -1.1, False),
            ("tail_floor_pct", 0.1, False),
            ("hold_s", 0, True),
            ("hold_s", 86_400, True),
            ("hold_s", -1, False),
            ("hold_s", 86_401, False),
            ("dead_band_a", 0, True),
            ("dead_band_a", 100, True),
            ("dead_band_a", -0.1, False),
            ("dead_band_a", 100.1, False),
            ("reserve_pct", 0, True),
            ("reserve_pct", 99, True),
            ("reserve_pct", -1, False),
            ("reserve_pct", 99.5, False),
            ("initial_soc", None, True),
            ("initial_soc", 0, True),
            ("initial_soc", 1, True),
            ("initial_soc", -0.01, False),
            ("initial_soc", 1.01, False),
            ("runtime_window_s", 604_800, True),
            ("runtime_window_s", 0, False),
            ("runtime_window_s", 604_801, False),
        ):
            with self.subTest(f"{key} {value}"):
                try:
                    self.assertEqual(getattr(numbers_from_dict({**GOOD, key: value}), key), value)
                    self.assertTrue(taken)
                except SettingsError as refused:
                    self.assertEqual((list(refused.problems), taken), ([key], False))

    def test_every_missing_key_is_named_at_once(self):
        with self.assertRaises(SettingsError) as caught:
            numbers_from_dict({"hold_s": 180})
        self.assertEqual(set(caught.exception.problems), set(GOOD) - {"hold_s"})

    @settings(max_examples=200, deadline=None)
    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats() | st.text(),
            lambda inner: st.dictionaries(st.sampled_from(list(GOOD) + ["x"]), inner),
        )
    )
    def test_any_json_is_read_or_refused(self, given_settings):
        try:
            self.assertIsInstance(numbers_from_dict(given_settings), Numbers)
        except SettingsError as wrong:
            self.assertTrue(wrong.problems)

    def test_the_schema_names_every_key_and_limit(self):
        schema = json.loads(json.dumps(settings_schema()))
        self.assertEqual(set(schema["properties"]), {*LIMITS, "hold_seconds"})
        self.assertEqual(schema["properties"]["initial_soc"]["type"], ["number", "null"])
        self.assertFalse(schema["additionalProperties"])
