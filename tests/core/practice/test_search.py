"""The shortest search ends in the truth, and what looks tell is reckoned by hand."""

import math
import unittest

from volnik.core.practice.cases import AT_LEVEL, drawn
from volnik.core.practice.looks import Look, part, reading, seen
from volnik.core.practice.search import Searcher, shortest
from volnik.core.simulation.wired import Faults, wire


class Parted(unittest.TestCase):
    def test_readings_nearer_than_an_instrument_tells_stay_together(self):
        clamp = Look("clamp", "fridge", "fridge_minus")
        # by hand: a clamp parts from 0.3 A on, or 4 % of what it reads
        shown = {"a": 0.0, "b": 0.2, "c": 4.0, "d": 4.25, "e": 4.7, "f": math.nan}
        self.assertEqual(part(clamp, shown), [{"f"}, {"a", "b"}, {"c", "d"}, {"e"}])

    def test_a_screen_shows_what_crosses_the_shunt_by_scale_sign_and_zero(self):
        case = next(case for case in (drawn(seed, 1) for seed in range(40)) if case.fault == "sense_fuse")
        look = Look("display", "inverter")
        sound = seen(wire(case.plan), look)
        inverter = next(one for one in wire(case.plan).analysis.devices if one.id == "inverter")
        self.assertAlmostEqual(sound, -inverter.running_a, places=6)
        for faults, wanted in (
            (Faults(reversed=True), -sound),
            (Faults(scale=2.0), 2.0 * sound),
            (Faults(offset_a=0.4), sound + 0.4),
            (Faults(moved={("inverter_minus", "b"): "A1.minus"}), 0.0),
        ):
            if wire(case.plan).analysis.bank.parallel > 1 and faults.moved:
                continue
            self.assertAlmostEqual(seen(wire(case.plan, faults), look), wanted, places=6)
        self.assertTrue(math.isnan(reading(wire(case.plan, case.faults), look, 1)))


class Searched(unittest.TestCase):
    def test_every_drawn_case_is_solved_to_its_place_by_the_search_that_is_shown(self):
        for level in AT_LEVEL:
            for seed in range(4):
                case = drawn(seed, level)
                with self.subTest(seed=seed, level=level, truth=case.truth):
                    found = shortest(case)
                    self.assertEqual(found.left, {case.truth})
                    self.assertAlmostEqual(found.minutes, sum(step.look.minutes for step in found.steps))
                    for step in found.steps:
                        self.assertLess(len(step.after), len(step.before))

    def test_a_trainees_own_way_is_followed_and_looks_that_tell_nothing_leave_all(self):
        case = next(case for case in (drawn(seed, 1) for seed in range(40)) if case.fault == "load_bypass")
        searcher = Searcher(case)
        device = case.where.removesuffix("_minus")
        first, again, stranger = Look("display", device), Look("display", device), Look("display", "piano")
        steps = searcher.followed([first, again, stranger])
        self.assertEqual(len(steps), 2)
        self.assertTrue(any(key.startswith(f"load_bypass:{case.where}") for key in steps[0].after))
        self.assertEqual(steps[1].before, steps[1].after)
        self.assertAlmostEqual(steps[1].bits, 0.0, places=9)
