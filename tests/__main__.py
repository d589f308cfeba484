"""Runs every test below this folder, or those whose name holds a word given.

Classes of tests are shared out among two processes more than there are cores, those with a browser first,
since they take longest. Tells the ten slowest, fails when none ran, and ends with `N passed, N failed`.
"""

import os
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed, wait
from multiprocessing import get_context
from pathlib import Path
from unittest.mock import patch

from tests.running import Outcome, run
from tests.warming import counting, demo_yard, simulating
from tests.web.shops import DEMO

TOP = Path(__file__).parent.parent
SLOWEST = 10
FEW = 12  # classes, up to which the demo yard is made only where it is asked for
PROCESSES = (os.cpu_count() or 1) + 2  # who waits for a browser or a bench rig leaves its core to another


def every_test(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """The single tests of a suite, in their order."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from every_test(test)
        else:
            yield test


def chosen(words: list[str]) -> dict[str, list[str]]:
    """Names of the tests that hold one of the words, or of all, by class; what cannot be loaded stays in."""
    found = unittest.defaultTestLoader.discover(str(TOP / "tests"), top_level_dir=str(TOP))
    classes: dict[str, list[str]] = {}
    for test in every_test(found):
        name, _, module = test.id().partition("_FailedTest.")
        if module:
            classes[module] = [module]
        elif not words or any(word in name for word in words):
            classes.setdefault(name.rpartition(".")[0], []).append(name)
    return classes


def run_all(classes: dict[str, list[str]]) -> Iterator[Outcome]:
    """Run every class, each as soon as a process is free."""
    if len(classes) == 1:  # here, where a debugger can follow
        yield from (run(name, tests) for name, tests in classes.items())
        return
    order = sorted(classes, key=lambda name: not name.startswith("tests.browser"))
    with (
        tempfile.TemporaryDirectory() as folder,
        patch.dict(os.environ, {DEMO: folder} if len(order) > FEW else {}),
        ProcessPoolExecutor(PROCESSES, mp_context=get_context("spawn")) as pool,
    ):
        wait([pool.submit(make) for make in (counting, simulating)])
        if len(order) > FEW:
            pool.submit(demo_yard, folder).result()
        yield from (
            done.result() for done in as_completed(pool.submit(run, name, classes[name]) for name in order)
        )


def main() -> int:
    """Exit code 0 when at least one test ran and none failed."""
    began_s = time.monotonic()
    outcomes: list[Outcome] = []
    for outcome in run_all(chosen(sys.argv[1:])):
        outcomes.append(outcome)
        print("F" if outcome.failed else "." * outcome.ran, end="", flush=True)
        if outcome.report:
            print(f"\n{outcome.name}\n{outcome.report}", flush=True)
    print()
    for took_s, name in sorted((each for outcome in outcomes for each in outcome.took_s), reverse=True)[
        :SLOWEST
    ]:
        print(f"{took_s:6.1f} s  {name}")
    failed = sum(outcome.failed for outcome in outcomes)
    skipped = sum(outcome.skipped for outcome in outcomes)
    passed = sum(outcome.passed for outcome in outcomes)
    print(f"{time.monotonic() - began_s:.0f} s in all")
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 0 if not failed and passed else 1


sys.exit(main())
