"""Cases: a rig, what is hidden in it or nothing, and what the owner says; drawn by seed and level.

The same seed and level give the same case for ever, as long as EDITION stands.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from volnik.core.practice.bay import Bay
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.vans import drawn_order, plan_by
from volnik.core.simulation.wired import Plan

EDITION = 2  # raised when the same seed would draw another case
MOST_SEED = 999_999
AT_LEVEL: dict[int, tuple[str, ...]] = {
    1: ("load_bypass", "charger_bypass", "reversed", "sense_fuse", "cold_refusal", "isolator_first"),
    2: (
        "load_bypass",
        "charger_bypass",
        "scale",
        "zero_offset",
        "sound",
        "loose_lug",
        "capacity_wrong",
        "early_resets",
        "never_resets",
        "restarts",
        "swapped",
        "opened_full",
        "idle_drain",
        "short_charger",
    ),
    3: tuple(CAUSES),
    4: (),
}
MOST_LEVEL = 4
TWO = (
    ("load_bypass", "charger_bypass", "bond", "loose_lug"),
    ("reversed", "scale", "zero_offset", "early_resets", "capacity_wrong", "dead_band"),
)
"""Of which one each is drawn at the highest level: one that is wired, one that is set or measured."""


@dataclass(frozen=True)
class Case:
    """A case as it is drawn.

    Attributes:
        seed, level: that it was drawn by.
        plan: the rig as its papers tell it.
        wrongs: what is wrong in it, as causes with their places.
        since_days: for how long it has been so [d].
    """

    seed: int
    level: int
    plan: Plan
    wrongs: tuple[Wrong, ...]
    since_days: int

    @property
    def complaint(self) -> str:
        """What the owner says."""
        return " ".join(dict.fromkeys(CAUSES[wrong.cause].complaint for wrong in self.wrongs))

    @property
    def truth(self) -> str:
        """What is wrong and where: "cause:where", several joined by "+"."""
        return "+".join(sorted(wrong.named for wrong in self.wrongs))

    @cached_property
    def bay(self) -> Bay:
        """The van as it really is."""
        return Bay(self.plan, frozenset(self.wrongs))


def drawn(seed: int, level: int) -> Case:
    """Draw a case.

    Args:
        seed: any whole number from 0.
        level: 1 to 4.

    Raises:
        ValueError: for a level there is none of, or a seed below 0.
    """
    if level not in AT_LEVEL or seed < 0:
        raise ValueError(f"cases are drawn by seeds from 0 and levels 1 to {MOST_LEVEL}, got {seed}, {level}")
    rng, keys = _begun(seed, level)
    order = drawn_order(rng)
    while not all(CAUSES[key].wants(order) for key in keys):
        order = drawn_order(rng)
    plan = plan_by(order)
    wrongs = tuple(_at_a_place(rng, plan, key) for key in keys)
    return Case(seed, level, plan, wrongs, _since(rng, wrongs))


def cause_at(seed: int, level: int) -> tuple[str, ...]:
    """What is wrong in a case, without drawing the rest of it.

    Args:
        seed: any whole number from 0.
        level: 1 to 4.
    """
    return _begun(seed, level)[1]


def _begun(seed: int, level: int) -> tuple[np.random.Generator, tuple[str, ...]]:
    """A case's chance, after its causes were drawn."""
    rng = np.random.default_rng([EDITION, level, seed])
    kinds = TWO if level == MOST_LEVEL else (AT_LEVEL[level],)
    return rng, tuple(str(rng.choice(some)) for some in kinds)


def _at_a_place(rng: np.random.Generator, plan: Plan, key: str) -> Wrong:
    """A cause at one of its places in the rig, of some size."""
    cause = CAUSES[key]
    return Wrong(key, str(rng.choice(cause.places(plan))), float(rng.choice(cause.drawn)))


def _since(rng: np.random.Generator, wrongs: tuple[Wrong, ...]) -> int:
    """For how long it has been so; frost lasts for days, not for weeks [d]."""
    days = int(rng.integers(8, 60))
    return 2 if any(wrong.cause == "cold_refusal" for wrong in wrongs) else days
