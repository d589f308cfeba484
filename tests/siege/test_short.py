"""The siege in short: some kills of each kind of work, and every route asked oddly once."""

import unittest

from tests.siege import fuzz, kills


class Short(unittest.TestCase):
    def test_killed_work_leaves_all_or_nothing(self):
        for name, work in kills.WORKS.items():
            with self.subTest(name):
                found = work(range(4, 400, 31))
                self.assertEqual(found.torn, 0)
                self.assertGreater(found.hit, 0)

    def test_a_merge_killed_leaves_all_or_nothing(self):
        found = kills.merges((20, 200))
        self.assertEqual((found.hit, found.torn), (2, 0))

    def test_no_route_fails_inside_whatever_it_is_asked(self):
        found = fuzz.fuzz(1)
        self.assertEqual(found.failed, [])
        self.assertGreater(found.asked, 100)
        self.assertGreater(found.codes[200], 10)
