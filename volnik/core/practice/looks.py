"""Looks: what can be looked at in a case, with what, in how many minutes; and what each then shows."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.practice.scene import CLAMP, METER, MILLIVOLTS, WARM_K, Instrument, Scene, scene_of
from volnik.core.shelf.cells import rest_v
from volnik.core.simulation.wired import Wired

What = Literal["display", "clamp", "across", "bank", "warmth"]
MINUTES: dict[What, float] = {"display": 1.0, "clamp": 3.0, "across": 3.0, "bank": 2.0, "warmth": 10.0}
"""What a look takes, the switch it wants thrown among it; source: estimate of the bay."""
TOOLS: dict[What, str] = {
    "display": "the monitor's screen",
    "clamp": "a clamp meter for direct current",
    "across": "a meter in millivolts",
    "bank": "a meter in volts",
    "warmth": "the back of a hand",
}
INSTRUMENT: dict[What, Instrument] = {
    "display": Instrument(0.0, 0.01),
    "clamp": CLAMP,
    "across": MILLIVOLTS,
    "bank": METER,
    "warmth": Instrument(0.2, 1.0),
}
LEAST = {"display": 0.15, "clamp": 0.3, "across": 0.003, "bank": 0.05, "warmth": WARM_K}
"""By how much two readings must differ to tell two things apart, in the look's own unit; source: estimate."""
CHARGE = 0.8  # of the bank in a case


@dataclass(frozen=True, slots=True)
class Look:
    """One look.

    Attributes:
        what: is done.
        running: id of the device that runs meanwhile, "" for none: all else is off.
        at: the cable looked at, "" where none is.
    """

    what: What
    running: str = ""
    at: str = ""

    @property
    def minutes(self) -> float:
        """How long it takes."""
        return MINUTES[self.what]


def every_look(analysis: WiringAnalysis) -> Iterator[Look]:
    """All looks there are in a rig, the cheap ones first.

    Args:
        analysis: of the rig as drawn.
    """
    devices = [device.id for device in analysis.devices if device.takes or device.gives]
    for running in ("", *devices):
        yield Look("display", running)
        yield Look("bank", running)
    for device in devices:
        minus = analysis.negative_of(device)
        if minus is not None:
            yield Look("clamp", device, minus.id)
    heaviest = max(analysis.devices, key=lambda device: device.running_a)
    for cable in analysis.wiring.cables:
        if heaviest.id in (cable.a.owner, cable.b.owner) or analysis.is_shunt_link(cable):
            yield Look("across", heaviest.id, cable.id)
            yield Look("warmth", heaviest.id, cable.id)


def listed_amps(analysis: WiringAnalysis, running: str) -> dict[str, float]:
    """What a device moves while it runs alone, by the list, positive where it charges [A].

    Args:
        analysis: of the rig.
        running: id of the device, "" for none.
    """
    device = next((device for device in analysis.devices if device.id == running), None)
    if device is None:
        return {}
    return {device.id: -device.running_a if device.takes else device.gives_a}


def scene_with(wired: Wired, running: str) -> Scene:
    """The scene while one device runs alone.

    Args:
        wired: as really wired.
        running: id of the device, "" for none.
    """
    bank = wired.analysis.bank
    open_v = float(rest_v(bank.chemistry, CHARGE, bank.cells))
    return scene_of(wired, listed_amps(wired.analysis, running), open_v=open_v)


def seen(wired: Wired, look: Look, scene: Scene | None = None) -> float:
    """What a look would show without any error of the instrument, NaN for a dark screen [A, V, K].

    Args:
        wired: as really wired.
        look: that is taken.
        scene: of its device running, where it is at hand already.

    Raises:
        ValueError: for a cable that is not there.
    """
    scene = scene or scene_with(wired, look.running)
    if look.what == "bank":
        plus, minus = wired.analysis.top_posts[0], wired.analysis.posts[0]
        return scene.volts(plus, minus)
    if look.what == "display":
        if wired.faults.dead:
            return math.nan
        return wired.meter.gain * -scene.clamped_a(("shunt",), toward="shunt.bank") + wired.meter.offset_a
    cable = wired.analysis.wiring.cable(look.at)
    if cable is None:
        raise ValueError(f"no cable {look.at}")
    if look.what == "clamp":
        return abs(scene.clamped_a((look.at,), toward=cable.b))
    if look.what == "across":
        return abs(scene.volts(cable.a, cable.b))
    return scene.warmth_k(look.at)


def reading(wired: Wired, look: Look, seed: int) -> float:
    """What a look shows, with the instrument's own error; the same look shows the same again [A, V, K].

    Args:
        wired: as really wired.
        look: that is taken.
        seed: of the case.
    """
    return INSTRUMENT[look.what].reads(seen(wired, look), seed, f"{look.what} {look.running} {look.at}")


def part(look: Look, readings: Mapping[str, float]) -> list[set[str]]:
    """Groups of suppositions that a look cannot tell apart: neighbours nearer than it can read.

    Args:
        look: that is taken.
        readings: what it would show, by supposition.
    """
    dark = {key for key, value in readings.items() if math.isnan(value)}
    groups = [dark] if dark else []
    least = LEAST[look.what]
    last = -math.inf
    for value, key in sorted((value, key) for key, value in readings.items() if key not in dark):
        if value - last > max(least, 2.0 * INSTRUMENT[look.what].share * abs(value)):
            groups.append(set())
        groups[-1].add(key)
        last = value
    return groups
