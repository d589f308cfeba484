"""Two who change the same: what is proposed, field by field."""

import unittest

from volnik.core.changes import Change, differences, merged


def change(number, **fields):
    return Change(number, 0.0, 1, "numbers", "Wren", "saved", fields)


class Merging(unittest.TestCase):
    def test_each_case_of_who_touched_what(self):
        """(changes since, typed) -> (seen, theirs, mine, proposed); None where nothing differs."""
        for name, missed, typed, expected in (
            ("only they", [change(2, a=(1, 2))], {"a": "1"}, ("1", "2", "1", "theirs")),
            ("both, not alike", [change(2, a=(1, 2))], {"a": "3"}, ("1", "2", "3", "mine")),
            ("both, alike", [change(2, a=(1, 2))], {"a": "2"}, ("1", "2", "2", "mine")),
            ("they twice", [change(2, a=(1, 2)), change(3, a=(2, 5))], {"a": "1"}, ("1", "5", "1", "theirs")),
            ("they there and back", [change(2, a=(1, 2)), change(3, a=(2, 1))], {"a": "3"}, None),
            ("not on the form", [change(2, a=(1, 2))], {}, ("1", "2", None, "theirs")),
            ("blanks are no touch", [change(2, a=(1, 2))], {"a": " 1 "}, ("1", "2", " 1 ", "theirs")),
        ):
            with self.subTest(name):
                found = merged(missed, typed, lambda _name, value: str(value))
                told = [(line.seen, line.theirs, line.mine, line.proposed) for line in found]
                self.assertEqual(told, [] if expected is None else [expected])

    def test_both_is_said_only_where_they_differ(self):
        text = lambda _name, value: str(value)  # noqa: E731
        alike, other = (merged([change(2, a=(1, 2))], {"a": typed}, text)[0] for typed in ("2", "3"))
        self.assertEqual((alike.both, other.both), (False, True))

    def test_fields_that_come_and_go(self):
        found = differences({"a": 1, "b": 2, "c": 3}, {"a": 1, "b": 5, "d": 4})
        self.assertEqual(found, {"b": (2, 5), "c": (3, None), "d": (None, 4)})
