"""What changes over months: told where the doubt lets it be seen, silent where it does not."""

import math
import unittest

from benchmarks.trials.rigs import trial
from volnik.core.watch.checkup.facts import RigFacts, gather
from volnik.core.watch.trends import Trend, TrendPoint, capacity_point, comparable, resistance_point, told

MONTH_S = 30.44 * 86_400.0


def point(month, value, off, celsius=math.nan):
    return TrendPoint(month * MONTH_S, value, value - off, value + off, celsius)


def trend(*points, wanted="high", new=math.nan):
    return Trend("capacity", "Capacity", "Ah", 0, wanted, points, new)


class Told(unittest.TestCase):
    def test_what_the_doubt_covers_is_no_change(self):
        said = told(trend(point(0, 200, 15), point(6, 190, 15), new=200.0))
        self.assertEqual(
            said,
            "190 Ah (175 to 205), 95 % of the 200 Ah it is set to: no change in 6 months that its doubt lets "
            "be seen.",
        )

    def test_ageing_is_told_with_its_pace(self):
        said = told(trend(point(0, 200, 5), point(12, 180, 5), new=200.0))
        self.assertIn("It fell by 10 % in 12 months, from 200 Ah to 180 Ah (175 to 185).", said)
        # By hand: 20 Ah a year, 20 Ah left above 160.
        self.assertIn("80 % of new is left in about 1.0 years", said)
        self.assertIn("plan its successor", told(trend(point(0, 200, 5), point(12, 150, 5), new=200.0)))

    def test_a_resistance_is_only_held_against_one_as_warm(self):
        cold = trend(point(0, 20, 1, 25.0), point(2, 30, 1, 5.0), wanted="low")
        self.assertIn("A second one will tell", told(cold))
        self.assertEqual(len(comparable(cold.points)), 1)
        # By hand: 5 degrees of 3.5 % each are 3.5 of 20; with both doubts 5.5.
        self.assertIn("no change", told(trend(point(0, 20, 1, 20.0), point(2, 25, 1, 15.0), wanted="low")))
        self.assertIn("It rose", told(trend(point(0, 20, 1, 20.0), point(2, 26, 1, 15.0), wanted="low")))
        self.assertIn("to 2.0 times that", told(trend(point(0, 1, 0.1), point(6, 2, 0.1), wanted="low")))


class OnRigsWhoseTruthIsKnown(unittest.TestCase):
    def test_a_capacity_holds_the_true_one_nine_times_of_ten(self):
        held = []
        for chemistry in ("flooded", "gel"):
            for seed in range(700, 712):
                item = trial("apart", seed, chemistry, days=21)
                plan = RigFacts(chemistry, item.cells)
                facts = gather(item.readings, numbers=item.numbers, plan=plan, gap_s=item.gap_s)
                found = capacity_point(facts)
                self.assertIsNotNone(resistance_point(facts), item.seed)
                if found is not None:
                    held.append(found.low <= item.capacity_ah <= found.high)
        self.assertGreater(len(held), 8)
        self.assertGreaterEqual(sum(held) / len(held), 0.85)
