"""Mends: what can be done about what is wrong, what each cures and takes, and what must go before it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.simulation.wired import Plan


@dataclass(frozen=True, slots=True)
class Mend:
    """A mend.

    Attributes:
        words: what is done; where it is done at a part, that is told after it.
        minutes: it takes; source: estimate of the bay.
        cures: causes it puts right, at its own place.
        part: that is bought for it, "" for none.
        cold: whether everything must be powered down first.
        airs: whether the room must be aired first where the battery is of lead.
        everywhere: whether it is done to the whole rig, whatever its place.
    """

    words: str
    minutes: float
    cures: tuple[str, ...]
    part: str = ""
    cold: bool = False
    airs: bool = False
    everywhere: bool = False

    def places(self, plan: Plan) -> tuple[str, ...]:
        """Parts of a rig it may be done at.

        Args:
            plan: of the rig.
        """
        if self.everywhere or not self.cures:
            return ("",)
        places = [place for cause in self.cures for place in CAUSES[cause].places(plan)]
        return tuple(dict.fromkeys(places))

    def leaves(self, wrongs: frozenset[Wrong], where: str) -> frozenset[Wrong]:
        """What is still wrong after it.

        Args:
            wrongs: before it.
            where: it is done at.
        """
        return frozenset(
            wrong
            for wrong in wrongs
            if wrong.cause not in self.cures or (not self.everywhere and wrong.where != where)
        )


MENDS: dict[str, Mend] = {
    "none": Mend("Change nothing, and explain it", 5, ()),
    "move": Mend("Move its minus to the rig side", 15, ("load_bypass", "charger_bypass"), cold=True),
    "bond": Mend("Move the bond to the rig side", 15, ("bond",), cold=True),
    "second_bond": Mend("Take the second bond to the battery off", 15, ("partial_return",), cold=True),
    "link": Mend("Bring the strings' minus together before the shunt", 20, ("second_negative",), cold=True),
    "turn": Mend("Turn the shunt round", 20, ("reversed",), cold=True),
    "lug": Mend("Clean and torque both lugs", 15, ("loose_lug",), cold=True),
    "takeoff": Mend("Take plus from the first string and minus from the last", 25, ("imbalance",), cold=True),
    "isolator": Mend("Put the isolator on the rig side of the shunt", 40, ("isolator_first",), cold=True),
    "lead": Mend("Lay the supply lead anew, to the battery's plus", 30, ("restarts",), cold=True),
    "later": Mend("Put the later device on the rig side and on the drawing", 20, ("added_later",), cold=True),
    "zero": Mend("Set the zero", 5, ("zero_offset",), cold=True),
    "rating": Mend("Tell the monitor which shunt is fitted", 3, ("scale",)),
    "band": Mend("Set the dead band below the idle draw", 3, ("dead_band",)),
    "full": Mend("Set charged voltage, tail and hold anew", 5, ("early_resets", "never_resets")),
    "capacity": Mend("Set the capacity of the labels", 3, ("capacity_wrong",)),
    "efficiency": Mend("Set the efficiency anew", 3, ("efficiency",)),
    "describe": Mend("Describe the batteries anew, chargers too", 15, ("swapped",)),
    "fill": Mend("Charge until full once and see 100 % come", 240, ("opened_full",)),
    "warm": Mend("Warm the bay and wait", 60, ("cold_refusal",)),
    "switch": Mend("Find its drain and switch it off", 5, ("idle_drain",)),
    "supply": Mend("Replace the supply fuse, the lead in its socket", 5, ("sense_fuse",), part="a fuse"),
    "charger": Mend("Set this charger anew, or replace it", 20, ("short_charger",)),
    "bank": Mend(
        "Replace the whole bank",
        90,
        ("capacity_low", "weak_block"),
        part="a bank of batteries",
        cold=True,
        airs=True,
        everywhere=True,
    ),
    "monitor": Mend("Replace the monitor", 30, (), part="a monitor", cold=True),
}
"""Every mend by its key; each cause but "sound" has one."""


def every_mend(plan: Plan) -> Iterator[tuple[str, str]]:
    """Key and place of each mend of a rig.

    Args:
        plan: of the rig.
    """
    for key, mend in MENDS.items():
        yield from ((key, place) for place in mend.places(plan))


def mend_of(wrong: Wrong) -> str:
    """Key of the mend that puts a thing right; "none" where nothing is wrong.

    Args:
        wrong: that is.
    """
    return next((key for key, mend in MENDS.items() if wrong.cause in mend.cures), "none")
