"""Unit traps, defaults and what speaks against numbers."""

import unittest
from dataclasses import replace

from volnik.core.numbers.advice import hidden_ah_a_day, numbers_findings
from volnik.core.numbers.defaults import default_numbers, traps
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.settings import SettingsError
from volnik.core.shelf.chemistries import CHEMISTRIES, checked_edit, with_edits

LFP = CHEMISTRIES["lfp"]
VAN = Bank("lfp", 4, 1, 2, CapacityLabel("nameplate", ah=160.0), cut_out_pct=5.0)
TRAILER = Bank("lfp", 16, 1, 1, CapacityLabel("nameplate", ah=105.0))
BOAT = Bank("flooded", 3, 4, 2, CapacityLabel("nameplate", ah=225.0))


class Defaults(unittest.TestCase):
    def test_defaults_scale_by_cells_never_by_nominal_volts(self):
        self.assertEqual(default_numbers(VAN, LFP).charged_voltage_v, 13.9)
        # by hand: 13.9 V / 4 cells x 16 cells = 55.6 V, not 13.9 x 51.2 / 12 = 59.3 V
        self.assertEqual(default_numbers(TRAILER, LFP).charged_voltage_v, 55.6)
        # by hand: 14.3 V / 6 x 12 = 28.6 V
        self.assertAlmostEqual(
            default_numbers(BOAT, CHEMISTRIES["flooded"]).charged_voltage_v, 28.6, places=2
        )

    def test_no_default_is_a_trap_or_speaks_against_itself(self):
        for bank in (
            VAN,
            TRAILER,
            BOAT,
            *(Bank(key, 6, 1, 2, CapacityLabel("nameplate", ah=110.0)) for key in ("agm", "gel")),
        ):
            with self.subTest(bank.chemistry, cells=bank.cells):
                chemistry = CHEMISTRIES[bank.chemistry]
                numbers = default_numbers(bank, chemistry)
                self.assertEqual(traps(numbers.as_dict(), bank, chemistry), {})
                found = numbers_findings(numbers, bank, chemistry, "blank")
                self.assertEqual([finding.id for finding in found if finding.level != "advise"], [])


class Traps(unittest.TestCase):
    def test_a_value_in_the_wrong_unit_is_refused_with_what_was_meant(self):
        good = default_numbers(VAN, LFP).as_dict()
        cases = [
            ("tail_current_pct", 0.05, "type 5"),
            ("tail_current_pct", 50.0, "no taper"),
            ("charged_voltage_v", 144.0, "36.00 V a cell"),
            ("charged_voltage_v", 55.6, "4 cells"),
            ("capacity_ah", 16.0, "ten times"),
            ("coulombic_efficiency", 0.0099, "fraction"),
            ("reserve_pct", 0.15, "type 15"),
            ("dead_band_a", 100.0, "0.1 A"),
            ("hold_s", 10800.0, "not seconds"),
            ("hold_s", 3.0, "under ten seconds"),
            ("initial_soc", 0.008, "type 80"),
            ("peukert_exponent", 1.9, "percentage"),
        ]
        for key, value, words in cases:
            with self.subTest(key, value=value):
                self.assertIn(words, traps({**good, key: value}, VAN, LFP)[key])


class Advice(unittest.TestCase):
    def test_each_fault_has_its_finding_and_a_mend_where_one_is_mechanical(self):
        cases = [
            (VAN, {"capacity_ah": 200.0}, "numbers.N01", "stop", {"capacity_ah": 320.0}),
            (BOAT, {"capacity_ah": 1800.0}, "numbers.N02", "stop", {"capacity_ah": 450.0}),
            (VAN, {"capacity_ah": 290.0}, "numbers.N03", "fix", {"capacity_ah": 320.0}),
            (VAN, {"charged_voltage_v": 14.5}, "numbers.N04", "fix", {"charged_voltage_v": 13.9}),
            (VAN, {"charged_voltage_v": 13.2}, "numbers.N05", "stop", {"charged_voltage_v": 13.9}),
            (VAN, {"tail_current_pct": 10.0}, "numbers.N06", "fix", {"tail_current_pct": 4.0}),
            (VAN, {"tail_current_pct": 0.5}, "numbers.N07", "advise", {"tail_current_pct": 4.0}),
            (VAN, {"hold_s": 30.0}, "numbers.N08", "advise", {"hold_s": 180.0}),
            (VAN, {"dead_band_a": 0.3}, "numbers.N09", "advise", {}),
            (VAN, {"peukert_exponent": 1.25}, "numbers.N10", "fix", {"peukert_exponent": 1.03}),
            (VAN, {"coulombic_efficiency": 0.85}, "numbers.N11", "fix", {"coulombic_efficiency": 0.99}),
            (VAN, {"reserve_pct": 5.0}, "numbers.N12", "fix", {"reserve_pct": 10.0}),
        ]
        for bank, change, name, level, remedy in cases:
            with self.subTest(name):
                chemistry = CHEMISTRIES[bank.chemistry]
                numbers = replace(default_numbers(bank, chemistry), **change)
                found = {
                    numbers_finding.id: numbers_finding
                    for numbers_finding in numbers_findings(numbers, bank, chemistry, "blank")
                }
                self.assertIn(name, found)
                self.assertEqual((found[name].level, found[name].remedy), (level, remedy))
                if remedy:
                    mended = numbers_findings(replace(numbers, **remedy), bank, chemistry, "blank")
                    self.assertNotIn(name, [item.id for item in mended])

    def test_the_dead_band_hides_its_amps_all_day(self):
        # by hand: 0.09 A x 24 h = 2.16 Ah
        self.assertAlmostEqual(hidden_ah_a_day(0.09), 2.16)


class ShopTable(unittest.TestCase):
    def test_an_edit_stands_before_the_starting_figure_and_names_the_shop(self):
        table = with_edits(
            {"agm": checked_edit("agm", {"tail_pct": 3.0, "peukert": CHEMISTRIES["agm"].peukert})}
        )
        self.assertEqual((table["agm"].tail_pct, table["agm"].source), (3.0, "the shop's own figures"))
        self.assertEqual(table["gel"], CHEMISTRIES["gel"])

    def test_figures_out_of_order_or_of_a_whole_block_are_refused(self):
        for change, key in (
            ({"float_high_v": 2.6}, "absorption_low_v"),
            ({"charged_v": 14.2}, "charged_v"),
            ({"hue": 1.0}, "hue"),
        ):
            with self.subTest(change), self.assertRaises(SettingsError) as caught:
                checked_edit("agm", change)
            self.assertIn(key, caught.exception.problems)
