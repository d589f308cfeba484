"""Looks: what can be looked at in a case, with what, in how many minutes; and what each then shows."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal, TypeVar

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.practice.bay import ALL_OUT, Bay
from volnik.core.practice.causes import CAUSES, NOBODY
from volnik.core.practice.log import log_of, signs_of
from volnik.core.practice.scene import CLAMP, METER, MILLIVOLTS, WARM_K, Instrument
from volnik.core.rig.bank import Bank
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names

What = Literal[
    "owner",
    "display",
    "settings",
    "labels",
    "log",
    "bank",
    "end",
    "charger",
    "block",
    "clamp",
    "inline",
    "across",
    "warmth",
    "tight",
    "fuse",
    "out",
    "parked",
    "celsius",
    "bridge",
    "test",
    "volts",
]
FREE: tuple[What, ...] = ("volts", "clamp", "across", "warmth")
"""Looks that can be taken anywhere, whatever else is offered."""
TIPS = "~"  # between the two studs a meter's tips are on, the red one first
Seen = float | str
Key = TypeVar("Key")
MINUTES: dict[What, float] = {
    "owner": 1.0,
    "display": 1.0,
    "settings": 3.0,
    "labels": 6.0,
    "log": 8.0,
    "bank": 2.0,
    "end": 180.0,
    "charger": 4.0,
    "block": 3.0,
    "clamp": 3.0,
    "inline": 8.0,
    "across": 3.0,
    "warmth": 10.0,
    "tight": 4.0,
    "fuse": 2.0,
    "out": 15.0,
    "parked": 3.0,
    "celsius": 2.0,
    "bridge": 1.0,
    "test": 600.0,
    "volts": 2.0,
}
"""What a look takes, the switch it wants thrown among it; source: estimate of the bay."""
TOOLS: dict[What, str] = {
    "owner": "a question",
    "display": "the monitor's screen",
    "settings": "the monitor's screen",
    "labels": "a torch",
    "log": "the log of the last days",
    "bank": "a meter in volts",
    "end": "a meter in volts",
    "charger": "its own display or label",
    "block": "a meter in volts",
    "clamp": "a clamp meter for direct current",
    "inline": "a meter in its 10 A socket",
    "across": "a meter in millivolts",
    "warmth": "the back of a hand",
    "tight": "a spanner",
    "fuse": "the monitor's screen",
    "out": "the monitor's screen",
    "parked": "the monitor's screen",
    "celsius": "a thermometer",
    "bridge": "a meter in its 10 A socket",
    "test": "a known load and a clock",
    "volts": "a meter in volts",
}
EXACT = Instrument(0.0, 0.01)
INSTRUMENT: dict[What, Instrument] = {
    "bank": METER,
    "end": METER,
    "block": METER,
    "clamp": CLAMP,
    "inline": Instrument(0.01, 0.001),
    "across": MILLIVOLTS,
    "warmth": Instrument(0.2, 1.0),
    "celsius": Instrument(0.0, 0.5),
    "test": Instrument(0.03, 1.0),
    "volts": METER,
}
LEAST: dict[What, float] = {
    "display": 0.15,
    "fuse": 0.15,
    "out": 0.15,
    "clamp": 0.3,
    "inline": 0.05,
    "across": 0.003,
    "bank": 0.05,
    "end": 0.15,
    "charger": 0.15,
    "block": 0.05,
    "warmth": WARM_K,
    "celsius": 3.0,
    "test": 5.0,
    "volts": 0.05,
}
"""By how much two readings must differ to tell two things apart, in the look's own unit; source: estimate."""
USUAL_C = 18.0  # of a bank where nothing hangs on it


@dataclass(frozen=True, slots=True, order=True)
class Look:
    """One look.

    Attributes:
        what: is done.
        running: id of the device that runs meanwhile, "" for none: all else is off.
        at: the cable, block or device looked at, two studs with `TIPS` between them, "" where none is.
    """

    what: What
    running: str = ""
    at: str = ""

    @property
    def minutes(self) -> float:
        """How long it takes."""
        return MINUTES[self.what]


def every_look(analysis: WiringAnalysis) -> Iterator[Look]:
    """All looks that tell something in a rig, the cheap ones first.

    Args:
        analysis: of the rig as its papers tell it.
    """
    devices = [device for device in analysis.devices if device.takes or device.gives]
    heaviest = max(devices, key=lambda device: device.running_a).id
    yield Look("owner")
    for running in ("", *(device.id for device in devices)):
        yield Look("display", running)
    yield Look("bank")
    yield Look("bank", heaviest)
    for what in ("celsius", "settings", "parked", "labels", "log", "inline", "out", "test"):
        yield Look(what)
    for device in devices:
        minus = analysis.negative_of(device.id)
        if minus is not None:
            yield Look("clamp", device.id, minus.id)
        if device.takes and not device.gives:
            yield Look("fuse", "", device.id)
        if device.gives:
            yield Look("charger", "", device.id)
            yield Look("end", device.id)
    yield from _at_cables(analysis, heaviest)
    yield from _at_blocks(analysis.bank, heaviest)


def _at_cables(analysis: WiringAnalysis, heaviest: str) -> Iterator[Look]:
    """At the cables of the heaviest load and of the bank."""
    blocks = {stud.owner for stud in analysis.block_studs}
    for cable in analysis.wiring.cables:
        is_link = analysis.is_shunt_link(cable)
        between = {cable.a.owner, cable.b.owner} <= blocks and cable.a.pole == cable.b.pole == "minus"
        if is_link or between:
            yield Look("clamp", heaviest, cable.id)
        if cable.id == "chassis_bond":
            for device in analysis.devices:
                if device.takes and _returns_by(analysis, device.id, "chassis"):
                    yield Look("clamp", device.id, cable.id)
        if is_link or heaviest in (cable.a.owner, cable.b.owner):
            yield Look("across", heaviest, cable.id)
            yield Look("warmth", heaviest, cable.id)


def _returns_by(analysis: WiringAnalysis, device_id: str, stud: str) -> bool:
    minus = analysis.negative_of(device_id)
    return minus is not None and stud in (minus.a, minus.b)


def _at_blocks(bank: Bank, heaviest: str) -> Iterator[Look]:
    if bank.series > 1:
        for row in block_names(bank):
            yield from (Look("block", heaviest, name) for name in row)


def risky_looks(analysis: WiringAnalysis) -> Iterator[Look]:
    """What can be done as well, and hurts in the wrong order: a spanner on a lug, a meter as a bridge.

    Args:
        analysis: of the rig as its papers tell it.
    """
    devices = [device for device in analysis.devices if device.takes or device.gives]
    heaviest = max(devices, key=lambda device: device.running_a).id
    for cable in analysis.wiring.cables:
        if analysis.is_shunt_link(cable) or heaviest in (cable.a.owner, cable.b.owner):
            yield Look("tight", heaviest, cable.id)
            yield Look("tight", "", cable.id)
    yield Look("inline", heaviest)
    yield Look("bridge")


def seen(bay: Bay, look: Look, since_days: float, seed: int) -> Seen:
    """What a look would show without any error of the instrument: a value [A, V, K, °C] or words.

    Args:
        bay: as it really is.
        look: that is taken.
        since_days: for how long it has been so [d].
        seed: of weather and habits.

    Raises:
        ValueError: for a cable, block or device that is not there.
    """
    if look.what == "log":
        return "; ".join(signs_of(bay, log_of(bay, since_days=since_days, seed=seed)))
    return SHOWS[look.what](bay, look)


def _on_screen(bay: Bay, shown: Seen) -> Seen:
    return DARK if bay.faults.dead else shown


DARK = "nothing: it is dark"
ANEW = "it goes dark for a moment and begins anew, at 100 %"


def _display(bay: Bay, look: Look) -> Seen:
    heaviest = max(bay.analysis.devices, key=lambda device: device.running_a).id
    if bay.hidden.restarts == "load" and look.running == heaviest:
        return _on_screen(bay, ANEW)
    return _on_screen(bay, bay.shown_a(look.running))


def _owner(bay: Bay, look: Look) -> Seen:
    answers = [CAUSES[wrong.cause].owner for wrong in sorted(bay.wrongs)]
    return " ".join(dict.fromkeys(answer for answer in answers if answer != NOBODY)) or NOBODY


def _settings(bay: Bay, look: Look) -> Seen:
    set_to = bay.numbers
    fitted = bay.wired.drawn.shunt
    told = "" if fitted is None else f", shunt {fitted.amps * bay.faults.scale:g} A at {fitted.mv:g} mV"
    words = (
        f"capacity {set_to.capacity_ah:g} Ah, full at {set_to.charged_voltage_v:g} V with at most "
        f"{set_to.tail_current_pct:g} % for {set_to.hold_s / 60.0:g} min, efficiency "
        f"{100.0 * set_to.coulombic_efficiency:.0f} %, exponent {set_to.peukert_exponent:g}, dead band "
        f"{set_to.dead_band_a:g} A{told}"
    )
    return _on_screen(bay, words)


def _labels(bay: Bay, look: Look) -> Seen:
    bank = bay.analysis.bank
    told = f"the batteries say {bank.in_short(bay.analysis.chemistry)}"
    later = bay.hidden.later
    return f"{told}; {f'one device more than on paper: {later.name}' if later else 'devices as on paper'}"


def _bank(bay: Bay, look: Look) -> Seen:
    plus, minus = bay.analysis.top_posts[0], bay.analysis.posts[0]
    return bay.scene(look.running).volts(plus, minus)


def _end(bay: Bay, look: Look) -> Seen:
    source = next((one for one in bay.vehicle.sources if one.drawn.id == look.running), None)
    if source is None:
        raise ValueError(f"{look.running} is no charger")
    return source.at_bank_v(USUAL_C if bay.hidden.celsius is None else bay.hidden.celsius)


def _charger(bay: Bay, look: Look) -> Seen:
    source = next((one for one in bay.vehicle.sources if one.drawn.id == look.at), None)
    if source is None:
        raise ValueError(f"{look.at} is no charger")
    return source.absorption_v


def _block(bay: Bay, look: Look) -> Seen:
    return bay.scene(look.running).volts(StudRef.of(look.at, "plus"), StudRef.of(look.at, "minus"))


def _clamp(bay: Bay, look: Look) -> Seen:
    cable = bay.analysis.wiring.cable(look.at)
    if cable is None:
        raise ValueError(f"no cable {look.at}")
    return abs(bay.scene(look.running).clamped_a((look.at,), toward=cable.b))


def _across(bay: Bay, look: Look) -> Seen:
    cable = bay.analysis.wiring.cable(look.at)
    if cable is None:
        raise ValueError(f"no cable {look.at}")
    return abs(bay.scene(look.running).volts(cable.a, cable.b))


def _fuse(bay: Bay, look: Look) -> Seen:
    return _on_screen(bay, bay.shown_a("", pulled=look.at))


def _out(bay: Bay, look: Look) -> Seen:
    return _on_screen(bay, bay.shown_a(ALL_OUT))


def _parked(bay: Bay, look: Look) -> Seen:
    return _on_screen(
        bay, ANEW if bay.hidden.restarts == "parked" else "it stays on and keeps its percentage"
    )


def _celsius(bay: Bay, look: Look) -> Seen:
    return USUAL_C if bay.hidden.celsius is None else bay.hidden.celsius


def _inline(bay: Bay, look: Look) -> Seen:
    link = next(cable for cable in bay.wired.drawn.cables if "shunt.bank" in (cable.a, cable.b))
    return abs(bay.scene(look.running).clamped_a((link.id,), toward=link.b))


def _volts(bay: Bay, look: Look) -> Seen:
    red, _, black = look.at.partition(TIPS)
    volts = bay.scene(look.running).volts(red, black)
    return "nothing joins them" if math.isnan(volts) else volts


def free_look(analysis: WiringAnalysis, what: str, running: str, at: str) -> Look | None:
    """A look taken anywhere; None where the rig has no such device, cable or studs.

    Args:
        analysis: of the rig as its papers tell it.
        what: is done, one of FREE.
        running: id of the device that runs meanwhile, "" for none.
        at: cable, or two studs with `TIPS` between them.
    """
    there = set(at.split(TIPS)) <= analysis.studs.keys() if what == "volts" else analysis.wiring.cable(at)
    if what not in FREE or not there or (running and analysis.device(running) is None):
        return None
    return Look(what, running, at) if (what == "volts") == (TIPS in at) else None


def _tight(bay: Bay, look: Look) -> Seen:
    return "it turns a quarter before it holds" if look.at in bay.faults.loose else "it is tight"


SHOWS: dict[What, Callable[[Bay, Look], Seen]] = {
    "owner": _owner,
    "display": _display,
    "settings": _settings,
    "labels": _labels,
    "bank": _bank,
    "end": _end,
    "charger": _charger,
    "block": _block,
    "clamp": _clamp,
    "inline": _inline,
    "across": _across,
    "warmth": lambda bay, look: bay.scene(look.running).warmth_k(look.at),
    "tight": _tight,
    "fuse": _fuse,
    "out": _out,
    "parked": _parked,
    "celsius": _celsius,
    "bridge": lambda bay, look: math.nan,
    "test": lambda bay, look: bay.vehicle.capacity_ah,
    "volts": _volts,
}
"""How each look reads the van."""


def reading(bay: Bay, look: Look, since_days: float, seed: int) -> Seen:
    """What a look shows, with the instrument's error: a value [A, V, K] or words; the same look, the same.

    Args:
        bay: as it really is.
        look: that is taken.
        since_days: for how long it has been so [d].
        seed: of the case.
    """
    value = seen(bay, look, since_days, seed)
    if isinstance(value, str):
        return value
    instrument = INSTRUMENT.get(look.what, EXACT)
    return instrument.reads(value, seed, f"{look.what} {look.running} {look.at}")


def part(look: Look, readings: Mapping[Key, Seen]) -> list[set[Key]]:
    """Groups of suppositions that a look cannot tell apart: alike words, or values nearer than it reads.

    Args:
        look: that is taken.
        readings: what it would show, by supposition.
    """
    by_words: dict[str, set[Key]] = {}
    values: list[tuple[float, int, Key]] = []
    for at, (key, value) in enumerate(readings.items()):
        if isinstance(value, str) or math.isnan(value):
            by_words.setdefault(str(value), set()).add(key)
        else:
            values.append((value, at, key))
    groups = list(by_words.values())
    least = LEAST.get(look.what, 0.0)
    share = INSTRUMENT.get(look.what, EXACT).share
    last = -math.inf
    for value, _, key in sorted(values, key=lambda each: each[:2]):
        if value - last > max(least, 2.0 * share * abs(value)):
            groups.append(set())
        groups[-1].add(key)
        last = value
    return groups
