"""The tests of one class run, in whichever process is free."""

import io
import time
import unittest
from dataclasses import dataclass


@dataclass(frozen=True)
class Outcome:
    """What came of the tests of one class: `took_s` tells how long each took [s]."""

    name: str
    ran: int
    failed: int
    skipped: int
    took_s: list[tuple[float, str]]
    report: str

    @property
    def passed(self) -> int:
        """How many ran and neither failed nor were skipped."""
        return max(0, self.ran - self.failed - self.skipped)


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


def run(name: str, tests: list[str]) -> Outcome:
    """Run the tests of one class here."""
    written = io.StringIO()
    runner = unittest.TextTestRunner(stream=written, verbosity=0, resultclass=TimedResult)
    result = runner.run(unittest.defaultTestLoader.loadTestsFromNames(tests))
    failed = len({str(test) for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    report = "" if result.wasSuccessful() else written.getvalue()
    return Outcome(name, result.testsRun, failed, len(result.skipped), result.took_s, report)
