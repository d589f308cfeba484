"""The Shelf's forms: parts, with fields by their kind; a chemistry's figures; the rule for old readings."""

from __future__ import annotations

import re
from typing import Annotated, Any, get_args

from fastapi import Depends
from pydantic import BeforeValidator, ValidationInfo, create_model

from volnik.core.shelf.parts import KINDS
from volnik.core.shelf.presets import Trait
from volnik.core.values import Plain
from volnik.web.forms.amounts import AMOUNT, amount_in, trimmed, unit_of
from volnik.web.forms.posted import File, Form, Hours, Line, Number, Posted, posted

TITLES = {
    "blocks": "Batteries",
    "shunts": "Shunts",
    "cables": "Cables",
    "lugs": "Lugs",
    "presets": "Devices by kind",
    "schools": "Schools",
}
WORDS: dict[str, tuple[str, str]] = {
    "key": ("Key", "letters, digits, - _ ."),
    "name": ("Name", ""),
    "chemistry": ("Chemistry", "flooded, agm, gel, lfp, nmc"),
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
    "mark_bank": ("Printed at the battery side", ""),
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
    "drop_v": ("Takes off", "V, where it joins two batteries"),
    "base": ("Volts from", "float, absorption, highest, cell"),
    "offset_v": ("Added", "V at 12 V; for cell the volts a cell"),
    "tail_pct": ("Tail", "% of C"),
    "hold_s": ("Hold", "s"),
    "chemistries": ("Used on", "flooded | agm | gel | lfp | nmc; empty: all"),
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


def _listed(value: object) -> tuple[str, ...]:
    words = value.split("|") if isinstance(value, str) else []
    return tuple(word.strip() for word in words if word.strip())


def _yes(value: object) -> bool:
    return str(value).strip().lower() in ("yes", "y", "1", "true")


def _figure(value: object, about: ValidationInfo) -> str | None:
    """Text or a figure, with a point and a true minus; None where nothing was typed."""
    typed = trimmed(value)
    unit = unit_of(about.field_name or "")
    if unit and AMOUNT.fullmatch(typed):
        return f"{amount_in(typed, unit):.10g}"
    if re.fullmatch(r"-?\d+,\d+", typed):
        return typed.replace(",", ".")
    return typed.replace("−", "-") or None


Listed = Annotated[tuple[str, ...], BeforeValidator(_listed)]
Yes = Annotated[bool, BeforeValidator(_yes)]
Figure = Annotated[str | None, BeforeValidator(_figure)]


def _kind_of(name: str) -> Any:
    if name in LISTS:
        return Listed
    return Hours if name == "hours" else Yes if name in TRUTHS else Figure


def _form(kind: str) -> type[Form]:
    own: dict[str, Any] = {name: (_kind_of(name), ...) for name in KINDS[kind].model_fields}
    return create_model(f"{kind.title()}Form", __base__=Form, **own)


PART_FORMS: dict[str, type[Form]] = {kind: _form(kind) for kind in COLUMNS}
"""A form for each kind of part, with a field for each of its own; what a figure may be, the part says."""


def part_values(kind: str, form: Form) -> dict[str, Any]:
    """A part as plain values, for the Shelf to judge; what was left empty is left out where it may be."""
    found = {}
    for name, field in KINDS[kind].model_fields.items():
        value = getattr(form, name)
        if value is not None:
            found[name] = value
        elif name == "hours":
            found[name] = ()
        elif field.is_required():
            found[name] = ""
    return found


class ShelfDocumentForm(Form):
    """Parts from a document, or the starting ones again."""

    what: Line
    file: File


class RuleForm(Form):
    """The rule for old readings: thinned when older than so many months, to one in so many seconds."""

    months: Number
    step_s: Number


SentShelfDocument = Annotated[Posted[ShelfDocumentForm], Depends(posted(ShelfDocumentForm))]
SentRule = Annotated[Posted[RuleForm], Depends(posted(RuleForm))]
