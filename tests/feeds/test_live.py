"""What a bridge sends, read; what it sends wrongly, named by its index and field."""

import json
import unittest

from volnik.core.readings import ReadingsRefused
from volnik.feeds.live import parse_live

GOOD = {"time": "2026-11-20T15:40:00Z", "volts": 13.2, "amps": -4.5, "celsius": 18}


class Parsing(unittest.TestCase):
    def test_arrays_lines_and_a_single_object_read_alike(self):
        row = (1_795_189_200_000, 13.2, -4.5, 18.0, None, None, None)  # date -d 2026-11-20T15:40:00Z +%s
        late = {**GOOD, "time": 1_795_189_200.25, "starter_volts": 12.6, "firmware": "x"}
        for body, lines, expected in (
            (json.dumps([GOOD]), False, [row]),
            (json.dumps(GOOD), False, [row]),
            (
                json.dumps(GOOD) + "\n\n" + json.dumps(late) + "\n",
                True,
                [row, (1_795_189_200_250, 13.2, -4.5, 18.0, 12.6, None, None)],
            ),
        ):
            with self.subTest(body):
                self.assertEqual(parse_live(body.encode(), lines=lines), expected)

    def test_rubbish_is_refused_with_its_index_field_and_a_sentence(self):
        for given, index, field, words in (
            (b"\x00\xff{", None, "", "not JSON"),
            (b"[]", None, "", "not one reading"),
            (json.dumps([GOOD, 7]), 1, "", "object"),
            (json.dumps([GOOD, {**GOOD, "volts": None}]), 1, "volts", "plain number"),
            (json.dumps([{"time": 1e9, "amps": 1}]), 0, "volts", "missing"),
            (json.dumps([{**GOOD, "amps": True}]), 0, "amps", "plain number"),
            ('[{"time": 1e9, "volts": NaN, "amps": 1}]', 0, "volts", "plain number"),
            (json.dumps([{**GOOD, "amps": 1e9}]), 0, "amps", "20000"),
            (json.dumps([{**GOOD, "time": "2026-11-20T15:40:00"}]), 0, "time", "offset"),
            (json.dumps([{**GOOD, "time": "yesterday"}]), 0, "time", "ISO 8601"),
            (json.dumps([{**GOOD, "time": 1_795_189_200_000}]), 0, "time", "milliseconds"),
            (json.dumps([{**GOOD, "time": -9e10}]), 0, "time", "never set"),
            (json.dumps([{**GOOD, "time": None}]), 0, "time", "missing"),
            ("[" * 100_000, None, "", "not JSON"),
            (json.dumps([GOOD] * 20_001), None, "", "At most"),
        ):
            with self.subTest(str(given)[:60]), self.assertRaises(ReadingsRefused) as caught:
                parse_live(given.encode() if isinstance(given, str) else given)
            self.assertEqual((caught.exception.index, caught.exception.field), (index, field))
            self.assertIn(words, caught.exception.sentence)
        with self.assertRaises(ReadingsRefused) as caught:
            parse_live(json.dumps(GOOD).encode() + b"\n{oops\n", lines=True)
        self.assertEqual(caught.exception.index, 1)
