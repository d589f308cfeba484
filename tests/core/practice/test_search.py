"""The shortest search ends in the truth, and what looks tell is reckoned by hand."""

import math
import unittest

from volnik.core.practice.cases import AT_LEVEL, drawn
from volnik.core.practice.looks import Look, part
from volnik.core.practice.search import Searcher, named, shortest


class Parted(unittest.TestCase):
    def test_readings_nearer_than_an_instrument_tells_stay_together_and_words_by_themselves(self):
        clamp = Look("clamp", "fridge", "fridge_minus")
        # by hand: a clamp parts from 0.3 A on, or 4 % of what it reads
        shown = {"a": 0.0, "b": 0.2, "c": 4.0, "d": 4.25, "e": 4.7, "f": math.nan}
        self.assertEqual(part(clamp, shown), [{"f"}, {"a", "b"}, {"c", "d"}, {"e"}])
        self.assertEqual(part(Look("owner"), {"a": "yes", "b": "no", "c": "yes"}), [{"a", "c"}, {"b"}])


class Searched(unittest.TestCase):
    def test_every_drawn_case_is_solved_to_its_place_by_the_search_that_is_shown(self):
        for level in AT_LEVEL:
            for seed in range(1, 2):  # many more in `make bench`
                case = drawn(seed, level)
                with self.subTest(seed=seed, level=level, truth=case.truth):
                    found = shortest(case)
                    self.assertEqual(found.left, {case.truth})
                    self.assertAlmostEqual(found.minutes, sum(step.look.minutes for step in found.steps))
                    for step in found.steps:
                        self.assertLess(len(step.after), len(step.before))

    def test_a_trainees_own_way_is_followed_and_looks_that_tell_nothing_leave_all(self):
        cases = (drawn(seed, 1) for seed in range(80))
        case = next(case for case in cases if case.wrongs[0].cause == "load_bypass")
        searcher = Searcher(case)
        device = case.wrongs[0].where.removesuffix("_minus")
        first, again, stranger = Look("display", device), Look("display", device), Look("display", "piano")
        steps = searcher.followed([first, again, stranger])
        self.assertEqual(len(steps), 2)
        self.assertIn(case.truth, {named(each) for each in steps[0].after})
        self.assertEqual(steps[1].before, steps[1].after)
        self.assertAlmostEqual(steps[1].bits, 0.0, places=9)
