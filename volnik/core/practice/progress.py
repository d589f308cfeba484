"""Progress by person: what was missed comes again, sooner; and what a shop's owner sees of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

Kind = Literal["case", "log", "numbers"]
AGAIN_S = (600.0, 86_400.0, 3 * 86_400.0, 7 * 86_400.0, 21 * 86_400.0)
"""After how long a cause comes again: missed last, then right once, twice and so on; source: estimate."""


@dataclass(frozen=True, slots=True)
class Result:
    """What somebody came to.

    Attributes:
        who, at_s: by whom, and when [s].
        kind, level, seed: of what.
        causes: that were true.
        right: whether it was concluded rightly.
        minutes, soonest: of looking, and on the soonest way [min]; 0 where none count.
        stopped: whether a danger ended it.
        proven: whether it was mended and seen to be.
    """

    who: str
    at_s: float
    kind: Kind
    level: int
    seed: int
    causes: tuple[str, ...]
    right: bool
    minutes: float = 0.0
    soonest: float = 0.0
    stopped: bool = False
    proven: bool = False


@dataclass(frozen=True, slots=True)
class Standing:
    """Where somebody stands with one cause.

    Attributes:
        cause: its key.
        tried, missed: how often.
        in_a_row: right since it was last missed.
        due_s: when it comes again [s].
    """

    cause: str
    tried: int
    missed: int
    in_a_row: int
    due_s: float

    @property
    def is_missed(self) -> bool:
        """Whether it was missed the last time."""
        return self.in_a_row == 0


def standings(results: Iterable[Result]) -> dict[str, Standing]:
    """Where somebody stands with each cause they have met.

    Args:
        results: of one person, the oldest first.
    """
    found: dict[str, Standing] = {}
    for result in results:
        for cause in result.causes:
            before = found.get(cause, Standing(cause, 0, 0, 0, 0.0))
            row = before.in_a_row + 1 if result.right and not result.stopped else 0
            due_s = result.at_s + AGAIN_S[min(row, len(AGAIN_S) - 1)]
            missed = before.missed + (row == 0)
            found[cause] = Standing(cause, before.tried + 1, missed, row, due_s)
    return found


def next_cause(results: Iterable[Result], causes: Sequence[str], now_s: float) -> str:
    """Which cause comes next: one that was missed and is due, else a new one, else the one due longest.

    Args:
        results: of one person, the oldest first.
        causes: that there are, in the order they are taught.
        now_s: the moment [s].
    """
    known = standings(results)
    missed = [known[cause] for cause in causes if cause in known and known[cause].is_missed]
    due = [each for each in missed if each.due_s <= now_s]
    if due:
        return min(due, key=lambda each: each.due_s).cause
    new = [cause for cause in causes if cause not in known]
    if new:
        return new[0]
    return min((known[cause] for cause in causes), key=lambda each: each.due_s).cause


@dataclass(frozen=True, slots=True)
class Person:
    """What a shop's owner sees of somebody.

    Attributes:
        who, last_s: whose, and when last [s].
        cases, right: how many cases, and how many of them rightly concluded.
        proven, stopped: mended and seen to be; ended by a danger.
        minutes, soonest: of looking in the cases rightly concluded, and on the soonest way, in the mean.
        logs: logs judged and of them rightly; sums likewise.
        missed: causes missed the last time they came.
    """

    who: str
    last_s: float
    cases: int
    right: int
    proven: int
    stopped: int
    minutes: float
    soonest: float
    logs: tuple[int, int]
    sums: tuple[int, int]
    missed: tuple[str, ...]


def people(results: Iterable[Result]) -> list[Person]:
    """Everybody who practised, the last one first.

    Args:
        results: of all, the oldest first.
    """
    by_who: dict[str, list[Result]] = {}
    for result in results:
        by_who.setdefault(result.who, []).append(result)
    return sorted((_person(who, own) for who, own in by_who.items()), key=lambda one: -one.last_s)


def _person(who: str, own: list[Result]) -> Person:
    cases = [result for result in own if result.kind == "case"]
    right = [result for result in cases if result.right]
    count = max(1, len(right))
    return Person(
        who,
        own[-1].at_s,
        len(cases),
        len(right),
        sum(result.proven for result in cases),
        sum(result.stopped for result in cases),
        sum(result.minutes for result in right) / count,
        sum(result.soonest for result in right) / count,
        _right_of(own, "log"),
        _right_of(own, "numbers"),
        tuple(each.cause for each in standings(own).values() if each.is_missed),
    )


def _right_of(own: Iterable[Result], kind: Kind) -> tuple[int, int]:
    """How many of a kind, and how many of them rightly."""
    some = [result for result in own if result.kind == kind]
    return len(some), sum(result.right for result in some)
