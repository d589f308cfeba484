"""The bank as typed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, cast, get_args

from volnik.core.rig.bank import Bank, BankRefused, TakeOff
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import BlockPart
from volnik.web.forms.fields import decimal, text, whole

KINDS = {
    "nameplate": "Ah on the nameplate",
    "energy": "kWh",
    "reserve_minutes": "reserve minutes",
    "other_rate": "Ah at another hour rate",
}
START = {
    "chemistry": "lfp",
    "block_cells": "4",
    "series": "1",
    "parallel": "1",
    "kind": "nameplate",
    "ah": "",
    "hours": "20",
    "kwh": "",
    "minutes": "",
    "test_a": "25",
    "takeoff": "diagonal",
    "string_ah": "",
    "made_year": "",
    "cut_out_pct": "",
    "product": "",
}


def fields_of(bank: Bank | None) -> dict[str, str]:
    """A bank as the text of its fields."""
    if bank is None:
        return dict(START)
    label = bank.label

    def shown(value: float | None) -> str:
        return "" if value is None else f"{value:.10g}"

    return {
        "chemistry": bank.chemistry,
        "block_cells": str(bank.block_cells),
        "series": str(bank.series),
        "parallel": str(bank.parallel),
        "kind": label.kind,
        "ah": shown(label.ah),
        "hours": shown(label.hours),
        "kwh": shown(label.kwh),
        "minutes": shown(label.minutes),
        "test_a": shown(label.test_a),
        "takeoff": bank.takeoff,
        "string_ah": " ".join(f"{value:g}" for value in bank.string_ah),
        "made_year": shown(bank.made_year),
        "cut_out_pct": shown(bank.cut_out_pct),
        "product": bank.product,
    }


def follow_chemistry(typed: dict[str, str], was: str) -> dict[str, str]:
    """The cells in a block after the chemistry was changed: a 12 V block stays a 12 V block."""
    if was not in CHEMISTRIES or typed["chemistry"] not in CHEMISTRIES or was == typed["chemistry"]:
        return typed
    old, new = CHEMISTRIES[was].cells_12v, CHEMISTRIES[typed["chemistry"]].cells_12v
    cells = typed["block_cells"]
    if cells.isdigit() and int(cells) * new % old == 0 and old != new:
        return {**typed, "block_cells": str(int(cells) * new // old)}
    return typed


def follow_product(typed: dict[str, str], blocks: Iterable[BlockPart]) -> dict[str, str]:
    """The fields after a block of the Shelf was named: its figures are copied in."""
    part = next((block for block in blocks if block.name == typed["product"]), None)
    if part is None:
        return typed
    cut_out = "" if part.cut_out_pct is None else f"{part.cut_out_pct:g}"
    return {
        **typed,
        "chemistry": part.chemistry,
        "block_cells": str(part.cells),
        "kind": "nameplate",
        "ah": f"{part.ah:g}",
        "cut_out_pct": cut_out,
    }


def read_bank(form: Mapping[str, Any]) -> Bank:
    """The bank typed into the form.

    Raises:
        BankRefused: with a sentence for each field at fault.
    """
    problems: dict[str, str] = {}
    chemistry = text(form, "chemistry")
    if chemistry not in CHEMISTRIES:
        problems["chemistry"] = "Choose the chemistry."
    kind = text(form, "kind")
    if kind not in KINDS:
        problems["kind"] = "Choose what the label states."
    takeoff = cast(TakeOff, text(form, "takeoff"))
    if takeoff not in get_args(TakeOff):
        problems["takeoff"] = "Choose where the leads leave."
    counts = {
        name: whole(form, name, problems, needed=True) for name in ("block_cells", "series", "parallel")
    }
    label = {name: decimal(form, name, problems) for name in ("ah", "hours", "kwh", "minutes", "test_a")}
    strings = []
    for part in text(form, "string_ah").replace(";", " ").split():
        value = decimal({"string_ah": part}, "string_ah", problems)
        strings += [] if value is None else [value]
    year = whole(form, "made_year", problems)
    cut_out = decimal(form, "cut_out_pct", problems)
    if problems:
        raise BankRefused(problems)
    hours = 20.0 if label["hours"] is None else label["hours"]
    test_a = 25.0 if label["test_a"] is None else label["test_a"]
    return Bank(
        chemistry,
        counts["block_cells"] or 0,
        counts["series"] or 0,
        counts["parallel"] or 0,
        CapacityLabel(kind, label["ah"], hours, label["kwh"], label["minutes"], test_a),  # type: ignore[arg-type]
        takeoff,
        tuple(strings),
        year,
        cut_out,
        text(form, "product")[:80],
    )
