"""Who speaks where sources overlap, and which version of the numbers holds when."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from volnik.core.count.record import Coverage, LogSegment, compose
from volnik.core.rig.rig import NumbersVersion, timeline
from volnik.core.settings import Numbers

NUMBERS = Numbers(100.0, 20.0, 1.0, 1.0, 14.2, 4.0, 180.0, 0.1, 20.0, 1.0, 180.0)


class Sources(unittest.TestCase):
    def test_bridge_speaks_before_file_before_typed_else_the_earlier(self):
        file = Coverage(1, "file", 10.0, [(0, 100), (200, 300)])
        cases = [
            (
                "a later file fills only what is free",
                Coverage(2, "file", 20.0, [(50, 250)]),
                [LogSegment(1, 0, 100), LogSegment(2, 101, 199), LogSegment(1, 200, 300)],
            ),
            (
                "a bridge sets the file aside",
                Coverage(2, "bridge", 20.0, [(50, 250)]),
                [LogSegment(1, 0, 49), LogSegment(2, 50, 250), LogSegment(1, 251, 300)],
            ),
            (
                "typed readings warn last",
                Coverage(2, "typed", 1.0, [(90, 120)]),
                [LogSegment(1, 0, 100), LogSegment(2, 101, 120), LogSegment(1, 200, 300)],
            ),
            ("nothing free, nothing said", Coverage(2, "typed", 1.0, [(10, 90)]), [LogSegment(1, 0, 300)]),
        ]
        for name, other, stretches in cases:
            with self.subTest(name):
                self.assertEqual(compose([file, other]), stretches)
                self.assertEqual(compose([other, file]), stretches)


class Versions(unittest.TestCase):
    def test_a_later_saving_takes_over_from_its_own_date(self):
        def version(number, holds):
            return NumbersVersion(number, float(number), holds, "", NUMBERS, "last")

        cases = [
            ([version(1, None), version(2, 50.0)], [1, 2]),
            ([version(1, None), version(2, 50.0), version(3, 40.0)], [1, 3]),
            ([version(1, None), version(2, 50.0), version(3, 60.0)], [1, 2, 3]),
            ([version(1, None), version(2, 50.0), version(3, None)], [3]),
            ([], []),
        ]
        for saved, held in cases:
            self.assertEqual([item.id for item in timeline(list(reversed(saved)))], held)


class Composed(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["bridge", "file", "typed"]),
                st.lists(st.integers(0, 60), min_size=2, max_size=6, unique=True),
            ),
            min_size=1,
            max_size=4,
        )
    )
    def test_every_millisecond_is_told_by_whoever_speaks_first_there(self, given_sources):
        coverages = []
        for at, (kind, edges) in enumerate(given_sources):
            edges = sorted(edges)
            coverages.append(Coverage(at, kind, float(at), list(zip(edges[::2], edges[1::2], strict=False))))
        order = {"bridge": 0, "file": 1, "typed": 2}
        message = {}
        for stretch in compose(coverages):
            for instant in range(stretch.start_ms, stretch.end_ms + 1):
                self.assertNotIn(instant, message)
                message[instant] = stretch.source_id
        for instant in range(61):
            covering = [
                coverage for coverage in coverages if any(a <= instant <= b for a, b in coverage.segments)
            ]
            if covering:
                first = min(covering, key=lambda item: (order[item.kind], item.arrived_s))
                self.assertEqual(message[instant], first.source_id)
