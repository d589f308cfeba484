"""The band on rigs whose truth is known: as they are, and with days unread, claims and a swap in them."""

import unittest
from functools import cache

import numpy as np

from benchmarks.trials.rigs import trial
from volnik.core.count.entries import Entry
from volnik.core.count.evidence import Word, set_by_hand
from volnik.core.count.log import LogCounter
from volnik.core.count.uncertainty import band
from volnik.core.readings import Readings

RIGS = {"lfp": 6, "flooded": 10, "agm": 10, "gel": 8}
DISTURBED = {"lfp": 3, "flooded": 7, "agm": 4, "gel": 4}
DAY_S = 86_400.0
drawn = cache(lambda seed, chemistry: trial("apart", seed, chemistry, days=21))


def banded(item, readings, entries=(), words=()):
    made = LogCounter.opened(item.numbers, entries).feed(
        readings.time_s, readings.volts, readings.amps, gap_s=item.gap_s
    )
    of = {"chemistry": item.chemistry, "cells": item.cells, "gap_s": item.gap_s}
    return made, band(readings, made, item.numbers, words=words, **of)


def holds(item, found, kept=slice(None)):
    """Whether the truth lies inside, at each reading where anything is known."""
    charge = np.minimum(item.charge, 1.0)[kept]  # a lead model may stand a little above full
    return ((charge >= found.low) & (charge <= found.high))[~np.isnan(found.centre)]


class Truth(unittest.TestCase):
    def test_the_band_holds_the_truth_of_rigs_it_was_not_set_on(self):
        for chemistry, rigs in RIGS.items():
            inside, half = [], []
            for seed in range(900, 900 + rigs):
                item = drawn(seed, chemistry)
                _, found = banded(item, item.readings)
                inside.append(holds(item, found))
                half.append(found.half[~np.isnan(found.centre)])
            with self.subTest(chemistry):
                self.assertGreaterEqual(float(np.concatenate(inside).mean()), 0.86)
                self.assertLess(float(np.concatenate(half).mean()), 0.05)

    def test_it_still_does_with_days_unread_claims_and_a_swap_and_is_as_narrow_after_the_next_full(self):
        for chemistry, rigs in DISTURBED.items():
            inside, narrow, whole = [], 0.0, 0.0
            for seed in range(900, 900 + rigs):
                item = drawn(seed, chemistry)
                held, found, fresh = self.disturbed(item, np.random.default_rng(seed))
                inside.append(held)
                _, undisturbed = banded(item, item.readings)
                narrow += float(found.half[fresh].sum())
                whole += float(undisturbed.half[self.kept][fresh].sum())
            with self.subTest(chemistry):
                self.assertGreaterEqual(float(np.concatenate(inside).mean()), 0.86)
                self.assertGreater(whole, 0.0)
                self.assertLess(narrow, 1.3 * whole)

    def disturbed(self, item, rng):
        """Two stretches nobody read, two wakings at "100 %", a battery swapped, a setting by hand.

        Returns whether the truth is held, the band, and which readings rest on a reset since the last of
        these.
        """
        start_s, time_s = item.readings.time_s[0], item.readings.time_s
        day = (time_s - start_s) / DAY_S
        silent = [(4 + rng.uniform(), rng.uniform(0.2, 1.5)), (10 + rng.uniform(), rng.uniform(0.2, 2.0))]
        self.kept = ~np.any([(day > first) & (day < first + days) for first, days in silent], axis=0)
        woken_s = [start_s + DAY_S * at for at in (7 + rng.uniform(), sum(silent[1]))]
        swapped_s, set_s = start_s + DAY_S * 15.3, start_s + DAY_S * (17 + rng.uniform())
        charge = float(np.minimum(item.charge, 1.0)[np.searchsorted(time_s, set_s)])
        said = float(np.clip(charge + rng.normal(0.0, 0.04), 0.0, 1.0))
        entries = [
            *(Entry(at, "supply_lost", power_up="full") for at in woken_s),
            Entry(swapped_s, "block_swapped"),
            Entry(set_s, "set", soc=said),
        ]
        words = [*(Word(at, 1.0) for at in woken_s), set_by_hand(set_s, said)]
        read = item.readings
        cut = Readings(time_s[self.kept], read.volts[self.kept], read.amps[self.kept])
        made, found = banded(item, cut, entries, words)
        ends = np.sort(
            [start_s, *woken_s, swapped_s, set_s, *(start_s + DAY_S * sum(each) for each in silent)]
        )
        last = ends[np.searchsorted(ends, cut.time_s, side="right") - 1]
        reset_s = np.array([-np.inf, *(reset.time_s for reset in made.resets)])
        fresh = reset_s[np.searchsorted(reset_s, cut.time_s, side="right") - 1] > last
        return holds(item, found, self.kept), found, fresh
