"""What the drills of Practice say: logs without tools, and sums of a school's values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from volnik.core.practice.faults import faults
from volnik.core.practice.log import DAYS, Log
from volnik.core.practice.log_drill import SHOWN, STRIPS, Mark
from volnik.core.practice.numbers_drill import ANSWERS, Sum
from volnik.web.page import number
from volnik.web.plural import count_of

SLOW_MIN = 10
LOG_ASKED = "What is wrong here, and since when?"
SUM_ASKED = "What comes of these values?"


@dataclass(frozen=True, slots=True)
class MarkRow:
    """A log answered: its number, what it was and since when, what was said, whether each is right."""

    at: int
    true: str
    told: str
    is_cause: bool
    is_day: bool
    page: str


@dataclass(frozen=True, slots=True)
class SumWords:
    """A rig and a school's values: what stands there, how it charges and is used, what is set."""

    rig: str
    charging: str
    season: str
    values: str
    school: str


def choices() -> list[tuple[str, str]]:
    """What can be wrong in a log of the twenty: key and title."""
    return [(key, faults()[key].title) for key in SHOWN]


def days_of(log: Log) -> list[tuple[int, str]]:
    """The days of a log, as number and date; a monitor that went dark still has the days before.

    Args:
        log: of a strip.
    """
    first = datetime.fromtimestamp(float(log.readings.time_s[0]), UTC)
    return [(at + 1, _date(first + timedelta(days=at))) for at in range(DAYS)]


def _date(day: datetime) -> str:
    return f"{day.day} {day:%b}"


def answers_in(text: str) -> list[tuple[str, int]]:
    """Answers as they stand in an address: cause and day each.

    Args:
        text: of the address.
    """
    found = []
    for part in text.split(",")[:STRIPS]:
        cause, _, day = part.partition(".")
        if cause in SHOWN:
            found.append((cause, int(day) if day.isascii() and day.isdigit() else 0))
    return found


def mark_rows(some: Sequence[Mark]) -> list[MarkRow]:
    """What came of each.

    Args:
        some: marks, in their order.
    """
    return [
        MarkRow(
            at,
            _words(mark.true_cause, mark.true_day),
            _words(mark.cause, mark.day),
            mark.is_cause,
            mark.is_day,
            mark.true_cause,
        )
        for at, mark in enumerate(some, start=1)
    ]


def _words(cause: str, day: int) -> str:
    title = faults()[cause].title
    return title if cause == "sound" or not day else f"{title}, since day {day}"


def summed(some: Sequence[Mark], began: int, now_s: float) -> str:
    """What came of all of them, in a sentence.

    Args:
        some: marks.
        began: when they were begun [s]; 0 is not known.
        now_s: the moment [s].
    """
    causes, days = sum(mark.is_cause for mark in some), sum(mark.is_day for mark in some)
    minutes = (now_s - began) / 60.0
    took = f" It took {count_of(round(minutes), 'minute')}." if 0.0 < minutes < 24.0 * 60.0 and began else ""
    slow = f" Aim at {SLOW_MIN}." if took and minutes > SLOW_MIN else ""
    return f"{causes} of {len(some)} causes, {days} with their day.{took}{slow}"


def sum_heading(answer: str, right: str) -> str:
    """What stands over a sum: the question, or whether it was answered rightly and what is right.

    Args:
        answer: as chosen.
        right: answer, "" before one was chosen.
    """
    if not right:
        return SUM_ASKED
    return f"{'Right.' if answer == right else 'Not that.'} {ANSWERS[right]}."


def sum_words(drawn: Sum) -> SumWords:
    """The rig and the values of a sum.

    Args:
        drawn: by its number.
    """
    vehicle, point = drawn.vehicle, drawn.point
    ends = "; ".join(
        f"{source.name} up to {number(source.most_a, 0)} A ends at {number(source.absorption_v, 1)} V, "
        f"floats at {number(source.float_v, 1)} V"
        for source in vehicle.sources
    )
    hold = f"{number(point.hold_s / 60.0, 0)} min"
    return SumWords(
        drawn.plan.bank.in_short(vehicle.chemistry),
        f"{ends}. Loads take {number(vehicle.loads_a_day, 0)} Ah a day.",
        f"{drawn.days.season}, {drawn.days.sky}",
        f"{number(point.charged_voltage_v, 2)} V, {number(point.tail_current_pct, 1)} % of "
        f"{number(vehicle.capacity_ah, 0)} Ah, {hold}",
        point.school.name,
    )
