"""A part of the Shelf as typed: fields follow from its kind."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, get_args

from volnik.core.shelf.parts import KINDS
from volnik.core.shelf.presets import Trait
from volnik.core.values import Plain
from volnik.web.forms.fields import text

TITLES = {
    "blocks": "Blocks",
    "shunts": "Shunts",
    "cables": "Cables",
    "lugs": "Lugs",
    "presets": "Devices by kind",
    "schools": "Schools",
}
WORDS: dict[str, tuple[str, str]] = {
    "key": ("Key", "letters, digits, - _ ."),
    "name": ("Name", ""),
    "chemistry": ("Chemistry", "flooded, agm, gel, lfp"),
    "cells": ("Cells", ""),
    "ah": ("Capacity", "Ah at 20 h"),
    "mohm": ("Internal resistance", "mΩ"),
    "short_ka": ("Short circuit", "kA"),
    "stud": ("Stud", "M8, 5/16 in"),
    "cut_out_pct": ("Cuts out at", "%"),
    "source": ("Source", ""),
    "amps": ("Rated", "A"),
    "mv": ("at", "mV"),
    "continuous_a": ("Continuous", "A"),
    "peak_a": ("Peak", "A for seconds"),
    "step_a": ("One count", "A"),
    "torque_nm": ("Torque", "N·m"),
    "mark_bank": ("Printed at the bank side", ""),
    "mark_rig": ("Printed at the rig side", ""),
    "size": ("Size", "35 mm², 2/0 AWG"),
    "carries_a": ("Carries", "A; empty: the table's"),
    "hole": ("Hole", "M8, 5/16 in"),
    "die": ("Crimp die", ""),
    "words": ("Also called", "parted by |"),
    "role": ("Role", "load, source, both, battery, link"),
    "power_w": ("Power", "W"),
    "current_a": ("or current", "A at 12 V"),
    "surge_a": ("Peak", "A at 12 V"),
    "duty": ("Share of its hours", "0 to 1"),
    "together": ("Runs with others", "yes or no"),
    "efficiency": ("Efficiency", "0 to 1"),
    "standby_a": ("Standby", "A at 12 V"),
    "hours": ("Hours of the day", "7-9 17-23"),
    "most_a": ("Gives at most", "A at 12 V"),
    "absorption_v": ("Absorption", "V at 12 V"),
    "float_v": ("Float", "V at 12 V"),
    "absorption_h": ("Absorption lasts", "h"),
    "end_a": ("Ends at", "A at 12 V"),
    "slope_mv_c": ("Temperature slope", "mV/°C a cell"),
    "panel_w": ("Panels", "W"),
    "start_a": ("Start phase", "A at 12 V"),
    "start_s": ("for", "s"),
    "base": ("Volts from", "float, absorption, highest, cell"),
    "offset_v": ("Added", "V at 12 V; for cell the volts a cell"),
    "tail_pct": ("Tail", "% of C"),
    "hold_s": ("Hold", "s"),
    "chemistries": ("Used on", "flooded | agm | gel | lfp; empty: all"),
    "reason": ("Why", ""),
    "against": ("Against", ""),
    "fuse_a": ("Usual fuse", "A"),
    "mm2": ("Usual cable", "mm²"),
    "far": ("Second positive", "yes or no"),
    "safety": ("Must not go dead", "yes or no"),
    "surface": ("Bond of", "chassis, hull"),
    "traits": ("Its nature", f"parted by |, of: {', '.join(get_args(Trait))}"),
}
COLUMNS = {
    "blocks": ("name", "chemistry", "cells", "ah", "mohm", "short_ka", "stud", "source"),
    "shunts": ("name", "amps", "mv", "continuous_a", "peak_a", "step_a", "stud", "source"),
    "cables": ("name", "size", "carries_a", "source"),
    "lugs": ("name", "size", "hole", "die", "source"),
    "schools": ("name", "base", "offset_v", "tail_pct", "hold_s", "chemistries", "reason"),
    "presets": ("name", "role", "power_w", "current_a", "surge_a", "duty", "most_a", "fuse_a", "source"),
}
LISTS = ("words", "chemistries", "traits")
TRUTHS = ("together", "far", "safety")


def shown(part: Plain | None, name: str) -> str:
    """A field of a part as the text of its field."""
    value = getattr(part, name, None)
    if value is None or value == ():
        return ""
    if name in LISTS:
        return " | ".join(value)
    if name == "hours":
        return " ".join(f"{a:g}-{b:g}" for a, b in value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:.10g}" if isinstance(value, float) else str(value)


def read_part(kind: str, form: Mapping[str, Any]) -> dict[str, Any]:
    """The typed fields of a part as plain values; what cannot stand is told when it is kept."""
    given: dict[str, Any] = {}
    for name, field in KINDS[kind].model_fields.items():
        typed = text(form, name)
        if name in LISTS:
            given[name] = tuple(word.strip() for word in typed.split("|") if word.strip())
        elif name == "hours":
            given[name] = tuple(
                (float(a), float(b))
                for a, b in re.findall(r"(\d+(?:\.\d+)?)\s*[-–]\s*(\d+(?:\.\d+)?)", typed)
            )
        elif name in TRUTHS:
            given[name] = typed.lower() in ("yes", "y", "1", "true")
        elif typed:
            given[name] = (
                typed.replace(",", ".") if re.fullmatch(r"-?\d+,\d+", typed) else typed.replace("−", "-")
            )
        elif field.is_required():
            given[name] = ""
    return given
