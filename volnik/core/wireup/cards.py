"""Steps gathered on cards: one card a turn of work, a caution once, at the card where it first bites.

What is ticked, and in which order, stays with the steps.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from volnik.core.wireup.steps import Step


@dataclass(frozen=True, slots=True)
class CardKind:
    """One turn of work.

    Attributes:
        key, title: of the card.
        phase: key of the phase its steps belong to.
        steps: what the keys of its steps begin with; () for all that is left of the phase.
    """

    key: str
    title: str
    phase: str
    steps: tuple[str, ...] = ()


CARDS = (
    CardKind("ready", "Make ready", "ready"),
    CardKind("battery_off", "Take the battery off", "dead", ("main_off", "negatives_off", "positives_off")),
    CardKind("proven", "Prove it dead", "dead", ("capacitors", "proven_dead")),
    CardKind("sources_off", "Loads and sources off", "dead"),
    CardKind("fit", "Take out and fit", "strip"),
    CardKind("plus", "The plus cables", "rig", ("lug+",)),
    CardKind("minus", "Move the minus cables", "rig"),
    CardKind("link", "Link and sense lead", "link"),
    CardKind("joints", "Join the battery", "close", ("joint:",)),
    CardKind("alive", "Sense fuse in, set zero", "close", ("sense_fuse", "zero")),
    CardKind("checks", "Check before joining", "close"),
    CardKind("main_in", "Power up", "restore", ("fuse_in:", "close:", "precharge:")),
    CardKind("restored", "Loads and sources back on", "restore"),
    CardKind("numbers", "Numbers in, and read back", "monitor", ("numbers", "aux_mode", "read_back")),
    CardKind("paired", "Pair the monitor", "monitor"),
)
_BY_KEY = {kind.key: kind for kind in CARDS}


@dataclass(frozen=True, slots=True)
class Card:
    """A card with its steps.

    Attributes:
        number: from 1.
        kind: which turn of work.
        steps: as ordered.
        cautions: what is said here for the first time.
        again: numbers of the cards whose cautions hold here too.
    """

    number: int
    kind: CardKind
    steps: tuple[Step, ...]
    cautions: tuple[str, ...]
    again: tuple[int, ...]

    @property
    def title(self) -> str:
        """What is done in this turn."""
        return self.kind.title


def card_of(step: Step) -> CardKind:
    """The card a step stands on.

    Args:
        step: of any phase.
    """
    own = [kind for kind in CARDS if kind.phase == step.phase]
    named = (kind for kind in own if any(_begins(step, key) for key in kind.steps))
    return next(named, next(kind for kind in own if not kind.steps))


def _begins(step: Step, key: str) -> bool:
    if key == "lug+":
        return step.pole == "plus"
    return step.key.startswith(key)


def cards_for(steps: Sequence[Step]) -> list[Card]:
    """The cards of a job, in the order of their first steps.

    Args:
        steps: of the job, as ordered.
    """
    grouped: dict[str, list[Step]] = {}
    for step in steps:
        grouped.setdefault(card_of(step).key, []).append(step)
    said: dict[str, int] = {}
    found = []
    for number, (key, mine) in enumerate(grouped.items(), 1):
        new, again = _cautions(mine, said, number)
        found.append(Card(number, _BY_KEY[key], tuple(mine), new, again))
    return found


def _cautions(
    steps: Iterable[Step], said: dict[str, int], number: int
) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """The cautions of steps said here for the first time, and where the others were said."""
    wanted = dict.fromkeys(message for step in steps for message in step.cautions)
    again = sorted({said[message] for message in wanted if message in said})
    new = tuple(message for message in wanted if message not in said)
    said |= dict.fromkeys(new, number)
    return new, tuple(again)
