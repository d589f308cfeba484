"""Log files as people really have them."""

import gzip
import io
import json
import unittest
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from volnik.feeds.batches import FileRefused
from volnik.feeds.csv import parse_csv, sniff_csv
from volnik.feeds.files import open_log, read_log, sniff
from volnik.feeds.guess import match_headings, scales
from volnik.feeds.mapping import Mapping, MappingError

NAMED = {name: name for name in ("time", "volts", "amps")}


def read(data, mapping=None):
    """Bytes, or text, through the whole reader."""
    raw = data.encode() if isinstance(data, str) else data
    return read_log(open_log(io.BytesIO(raw)), mapping)


def rows(found):
    """Readings as plain tuples."""
    log = found.readings
    return [tuple(map(float, row)) for row in zip(log.time_s, log.volts, log.amps, strict=True)]


class Spellings(unittest.TestCase):
    def test_the_same_two_readings_however_they_are_written(self):
        same = [(1767225600.0, 13.25, -5.5), (1767225660.5, 13.2, 4.0)]
        cases = {
            "ISO with Z": "time,volts,amps\n2026-01-01T00:00:00Z,13.25,-5.5\n2026-01-01T00:01:00.5Z,13.2,4\n",
            "ISO with offsets": (
                "time,volts,amps\n2026-01-01T01:00:00+01:00,13.25,-5.5\n"
                "2025-12-31T19:01:00.500-05:00,13.2,4\n"
            ),
            "epoch seconds": "time,volts,amps\n1767225600,13.25,-5.5\n1767225660.5,13.2,4.0\n",
            "epoch milliseconds": "time,volts,amps\n1767225600000,13.25,-5.5\n1767225660500,13.2,4.0\n",
            "semicolon and decimal comma": (
                "time;volts;amps\n2026-01-01T00:00:00Z;13,25;-5,5\n2026-01-01T00:01:00.5Z;13,2;4\n"
            ),
            "tabs, CRLF, blank lines, a BOM": (
                "\ufefftime\tvolts\tamps\r\n\r\n1767225600\t13.25\t-5.5\r\n  \r\n1767225660.5\t13.2\t4\r\n"
            ),
            "quotes": '"time","volts","amps"\n"1767225600","13.25","-5.5"\n"1767225660.5","13.2","4"\n',
            "other order and more columns": (
                "amps,note,volts,time\n-5.5,x,13.25,1767225600\n4,,13.2,1767225660.5\n"
            ),
            "mA and mV by their headings": (
                "timestamp,voltage mV,current mA\n1767225600,13250,-5500\n1767225660.5,13200,4000\n"
            ),
            "our own names before others like them": (
                "voltage,a,time,volts,amps\n9,9,1767225600,13.25,-5.5\n9,9,1767225660.5,13.2,4\n"
            ),
            "no newline at the end": "time,volts,amps\n1767225600,13.25,-5.5\n1767225660.5,13.2,4",
        }
        for name, text in cases.items():
            with self.subTest(name):
                found = read(text)
                self.assertEqual(rows(found), same)
                self.assertEqual(found.problem_count, 0)
        self.assertEqual(rows(read(cases["ISO with Z"].encode("utf-16"))), same)
        self.assertEqual(rows(read(gzip.compress(cases["quotes"].encode()))), same)

    def test_jsonlines_and_parquet_hold_the_same(self):
        same = [(1767225600.0, 13.25, -5.5), (1767225660.0, 13.2, 4.0)]
        lines = [{"time": int(t), "volts": v, "amps": a} for t, v, a in same]
        self.assertEqual(rows(read("\n".join(map(json.dumps, lines)))), same)
        for times in (
            [1767225600, 1767225660],
            [
                datetime(2026, 1, 1, tzinfo=ZoneInfo("UTC")),
                datetime(2026, 1, 1, 0, 1, tzinfo=ZoneInfo("UTC")),
            ],
        ):
            held = io.BytesIO()
            pl.DataFrame({"time": times, "volts": [13.25, 13.2], "amps": [-5.5, 4.0]}).write_parquet(held)
            self.assertEqual(rows(read(held.getvalue())), same)

    def test_a_file_is_known_by_its_content(self):
        self.assertEqual(open_log(io.BytesIO(b'{"time": 1}')).kind, "jsonlines")
        self.assertEqual(open_log(io.BytesIO(b"PAR1xxxx")).kind, "parquet")
        self.assertEqual(open_log(io.BytesIO(gzip.compress(b"a,b\n1,2\n"))).kind, "csv")

    def test_columns_are_mapped_signs_turned_and_units_scaled(self):
        text = "Zeit;Batt;Fluss\n01.11.2026 10:00:00;13250;-5000\n"
        mapping = Mapping(
            {"time": "Zeit", "volts": "Batt", "amps": "Fluss"},
            ";",
            ",",
            "pattern",
            "%d.%m.%Y %H:%M:%S",
            "Europe/Berlin",
            -0.001,
            0.001,
        )
        # by hand: 10:00 in Berlin in November is 09:00 UTC
        self.assertEqual(
            rows(read(text, mapping)),
            [(datetime(2026, 11, 1, 9, tzinfo=ZoneInfo("UTC")).timestamp(), 13.25, 5.0)],
        )

    def test_guesses_are_offered_and_doubts_told(self):
        sniffed = sniff(
            open_log(io.BytesIO(b"Zeit;Spannung (V);Strom mA;Temp\n03.04.2026 10:00:00;13,2;-5;1\n"))
        )
        self.assertEqual(
            sniffed.suggestion["columns"],
            {"time": "Zeit", "volts": "Spannung (V)", "amps": "Strom mA", "celsius": "Temp"},
        )
        self.assertEqual((sniffed.suggestion["decimal"], sniffed.suggestion["amps_scale"]), (",", 0.001))
        self.assertIn("zone", " ".join(sniffed.doubts))
        either = sniff_csv(b"time,volts,amps\n03/04/2026 10:00,13,1\n")
        self.assertIn("either way", " ".join(either.doubts))


class Faults(unittest.TestCase):
    def test_bad_lines_are_named_and_the_good_ones_kept(self):
        text = (
            "time,volts,amps,celsius\n1000,13.2,-5,20\nyesterday,13.2,-5,20\n1060,,-5,20\n"
            "1120,13.2,x,20\n\n1180,13.2\n"
            "1240,nan,-5,20\n1300,13.2,inf,20\n1360,13.2,-5,warm\n1420,13.2,-5,\n"
        )
        found = read(text)
        self.assertEqual([t for t, _, _ in rows(found)], [1000.0, 1420.0])
        self.assertTrue(np.isnan(found.readings.extra["celsius"][1]))
        named = {problem.line: problem.reason for problem in found.problems}
        self.assertEqual(sorted(named), [3, 4, 5, 7, 8, 9, 10])
        for line, words in (
            (3, "“yesterday” cannot be read"),
            (4, "volts value is missing"),
            (5, "“x” is not a number"),
            (7, "amps value is missing"),
            (10, "temperature"),
        ):
            self.assertIn(words, named[line])

    def test_duplicate_unordered_and_jumping_times_are_brought_into_order(self):
        found = read("time,volts,amps\n1000,13.2,-1\n1120,13.3,-2\n1060,13.4,-3\n1120,99,-9\n940,13.1,0\n")
        self.assertEqual(
            rows(found),
            [(940.0, 13.1, 0.0), (1000.0, 13.2, -1.0), (1060.0, 13.4, -3.0), (1120.0, 13.3, -2.0)],
        )
        self.assertEqual(found.duplicates, 1)
        self.assertEqual(found.steps_back, [(4, 60.0), (6, 180.0)])

    def test_the_hour_told_twice_in_autumn_is_told_apart(self):
        stamps = ["01:30:00", "01:59:00", "01:00:00", "01:30:00", "02:00:00"]
        text = "time,volts,amps\n" + "".join(f"2026-10-25 {stamp},13,1\n" for stamp in stamps)
        found = read(text, Mapping(NAMED, zone="Europe/London"))
        start = datetime(2026, 10, 25, 0, 30, tzinfo=ZoneInfo("UTC")).timestamp()
        self.assertEqual([t - start for t, _, _ in rows(found)], [0, 1740, 1800, 3600, 5400])

    def test_times_without_an_offset_are_refused_unless_a_zone_is_given(self):
        found = read("time,volts,amps\n2026-01-01T00:00:00,13,1\n", Mapping(NAMED))
        self.assertIn("need a time zone", found.problems[0].reason)

    def test_a_stray_quote_swallows_no_line(self):
        found = read('time,volts,amps\n1000,13,1\n"1060,13,1\n1120,13,1\n')
        self.assertEqual([t for t, _, _ in rows(found)], [1000.0, 1120.0])
        self.assertEqual([problem.line for problem in found.problems], [3])

    def test_small_chunks_read_the_same_and_number_lines_the_same(self):
        text = "time,volts,amps\n" + "".join(
            f"{1000 + at},13.{at},{'x' if at % 7 == 3 else at}\n" for at in range(60)
        )
        whole = read(text)
        mapping = Mapping(NAMED, time_kind="epoch_s")
        lines = [
            int(n)
            for batch in parse_csv(io.BytesIO(text.encode()), mapping, chunk_bytes=64)
            for n in batch.lines
        ]
        self.assertEqual(lines, list(range(2, 62)))
        self.assertEqual(
            [problem.line for problem in whole.problems], [at + 2 for at in range(60) if at % 7 == 3]
        )

    def test_what_cannot_be_read_at_all_is_refused_with_a_sentence(self):
        cases = {
            "empty": b"",
            "blank": b"\n \n",
            "binary": b"\x00\x01\x02" * 50,
            "no such columns": b"a,b\n1,2\n",
            "cut gzip": gzip.compress(b"time,volts,amps\n1,2,3\n" * 9000)[:-40],
            "damaged parquet": b"PAR1" + b"x" * 90,
            "endless line": b"time,volts,amps\n" + b"9" * (1 << 26),
        }
        for name, data in cases.items():
            with self.subTest(name), self.assertRaises(FileRefused) as caught:
                read(data)
            self.assertRegex(str(caught.exception), r"[A-Z].*[.]$")

    def test_mappings_that_cannot_be_meant_are_refused_at_their_field(self):
        cases = [
            ({"columns": {"time": "t", "volts": "v"}}, "amps"),
            ({"columns": {"time": "t", "volts": "v", "amps": "v"}}, "amps"),
            ({"columns": NAMED, "separator": ",", "decimal": ","}, "decimal"),
            ({"columns": NAMED, "zone": "Moon/Base"}, "zone"),
            ({"columns": NAMED, "time_kind": "pattern", "time_pattern": "%H"}, "time_pattern"),
        ]
        for given_mapping, key in cases:
            with self.subTest(key), self.assertRaises(MappingError) as caught:
                Mapping(**given_mapping)
            self.assertIn(key, caught.exception.problems)


class Plausible(unittest.TestCase):
    def test_what_no_rig_can_say_is_left_out_and_listed(self):
        for line, reason in (
            ("1060,1e308,-5,20", "volts value lies from -10 to 1000 V, got 1e+308"),
            ("1060,13250,-5,20", "volts value lies from -10 to 1000 V, got 13250"),
            ("1060,-11,-5,20", "volts value lies from -10 to 1000 V, got -11"),
            ("1060,13,-99999,20", "amps value lies from -20000 to 20000 A, got -99999"),
            ("1060,13,-5,999", "temperature value lies from -100 to 300 °C, got 999"),
            ("1060,nan,-5,20", "is not a number"),
            ("1060,13,inf,20", "is not a number"),
            (f"1060,{'9' * 400},-5,20", "is not a number"),
        ):
            with self.subTest(line[:40]):
                found = read(f"time,volts,amps,celsius\n1000,13.2,-5,20\n{line}\n1120,13.2,-5,20\n")
                self.assertEqual(len(found.readings), 2)
                self.assertIn(reason, found.problems[0].reason)

    def test_what_a_rig_may_say_is_read_to_its_limit(self):
        for line in ("1060,1000,-5,20", "1060,-10,-5,20", "1060,13,20000,20", "1060,13,-5,-100", "1060,0,0,"):
            with self.subTest(line):
                self.assertEqual(len(read(f"time,volts,amps,celsius\n1000,13.2,-5,20\n{line}\n").readings), 2)


class Units(unittest.TestCase):
    def test_a_heading_in_milliamps_is_told_from_one_in_amps_that_only_spells_like_it(self):
        for heading, factor in {
            "Strom (A)": 1.0,
            "StromA": 1.0,
            "Strom [mA]": 0.001,
            "current mA": 0.001,
            "currentmA": 0.001,
            "current_ma": 0.001,
            "milliamps": 0.001,
            "amps": 1.0,
        }.items():
            with self.subTest(heading):
                columns = match_headings(["time", "volts", heading])
                self.assertEqual(columns["amps"], heading)
                self.assertEqual(scales(columns), {"amps_scale": factor, "volts_scale": 1.0})


cell = st.one_of(
    st.text(alphabet='0123456789.,-eE:TZ"; \tx\r\x00é', max_size=12),
    st.floats().map(str),
    st.integers(-(10**14), 10**14).map(str),
)
good = st.tuples(st.integers(0, 2_000_000), st.floats(10, 15), st.floats(-99, 99)).map(
    lambda row: f"{row[0]},{row[1]!r},{row[2]!r}"
)
bad = st.lists(cell, max_size=5).map(",".join).map(lambda text: text.replace("\n", ""))


class Fuzz(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.one_of(good, bad), max_size=12))
    def test_whatever_stands_in_the_lines_the_good_ones_are_read(self, lines):
        text = "time,volts,amps\n" + "".join(f"{line}\n" for line in lines)
        found = read(text.encode("utf-8", "replace"), Mapping(NAMED, time_kind="epoch_s"))
        sound = set()
        for line in lines:
            parts = line.split(",")
            if len(parts) == 3 and not set(line) - set("0123456789.-e,"):
                try:
                    t, v, a = map(float, parts)
                except ValueError:
                    continue
                if abs(t) <= 2_000_000 and -10 <= v <= 1000 and abs(a) <= 20_000:
                    sound.add(round(t, 6))
        self.assertLessEqual(sound, {round(t, 6) for t, _, _ in rows(found)})
        self.assertTrue(np.isfinite(found.readings.volts).all() and np.isfinite(found.readings.amps).all())
        self.assertTrue((np.diff(found.readings.time_s) > 0).all())
        self.assertTrue(all(2 <= problem.line <= len(text.splitlines()) + 1 for problem in found.problems))

    @settings(max_examples=150, deadline=None)
    @given(st.binary(max_size=400))
    def test_any_bytes_are_read_or_refused(self, data):
        try:
            read(data)
        except FileRefused as wrong:
            self.assertTrue(str(wrong))
