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


@dataclass(frozen=True, slots=True)
class Milestones:
    """What a rig's record dates; what is not known is NaN [s].

    Attributes:
        last_full_s: the last full reset.
        log_begin_s, log_end_s: of the log.
        built_s: when the wiring that stands was closed.
        torqued_s, equalised_s: when that was done last.
    """

    last_full_s: float
    log_begin_s: float
    log_end_s: float
    built_s: float
    torqued_s: float
    equalised_s: float


def due_dates(alarms: Alarms, milestones: Milestones, *, chemistry: str, bridged: bool) -> list[Due]:
    """What is due, soonest first; instants that are not known are NaN [s].

    Args:
        alarms: the rig's list, for how often.
        milestones: what the record dates.
        chemistry: key; only flooded banks are equalised.
        bridged: whether a bridge reports, so that no file is waited for.
    """
    known = milestones
    found = [
        _due(
            "full",
            "Charge until full",
            _latest(known.last_full_s) if not math.isnan(known.last_full_s) else known.log_begin_s,
            _days(alarms, "days_since_full", FULL_DAYS),
            "A full charge resets the count; wanted every {days:.0f} days.",
        ),
        _due(
            "torque",
            "Torque the joints again",
            _latest(known.torqued_s, known.built_s),
            _days(alarms, "retorque_due", 180.0),
            "A loose stud is the commonest later fault. Power down first, as at Wire-up.",
        ),
    ]
    if chemistry == "flooded":
        found.append(
            _due(
                "equalise",
                "Equalise",
                _latest(known.equalised_s, known.built_s, known.log_begin_s),
                _days(alarms, "equalise_due", 30.0),
                "Flooded only, the maker permitting: sensitive loads off, ventilated, no flame.",
            )
        )
    if not bridged:
        found.append(
            _due(
                "file",
                "Bring the next log",
                known.log_end_s,
                NEXT_FILE_DAYS,
                "No bridge reports: the count is only as fresh as its last file.",
            )
        )
    return sorted((due for due in found if due is not None), key=lambda due: due.at_s)


def _due(key: str, what: str, since_s: float, days: float | None, why: str) -> Due | None:
    """Something due so many days after an instant; None where it is switched off or nothing dates it."""
    if days is None or math.isnan(since_s):
        return None
    return Due(key, what, since_s + days * DAY_S, why.format(days=days))


def _latest(*instants_s: float) -> float:
    """The latest of the instants that are known [s], NaN where none is."""
    return max((instant for instant in instants_s if not math.isnan(instant)), default=math.nan)


def _days(alarms: Alarms, key: str, usual: float) -> float | None:
    """The days of a list's alarm; the usual ones where it has none; None where it is switched off."""
    alarm = alarms.one(key)
    return usual if alarm is None else alarm.level if alarm.on else None
