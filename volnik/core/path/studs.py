"""The studs of a rig: what there is for a cable to end on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.presets import PRESETS, Preset

Place = Literal["block", "shunt", "isolator", "bar", "ground", "device", "battery", "monitor"]


@dataclass(frozen=True, slots=True)
class Stud:
    """One stud.

    Attributes:
        id: its name in the wiring.
        pole: minus or plus; what it may be joined to.
        place: what it sits on;
        owner: the id of that.
        name: what to call it in a sentence.
        thread: of the stud, "" where unknown or no stud at all.
    """

    id: str
    pole: Literal["minus", "plus", "thin"]
    place: Place
    owner: str
    name: str
    thread: str = ""


def block_names(bank: Bank) -> list[list[str]]:
    """Names of the blocks, a list a string, plus end first: A1 A2 …, B1 B2 …"""
    return [[f"{chr(65 + p)}{s + 1}" for s in range(bank.series)] for p in range(bank.parallel)]


def highest_post(bank: Bank) -> str:
    """The most positive post of the first string."""
    return f"{block_names(bank)[0][0]}.plus"


def lowest_posts(bank: Bank) -> list[str]:
    """The most negative post of each string."""
    return [f"{row[-1]}.minus" for row in block_names(bank)]


def highest_posts(bank: Bank) -> list[str]:
    """The most positive post of each string."""
    return [f"{row[0]}.plus" for row in block_names(bank)]


def preset_of(device: Device, presets: dict[str, Preset]) -> Preset:
    """The preset of a device's kind; of a kind that is gone, that of any load."""
    return presets.get(device.kind) or PRESETS.get(device.kind) or PRESETS["load"]


def studs_of(
    bank: Bank, devices: Iterable[Device], wiring: Wiring, presets: dict[str, Preset]
) -> dict[str, Stud]:
    """Every stud of a drawing by its id, in a steady order.

    Bank, shunt, isolators, bars, devices, monitor.
    """
    found: list[Stud] = []
    post = {"flooded": "M8", "agm": "M8", "gel": "M8", "lfp": "M8"}[bank.chemistry]
    for row in block_names(bank):
        for name in row:
            found.append(Stud(f"{name}.plus", "plus", "block", name, f"plus post of {name}", post))
            found.append(Stud(f"{name}.minus", "minus", "block", name, f"minus post of {name}", post))
    if wiring.shunt is not None:
        found.append(
            Stud("shunt.bank", "minus", "shunt", "shunt", "bank side of the shunt", wiring.shunt.stud)
        )
        found.append(Stud("shunt.rig", "minus", "shunt", "shunt", "rig side of the shunt", wiring.shunt.stud))
    for isolator in wiring.isolators:
        for end, side in (("a", "bank end"), ("b", "rig end")):
            found.append(
                Stud(
                    f"{isolator.id}.{end}",
                    isolator.pole,
                    "isolator",
                    isolator.id,
                    f"{side} of the {isolator.name.lower()}",
                    "M8",
                )
            )
    for bar in wiring.bars:
        thread = "" if bar.is_ground else "M8"
        found.append(
            Stud(bar.id, bar.pole, "ground" if bar.is_ground else "bar", bar.id, lower(bar.name), thread)
        )
    for device in devices:
        preset = preset_of(device, presets)
        place: Place = "battery" if preset.role == "battery" else "device"
        if preset.role != "link" or not preset.far or device.kind == "trickle":
            found.append(
                Stud(f"{device.id}.minus", "minus", place, device.id, f"minus of {_the(device.name)}")
            )
        found.append(Stud(f"{device.id}.plus", "plus", place, device.id, f"plus of {_the(device.name)}"))
        if preset.far:
            found.append(
                Stud(f"{device.id}.far", "plus", place, device.id, f"other plus of {_the(device.name)}")
            )
    if wiring.shunt is not None:
        found.append(Stud("monitor.sense", "thin", "monitor", "monitor", "supply lead of the monitor"))
        found.append(Stud("monitor.aux", "thin", "monitor", "monitor", "spare-input lead of the monitor"))
    studs = {stud.id: stud for stud in found}
    for stud_id, facts in wiring.studs.items():
        if facts.thread and stud_id in studs:
            old = studs[stud_id]
            studs[stud_id] = Stud(old.id, old.pole, old.place, old.owner, old.name, facts.thread)
    return studs


def may_join(stud: Stud, other: Stud) -> bool:
    """Whether a cable between two studs can be meant: like poles.

    A thin lead goes anywhere but to another thin one.

    Minus to plus is allowed between blocks alone: that is a series link.
    """
    if stud.id == other.id or (stud.owner == other.owner and stud.place != "bar"):
        return False
    if "thin" in (stud.pole, other.pole):
        return stud.pole != other.pole
    if stud.pole == other.pole:
        return True
    return stud.place == other.place == "block"


def lower(name: str) -> str:
    """A name as it stands within a sentence.

    "Negative busbar" becomes "negative busbar", "DC-DC charger" stays.
    """
    return name[0].lower() + name[1:] if name[1:2].islower() or len(name) == 1 else name


def _the(name: str) -> str:
    return f"the {lower(name)}"
