"""What Practice says of lessons and of people."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.practice.faults import faults
from volnik.core.practice.lessons import LESSONS
from volnik.core.practice.progress import Person, Result, Standing, people, standings
from volnik.web.page import number
from volnik.web.plural import count_of

STATES = {"new": "not met yet", "missed": "missed: it comes again", "known": "known", "due": "due again"}


@dataclass(frozen=True, slots=True)
class LessonRow:
    """A lesson: its cause and title, what it teaches, where one stands with it."""

    cause: str
    title: str
    teaches: str
    state: str
    words: str


@dataclass(frozen=True, slots=True)
class PersonRow:
    """What is told of somebody: figures as words."""

    who: str
    last_s: float
    cases: str
    ways: str
    care: str
    logs: str
    sums: str
    missed: list[tuple[str, str]]


def lesson_rows(own: Sequence[Result], now_s: float) -> list[LessonRow]:
    """The lessons in their order.

    Args:
        own: results of whoever holds the browser, the oldest first.
        now_s: the moment [s].
    """
    known = standings(own)
    found = []
    for lesson in LESSONS:
        state = _state(known.get(lesson.cause), now_s)
        title = faults()[lesson.cause].title
        found.append(LessonRow(lesson.cause, title, lesson.teaches, state, STATES[state]))
    return found


def _state(standing: Standing | None, now_s: float) -> str:
    if standing is None:
        return "new"
    if standing.is_missed:
        return "missed"
    return "due" if standing.due_s <= now_s else "known"


def people_heading(rows: Sequence[PersonRow]) -> str:
    """What stands over the people.

    Args:
        rows: of everybody who practised.
    """
    return "Who practised what." if rows else "Nobody has practised yet."


def people_rows(results: Sequence[Result]) -> list[PersonRow]:
    """Everybody who practised.

    Args:
        results: of all, the oldest first.
    """
    return [_person(person) for person in people(results)]


def _person(person: Person) -> PersonRow:
    dangers = count_of(person.stopped, "danger") if person.stopped else "no danger"
    return PersonRow(
        person.who,
        person.last_s,
        f"{person.right} of {person.cases}",
        f"{number(person.minutes, 0)} min, soonest {number(person.soonest, 0)}" if person.right else "",
        f"{person.proven} mended and proven, {dangers}" if person.cases else "",
        _of(person.logs),
        _of(person.sums),
        [(cause, faults()[cause].title) for cause in person.missed if cause in faults()],
    )


def _of(some: tuple[int, int]) -> str:
    return f"{some[1]} of {some[0]}" if some[0] else ""
