"""Compiled loops: imported without numba, compiled with those they call, each once."""

import subprocess
import sys
import threading
import unittest

import numpy as np

from volnik.core.compiled import Compiled, compiled


@compiled()
def doubled(value: float) -> float:
    return 2.0 * value


@compiled(error_model="numpy")
def sum_doubled(values: np.ndarray) -> float:
    total = 0.0
    for value in values:
        total += doubled(value)
    return total


class Loops(unittest.TestCase):
    def test_a_loop_and_what_it_calls_are_compiled_at_the_first_call(self):
        self.assertEqual(sum_doubled(np.arange(4.0)), 12.0)  # by hand: 2 x (0 + 1 + 2 + 3)
        self.assertNotIsInstance(doubled, Compiled)  # numba's own by now, as compiled code must call it
        self.assertEqual(doubled(1.5), 3.0)
        self.assertEqual(sum_doubled.__name__, "sum_doubled")

    def test_threads_that_call_it_first_at_once_share_one(self):
        @compiled()
        def plus_one(value: float) -> float:
            return value + 1.0

        found = []
        threads = [threading.Thread(target=lambda: found.append(plus_one.loop())) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(set(map(id, found))), 1)

    def test_who_only_looks_at_pages_imports_neither_compiler_nor_readers_of_files(self):
        heavy = ("numba", "polars", "alembic", "icalendar", "PIL")
        asked = f"import sys, volnik.main; print([name for name in {heavy} if name in sys.modules])"
        answer = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
        self.assertEqual(answer.stdout.strip(), "[]")
