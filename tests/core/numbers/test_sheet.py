"""Sheets: a monitor's own words and steps, rounded the safe way, what it lacks done by hand.

Dialects checked.
"""

import unittest

from volnik.core.errors import InvalidInput
from volnik.core.numbers.sheet import SheetInput, differences, make_sheet, rounded
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.dialects import DIALECTS, Dialect, DialectField
from volnik.core.values import read_plain

NUMBERS = Numbers(324.0, 20.0, 1.03, 0.985, 13.87, 4.3, 200.0, 0.066, 17.0, None, 1800.0)
BY_KEY = {item.key: item for item in DIALECTS}


def sheet(key, numbers=NUMBERS, power_up="blank"):
    """The sheet of a 12 V lithium bank for one of the dialects that ship."""
    return make_sheet(numbers, power_up, BY_KEY[key], SheetInput(CHEMISTRIES["lfp"], 4, 14.4, {}, []))


def row(made, key):
    """One row of a sheet."""
    return next(row for row in made.rows if row.key == key)


class Rounding(unittest.TestCase):
    def test_each_value_is_rounded_the_safe_way(self):
        made = sheet("phone")
        # by hand, in the monitor's unit and steps: volts down to stay reachable, tail down, hold up, reserve
        # up, efficiency down
        for key, value in (
            ("charged_voltage_v", 13.8),
            ("tail_current_pct", 4.0),
            ("hold_s", 4.0),
            ("reserve_pct", 17.0),
            ("coulombic_efficiency", 98.0),
            ("dead_band_a", 0.06),
            ("runtime_window_s", 30.0),
        ):
            with self.subTest(key=key):
                self.assertEqual(row(made, key).value, value)
        self.assertEqual(row(made, "charged_voltage_v").effect, "13.87 V rounded down to 13.8 V.")
        self.assertIn("reads 0.5 % of each charge low", row(made, "coulombic_efficiency").effect)
        self.assertEqual(made.amounts_to.hold_s, 240.0)

    def test_units_are_the_monitors(self):
        made = sheet("wall")
        # by hand: 4.3 % of 324 Ah is 13.93 A, down to 13.5; 13.87 V over 4 cells is 3.4675, down to 3.46; 200
        # s up to 210
        self.assertEqual(
            (
                row(made, "tail_current_pct").value,
                row(made, "charged_voltage_v").value,
                row(made, "hold_s").value,
            ),
            (13.5, 3.46, 210.0),
        )
        # 320 Ah as set: 13.5 A is 4.219 %
        self.assertAlmostEqual(made.amounts_to.tail_current_pct, 100 * 13.5 / 320.0)
        self.assertEqual(made.amounts_to.capacity_ah, 320.0)

    def test_what_lies_outside_a_range_is_said(self):
        field = DialectField(key="hold_s", label="T", unit="s", low=30, high=120, step=30)
        self.assertEqual(rounded(field, 200.0), 120.0)
        self.assertIn(
            "outside what this monitor takes; 990 Ah is its most",
            row(
                sheet("simple", Numbers(**{**NUMBERS.as_dict(), "capacity_ah": 1200.0})), "capacity_ah"
            ).effect,
        )

    def test_what_is_missing_becomes_a_routine(self):
        made = sheet("simple")
        message = {row.key: row.routine for row in made.rows if not row.label}
        self.assertEqual(
            message["charged_voltage_v"],
            "Twice a month watch a full charge: at 13.87 V or more and 13.9 A or less, both for "
            "3.33333 minutes, press full.",
        )
        self.assertIn("plan to 17 % yourself", message["reserve_pct"])
        self.assertNotIn("peukert_exponent", message)  # 1.03 needs nothing done
        self.assertIn("no choice: 100 %", made.power_up_told)
        self.assertIn(
            "by amps alone", {row.key: row.routine for row in sheet("charger").rows}["charged_voltage_v"]
        )

    def test_what_is_read_back_is_compared(self):
        made = sheet("phone")
        back = [
            {"key": "charged_voltage_v", "value": 13.2},
            {"key": "tail_current_pct", "value": 4.0},
            {"key": "reserve_pct", "value": None},
        ]
        self.assertEqual(
            differences(made, back),
            [{"key": "charged_voltage_v", "wanted": 13.8, "entered": 13.2, "factory": True}],
        )


class Dialects(unittest.TestCase):
    def test_four_ship_and_are_sound(self):
        self.assertEqual(len(DIALECTS), 4)
        for item in DIALECTS:
            self.assertEqual(item, Dialect.model_validate(item.model_dump()))

    def test_a_dialect_that_cannot_be_is_refused_where_it_is_wrong(self):
        field = {"key": "capacity_ah", "label": "C", "unit": "Ah", "low": 1, "high": 100, "step": 1}
        for change, place, words in (
            (
                {"fields": [{**field, "key": "reserve_pct", "unit": "%"}]},
                "document",
                "capacity_ah is missing",
            ),
            ({"fields": [field, field]}, "document", "is there twice"),
            ({"fields": [{**field, "unit": "V"}]}, "fields.0", "given in Ah, not in V"),
            ({"fields": [{**field, "low": 200}]}, "fields.0", "below where it begins"),
            ({"fields": [{**field, "factory": 500}]}, "fields.0", "outside its own range"),
            ({"fields": [{**field, "step": 0}]}, "fields.0.step", "more than 0"),
        ):
            with self.subTest(words=words), self.assertRaises(InvalidInput) as refused:
                read_plain(Dialect, {"key": "a", "name": "A", "fields": [field], **change})
            self.assertIn(words, refused.exception.problems[place])
