"""A drawing with what it is drawn for, and the one way in which a change of it is refused."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, block_names, may_join, preset_of, studs_of
from volnik.core.rig.wiring import (
    Cable,
    Wiring,
)
from volnik.core.shelf.presets import Preset


class ChangeRefused(InvalidInput):
    """A change that cannot be meant. `problems` maps each field to a sentence."""


@dataclass(frozen=True)
class Drawing:
    """A drawing with what it is drawn for."""

    bank: Bank
    devices: tuple[Device, ...]
    presets: dict[str, Preset]
    wiring: Wiring

    @property
    def studs(self) -> dict[str, Stud]:
        """Every stud by id."""
        return studs_of(self.bank, self.devices, self.wiring, self.presets)

    def preset(self, device: Device) -> Preset:
        """The preset of a device's kind."""
        return preset_of(device, self.presets)

    def cable(self, cable_id: str) -> Cable:
        """A cable of the drawing.

        Args:
            cable_id: of the cable.

        Raises:
            ChangeRefused: when it is gone.
        """
        found = self.wiring.cable(cable_id)
        if found is None:
            raise ChangeRefused({"cable": "That cable is no longer there; the drawing has changed."})
        return found

    def stud(self, stud_id: str) -> Stud:
        """A stud of the drawing.

        Args:
            stud_id: of the stud.

        Raises:
            ChangeRefused: when there is none of that name.
        """
        found = self.studs.get(stud_id)
        if found is None:
            raise ChangeRefused({"to": f"There is no stud “{stud_id}” to put a cable on."})
        return found

    def landings(self, cable: Cable, end: Literal["a", "b"]) -> list[Stud]:
        """The studs one end of a cable may be put on, in steady order."""
        fixed = self.stud(cable.b if end == "a" else cable.a)
        return [stud for stud in self.studs.values() if may_join(fixed, stud)]


def moved(cable: Cable, onto: Mapping[StudRef, StudRef] | Mapping[str, StudRef]) -> Cable:
    """A cable with each end that stands in `onto` put on the stud given there."""
    ends = {end: onto[getattr(cable, end)] for end in ("a", "b") if getattr(cable, end) in onto}
    return cable.changed(**ends) if ends else cable


def thickest(cables: Iterable[Cable]) -> str:
    """The size of the thickest of some cables, "" where none is known."""
    sized = [cable for cable in cables if cable.mm2]
    return max(sized, key=lambda cable: cable.mm2 or 0.0).size if sized else ""


def block_places(bank: Bank, wiring: Wiring) -> dict[str, tuple[int, int]]:
    """(column, row) of every block: as placed, else a string along each row, or a column where strings are
    long.

    Args:
        bank: as described.
        wiring: as drawn.
    """
    along = bank.series <= 2
    usual = {
        name: (s, p) if along else (p, s)
        for p, row in enumerate(block_names(bank))
        for s, name in enumerate(row)
    }
    return {**usual, **wiring.places}
