"""The studs of a rig: what there is for a cable to end on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.presets import PRESETS, Preset

StudPole = Literal["minus", "plus", "thin"]
BLOCK_POLES: tuple[Literal["plus", "minus"], ...] = ("plus", "minus")
USUAL_THREAD = "M8"  # of posts, isolators and bars nobody looked at; source: estimate
Place = Literal["block", "shunt", "isolator", "bar", "ground", "device", "battery", "monitor"]


@dataclass(frozen=True, slots=True)
class Stud:
    """One stud.

    Attributes:
        id: its name in the wiring.
        pole: minus or plus; what it may be joined to.
        place: what it sits on.
        owner: the id of that.
        name: what to call it in a sentence.
        thread: of the stud, "" where unknown or no stud at all.
        is_assumed: whether the thread is only the usual one: nobody read it.
    """

    id: StudRef
    pole: StudPole
    place: Place
    owner: str
    name: str
    thread: str = ""
    is_assumed: bool = False


def block_names(bank: Bank) -> list[list[str]]:
    """Names of the blocks, a list a string, plus end first: A1 A2 …, B1 B2 …

    Args:
        bank: as described.
    """
    return [[f"{chr(65 + p)}{s + 1}" for s in range(bank.series)] for p in range(bank.parallel)]


def highest_post(bank: Bank) -> str:
    """The most positive post of the first string.

    Args:
        bank: as described.
    """
    return f"{block_names(bank)[0][0]}.plus"


def preset_of(device: Device, presets: dict[str, Preset]) -> Preset:
    """The preset of a device's kind; of a kind that is gone, that of any load.

    Args:
        presets: kinds of devices by key.
    """
    return presets.get(device.kind) or PRESETS.get(device.kind) or PRESETS["load"]


def studs_of(
    bank: Bank,
    devices: Iterable[Device],
    wiring: Wiring,
    presets: dict[str, Preset],
    *,
    post_thread: str = "",
) -> dict[str, Stud]:
    """Every stud of a drawing by its id, in a steady order.

    Bank, shunt, isolators, bars, devices, monitor.

    Args:
        bank: as described.
        wiring: as drawn.
        presets: kinds of devices by key.
        post_thread: of the bank's posts as the Shelf has it, "" where nobody told.
    """
    found = [*_block_studs(bank, post_thread), *_shunt_studs(wiring), *_isolator_studs(wiring)]
    for bar in wiring.bars:
        place: Place = "ground" if bar.is_ground else "bar"
        thread = "" if bar.is_ground else USUAL_THREAD
        found.append(_stud(bar.id, "", bar.pole, place, lower(bar.name), thread=thread, assumed=True))
    for device in devices:
        found += _device_studs(device, preset_of(device, presets))
    if wiring.shunt is not None:
        found.append(_stud("monitor", "sense", "thin", "monitor", "supply lead of the monitor"))
        found.append(_stud("monitor", "aux", "thin", "monitor", "spare-input lead of the monitor"))
    threads = {key: facts.thread for key, facts in wiring.studs.items() if facts.thread}
    return {
        stud.id: replace(stud, thread=threads[stud.id], is_assumed=False) if stud.id in threads else stud
        for stud in found
    }


def _shunt_studs(wiring: Wiring) -> list[Stud]:
    if wiring.shunt is None:
        return []
    thread = wiring.shunt.stud
    return [
        _stud("shunt", end, "minus", "shunt", f"{side} side of the shunt", thread=thread)
        for end, side in (("bank", "battery"), ("rig", "rig"))
    ]


def _isolator_studs(wiring: Wiring) -> list[Stud]:
    found = []
    for isolator in wiring.isolators:
        for end, side in (("a", "battery end"), ("b", "rig end")):
            name = f"{side} of the {isolator.name.lower()}"
            found.append(
                _stud(isolator.id, end, isolator.pole, "isolator", name, thread=USUAL_THREAD, assumed=True)
            )
    return found


def _stud(
    owner: str,
    end: str,
    pole: StudPole,
    place: Place,
    name: str,
    *,
    thread: str = "",
    assumed: bool = False,
) -> Stud:
    return Stud(StudRef.of(owner, end), pole, place, owner, name, thread, assumed and bool(thread))


def _block_studs(bank: Bank, thread: str) -> list[Stud]:
    return [
        _stud(
            name,
            pole,
            pole,
            "block",
            f"battery's {pole} post" if bank.blocks == 1 else f"{pole} post of {name}",
            thread=thread or USUAL_THREAD,
            assumed=not thread,
        )
        for row in block_names(bank)
        for name in row
        for pole in BLOCK_POLES
    ]


def _device_studs(device: Device, preset: Preset) -> list[Stud]:
    place: Place = "battery" if preset.is_battery else "device"
    name = _the(device.name)
    found = []
    if not preset.joins_positives:
        found.append(_stud(device.id, "minus", "minus", place, f"minus of {name}"))
    found.append(_stud(device.id, "plus", "plus", place, f"plus of {name}"))
    if preset.far:
        found.append(_stud(device.id, "far", "plus", place, f"other plus of {name}"))
    return found


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
