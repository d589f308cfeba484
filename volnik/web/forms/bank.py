"""The bank as typed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, cast, get_args

from fastapi import Depends
from pydantic import BeforeValidator

from volnik.core.rig.bank import Bank, TakeOff
from volnik.core.rig.capacity import CapacityKind, CapacityLabel
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import BlockPart
from volnik.core.units import System
from volnik.web.forms.amounts import fault, number_in, trimmed
from volnik.web.forms.posted import (
    Form,
    Line,
    NeededWhole,
    Number,
    Posted,
    Truth,
    chosen,
    posted,
)
from volnik.web.us_units import shown_in

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
    "charge_a": "",
    "discharge_a": "",
    "peak_a": "",
    "short_ka": "",
    "cell_low_v": "",
    "cell_high_v": "",
    "charge_cold_c": "",
    "charge_hot_c": "",
    "commands_charging": "",
}
LIMITS = (
    ("charge_a", "A string takes at most", "A"),
    ("discharge_a", "gives for good at most", "A"),
    ("peak_a", "and for seconds", "A"),
    ("short_ka", "Short circuit of a string", "kA"),
    ("cell_low_v", "Its protection opens the discharge at", "V a cell"),
    ("cell_high_v", "and the charge at", "V a cell"),
    ("charge_cold_c", "No charge below", "°C"),
    ("charge_hot_c", "and none above", "°C"),
)
"""What the maker states of a battery: (name, words, unit)."""


def fields_of(bank: Bank | None, system: System = "metric") -> dict[str, str]:
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
        "made_year": bank.years_told,
        "cut_out_pct": shown(bank.cut_out_pct),
        "product": bank.product,
        **{name: shown_in(getattr(bank, name), unit, system) for name, _, unit in LIMITS},
        "commands_charging": "" if bank.commands_charging is None else str(int(bank.commands_charging)),
    }


def follow_chemistry(typed: dict[str, str], was: str) -> dict[str, str]:
    """The cells in a block after the chemistry was changed: a 24 V block stays a 24 V block."""
    if was not in CHEMISTRIES or typed["chemistry"] not in CHEMISTRIES or was == typed["chemistry"]:
        return typed
    old, new = CHEMISTRIES[was].cells_12v, CHEMISTRIES[typed["chemistry"]].cells_12v
    cells = typed["block_cells"]
    if cells.isdigit() and int(cells) * new % old == 0 and old != new:
        return {**typed, "block_cells": str(int(int(cells) * new / old))}
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


def _amp_hours(value: object) -> tuple[float, ...]:
    """Ah of each string, parted by blanks or semicolons."""
    parts = value.replace(";", " ").split() if isinstance(value, str) else []
    return tuple(number for number in map(number_in, parts) if number is not None)


def _years(value: object) -> tuple[int, ...]:
    """The year of making, or one for each string, parted by blanks, commas or semicolons."""
    parts = trimmed(value).replace(";", " ").replace(",", " ").split()
    if any(not part.isdecimal() or len(part) != 4 for part in parts):
        raise fault("A year such as 2024, or one for each string: 2019 2024.")
    return tuple(map(int, parts))


class BankForm(Form):
    """The bank as it is described; what the label states decides which of its figures count."""

    chemistry: Annotated[Line, chosen(CHEMISTRIES, "Choose the chemistry.")]
    block_cells: NeededWhole
    series: NeededWhole
    parallel: NeededWhole
    kind: Annotated[Line, chosen(KINDS, "Choose what the label states.")]
    ah: Number
    hours: Number
    kwh: Number
    minutes: Number
    test_a: Number
    takeoff: Annotated[Line, chosen(get_args(TakeOff), "Choose where the leads leave.")]
    string_ah: Annotated[tuple[float, ...], BeforeValidator(_amp_hours)]
    made_year: Annotated[tuple[int, ...], BeforeValidator(_years)]
    cut_out_pct: Number
    product: Line
    charge_a: Number
    discharge_a: Number
    peak_a: Number
    short_ka: Number
    cell_low_v: Number
    cell_high_v: Number
    charge_cold_c: Number
    charge_hot_c: Number
    commands_charging: Truth

    def bank(self) -> Bank:
        """The bank.

        Raises:
            BankRefused: with a sentence for each field at fault.
        """
        label = CapacityLabel(
            cast(CapacityKind, self.kind),
            ah=self.ah,
            hours=20.0 if self.hours is None else self.hours,
            kwh=self.kwh,
            minutes=self.minutes,
            test_a=25.0 if self.test_a is None else self.test_a,
        )
        return Bank(
            self.chemistry,
            self.block_cells,
            self.series,
            self.parallel,
            label,
            cast(TakeOff, self.takeoff),
            self.string_ah,
            min(self.made_year, default=None),
            self.cut_out_pct,
            self.product[:80],
            **{name: getattr(self, name) for name, _, _ in LIMITS},
            commands_charging=self.commands_charging,
            string_years=self.made_year if len(set(self.made_year)) > 1 else (),
        )


SentBank = Annotated[Posted[BankForm], Depends(posted(BankForm))]
