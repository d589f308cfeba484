"""A very long span counted in two halves at once.

The later half is counted as if nothing were known before it. Its first full reset makes the count known
again, so everything from there on is right already; what lies before is counted once more from where the
earlier half ended. The join is made at a reading that does not qualify as full, where no run is open.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.count.state import CountState

WORTH_IT = 2_000_000  # readings; below it two threads cost more than they save
SUMS = slice(4, 12)  # the fields of a state that only grow

Kernel = Callable[[slice, Floats], tuple[Floats, Any]]


def count_halves(
    time_s: Floats, qualifies_at: Callable[[int], bool], row: Floats, kernel: Kernel
) -> tuple[Floats, Any]:
    """Count a span in two halves at once; the same results as `kernel` over the whole.

    Args:
        time_s: instants of the span, shape (n,) [s].
        qualifies_at: whether the reading at an index qualifies as full.
        row: state before the span, shape (13,); updated in place to the state after it.
        kernel: counts a slice from a state row, in place, and returns its reset rows and gap indices within
            the slice.
    """
    count = len(time_s)
    middle = count // 2
    while middle < count - 1 and qualifies_at(middle):
        middle += 1
    first, second = slice(0, middle + 1), slice(middle + 1, count)
    if middle >= count - 1:
        return kernel(slice(0, count), row)
    ahead = CountState(last_s=float(time_s[middle])).row()
    with ThreadPoolExecutor(1) as pool:
        later = pool.submit(kernel, second, ahead)
        early_resets, early_gaps = kernel(first, row)
        later_resets, later_gaps = later.result()
    if not len(later_resets):
        resets, gaps = kernel(second, row)
        return np.concatenate((early_resets, resets)), np.concatenate((early_gaps, gaps + second.start))
    known = int(np.searchsorted(time_s, later_resets[0, 1])) + 1
    again = slice(second.start, known)
    again_resets, _ = kernel(again, row)
    offset = row[SUMS] - later_resets[0, SUMS]
    later_resets[1:, SUMS] += offset
    ahead[SUMS] += offset
    row[:] = ahead
    resets = np.concatenate((early_resets, again_resets, later_resets[1:]))
    return resets, np.concatenate((early_gaps, later_gaps + second.start))
