"""A history cut by its events."""

import math
import unittest

from volnik.core.count.epochs import EVENT_KINDS, Epoch, Event, epochs, since


def event(kind, day, what=""):
    return Event(kind, 86_400.0 * day, 86_400.0 * day, what)


HISTORY = [
    event("commissioned", 0),
    event("numbers", 40, "tail 2 %"),
    event("block_swapped", 100, "A2"),
    event("torqued", 100),
    event("numbers", 100, "capacity"),
    event("mended", 130, "heater"),
    event("gap", 140),
]


class Epochs(unittest.TestCase):
    def days(self, *aspects):
        return [epoch.start_s / 86_400.0 for epoch in epochs(HISTORY, *aspects)]

    def test_each_aspect_is_cut_by_what_ends_it(self):
        self.assertEqual(self.days("bank"), [-math.inf, 100])
        self.assertEqual(self.days("wiring"), [-math.inf, 0, 130])
        self.assertEqual(self.days("settings"), [-math.inf, 0, 40, 100])
        self.assertEqual(self.days("bank", "settings"), [-math.inf, 0, 40, 100])

    def test_events_of_one_visit_are_one_cut_and_say_all_of_it(self):
        visit = epochs(HISTORY, "bank", "settings")[-1]
        self.assertEqual(visit.why, "battery swapped: A2; numbers changed: capacity")

    def test_stretches_meet_and_none_is_lost(self):
        found = epochs(HISTORY, "bank", "wiring", "settings", "count")
        self.assertEqual((found[0].start_s, found[-1].end_s), (-math.inf, math.inf))
        for before, after in zip(found, found[1:], strict=False):
            self.assertEqual(before.end_s, after.start_s)
        self.assertEqual(sum(epoch.holds(86_400.0 * 100) for epoch in found), 1)
        self.assertEqual(epochs([], "bank"), [Epoch(-math.inf, math.inf)])

    def test_since_when(self):
        self.assertEqual(since(HISTORY, 86_400.0 * 110, "settings"), 86_400.0 * 100)
        self.assertEqual(since(HISTORY, 86_400.0 * 99, "bank"), -math.inf)

    def test_what_only_happened_ends_nothing(self):
        for kind in ("torqued", "equalised", "gap", "laid_up", "capacity_tested"):
            self.assertEqual(EVENT_KINDS[kind].ends, frozenset())
