"""Cases that teach, in their order: what is fed, what is wired, what is set, what is worn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from volnik.core.practice.cases import MOST_LEVEL, Case, cause_at, drawn

LESSON_LEVEL = 3  # the level they are drawn at: everything can be


@dataclass(frozen=True, slots=True)
class Lesson:
    """A case that teaches: the cause it has, and what it teaches."""

    cause: str
    teaches: str


LESSONS = (
    Lesson("sense_fuse", "Is it fed? A fuse that looks whole may be open."),
    Lesson("reversed", "One load, and the sign of its amps."),
    Lesson("load_bypass", "Each load once: who is not seen goes past the shunt."),
    Lesson("charger_bypass", "Chargers are called too, each alone."),
    Lesson("bond", "What returns through the chassis comes by the bond."),
    Lesson("partial_return", "Two ways home share the amps."),
    Lesson("second_negative", "Half of everything: where do the batteries' minuses meet?"),
    Lesson("scale", "All by one factor: what is stamped on the shunt?"),
    Lesson("zero_offset", "What is left with every fuse out."),
    Lesson("idle_drain", "What is gone with one fuse out."),
    Lesson("dead_band", "Nothing on the screen, and yet something flows."),
    Lesson("sound", "Nothing at all. Change nothing."),
    Lesson("early_resets", "100 % is a rule, and rules are set."),
    Lesson("never_resets", "Volts it never reaches."),
    Lesson("short_charger", "The charger ends before the battery does."),
    Lesson("capacity_wrong", "Ah of the labels, all of them."),
    Lesson("efficiency", "What goes in and never comes out."),
    Lesson("opened_full", "100 % out of the box."),
    Lesson("restarts", "Out of nowhere 100 %."),
    Lesson("isolator_first", "Each morning anew."),
    Lesson("cold_refusal", "Nothing is broken: it is cold."),
    Lesson("loose_lug", "Millivolts along a cable, under load."),
    Lesson("weak_block", "One of them falls under load."),
    Lesson("capacity_low", "Less in it than on the label."),
    Lesson("imbalance", "Side by side, and not alike."),
    Lesson("added_later", "Whatever the papers do not have."),
    Lesson("swapped", "Another battery than on paper."),
)


@lru_cache(maxsize=64)
def lesson_seed(cause: str) -> int:
    """The number of the first case that has a cause, at the level of lessons.

    Args:
        cause: its key.

    Raises:
        KeyError: for a cause there is no lesson of.
    """
    if cause not in {lesson.cause for lesson in LESSONS}:
        raise KeyError(cause)
    seed = 0
    while cause_at(seed, LESSON_LEVEL) != (cause,):
        seed += 1
    return seed


def lesson(cause: str) -> Case:
    """The case of a lesson.

    Args:
        cause: it teaches.

    Raises:
        KeyError: for a cause there is no lesson of.
    """
    return drawn(lesson_seed(cause), LESSON_LEVEL)


def seed_with(cause: str, level: int, begin: int) -> int:
    """The number of the first case of a level, from one on, that has a cause.

    Args:
        cause: its key, one of those drawn at the level.
        level: 1 to the most.
        begin: number looked from.

    Raises:
        ValueError: where the level has no such cause.
    """
    for seed in range(begin, begin + 400 * MOST_LEVEL):
        if cause in cause_at(seed, level):
            return seed
    raise ValueError(f"level {level} draws no {cause}")
