"""What is due by the calendar: a full charge, an equalising charge, joints, the next file of a rig known by
files.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.numbers.alarms import Alarms

FULL_DAYS, NEXT_FILE_DAYS = 14.0, 30.0  # twice a month; source: trade practice, and estimate
DAY_S = 86_400.0


@dataclass(frozen=True, slots=True)
class Due:
    """One thing due: key, what to do, when [s], why."""

    key: str
    what: str
    at_s: float
    why: str


def due_dates(
    alarms: Alarms,
    *,
    chemistry: str,
    last_full_s: float,
    log_begin_s: float,
    log_end_s: float,
    stood_s: float,
    torqued_s: float,
    equalised_s: float,
    bridged: bool,
) -> list[Due]:
    """What is due, soonest first; instants that are not known are NaN [s].

    Args:
        stood_s: when the wiring that stands was closed.
        bridged: whether a bridge reports, so that no file is waited for.
    """
    found = []
    days = _days(alarms, "days_since_full", FULL_DAYS)
    since = last_full_s if not math.isnan(last_full_s) else log_begin_s
    if days is not None and not math.isnan(since):
        found.append(
            Due(
                "full",
                "Charge until full",
                since + days * DAY_S,
                f"A full charge resets the count; wanted every {days:.0f} days.",
            )
        )
    days = _days(alarms, "equalise_due", 30.0)
    since = max(
        (value for value in (equalised_s, stood_s, log_begin_s) if not math.isnan(value)), default=math.nan
    )
    if chemistry == "flooded" and days is not None and not math.isnan(since):
        found.append(
            Due(
                "equalise",
                "Equalise",
                since + days * DAY_S,
                "Flooded only, the maker permitting: sensitive loads off, ventilated, no flame.",
            )
        )
    days = _days(alarms, "retorque_due", 180.0)
    since = max((value for value in (torqued_s, stood_s) if not math.isnan(value)), default=math.nan)
    if days is not None and not math.isnan(since):
        found.append(
            Due(
                "torque",
                "Torque the joints again",
                since + days * DAY_S,
                "A loose stud is the commonest later fault. Power down first, as at Wire-up.",
            )
        )
    if not bridged and not math.isnan(log_end_s):
        found.append(
            Due(
                "file",
                "Bring the next log",
                log_end_s + NEXT_FILE_DAYS * DAY_S,
                "No bridge reports: the count is only as fresh as its last file.",
            )
        )
    return sorted(found, key=lambda due: due.at_s)


def _days(alarms: Alarms, key: str, usual: float) -> float | None:
    """The days of a list's alarm; the usual ones where it has none; None where it is switched off."""
    alarm = alarms.one(key)
    return usual if alarm is None else alarm.level if alarm.on else None
