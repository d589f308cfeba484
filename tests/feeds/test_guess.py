"""What headings and times mean, told from the spellings people's loggers use."""

import unittest
from datetime import UTC, datetime

import polars as pl

from volnik.feeds.csv import sniff_csv
from volnik.feeds.guess import match_headings, time_kind
from volnik.feeds.instants import instants_s
from volnik.feeds.mapping import Mapping

NOON = datetime(2026, 12, 31, 12, 30, 15, tzinfo=UTC).timestamp()


def read(text, **how):
    """One written time as an instant [s]."""
    mapping = Mapping({name: name for name in ("time", "volts", "amps")}, **how)
    return float(instants_s(pl.Series([text]), mapping)[0])


class Headings(unittest.TestCase):
    def test_each_heading_is_the_column_it_means(self):
        for heading, column in (
            ("time", "time"),
            ("Time", "time"),
            ("TIMESTAMP", "time"),
            ("Date/Time", "time"),
            ("date_time", "time"),
            ("Time (UTC)", "time"),
            ("Local time", "time"),
            ("Zeitstempel", "time"),
            ("epoch", "time"),
            ("Voltage", "volts"),
            ("Voltage (V)", "volts"),
            ("voltage_mV", "volts"),
            ("Battery voltage [V]", "volts"),
            ("U [V]", "volts"),
            ("V", "volts"),
            ("Spannung", "volts"),
            ("Spannung_V", "volts"),
            ("Bus voltage", "volts"),
            ("Current", "amps"),
            ("Current (A)", "amps"),
            ("current_mA", "amps"),
            ("Battery current A", "amps"),
            ("I [A]", "amps"),
            ("Strom", "amps"),
            ("Strom (mA)", "amps"),
            ("Temperature", "celsius"),
            ("Temp (°C)", "celsius"),
            ("temp degC", "celsius"),
            ("Temperatur", "celsius"),
            ("Starter V", "starter_volts"),
            ("Aux voltage", "starter_volts"),
            ("Midpoint", "midpoint_volts"),
            ("Mid voltage (V)", "midpoint_volts"),
        ):
            with self.subTest(heading):
                self.assertEqual(match_headings([heading]), {column: heading})

    def test_what_is_something_else_is_left_alone(self):
        for heading in (
            "SOC %",
            "Power (W)",
            "Temperature (°F)",
            "Charge current limit",
            "Cell 1 voltage",
            "Consumed Ah",
            "Time to go",
            "Solar current",
            "note",
            "",
            "%",
        ):
            with self.subTest(heading):
                self.assertEqual(match_headings([heading]), {})

    def test_a_table_of_battery_tests_is_read_by_its_headings_and_without_a_day_says_so(self):
        headings = b"Test Time / s,Unix Time / s,Voltage / V,Current / A,Surface Temperature T1 / degC"
        table = headings + b"\n0,1795189200,13.2,-4,18\n"
        found = sniff_csv(table).suggestion["columns"]
        self.assertEqual(
            found,
            {
                "time": "Unix Time / s",
                "volts": "Voltage / V",
                "amps": "Current / A",
                "celsius": "Surface Temperature T1 / degC",
            },
        )
        dayless = sniff_csv(b"Test Time / s,Voltage / V,Current / A\n0,13.2,-4\n")
        self.assertIn("name no day", " ".join(dayless.doubts))

    def test_of_two_alike_our_own_name_or_the_first_is_taken(self):
        self.assertEqual(match_headings(["voltage", "volts"]), {"volts": "volts"})
        self.assertEqual(match_headings(["U", "Spannung"]), {"volts": "U"})


class Times(unittest.TestCase):
    def test_how_a_time_is_written_is_told_and_read_so(self):
        for text, kind, doubts in (
            ("2026-12-31T12:30:15Z", "iso", 0),
            ("2026-12-31T12:30:15+00:00", "iso", 0),
            ("2026-12-31T13:30:15+01:00", "iso", 0),
            ("2026-12-31T12:30:15.000Z", "iso", 0),
            ("2026-12-31 12:30:15", "iso", 1),
            ("2026-12-31T12:30:15", "iso", 1),
            (f"{NOON:.0f}", "epoch_s", 0),
            (f"{NOON:.0f}.0", "epoch_s", 0),
            (f"{NOON:.0f}000", "epoch_ms", 0),
            ("31.12.2026 12:30:15", "%d.%m.%Y %H:%M:%S", 1),
            ("31/12/2026 12:30:15", "%d/%m/%Y %H:%M:%S", 1),
            ("12/31/2026 12:30:15", "%m/%d/%Y %H:%M:%S", 1),
            ("12/31/2026 12:30:15 PM", "%m/%d/%Y %I:%M:%S %p", 1),
            ("2026/12/31 12:30:15", "%Y/%m/%d %H:%M:%S", 1),
            ("20261231 123015", "iso", 1),
        ):
            with self.subTest(text):
                told = []
                found = time_kind([text, ""], told)
                self.assertEqual(found.get("time_pattern", found["time_kind"]), kind)
                self.assertEqual(len(told), doubts)
                self.assertEqual(read(text, zone="UTC", **found), NOON)

    def test_day_and_month_are_doubted_only_where_nothing_tells_them_apart(self):
        for samples, doubted in (
            (["03/04/2026 10:00"], True),
            (["12/12/2026 10:00"], True),
            (["13/04/2026 10:00"], False),
            (["04/13/2026 10:00"], False),
            (["03/04/2026 10:00", "13/04/2026 10:00"], False),
            (["2026-04-03 10:00"], False),
            (["03.04.2026 10:00"], False),  # with points the day always comes first
        ):
            with self.subTest(samples):
                told = []
                time_kind(samples, told)
                self.assertEqual(any("either way" in doubt for doubt in told), doubted)

    def test_what_is_no_instant_is_read_as_none(self):
        for text in (
            "2026-12-31",
            "20261231",
            "12:30:15",
            "yesterday",
            "2026-13-31T12:30:15Z",
            "2026-12-32T12:30:15Z",
            "2026-12-31T25:30:15Z",
            "2026-12-31T12:30:15+99:00",
            "0000-01-01T00:00:00Z",
            "",
            "NaN",
        ):
            with self.subTest(text):
                self.assertNotEqual(read(text, zone="UTC"), read(text, zone="UTC"))  # NaN alone differs

    def test_a_clock_in_a_zone_is_read_by_its_summer_and_winter(self):
        for text, utc in (
            ("2026-07-01 12:00:00", "2026-07-01T10:00:00+00:00"),  # by hand: two hours ahead in summer
            ("2026-12-01 12:00:00", "2026-12-01T11:00:00+00:00"),  # one in winter
            ("2026-03-29 01:59:59", "2026-03-29T00:59:59+00:00"),  # the second before it springs forward
            ("2026-03-29 03:00:00", "2026-03-29T01:00:00+00:00"),
            ("2026-10-25 02:30:00", "2026-10-25T00:30:00+00:00"),  # told twice: the first of the two
        ):
            with self.subTest(text):
                self.assertEqual(read(text, zone="Europe/Berlin"), datetime.fromisoformat(utc).timestamp())
        gone = read("2026-03-29 02:30:00", zone="Europe/Berlin")
        self.assertNotEqual(gone, gone)  # that half hour was never on a clock
