"""Cycles from full to full, by hand."""

import unittest
from dataclasses import fields

import numpy as np

from volnik.core.watch.cycles import cycles_of
from volnik.core.watch.half_hours import SLOT_S, HalfHours


def half_hours(low_soc):
    """Half hours with the lowest charge of each; 1 Ah out in every one."""
    count = len(low_soc)
    columns = {column.name: np.zeros(count) for column in fields(HalfHours)}
    columns |= {"start_s": SLOT_S * np.arange(count), "low_soc": np.array(low_soc), "out_ah": np.ones(count)}
    return HalfHours(**columns)


class Cycles(unittest.TestCase):
    def test_each_lies_between_two_full_charges_and_the_last_is_open(self):
        some = half_hours([1.0, 0.8, 0.6, 0.9, 1.0, 0.99, 1.0, 0.5, 0.7])
        first, last = cycles_of(some, [0.0, 4 * SLOT_S, 6 * SLOT_S])
        self.assertEqual(
            (first.start_s, first.end_s, first.low, first.is_open), (0.0, 4 * SLOT_S, 0.6, False)
        )
        self.assertEqual((first.low_s, first.out_ah), (2.5 * SLOT_S, 4.0))
        self.assertEqual((last.low, last.is_open, last.end_s), (0.5, True, 9 * SLOT_S))
        self.assertAlmostEqual(first.days, 4 * 0.5 / 24)  # from 4 to 6 it was kept full: no cycle

    def test_without_a_full_charge_or_a_known_count_there_is_none(self):
        self.assertEqual(cycles_of(half_hours([0.5, 0.6]), []), [])
        self.assertEqual(cycles_of(half_hours([np.nan, np.nan]), [0.0]), [])
        self.assertEqual(cycles_of(half_hours([]), [0.0]), [])
