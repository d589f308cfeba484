"""Forms read what is typed in the units and notations of the trade, and say what is wrong beside its
field.
"""

import unittest
from zoneinfo import ZoneInfo

from pydantic_core import PydanticCustomError

from tests.web.shops import routes_of, visitor
from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.web.forms.amounts import amount_in, unit_of
from volnik.web.forms.bank import BankForm
from volnik.web.forms.devices import DeviceForm, MonitorForm
from volnik.web.forms.dialects import DialectForm
from volnik.web.forms.numbers import NUMBERS_FORM, AlarmForm, ReadBackForm
from volnik.web.forms.parts import PART_FORMS, part_values
from volnik.web.forms.path import ChangeForm
from volnik.web.forms.posted import at_s, read_form
from volnik.web.forms.prove import CheckForm, TypedStepForm
from volnik.web.forms.watch import EntryForm, MappingForm, OpinionsForm, PanelForm, TripForm

BANK = {"chemistry": "agm", "block_cells": "6", "series": "1", "parallel": "2", "kind": "nameplate"}
BANK |= {"ah": "110", "takeoff": "diagonal"}
NUMBERS = dict.fromkeys(MEANINGS, "1") | {"power_up": "blank"}
WHEN = "2026-03-29T12:00"


class WhatIsTyped(unittest.TestCase):
    def test_each_notation_of_a_number_means_the_same(self):
        for typed, amps in (
            ("1,5", 1.5),
            (" 1.5 ", 1.5),
            ("1 500", 1500.0),
            ("1\u00a0500", 1500.0),  # as a spreadsheet writes it
            ("1\u202f500,5", 1500.5),
            ("−0,25", -0.25),
            ("-0.25", -0.25),
            ("+2", 2.0),
            (".5", 0.5),
            ("5.", 5.0),
            ("1e1", 10.0),
            ("", None),
            ("   ", None),
        ):
            with self.subTest(typed):
                self.assertEqual(read_form(DeviceForm, {"current_a": typed}).read().current_a, amps)

    def test_hours_of_the_day_in_the_ways_people_write_them(self):
        for typed, spans in (
            ("7-21", ((7.0, 21.0),)),
            ("7 - 21", ((7.0, 21.0),)),
            ("7–21 h", ((7.0, 21.0),)),
            ("6-9 17-23", ((6.0, 9.0), (17.0, 23.0))),
            ("6-9, 17-23", ((6.0, 9.0), (17.0, 23.0))),
            ("6,5-9;17.25-23", ((6.5, 9.0), (17.25, 23.0))),
            ("", None),
        ):
            with self.subTest(typed):
                self.assertEqual(read_form(DeviceForm, {"hours": typed}).read().hours, spans)
        for typed in ("all day", "7", "7-", "7-21 sometimes", "7 bis 21"):
            with self.subTest(typed), self.assertRaises(InvalidInput) as refused:
                read_form(DeviceForm, {"hours": typed}).read()
            self.assertIn("such as 7-9 17-23", refused.exception.problems["hours"])

    def test_what_is_no_number_is_refused_and_stays(self):
        for typed in ("one", "1,234.5", "1.234,5", "nan", "inf", "1e999", "--2", "0x10", "1/2"):
            with self.subTest(typed):
                posted = read_form(DeviceForm, {"current_a": typed})
                with self.assertRaises(InvalidInput) as refused:
                    posted.read()
                self.assertIn("is not a number", refused.exception.problems["current_a"])
                self.assertEqual(posted.typed["current_a"], typed)

    def test_what_a_form_means(self):
        rows = {
            "percent is a share": (DeviceForm, {"duty": "40"}, "duty", 0.4),
            "hours of the day": (DeviceForm, {"hours": "7-9 17,5-23"}, "hours", ((7.0, 9.0), (17.5, 23.0))),
            "a usual answer": (DeviceForm, {"safety": ""}, "safety", None),
            "no": (DeviceForm, {"safety": "0"}, "safety", False),
            "strings of unequal age": (
                BankForm,
                {**BANK, "string_ah": "98;102,5"},
                "string_ah",
                (98.0, 102.5),
            ),
            "a box not ticked": (AlarmForm, {"level": "1", "release": "2", "delay_s": "0"}, "on", False),
            "ticked and typed": (
                ReadBackForm,
                {"same-hold_s": "1", "dead_band_a": "0,1"},
                "same",
                {"hold_s"},
            ),
            "the figures of a check": (
                CheckForm,
                {"check": "zero", "amps": "0,2"},
                "values",
                {"amps": "0,2"},
            ),
            "one change is a list": (
                ChangeForm,
                {"ops": '{"op": "turn_shunt"}'},
                "ops",
                [{"op": "turn_shunt"}],
            ),
            "what is looked at": (
                ChangeForm,
                {"ops": "[]", "pick": "pump", "case": ""},
                "shown",
                {"pick": "pump"},
            ),
            "the amps before": (TypedStepForm, {"before": "0", "with": "-5"}, "with_device", -5.0),
        }
        for name, (model, sent, field, meant) in rows.items():
            with self.subTest(name):
                self.assertEqual(getattr(read_form(model, sent).read(), field), meant)

    def test_numbers_are_kept_in_stored_units(self):
        form = read_form(NUMBERS_FORM, {**NUMBERS, "hold_s": "3", "coulombic_efficiency": "98"}).read()
        # by hand: 3 min are 180 s, 98 % is 0.98
        self.assertAlmostEqual(form.values["hold_s"], 180.0)
        self.assertAlmostEqual(form.values["coulombic_efficiency"], 0.98)

    def test_a_moment_is_read_on_the_rigs_own_clock(self):
        form = read_form(TripForm, {"start": WHEN, "end": "2026-03-30T12:00", "name": " The  coast "}).read()
        # by hand: noon of a summer day two hours east of Greenwich is 10:00 there
        self.assertEqual(at_s(form.start, "Etc/GMT-2") % 86400, 10 * 3600)
        self.assertEqual((form.title, ZoneInfo("UTC").key), ("The coast", "UTC"))

    def test_a_mapping_turns_sign_and_scale(self):
        sent = {
            "column_time": "t",
            "column_amps": "I",
            "amps_unit": "mA",
            "amps_sign": "out",
            "time_kind": "%d",
        }
        choice = read_form(MappingForm, sent).read().choice(";")
        self.assertEqual(choice["columns"], {"time": "t", "amps": "I"})
        self.assertEqual(
            (choice["amps_scale"], choice["time_kind"], choice["time_pattern"]), (-0.001, "pattern", "%d")
        )

    def test_pasted_counters_are_rows(self):
        pasted = "name\t%\tAh\tfull\nBow\t80 %\t200\t2026-03-01T08:00\t−3,5\n\nStern\t75\t200"
        rows = read_form(OpinionsForm, {"time": WHEN, "pasted": pasted}).read().lines
        found = [(row.name, row.soc_pct, row.capacity_ah, row.amps) for row in rows.values()]
        self.assertEqual(found, [("Bow", 80.0, 200.0, -3.5), ("Stern", 75.0, 200.0, None)])

    def test_an_empty_field_of_a_part_is_left_to_the_shelf(self):
        form = read_form(
            PART_FORMS["schools"], {"key": "s", "chemistries": "agm | gel", "offset_v": "-0,2"}
        ).read()
        values = part_values("schools", form)
        self.assertEqual(
            (values["chemistries"], values["offset_v"], values["name"]), (("agm", "gel"), "-0.2", "")
        )


class WhatIsWrong(unittest.TestCase):
    def test_a_fault_stands_beside_its_field(self):
        a_row = {"hold_s-label": "Hold", "hold_s-low": "x", "hold_s-high": "9", "hold_s-step": "1"}
        counter = {"time": WHEN, "2.name": "Bow", "2.soc_pct": "80", "2.capacity_ah": ""}
        rows = (
            (BankForm, {**BANK, "series": "1,5"}, "series", "A whole number, got 1.5."),
            (BankForm, {**BANK, "series": ""}, "series", "Type a number here."),
            (BankForm, {**BANK, "chemistry": "tin"}, "chemistry", "Choose the chemistry."),
            (BankForm, {**BANK, "string_ah": "98 {x}"}, "string_ah", "“{x}” is not a number."),
            (NUMBERS_FORM, {**NUMBERS, "hold_s": "inf"}, "hold_s", "“inf” is not a number."),
            (NUMBERS_FORM, {**NUMBERS, "power_up": ""}, "power_up", "Choose what the monitor claims"),
            (DeviceForm, {"power_w": "5", "current_a": "1"}, "current_a", "give one of them"),
            (DeviceForm, {"hours": "at night"}, "hours", "write it such as 7-9 17-23"),
            (MonitorForm, {"lamp3": "low"}, "lamp3", "“low” is not a number."),
            (DialectForm, {"key": "k", **a_row}, "hold_s-low", "“x” is not a number."),
            (OpinionsForm, counter, "2.capacity_ah", "Type a number here."),
            (
                OpinionsForm,
                {"time": WHEN, "pasted": "Bow,80,200\nStern,old,200"},
                "pasted",
                "Line 2: soc_pct: “old”",
            ),
            (EntryForm, {"time": "", "kind": "full"}, "time", "Give the date and time."),
            (EntryForm, {"time": WHEN, "kind": "set"}, "soc", "Type a number here."),
            (EntryForm, {"time": WHEN, "kind": "set", "soc": "101"}, "soc", "from 0 to 100 %, got 101 %"),
            (TripForm, {"start": WHEN, "end": WHEN, "name": "a"}, "end", "ends after it begins"),
            (PanelForm, {"panel": "30000"}, "panel", "From 0 to 20000 W, got 30000."),
            (ChangeForm, {"ops": "["}, "ops", "reload the page"),
            (TypedStepForm, {"before": "1"}, "with", "Type a number here."),
        )
        for model, sent, field, sentence in rows:
            with self.subTest(model=model.__name__, sent=sent):
                posted = read_form(model, sent)
                self.assertIsNone(posted.form)
                self.assertIn(sentence, posted.problems.get(field, f"nothing; but {posted.problems}"))

    def test_what_was_typed_stays(self):
        posted = read_form(BankForm, {**BANK, "ah": "a hundred", "chemistry_was": "gel"})
        self.assertEqual((posted.typed["ah"], posted.typed["chemistry_was"]), ("a hundred", "gel"))
        self.assertEqual(posted.typed["kwh"], "")


class EveryForm(unittest.TestCase):
    def test_no_change_is_taken_without_the_pages_own_token(self):
        with visitor() as client:
            changing = [route for route in routes_of(client.app) if route.methods & {"POST", "PUT", "DELETE"}]
        self.assertGreater(len(changing), 40)
        for route in changing:
            with self.subTest(route.path):
                asked = {needed.call.__name__ for needed in self._needed(route.dependant)}
                opens_by_key = route.path.startswith("/api/")
                self.assertTrue(asked & {"guarded_form", "guarded_json"} or opens_by_key, asked)

    def _needed(self, dependant):
        """All that a route depends on, at whatever depth."""
        for needed in dependant.dependencies:
            yield needed
            yield from self._needed(needed)


class Amounts(unittest.TestCase):
    def test_a_figure_may_come_with_its_unit_and_another_kind_is_refused(self):
        rows = (
            ("13 A", "A", 13.0),
            ("−0,4 A", "A", -0.4),
            ("400 mA", "A", 0.4),
            ("-41.2", "A", -41.2),
            ("20 mV", "mV", 20.0),
            ("0.02 V", "mV", 20.0),
            ("12.6 volts", "V", 12.6),
            ("20 %", "%", 20.0),
            ("", "A", None),
            # by hand: (77 - 32) / 1.8 = 25; 1.5 x 60; 3 x 0.0254 m; 6 ft x 0.3048 m; 1280 / 1000; 2 x 24
            ("77 °F", "°C", 25.0),
            ("-5 c", "°C", -5.0),
            ("1.5 h", "min", 90.0),
            ("3 in", "mm", 76.2),
            ("6 feet", "m", 1.8288),
            ("1280 Wh", "kWh", 1.28),
            ("2 days", "h", 48.0),
            ("0.4 mOhm", "mΩ", 0.4),
            ("2 mV/°C", "mV/°C", 2.0),
        )
        for typed, unit, value in rows:
            self.assertEqual(amount_in(typed, unit), value, typed)
        for name, unit in (
            ("most_a", "A"),
            ("charge_cold_c", "°C"),
            ("slope_mv_c", "mV/°C"),
            ("since_full_days", "days"),
            ("hole_mm", "mm"),
            ("ah", "Ah"),
            ("volts", "V"),
            ("short_ka", "kA"),
            ("price", ""),
            ("v", ""),
        ):
            self.assertEqual(unit_of(name), unit, name)
        form = read_form(CheckForm, {"check": "zero", "amps": "0,2 A", "volts": ""}).read()
        self.assertEqual(form.figures({"amps": "A", "volts": "V"}), {"amps": 0.2})
        with self.assertRaises(InvalidInput) as refused:
            form.figures({"amps": "V"})
        self.assertIn("amps", refused.exception.problems)
        for typed, unit in (
            ("13 V", "A"),
            ("5 A", "V"),
            ("5 Ah", "A"),
            ("1 MA", "A"),
            ("a lot", "A"),
            ("3 h", "°C"),
        ):
            with self.assertRaises(PydanticCustomError, msg=typed):
                amount_in(typed, unit)
