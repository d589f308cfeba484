"""Runs every test below this folder, or those whose name holds a word given.

Tells the ten slowest, fails when none ran, and ends with `N passed, N failed`.
"""

import sys
import time
import unittest
from collections.abc import Iterator
from pathlib import Path

TOP = Path(__file__).parent.parent
SLOWEST = 10


def every_test(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """The single tests of a suite, in their order."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from every_test(test)
        else:
            yield test


def chosen(words: list[str]) -> unittest.TestSuite:
    """The tests whose full name holds one of the words, or all; what cannot be loaded stays in."""
    found = unittest.defaultTestLoader.discover(str(TOP / "tests"), top_level_dir=str(TOP))
    return unittest.TestSuite(
        test
        for test in every_test(found)
        if not words or "_FailedTest" in test.id() or any(word in test.id() for word in words)
    )


class TimedResult(unittest.TextTestResult):
    """A result that remembers how long each test took [s]."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)
        self.took_s: list[tuple[float, str]] = []
        self._began_s = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - unittest's name
        super().startTest(test)
        self._began_s = time.monotonic()

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - unittest's name
        self.took_s.append((time.monotonic() - self._began_s, test.id()))
        super().stopTest(test)


def main() -> int:
    """Exit code 0 when at least one test ran and none failed."""
    runner = unittest.TextTestRunner(verbosity=1, warnings="error", resultclass=TimedResult)
    result = runner.run(chosen(sys.argv[1:]))
    for took_s, name in sorted(result.took_s, reverse=True)[:SLOWEST]:
        print(f"{took_s:6.1f} s  {name}")
    failed = len({str(test) for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    print(f"{max(passed, 0)} passed, {failed} failed{skipped}")
    return 0 if result.wasSuccessful() and passed > 0 else 1


sys.exit(main())
