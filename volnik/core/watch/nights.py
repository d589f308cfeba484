"""What is used from evening to morning, when next to nothing comes in."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from volnik.core.watch.half_hours import HalfHours

EVENING, MORNING = 20, 8  # o'clock
LEAST_H = 11.0  # of the twelve that must have been read


@dataclass(frozen=True, slots=True)
class Night:
    """A night: when it began [s], Ah out of the battery from evening to morning."""

    start_s: float
    out_ah: float


def nights_of(some: HalfHours, zone: str) -> list[Night]:
    """The nights of a log that were read whole, in order.

    Args:
        some: half hours of the log.
        zone: of the rig's own clock.
    """
    if not len(some):
        return []
    tz = ZoneInfo(zone)
    evening = datetime.fromtimestamp(float(some.start_s[0]), tz).replace(
        hour=EVENING, minute=0, second=0, microsecond=0
    )
    found = []
    while evening.timestamp() <= float(some.start_s[-1]):
        morning = (evening + timedelta(days=1)).replace(hour=MORNING)
        first, last = np.searchsorted(some.start_s, (evening.timestamp(), morning.timestamp()))
        if float(some.hours[first:last].sum()) >= LEAST_H:
            found.append(Night(evening.timestamp(), float(some.out_ah[first:last].sum())))
        evening += timedelta(days=1)
    return found
