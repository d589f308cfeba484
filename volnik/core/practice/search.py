"""The shortest search: at each step the look that parts what is still possible best for its minutes.

Suppositions are all that can be wrong in this rig; each is wired and looked at as the real one is. What a
look tells is the entropy of the groups it parts them into (bits, every supposition as likely as another).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from volnik.core.practice.cases import Case, bank_post, heavy_cables, second_link
from volnik.core.practice.looks import Look, every_look, part, scene_with, seen
from volnik.core.simulation.wired import NO_FAULTS, Faults, Plan, Wired, wire

SCALES = (0.5, 1.5, 2.0)
ZEROS_A = (0.2, 0.3, 0.4, 0.5, 0.6)
LOOSE_OHM = (0.003, 0.005, 0.008)
MOST_LOOKS = 12
LEAST_WORTH = 1e-9


@dataclass(frozen=True, slots=True)
class Step:
    """One look of the search: what it showed in groups, and what was still possible before and after."""

    look: Look
    bits: float
    before: frozenset[str]
    after: frozenset[str]


@dataclass(frozen=True, slots=True)
class Search:
    """A search to its end.

    Attributes:
        steps: the looks.
        minutes: they take.
        left: what nothing parts any more, the truth among them, as of `named`.
    """

    steps: tuple[Step, ...]
    minutes: float
    left: frozenset[str]


def suppositions(plan: Plan) -> dict[str, Faults]:
    """What can be wrong in a rig, faults of unknown size in several: by "key", "key:cable", "key:cable:size".

    Args:
        plan: of the rig.
    """
    return {**dict(_of_the_monitor()), **dict(_past_the_shunt(plan)), **dict(_loose(plan))}


def _of_the_monitor() -> Iterator[tuple[str, Faults]]:
    yield "sound", NO_FAULTS
    yield "reversed", Faults(reversed=True)
    yield "sense_fuse", Faults(dead=True)
    for size in ZEROS_A:
        yield f"zero_offset::{size:g}", Faults(offset_a=size)
        yield f"zero_offset::{-size:g}", Faults(offset_a=-size)
    for scale in SCALES:
        yield f"scale::{scale:g}", Faults(scale=scale)


def _loose(plan: Plan) -> Iterator[tuple[str, Faults]]:
    """A lug in the way of the heaviest current."""
    for cable in heavy_cables(plan):
        for ohm in LOOSE_OHM:
            yield f"loose_lug:{cable}:{ohm:g}", Faults(loose={cable: ohm})


def named(supposition: str) -> str:
    """What a supposition says is wrong, and where, whatever its size: "key:cable", "" for no cable.

    Args:
        supposition: as of `suppositions`.
    """
    key, _, rest = supposition.partition(":")
    return f"{key}:{rest.partition(':')[0]}"


def _past_the_shunt(plan: Plan) -> Iterator[tuple[str, Faults]]:
    """Each device's minus on the battery post, a booster's apart; a second string's minus past the shunt."""
    cables = {cable.id for cable in plan.drawing.cables}
    for device in plan.devices:
        minus = f"{device.id}_minus"
        if minus in cables and device.kind != "dcdc":
            key = "charger_bypass" if device.kind in ("solar", "mains") else "load_bypass"
            yield f"{key}:{minus}", Faults(moved={(minus, "b"): bank_post(plan)})
    second = second_link(plan)
    if second is not None:
        yield f"second_negative:{second[0]}", Faults(moved={second: "shunt.rig"})


class Searcher:
    """All that can be wrong in a rig, wired, and what each look would show of it.

    Attributes:
        real, papers: as really wired, and as its papers tell.
        looks: that there are.
        all: every supposition.
    """

    def __init__(self, case: Case) -> None:
        self.real = wire(case.plan, case.faults)
        wired = {key: wire(case.plan, faults) for key, faults in suppositions(case.plan).items()}
        self.papers = wire(case.plan).analysis
        self.looks = list(every_look(self.papers))
        self.all = frozenset(wired)
        scenes = {
            (key, running): scene_with(each, running)
            for running in {look.running for look in self.looks}
            for key, each in wired.items()
        }
        self._shown = {
            look: {key: seen(each, look, scenes[key, look.running]) for key, each in wired.items()}
            for look in self.looks
        }

    def step(self, look: Look, left: frozenset[str]) -> Step:
        """What a look leaves of what was possible.

        Args:
            look: that is taken, one of the rig's.
            left: suppositions possible before it.
        """
        shown = self._shown[look]
        return Step(look, _bits(look, shown, left), left, _still_possible(look, shown, left, self.real))

    def followed(self, looks: Iterable[Look]) -> tuple[Step, ...]:
        """What each of some looks left, one after the other.

        Args:
            looks: in their order; those of another rig are left out.
        """
        left, steps = self.all, []
        for look in looks:
            if look in self._shown:
                steps.append(self.step(look, left))
                left = steps[-1].after
        return tuple(steps)

    def best(self, left: frozenset[str], taken: Iterable[Look]) -> Look | None:
        """The look that tells most for its minutes; None where none tells anything more.

        Args:
            left: suppositions still possible.
            taken: looks that are not taken again.
        """
        rest = [look for look in self.looks if look not in set(taken)]
        # Rounded, so that which of two equals is taken hangs on their order alone.
        worth = {look: round(_bits(look, self._shown[look], left) / look.minutes, 9) for look in rest}
        best = max(rest, key=lambda look: (worth[look], -look.minutes))
        return best if worth[best] > LEAST_WORTH else None


def shortest(case: Case) -> Search:
    """Search a case as one does who knows all that can be wrong and what each look would show.

    Args:
        case: as drawn.
    """
    searcher = Searcher(case)
    left, steps = searcher.all, list[Step]()
    while len({named(key) for key in left}) > 1 and len(steps) < MOST_LOOKS:
        look = searcher.best(left, [step.look for step in steps])
        if look is None:
            break
        steps.append(searcher.step(look, left))
        left = steps[-1].after
    minutes = sum(step.look.minutes for step in steps)
    return Search(tuple(steps), minutes, frozenset(named(key) for key in left))


def _bits(look: Look, shown: dict[str, float], left: frozenset[str]) -> float:
    """What a look tells on average [bits]: each fault at each place alike, whatever its size."""
    sizes = Counter(named(key) for key in left)
    groups = part(look, {key: shown[key] for key in left})
    told = 0.0
    for group in groups:
        share = sum(1.0 / sizes[named(key)] for key in group) / len(sizes)
        told -= share * math.log2(share)
    return told - _of_sizes(groups, sizes)  # what tells a size alone is of no use


def _of_sizes(groups: list[set[str]], sizes: Counter[str]) -> float:
    """What of it only parts one fault's sizes from each other [bits]."""
    told = 0.0
    for fault, count in sizes.items():
        for group in groups:
            share = sum(named(key) == fault for key in group) / count
            told -= share * math.log2(share) / len(sizes) if share else 0.0
    return told


def _still_possible(look: Look, shown: dict[str, float], left: frozenset[str], real: Wired) -> frozenset[str]:
    """The group nearest to what the look really shows."""
    value = seen(real, look)
    groups = part(look, {key: shown[key] for key in left})
    if math.isnan(value):
        return frozenset(
            next((group for group in groups if all(math.isnan(shown[key]) for key in group)), set())
        )
    lit = [group for group in groups if not any(math.isnan(shown[key]) for key in group)]
    return frozenset(min(lit, key=lambda group: min(abs(shown[key] - value) for key in group)))
