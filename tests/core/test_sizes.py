"""What values take in memory, against what is known of them."""

import sys
import unittest
from dataclasses import dataclass

import numpy as np

from volnik.core.sizes import SizedCache, bytes_of


@dataclass(slots=True)
class Holder:
    name: str
    parts: list
    column: np.ndarray


class Sizes(unittest.TestCase):
    def test_arrays_count_by_what_they_hold_wherever_they_hang(self):
        column = np.zeros(100_000)
        for name, value in (
            ("alone", column),
            ("in a list", [column]),
            ("in a class", Holder("a", [], column)),
            ("deep", {"a": [Holder("b", [{"c": (column,)}], np.zeros(0))]}),
            ("twice the same", [column, column, Holder("a", [column], column)]),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(bytes_of(value), 800_000, delta=4_000)

    def test_plain_values_as_python_says(self):
        for value in (1, 1.5, "words", b"bytes", None):
            with self.subTest(value):
                self.assertEqual(bytes_of(value), sys.getsizeof(value))

    def test_what_holds_itself_comes_to_an_end(self):
        loop = []
        loop.append(loop)
        self.assertLess(bytes_of(loop), 200)

    def test_a_cache_holds_no_more_than_its_bytes(self):
        cache = SizedCache(1_000_000)
        for number in range(50):
            cache[number] = np.zeros(10_000)  # 80 kB
        self.assertLessEqual(cache.currsize, 1_000_000)
        self.assertEqual(list(cache), list(range(50 - len(cache), 50)))
        self.assertGreater(len(cache), 9)

    def test_one_that_is_larger_than_all_is_kept_alone(self):
        cache = SizedCache(1000)
        cache["small"] = 1
        cache["large"] = np.zeros(10_000)
        self.assertEqual(list(cache), ["large"])
