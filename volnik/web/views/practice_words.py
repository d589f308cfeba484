"""The words of Practice: looks, what is done, dangers, and where."""

from __future__ import annotations

import math

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.practice.faults import faults
from volnik.core.practice.looks import TIPS, Look, Seen, What
from volnik.core.practice.mends import MENDS
from volnik.core.practice.play import Act, Do, Move, Stop
from volnik.core.practice.scene import WARM_K
from volnik.core.rig.stud_ref import StudRef
from volnik.web.page import number

HOT_K = 40.0  # over its surroundings: no hand stays on it
GROUPS: dict[What, str] = {
    "owner": "Ask and read",
    "display": "Read the screen",
    "settings": "Ask and read",
    "labels": "Ask and read",
    "log": "Ask and read",
    "bank": "Measure volts",
    "end": "Measure volts",
    "charger": "Ask and read",
    "block": "Measure volts",
    "clamp": "Clamp round a cable",
    "inline": "Measure amps in line",
    "across": "Millivolts along a cable, lugs and all",
    "warmth": "Hand near a cable's lugs",
    "tight": "Spanner on a cable's lugs",
    "fuse": "Read the screen",
    "out": "Read the screen",
    "parked": "Read the screen",
    "celsius": "Measure volts",
    "bridge": "Measure amps in line",
    "test": "Ask and read",
    "volts": "Measure volts",
}
FIXED: dict[What, str] = {
    "owner": "Ask the owner what was changed",
    "settings": "The numbers that are set",
    "labels": "Labels and devices, against the papers",
    "log": "The log of the last two weeks",
    "celsius": "Degrees at the cells",
    "inline": "In line with the battery's minus",
    "out": "Power down, main open and fuses out, read, power up",
    "parked": "Main switch off, as each night, and look",
    "bridge": "Tips on both posts of the battery",
    "test": "Full to cut-off with a known load",
}
UNITS: dict[What, str] = {
    "bank": "V",
    "end": "V",
    "charger": "V",
    "block": "V",
    "celsius": "°C",
    "test": "Ah",
    "volts": "V",
}
CAUTIONS: dict[What, str] = {
    "warmth": "Feel from near first; switch the load off before anything is touched.",
    "across": "Tips only on what they are meant for: a slip between plus and minus is a short circuit.",
    "inline": "The way is opened for it: everything off first, and never with more than its fuse.",
    "tight": "A spanner between plus and minus is a short circuit: power down first.",
    "out": "In the order of Wire-up: loads, chargers, main, fuses.",
    "test": "Never below the maker's lowest volts; somebody stays with it.",
    "end": "Air the room: lead gasses at the end of a charge.",
}
DO_WORDS: dict[Do, str] = {
    "down": "Power down: loads, chargers, main, fuses",
    "up": "Power up again",
    "air": "Air the room, and wait",
    "mend": "",
}
DANGERS = {
    "arc": "The lug comes off with {amps} A in it. They go on through the air, as an arc: burned hands, "
    "molten metal at the stud. Nothing is opened under load: switch off, power down, then the spanner.",
    "short": "Everything is still live. The spanner slips, from a plus lug to the chassis: about {amps} A, "
    "until something burns open. Power down first, in the order of Wire-up.",
    "gas": "A lead battery is loosened in a closed room. It has gassed: one spark at the lug, and the acid "
    "is in your face. Air the room and wait, with goggles on, before a battery is touched.",
    "meter": "About {amps} A go through the meter's amps socket: its fuse goes with a bang, or the leads in "
    "your hands. Volts in the volts socket; amps by a clamp, or in line with everything heavy off.",
}


def place_words(where: str, papers: WiringAnalysis) -> str:
    """A part of the rig by its name: a cable, a device, a block; "" for none.

    Args:
        where: its id.
        papers: of the rig.
    """
    cable = papers.wiring.cable(where) if where else None
    if cable is not None:
        return papers.cable_name(cable)
    device = papers.device(where) if where else None
    return device.name if device is not None else f"battery {where}" if where else ""


def look_words(look: Look, papers: WiringAnalysis) -> str:
    """A look without its group.

    Args:
        look: of a case.
        papers: of its rig.
    """
    device = papers.device(look.running) if look.running else None
    running = f"{device.name} on" if device is not None else "all off"
    if device is not None and device.preset.needs_engine:
        running = f"engine on, {running}"
    if look.what == "volts":
        red, black = (papers.studs[StudRef(stud)].name for stud in look.at.split(TIPS))
        return f"{red} against {black}, {running}"
    place = place_words(look.at, papers)
    if look.what == "end":
        return f"After three hours of {place_words(look.running, papers)}"
    if look.what == "charger":
        return f"Where {place} is set to end"
    if look.what == "fuse":
        return f"All off, the fuse of {place} out"
    if look.what == "bank":
        return f"At the bank's posts, {running}"
    if look.what == "inline" and look.running:
        return f"{FIXED[look.what]}, {running}"
    if look.what in FIXED:
        return FIXED[look.what]
    return f"{place}, {running}" if place else running


def act_words(act: Act, papers: WiringAnalysis) -> str:
    """What is done, in words.

    Args:
        act: of a case.
        papers: of its rig.
    """
    if act.do != "mend":
        return DO_WORDS[act.do]
    place = place_words(act.at, papers)
    words = MENDS[act.mend].words
    return f"{words}: {place}" if place else words


def move_words(move: Move, papers: WiringAnalysis) -> str:
    """A move in words, its group before it.

    Args:
        move: of a case.
        papers: of its rig.
    """
    if isinstance(move, Act):
        return act_words(move, papers)
    words = look_words(move, papers)
    return words if move.what in FIXED else f"{GROUPS[move.what]}: {words}"


def shown_words(move: Move, shown: Seen | None) -> str:
    """What a move shows, as one reads it.

    Args:
        move: that was made.
        shown: by it.
    """
    if shown is None:
        return "done" if isinstance(move, Act) else "nothing runs: it is powered down"
    if isinstance(move, Act) or isinstance(shown, str):
        return str(shown)
    if math.isnan(shown):
        return "nothing: it is dark"
    if move.what == "across":
        return f"{number(1000.0 * shown, 1)} mV"
    if move.what == "warmth":
        return "too hot for a hand" if shown > HOT_K else "warm" if shown > WARM_K else "as its surroundings"
    digits = 3 if move.what == "inline" else 0 if move.what in ("test", "celsius") else 2
    return f"{number(shown, digits)} {UNITS.get(move.what, 'A')}"


def stop_words(stop: Stop) -> str:
    """What would have happened.

    Args:
        stop: of a case.
    """
    amps = "" if math.isnan(stop.amps) else f"{float(f'{stop.amps:.2g}'):,.0f}"
    return DANGERS[stop.danger].format(amps=amps)


def supposed_words(named: str, papers: WiringAnalysis) -> str:
    """What is supposed, in words: the fault, and the part it sits at; several joined by "and".

    Args:
        named: "cause:where", several joined by "+".
        papers: of the rig.
    """
    told = []
    for one in named.split("+"):
        cause, _, where = one.partition(":")
        place = place_words(where, papers)
        told.append(f"{faults()[cause].title}: {place}" if place else faults()[cause].title)
    return " and ".join(told)
