"""Runs every test below this folder, or those named; fails when none ran; ends with `N passed, N failed`."""

import sys
import unittest
from pathlib import Path


def main() -> int:
    """Exit code 0 when at least one test ran and none failed."""
    loader = unittest.TestLoader()
    top = Path(__file__).parent.parent
    names = sys.argv[1:]
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(top / "tests"), top_level_dir=str(top))
    )
    result = unittest.TextTestRunner(verbosity=1, warnings="error").run(suite)
    failed = len({str(test) for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    print(f"{max(passed, 0)} passed, {failed}  failed{skipped}".replace("  ", " "))
    return 0 if result.wasSuccessful() and passed > 0 else 1


sys.exit(main())
