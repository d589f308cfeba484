"""The shortest search: at each step the look that parts what is still possible best for its minutes.

Suppositions are all that can be wrong in this rig, what really is among them; each is wired and looked at as
the real one is. What a look tells is the entropy of the groups it parts them into (bits, every supposition as
likely as another).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from volnik.core.practice.cases import TWO, Case
from volnik.core.practice.causes import CAUSES, Wrong
from volnik.core.practice.looks import FREE, Look, Seen, every_look, part, seen
from volnik.core.simulation.wired import Plan

Supposed = frozenset[Wrong]
MOST_LOOKS = 24
LEAST_WORTH = 1e-9


@dataclass(frozen=True, slots=True)
class Step:
    """One look of the search: what it told, and what was still possible before and after."""

    look: Look
    bits: float
    before: frozenset[Supposed]
    after: frozenset[Supposed]


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


def suppositions(plan: Plan, levels: int = 1) -> set[Supposed]:
    """What can be wrong in a rig, faults of unknown size in several.

    Args:
        plan: of the rig.
        levels: how many things at once: 1, or 2 of which one is of the wires and one of the monitor.
    """
    single = [wrong for key, cause in CAUSES.items() for wrong in cause.wrongs(key, plan)]
    found = {frozenset((wrong,)) for wrong in single}
    if levels > 1:
        found |= {frozenset(pair) for pair in pairs(plan)}
    return found


def pairs(plan: Plan) -> list[tuple[Wrong, Wrong]]:
    """Every two things that may be wrong at once.

    Args:
        plan: of the rig.
    """
    wires, monitor = ([wrong for key in keys for wrong in CAUSES[key].wrongs(key, plan)] for keys in TWO)
    return [(first, second) for first in wires for second in monitor]


def named(supposed: Iterable[Wrong]) -> str:
    """What a supposition says is wrong, and where, whatever its size: "cause:where", several joined by "+".

    Args:
        supposed: what is wrong together.
    """
    return "+".join(sorted(wrong.named for wrong in supposed))


class Searcher:
    """All that can be wrong in a rig, and what each look would show of it.

    Attributes:
        real: the rig as it is.
        looks: that there are.
        all: every supposition.
    """

    def __init__(self, case: Case) -> None:
        self.case = case
        self.real = case.bay
        self.papers = self.real.sound.analysis
        self.looks = list(every_look(self.papers))
        self.truth = frozenset(case.wrongs)
        self._bays = {
            supposed: self.real if supposed == self.truth else self.real.other(supposed)
            for supposed in sorted({*suppositions(case.plan, len(case.wrongs)), self.truth}, key=sorted)
        }
        self.all = frozenset(self._bays)
        self._shown: dict[Look, dict[Supposed, Seen]] = {}

    def shown(self, look: Look, left: Iterable[Supposed]) -> dict[Supposed, Seen]:
        """What a look would show of some suppositions; each is looked at once.

        Args:
            look: one of the rig's.
            left: suppositions that are still possible.
        """
        known = self._shown.setdefault(look, {})
        for supposed in left:
            if supposed not in known:
                known[supposed] = seen(self._bays[supposed], look, self.case.since_days, self.case.seed)
        return {supposed: known[supposed] for supposed in left}

    def step(self, look: Look, left: frozenset[Supposed]) -> Step:
        """What a look leaves of what was possible: the group the truth is in.

        Args:
            look: that is taken, one of the rig's.
            left: suppositions possible before it.
        """
        groups = part(look, self.shown(look, left))
        after = next((frozenset(group) for group in groups if self.truth in group), left)
        return Step(look, _bits(groups, left), left, after)

    def followed(self, looks: Iterable[Look]) -> tuple[Step, ...]:
        """What each of some looks left, one after the other.

        Args:
            looks: in their order; those of another rig are left out.
        """
        left, steps = self.all, []
        for look in looks:
            if look in self.looks or look.what in FREE:
                steps.append(self.step(look, left))
                left = steps[-1].after
        return tuple(steps)

    def best(self, left: frozenset[Supposed], taken: Iterable[Look]) -> Look | None:
        """The look that tells most for its minutes; None where none tells anything more.

        Args:
            left: suppositions still possible.
            taken: looks that are not taken again.
        """
        rest = sorted(set(self.looks) - set(taken), key=lambda look: (look.minutes, self.looks.index(look)))
        most_bits = math.log2(max(1, len(self.names(left))))
        best, worth = None, LEAST_WORTH
        for look in rest:
            if most_bits / look.minutes <= worth:
                break  # neither this one nor a longer one can tell more a minute
            groups = part(look, self.shown(look, left))
            # Rounded, so that which of two equals is taken hangs on their order alone.
            told = round(_bits(groups, left) / look.minutes, 9)
            if told > worth:
                best, worth = look, told
        return best

    @cached_property
    def soonest(self) -> Search:
        """The shortest search, sought once."""
        return shortest(self.case, self)

    def names(self, left: Iterable[Supposed]) -> frozenset[str]:
        """Suppositions whatever their sizes, as of `named`.

        Args:
            left: of them.
        """
        return frozenset(named(supposed) for supposed in left)


def shortest(case: Case, searcher: Searcher | None = None) -> Search:
    """Search a case as one does who knows all that can be wrong and what each look would show.

    Args:
        case: as drawn.
        searcher: of it, where it is at hand.
    """
    searcher = searcher or Searcher(case)
    left, steps = searcher.all, list[Step]()
    while len(searcher.names(left)) > 1 and len(steps) < MOST_LOOKS:
        look = searcher.best(left, [step.look for step in steps])
        if look is None:
            break
        steps.append(searcher.step(look, left))
        left = steps[-1].after
    minutes = sum(step.look.minutes for step in steps)
    return Search(tuple(steps), minutes, searcher.names(left))


def _bits(groups: list[set[Supposed]], left: frozenset[Supposed]) -> float:
    """What a look tells on average [bits]: each fault at each place alike, whatever its size."""
    if len(groups) < 2:
        return 0.0
    sizes = Counter(named(supposed) for supposed in left)
    told = 0.0
    inside: Counter[tuple[str, int]] = Counter()
    for at, group in enumerate(groups):
        names = Counter(named(supposed) for supposed in group)
        share = sum(count / sizes[name] for name, count in names.items()) / len(sizes)
        told -= share * math.log2(share)
        inside.update({(name, at): count for name, count in names.items()})
    # What tells a size alone is of no use.
    for (name, _), count in inside.items():
        share = count / sizes[name]
        told += share * math.log2(share) / len(sizes)
    return told
