"""A rig's history, cut by its dated events: each says what it ends, and all take their stretch from here.

A swapped battery ends what is known of the battery, not of the wiring; new numbers end what is said of the
settings. Docs: docs/domain/history.md.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

Aspect = Literal["count", "bank", "wiring", "settings"]
"""What an event can end: the count's certainty, the battery's history, what the shunt sees, the settings."""


@dataclass(frozen=True, slots=True)
class EventKind:
    """A kind of event: what it is called, and what it ends."""

    words: str
    ends: frozenset[Aspect]


def _kind(words: str, *ends: Aspect) -> EventKind:
    return EventKind(words, frozenset(ends))


EVENT_KINDS: dict[str, EventKind] = {
    "commissioned": _kind("wired and taken over", "wiring", "settings"),
    "numbers": _kind("numbers changed", "settings"),
    "set": _kind("count set by hand", "count"),
    "full": _kind("full by hand", "count"),
    "rest": _kind("volts read at rest", "count"),
    "supply_lost": _kind("monitor lost its supply", "count"),
    "block_swapped": _kind("battery swapped", "count", "bank"),
    "battery_replaced": _kind("all batteries replaced", "count", "bank"),
    "mended": _kind("wiring put right", "wiring"),
    "wiring_changed": _kind("wiring changed", "wiring"),
    "charger_changed": _kind("charger changed", "wiring"),
    "device_added": _kind("device added", "wiring"),
    "monitor_changed": _kind("monitor changed", "count", "wiring", "settings"),
    "zero_corrected": _kind("zero set", "wiring", "settings"),
    "scale_corrected": _kind("scale put right", "wiring", "settings"),
    "firmware": _kind("monitor's firmware changed", "settings"),
    "capacity_tested": _kind("capacity tested"),
    "torqued": _kind("joints torqued"),
    "equalised": _kind("battery equalised"),
    "gap": _kind("no readings"),
    "laid_up": _kind("laid up"),
}


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened to a rig.

    Attributes:
        kind: of EVENT_KINDS.
        time_s, end_s: when, from to [s]; the same for an instant.
        what: in words, "" for nothing more than its kind.
    """

    kind: str
    time_s: float
    end_s: float
    what: str = ""

    @property
    def words(self) -> str:
        """What it is, with what more is known of it."""
        name = EVENT_KINDS[self.kind].words
        return f"{name}: {self.what}" if self.what else name

    def ends(self, aspects: Iterable[Aspect]) -> bool:
        """Whether it ends any of these.

        Args:
            aspects: what is asked about.
        """
        return not EVENT_KINDS[self.kind].ends.isdisjoint(aspects)


@dataclass(frozen=True, slots=True)
class Epoch:
    """A stretch of a rig's history in which nothing ended what is asked about.

    Attributes:
        start_s, end_s: from to [s]; infinite where the history is open.
        began: the events it began with, none for the first.
    """

    start_s: float
    end_s: float
    began: tuple[Event, ...] = ()

    @property
    def why(self) -> str:
        """What it began with, in words; "" for the first."""
        return "; ".join(event.words for event in self.began)

    def holds(self, time_s: float) -> bool:
        """Whether an instant lies in it.

        Args:
            time_s: the instant [s].
        """
        return self.start_s <= time_s < self.end_s


def epochs(events: Iterable[Event], *aspects: Aspect) -> list[Epoch]:
    """The stretches of a history, in order of time; events of one instant make one cut.

    An event cuts that ends any of the aspects asked about.

    Args:
        events: of the rig, in any order.
    """
    found = [Epoch(-math.inf, math.inf)]
    for event in sorted((event for event in events if event.ends(aspects)), key=lambda event: event.time_s):
        last = found[-1]
        if event.time_s == last.start_s:
            found[-1] = Epoch(last.start_s, math.inf, (*last.began, event))
            continue
        found[-1] = Epoch(last.start_s, event.time_s, last.began)
        found.append(Epoch(event.time_s, math.inf, (event,)))
    return found


def since(events: Iterable[Event], at_s: float, *aspects: Aspect) -> float:
    """The instant from which what is asked about holds up to another, -inf for the beginning [s].

    Args:
        events: of the rig, in any order.
        at_s: the later instant [s].
    """
    cuts = (event.time_s for event in events if event.time_s <= at_s and event.ends(aspects))
    return max(cuts, default=-math.inf)
