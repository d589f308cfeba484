"""What is due, by need: a full charge, an equalising charge, joints, winter, firmware, what was left for now.

Docs: docs/domain/visits.md.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

from volnik.core.numbers.alarms import Alarms
from volnik.core.shelf.chemistries import CHEMISTRIES

NEXT_FILE_DAYS = 30.0  # source: estimate
LEAD_FULL_DAYS = 14.0  # lead that is not filled hardens; twice a month; source: trade practice
LITHIUM_FULL_DAYS = 30.0  # what balances its cells; source: trade practice
DOUBT_WANTED = 0.10  # half width of the band at which a full charge is due for the count; source: estimate
LEAST_FULL_DAYS = 3.0  # a count that is worse than this is not put right by full charges
FIRST_TORQUE_DAYS, TORQUE_DAYS = 30.0, 365.0  # joints settle in the first month; source: trade practice
EQUALISE_DAYS = 30.0
FIRMWARE_DAYS = 365.0
FROST_LATITUDE = 35.0  # beyond which winters freeze a parked bank; source: climate tables
LAY_UP_MONTH = {"north": 10, "south": 4}
LEFT_FOR_NOW = "Put right what was left for now"
TRIAL = "Does it do what was wanted? Then make it permanent: torque, cover, strain relief."
DAY_S = 86_400.0


@dataclass(frozen=True, slots=True)
class Due:
    """One thing due: key, what to do, when [s], why."""

    key: str
    what: str
    at_s: float
    why: str


@dataclass(frozen=True, slots=True)
class LeftForNow:
    """Work that was left as it is until a day: its number, what, when [s]."""

    id: int
    what: str
    due_s: float


@dataclass(frozen=True, slots=True)
class Milestones:
    """What a rig's record dates; what is not known is NaN [s].

    Attributes:
        last_full_s: the last full reset.
        log_begin_s, log_end_s: of the log.
        built_s: when the wiring that stands was closed.
        torqued_s, equalised_s: when that was done last.
        firmware_s: when the monitor's firmware was last looked at.
        laid_up_s: when it was last laid up.
        half: half the width of the count's band at the log's end [0..1].
        latitude: where it mostly is [degrees north].
        left: what was left for now.
        pressed: what a monitor that finds no full by itself must be told then, "" for nothing.
        review_s: when a trial is to be looked at again [s].
    """

    last_full_s: float
    log_begin_s: float
    log_end_s: float
    built_s: float
    torqued_s: float
    equalised_s: float
    firmware_s: float = math.nan
    laid_up_s: float = math.nan
    half: float = math.nan
    latitude: float = math.nan
    left: tuple[LeftForNow, ...] = ()
    pressed: str = ""
    review_s: float = math.nan


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
        _full(alarms, known, chemistry),
        _torque(alarms, known),
        *_season(known, chemistry),
        *(Due(f"left-{left.id}", LEFT_FOR_NOW, left.due_s, left.what) for left in known.left),
    ]
    if not math.isnan(known.review_s):
        found.append(Due("review", "Look at the trial again", known.review_s, TRIAL))
    if not math.isnan(known.built_s):
        found.append(
            _due(
                "firmware",
                "Look at the monitor's firmware",
                _latest(known.firmware_s, known.built_s),
                FIRMWARE_DAYS,
                "A new one can change what is set; note which runs, and read back.",
            )
        )
    if chemistry == "flooded":
        found.append(
            _due(
                "equalise",
                "Equalise",
                _latest(known.equalised_s, known.built_s, known.log_begin_s),
                _days(alarms, "equalise_due", EQUALISE_DAYS),
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


def never_equalised(chemistry: str) -> str:
    """Why a bank is never equalised, "" where it may be.

    Args:
        chemistry: its key.
    """
    return {
        "agm": "Never equalise it: sealed lead loses water it cannot get back.",
        "gel": "Never equalise it: gel is spoilt by it for good.",
        "nmc": "Never equalise it: more than its full volts can set it alight.",
        "lfp": "Never equalise it: its own electronics balance it while it is held full.",
    }.get(chemistry, "")


def _full(alarms: Alarms, known: Milestones, chemistry: str) -> Due | None:
    """A full charge: for the battery's sake, or sooner for the count's."""
    lead = CHEMISTRIES[chemistry].is_lead
    usual = LEAD_FULL_DAYS if lead else LITHIUM_FULL_DAYS
    days = _days(alarms, "days_since_full", usual)
    beside = " and keeps lead from hardening" if lead else ""
    why = f"A full charge resets the count{beside}; wanted every {{days:.0f}} days."
    drift = _days_of_doubt(known)
    if days is not None and drift < days:
        days = drift
        why = "By then its percentage is known to ± 10 % only: every {days:.0f} days by its own drift."
    if known.pressed:
        why = f"{why} {known.pressed}"
    since_s = known.log_begin_s if math.isnan(known.last_full_s) else known.last_full_s
    return _due("full", "Charge until full", since_s, days, why)


def _days_of_doubt(known: Milestones) -> float:
    """Days after a full charge at which the count's band is too wide, by how it grew this time."""
    days = (known.log_end_s - known.last_full_s) / DAY_S
    if math.isnan(days) or math.isnan(known.half) or days < 1.0 or known.half <= 0.0:
        return math.inf
    return max(LEAST_FULL_DAYS, math.floor(days * DOUBT_WANTED / known.half))


def _torque(alarms: Alarms, known: Milestones) -> Due | None:
    """Joints: once after the first month, then yearly or as the rig's list says."""
    first = math.isnan(known.torqued_s) or known.torqued_s < known.built_s
    days = _days(alarms, "retorque_due", TORQUE_DAYS)
    if days is not None and first:
        days = min(days, FIRST_TORQUE_DAYS)
    why = "Joints settle in their first month. " if first else "A loose stud is the commonest later fault. "
    return _due(
        "torque",
        "Torque the joints again",
        known.built_s if first else known.torqued_s,
        days,
        f"{why}Power down first, as at Wire-up.",
    )


def _season(known: Milestones, chemistry: str) -> Iterator[Due]:
    """Before the frost of the next winter, where there is any."""
    seen_s = _latest(known.laid_up_s, known.log_end_s, known.built_s)
    if math.isnan(known.latitude) or abs(known.latitude) < FROST_LATITUDE or math.isnan(seen_s):
        return
    month = LAY_UP_MONTH["north" if known.latitude > 0.0 else "south"]
    seen = datetime.fromtimestamp(seen_s, UTC)
    winter = datetime(seen.year + (seen.month >= month), month, 1, tzinfo=UTC)
    lead = CHEMISTRIES[chemistry].is_lead
    cold = "A flat lead battery freezes: fill it. " if lead else "No charge below 0 °C. "
    why = f"{cold}Laid up: say what stays on and what fills it."
    yield Due("season", "Before the frost", winter.timestamp(), why)


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
