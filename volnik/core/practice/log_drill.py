"""Judging logs without tools: twenty strips, what is wrong in each, and since when."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from volnik.core.practice.cases import EDITION, Case
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.log import DAYS, Log, log_of, signs_of
from volnik.core.practice.vans import drawn_order, plan_by

STRIPS = 20
LEVEL = 9  # of their draws: none of the levels of cases
SHOWN = (
    "sound",
    "reversed",
    "charger_bypass",
    "zero_offset",
    "idle_drain",
    "restarts",
    "isolator_first",
    "early_resets",
    "never_resets",
    "sense_fuse",
    "cold_refusal",
)
"""Causes that a strip shows to who knows where to look."""
LEAST_FULLS = 4  # resets of a sound van in two weeks, without which nobody can call it sound
NEAR_DAYS = 2  # how far off the day may be


@lru_cache(maxsize=256)
def strip_case(seed: int, at: int) -> Case:
    """One of the strips.

    Args:
        seed: of the twenty.
        at: which, from 0.
    """
    rng = np.random.default_rng([EDITION, LEVEL, seed, at])
    key = str(rng.choice(SHOWN))
    case = _with(rng, key)
    while not _shows(case):
        case = _with(rng, key)
    return case


def _shows(case: Case) -> bool:
    """Whether what is wrong shows in the log at all: a van that is never filled never resets too soon."""
    sound, log = case.bay.sound, strip_log(case)
    if case.wrongs[0].cause == "sound":
        return len(log.resets_s) >= LEAST_FULLS
    as_usual = replace(log_of(sound, seed=case.seed), begun_s=log.begun_s)
    return signs_of(case.bay, log) != signs_of(sound, as_usual)


def _with(rng: np.random.Generator, key: str) -> Case:
    """A van with a cause, by chance."""
    cause = CAUSES[key]
    order = drawn_order(rng)
    while not cause.wants(order):
        order = drawn_order(rng)
    plan = plan_by(order)
    wrong = Wrong(key, str(rng.choice(cause.places(plan))), float(rng.choice(cause.drawn)))
    since = 2 if key == "cold_refusal" else int(rng.integers(5, DAYS - 2))
    return Case(int(rng.integers(0, 100_000)), LEVEL, plan, (wrong,), since)


def strip_log(case: Case) -> Log:
    """The log of a strip; one whose monitor went dark ends there.

    Args:
        case: of the strip.
    """
    return log_of(case.bay, since_days=case.since_days, seed=case.seed)


@dataclass(frozen=True, slots=True)
class Mark:
    """A strip answered.

    Attributes:
        case: of the strip.
        cause, day: as answered, the day from 1; 0 where none was.
    """

    case: Case
    cause: str
    day: int

    @property
    def true_cause(self) -> str:
        """What is wrong."""
        return self.case.wrongs[0].cause

    @property
    def true_day(self) -> int:
        """The day it began, from 1; 0 for a sound van."""
        return 0 if self.true_cause == "sound" else DAYS - self.case.since_days + 1

    @property
    def is_cause(self) -> bool:
        """Whether what is wrong was told."""
        return self.cause == self.true_cause

    @property
    def is_day(self) -> bool:
        """Whether since when was told, to two days."""
        if self.true_cause == "sound":
            return self.is_cause
        return self.is_cause and abs(self.day - self.true_day) <= NEAR_DAYS


def marks(seed: int, answers: list[tuple[str, int]]) -> list[Mark]:
    """What came of the answers.

    Args:
        seed: of the twenty.
        answers: cause and day of each, in their order.
    """
    return [Mark(strip_case(seed, at), cause, day) for at, (cause, day) in enumerate(answers[:STRIPS])]
