"""What was missed comes again, sooner; files hold a case whole; lessons and logs show what they are about."""

import json
import unittest

from volnik.core.errors import InvalidInput
from volnik.core.practice.cases import AT_LEVEL, EDITION, cause_at, drawn
from volnik.core.practice.causes import CAUSES
from volnik.core.practice.files import as_file, from_file
from volnik.core.practice.lessons import LESSONS, lesson, seed_with
from volnik.core.practice.log_drill import STRIPS, Mark, marks, strip_case
from volnik.core.practice.numbers_drill import ANSWERS, drawn_sum, solved
from volnik.core.practice.progress import Result, next_cause, people, standings

DAY_S = 86_400.0


def result(cause, at_s, right, who="Tolly", **more):
    """A case concluded."""
    given = {"minutes": 8.0, "soonest": 4.0, "stopped": False, "proven": right, "kind": "case"} | more
    return Result(who, at_s, given.pop("kind"), 2, 1, (cause,), right=right, **given)


class Progress(unittest.TestCase):
    def test_missed_comes_after_ten_minutes_and_known_after_days_that_grow(self):
        causes = ("scale", "reversed", "sound")
        self.assertEqual(next_cause([], causes, 0.0), "scale")
        missed = [result("scale", 0.0, False)]
        self.assertEqual(next_cause(missed, causes, 300.0), "reversed")  # not yet: a new one first
        self.assertEqual(next_cause(missed, causes, 600.0), "scale")
        right = [*missed, result("scale", 700.0, True)]
        self.assertEqual(standings(right)["scale"].due_s, 700.0 + DAY_S)
        again = [*right, result("scale", 2 * DAY_S, True)]
        self.assertEqual(standings(again)["scale"].due_s, 2 * DAY_S + 3 * DAY_S)
        self.assertEqual((standings(again)["scale"].tried, standings(again)["scale"].missed), (3, 1))
        every = [result(cause, at, True) for at, cause in enumerate(causes)]
        self.assertEqual(next_cause(every, causes, 100.0), "scale")  # the one due longest
        # a danger is a miss, whatever was concluded
        self.assertTrue(standings([result("scale", 0.0, True, stopped=True)])["scale"].is_missed)

    def test_a_shops_owner_sees_each_person_in_figures(self):
        own = [
            result("scale", 0.0, True),
            result("reversed", 1.0, False, stopped=True),
            result("sound", 2.0, True, minutes=12.0, soonest=6.0, proven=False),
            result("sound", 3.0, True, kind="log"),
            result("scale", 4.0, True, who="Maren"),
        ]
        maren, tolly = people(own)
        self.assertEqual((maren.who, tolly.who), ("Maren", "Tolly"))
        self.assertEqual((tolly.cases, tolly.right, tolly.proven, tolly.stopped), (3, 2, 1, 1))
        self.assertEqual((tolly.minutes, tolly.soonest, tolly.logs), (10.0, 5.0, (1, 1)))
        self.assertEqual(tolly.missed, ("reversed",))


class Files(unittest.TestCase):
    def test_a_case_comes_back_whole_and_what_is_none_is_refused(self):
        case = drawn(4, 3)
        data = as_file(case, "display..,bank..")
        again, moves = from_file(data)
        self.assertEqual((again.wrongs, again.plan, moves), (case.wrongs, case.plan, "display..,bank.."))
        held = json.loads(data)
        self.assertEqual(held["wrong"][0][0], case.wrongs[0].cause)
        self.assertTrue(held["rig"]["bank"] and held["rig"]["devices"] and held["rig"]["wiring"])
        for change, said in (
            ({"edition": EDITION - 1}, "drawn by edition"),
            ({"seed": -1}, "no level and number"),
            ({"seed": True}, "no level and number"),
            ({"level": 9}, "no level and number"),
            ({"complaint": "It hums."}, "was changed since"),
            ({"seed": 5}, "was changed since"),
            ({"moves": 3}, "cannot be read"),
            ({"format": "song"}, "This is no case"),
        ):
            with self.subTest(change), self.assertRaises(InvalidInput) as refused:
                from_file(json.dumps(held | change).encode())
            self.assertIn(said, refused.exception.problems["file"])
        for data in (b"", b"\xff\xfe", b"[1]", b"[" * 100_000, b" " * 500_000):
            with self.assertRaises(InvalidInput):
                from_file(data)


class Lessons(unittest.TestCase):
    def test_every_cause_has_one_and_its_case_is_of_it(self):
        self.assertEqual({each.cause for each in LESSONS}, set(CAUSES))
        for cause in ("weak_block", "bond", "sound"):
            self.assertEqual([wrong.cause for wrong in lesson(cause).wrongs], [cause])
        with self.assertRaises(KeyError):
            lesson("piano")

    def test_a_case_with_a_cause_is_found_at_each_level_that_draws_it(self):
        for level, causes in AT_LEVEL.items():
            for cause in causes:
                self.assertIn(cause, cause_at(seed_with(cause, level, 1000), level))
        with self.assertRaises(ValueError):
            seed_with("bond", 1, 0)


class Drills(unittest.TestCase):
    def test_logs_are_marked_by_cause_and_by_day(self):
        case = next(case for case in map(strip_case, [1] * STRIPS, range(STRIPS)) if case.truth != "sound:")
        cause, day = case.wrongs[0].cause, 14 - case.since_days + 1
        for said, wanted in (
            ((cause, day), (True, True)),
            ((cause, day + 2), (True, True)),
            ((cause, day + 3), (True, False)),
            (("sound", day), (False, False)),
        ):
            mark = Mark(case, *said)
            self.assertEqual((mark.is_cause, mark.is_day), wanted)
        self.assertEqual(len(marks(1, [("sound", 0)] * 25)), STRIPS)

    def test_a_sum_is_answered_by_the_map_at_the_schools_point(self):
        seen = set()
        for seed in range(8):
            drawn_ = drawn_sum(seed)
            found = solved(drawn_)
            seen.add(found.right)
            self.assertIn(found.right, ANSWERS)
            point = drawn_.point
            row, column = found.map.grid.nearest(point.charged_voltage_v, point.tail_current_pct)
            resets, early = int(found.map.resets[row, column]), int(found.map.early[row, column])
            if found.right == "seldom":
                self.assertLess(resets, 10)
            elif found.right == "too_soon":
                self.assertGreater(early, 0)
            else:
                self.assertLessEqual(early, 0.1 * resets)
        self.assertGreaterEqual(len(seen), 2)
