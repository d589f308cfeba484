"""Small files that unpack to much, lines without end, files that are no log; and long logs that are sound."""

import gzip
import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import polars as pl
import psutil

from volnik.feeds.batches import FileRefused
from volnik.feeds.csv import sniff_csv
from volnik.feeds.files import open_log, read_log
from volnik.feeds.mapping import Mapping

HEAD = b"time,volts,amps\n"
MAPPING = Mapping(columns={name: name for name in ("time", "volts", "amps")})
MOST_MORE = 100 << 20  # bytes of memory above the level before


def parquet(folder, **columns):
    """A Parquet file of these columns, opened."""
    path = Path(folder) / "log.parquet"
    pl.DataFrame(columns).write_parquet(path)
    return path.open("rb")


class Bombs(unittest.TestCase):
    def test_what_unpacks_to_far_too_much_is_given_up_early(self):
        many = 30_000_000
        sound = HEAD + b"2026-01-01T00:00:00Z,13.2,-1\nx,1,2\n"
        read_log(open_log(io.BytesIO(sound)), MAPPING)  # what reads is loaded and compiled by now
        for name, body, said in (
            ("lines of nothing", HEAD + b"\n" * many, "unpacks to more"),
            ("lines of rubbish", HEAD + b"x\n" * many, "no log"),
            ("one line", HEAD + b"x" * many, "longer than any reading"),
            ("rubbish as JSON", b"{}\n" * many, "no log"),
            ("one line of JSON", b'{"time":' + b"1" * many, "longer than any reading"),
            (
                "a sound line many times",
                HEAD + b"2026-01-01T00:00:00Z,13.2,-1\n" * 2_000_000,
                "unpacks to more",
            ),
        ):
            packed = gzip.compress(body)
            del body
            before = psutil.Process().memory_info().rss
            with self.subTest(name), self.assertRaises(FileRefused) as refused:
                read_log(open_log(io.BytesIO(packed)), MAPPING)
            self.assertIn(said, str(refused.exception))
            self.assertLess(psutil.Process().memory_info().rss - before, MOST_MORE, name)

    def test_a_parquet_file_is_judged_by_its_footer(self):
        count = 10_000_000
        with tempfile.TemporaryDirectory() as folder:
            same = parquet(
                folder, time=np.full(count, 1.7e9), volts=np.full(count, 13.0), amps=np.zeros(count)
            )
            before = psutil.Process().memory_info().rss
            with same, self.assertRaisesRegex(FileRefused, "10,000,000 rows, in only"):
                read_log(open_log(same))
            self.assertLess(psutil.Process().memory_info().rss - before, MOST_MORE)


class LongLogs(unittest.TestCase):
    def test_idle_rigs_logs_are_read_whole(self):
        """Three million readings of one volts and one current pack well, and are no bomb."""
        count = 3_000_000
        time_s = 1_767_225_600 + np.arange(count)
        frame = pl.DataFrame({"time": time_s, "volts": np.full(count, 13.2), "amps": np.full(count, -0.1)})
        as_text = io.BytesIO()
        frame.write_csv(as_text)
        with tempfile.TemporaryDirectory() as folder:
            for name, log in (
                ("gzip", io.BytesIO(gzip.compress(as_text.getvalue()))),
                ("Parquet", parquet(folder, **{column: frame[column] for column in frame.columns})),
            ):
                with self.subTest(name), log:
                    self.assertEqual(len(read_log(open_log(log)).readings), count)

    def test_a_log_of_every_second_line_empty_is_read(self):
        lines = b"".join(b"%d,13.2,-1\r\n\r\n" % (1_767_225_600 + at) for at in range(5000))
        found = read_log(open_log(io.BytesIO(HEAD + lines)))
        self.assertEqual((len(found.readings), found.problem_count), (5000, 0))

    def test_a_line_at_fault_is_told_by_its_number_though_others_are_empty(self):
        found = read_log(open_log(io.BytesIO(HEAD + b"1767225600,13.2,-1\n\n\nx,13,1\n1767225601,13.2,-1\n")))
        self.assertEqual([problem.line for problem in found.problems], [5])

    def test_a_log_in_two_byte_letters_is_read_piece_by_piece(self):
        text = "time,volts,amps\n" + "".join(f"{1_767_225_600 + at},13.2,-1\n" for at in range(20_000))
        for encoding in ("utf-16-le", "utf-16-be"):
            with self.subTest(encoding):
                body = ("\ufeff" + text).encode(encoding)
                self.assertEqual(len(read_log(open_log(io.BytesIO(body))).readings), 20_000)
                self.assertEqual(sniff_csv(body[: 1 << 16]).headings, ["time", "volts", "amps"])
