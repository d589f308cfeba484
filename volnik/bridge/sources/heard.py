"""What every way in has: figures told as they are heard, and how it stands with it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from volnik.bridge.box import Box
from volnik.bridge.clock import BridgeClock
from volnik.bridge.gather import Gathered
from volnik.core.readings import Row


@dataclass
class Ear:
    """Where a source tells what it hears.

    Attributes:
        rig_id: the rig it is of.
        gathered: for single figures.
        clock: the bridge's.
        box: for readings that bring their own time.
        trouble: of the source, in words; "" while it is well.
    """

    rig_id: int
    gathered: Gathered
    clock: BridgeClock
    box: Box
    trouble: str = ""

    def figure(self, column: str, value: float) -> None:
        """Tell a figure of this instant.

        Args:
            column: it is of.
            value: in the column's unit.
        """
        self.gathered.hear(column, value, self.clock.now())

    def rows(self, rows: list[Row]) -> None:
        """Tell readings that bring their own time.

        Args:
            rows: in order of time.
        """
        self.box.put(self.rig_id, rows)


class Listening(Protocol):
    """A source that is listened to; it begins by itself again where it was cut."""

    ear: Ear

    def start(self) -> None:
        """Begin."""

    def close(self) -> None:
        """End."""


Make = Callable[[Ear], Listening]
