"""The commonest written time, read straight from a file's bytes.

2026-12-31T23:59:59Z, with or without decimals.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.compiled import compiled


@compiled(error_model="numpy")
def _number(data: NDArray[np.uint8], start: int, digits: int) -> int:
    value = 0
    for at in range(start, start + digits):
        digit = data[at] - 48
        if digit < 0 or digit > 9:
            return -1
        value = value * 10 + digit
    return value


@compiled(error_model="numpy")
def utc_column(  # noqa: C901 -- one pass over the bytes of a file, compiled
    data: NDArray[np.uint8], starts: NDArray[np.int64], separator: int, column: int
) -> Floats:
    """Read one column of UTC times.

    Args:
        data: the bytes of whole lines, shape (b,).
        starts: where each line begins, shape (n,).
        separator: the byte between fields.
        column: which field, from 0.

    Returns:
        Seconds since 1970, shape (n,); NaN wherever the field is anything else, for a slower reader to judge.
    """
    size = len(data)
    seconds = np.full(len(starts), np.nan)
    for row in range(len(starts)):
        at = starts[row]
        skipped = 0
        while skipped < column and at < size and data[at] != 10:
            if data[at] == separator:
                skipped += 1
            at += 1
        if skipped < column or at + 20 > size:
            continue
        if (
            data[at + 4] != 45
            or data[at + 7] != 45
            or data[at + 10] != 84
            or data[at + 13] != 58
            or data[at + 16] != 58
        ):
            continue
        year, month, day = _number(data, at, 4), _number(data, at + 5, 2), _number(data, at + 8, 2)
        hour, minute, second = _number(data, at + 11, 2), _number(data, at + 14, 2), _number(data, at + 17, 2)
        at += 19
        part, weight = 0.0, 0.1
        decimals = data[at] == 46
        if decimals:
            at += 1
            while at < size and 48 <= data[at] <= 57:
                part += (data[at] - 48) * weight
                weight *= 0.1
                at += 1
        if at >= size or data[at] != 90:
            continue
        if at + 1 < size and data[at + 1] != separator and data[at + 1] != 10 and data[at + 1] != 13:
            continue
        if (
            year < 1
            or month < 1
            or month > 12
            or hour < 0
            or hour > 23
            or minute < 0
            or minute > 59
            or second < 0
            or second > 59
        ):
            continue
        leap = (year % 4 == 0 and year % 100 != 0) or year % 400 == 0
        longest = 31
        if month == 2:
            longest = 29 if leap else 28
        elif month == 4 or month == 6 or month == 9 or month == 11:
            longest = 30
        if day < 1 or day > longest:
            continue
        # Days since 1970 by counting years from March, so that the leap day is a year's last.
        shifted = year - (month <= 2)
        era = shifted // 400
        of_era = shifted - era * 400
        of_year = (153 * (month + (-3 if month > 2 else 9)) + 2) // 5 + day - 1
        days = era * 146097 + of_era * 365 + of_era // 4 - of_era // 100 + of_year - 719468
        seconds[row] = days * 86400.0 + hour * 3600.0 + minute * 60.0 + second
        if decimals:
            seconds[row] += np.round(part * 1e6) / 1e6
    return seconds
