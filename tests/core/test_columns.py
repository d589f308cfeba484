"""Columns of a rig's own: what a name says, what it cannot be, readings that carry them."""

import unittest

from volnik.core.columns import column, limits_of, of_kind, own_name, row_of, values_of


class Names(unittest.TestCase):
    def test_a_name_begins_with_what_it_is(self):
        for name, kind, words in (
            ("volts", "volts", "volts"),
            ("percent", "percent", "other counter"),
            ("percent_pack", "percent", "pack counter"),
            ("cell_volts_3", "cell_volts", "cell 3"),
            ("cell_volts_low", "cell_volts", "lowest cell"),
            ("charger_volts_dc_dc", "charger_volts", "dc dc volts"),
            ("volts_panel", "volts", "panel volts"),
            ("switch_pump", "switch", "pump switch"),
            ("celsius_engine", "celsius", "engine temperature"),
            ("starter_volts", "starter_volts", "starter"),
        ):
            found = column(name)
            self.assertEqual((found.kind, found.words), (kind, words), name)
        for name in (
            "song",
            "switch",
            "cell_volts",
            "volts_",
            "Volts_a",
            "percent_a b",
            "level",
            "amps_" + "x" * 40,
        ):
            self.assertIsNone(column(name), name)
        self.assertEqual(
            [each.name for each in of_kind(["amps", "percent", "percent_b"], "percent")],
            ["percent", "percent_b"],
        )

    def test_figures_lie_within_the_limits_of_their_kind(self):
        self.assertEqual(limits_of("percent_pack").refusal(100.0), "")
        self.assertIn("0 to 100 %", limits_of("percent_pack").refusal(100.5))
        self.assertIn("lies", limits_of("switch_pump").refusal(2.0))
        self.assertIn("lies", limits_of("cell_volts_1").refusal(float("nan")))
        with self.assertRaises(KeyError):
            limits_of("song")

    def test_a_files_heading_becomes_a_name(self):
        for kind, heading, name in (
            ("percent", "SOC (%)", "percent_soc"),
            ("cell_volts", "cell_volts_7", "cell_volts_7"),
            ("switch", "switch Pump!", "switch_pump"),
            ("level", "%%", "level_other"),
        ):
            self.assertEqual(own_name(kind, heading), name)
            self.assertIsNotNone(column(name))
        self.assertIsNotNone(
            column(own_name("charger_volts", "a very long name of a very long charger indeed"))
        )

    def test_a_reading_carries_them_there_and_back(self):
        given = {"volts": 13.2, "amps": -4.0, "celsius": 18.0, "switch_pump": 1.0, "percent_pack": 81.0}
        row = row_of(1_000, given)
        self.assertEqual(row[:6], (1_000, 13.2, -4.0, 18.0, None, None))
        self.assertEqual(values_of(row), given)
        self.assertIsNone(row_of(1_000, {"volts": 13.2, "amps": -4.0, "percent_pack": None})[-1])
        with self.assertRaises(KeyError):
            row_of(1_000, {"volts": 13.2})
