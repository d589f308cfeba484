"""The figures of a chemistry as they are typed: volts of a battery as sold, a rest curve line by line."""

from __future__ import annotations

import re
from typing import Annotated, Any

from fastapi import Depends
from pydantic import BeforeValidator, create_model

from volnik.core.shelf.chemistries import EDITABLE, Chemistry
from volnik.web.forms.amounts import amount_in, fault
from volnik.web.forms.posted import Form, Needed, Posted, posted

MOST_LINES = 40
_LINE = re.compile(r"(\d{1,3}(?:[.,]\d{1,2})?) ?%?[ ;:\t]{1,4}(\d{1,2}(?:[.,]\d{1,4})?) ?V?", re.I)


def _curve(value: object) -> tuple[tuple[float, float], ...]:
    """Lines of charge [%] and volts, in any order, as points of charge 0..1 and volts by rising charge."""
    lines = [line.strip() for line in str(value or "").splitlines() if line.strip()]
    if len(lines) > MOST_LINES:
        raise fault(f"has {len(lines)} lines; 20 are enough for any battery.")
    return tuple(sorted(_point(line) for line in lines))


def _point(line: str) -> tuple[float, float]:
    found = _LINE.fullmatch(line[:60])
    if found is None:
        raise fault(f"“{line[:30]}” cannot be read; write charge and volts, such as 50 % 12.25.")
    charge, volts = (float(part.replace(",", ".")) for part in found.groups())
    return charge / 100.0, volts


def _must(value: float | None) -> float:
    if value is None:
        raise fault("needs a figure.")
    return value


def _volts(value: object) -> float:
    return _must(amount_in(value, "V"))


def _hold_s(value: object) -> float:
    return 60.0 * _must(amount_in(value, "min"))


def _share(value: object) -> float:
    return _must(amount_in(value, "%")) / 100.0


TYPES: dict[str, Any] = {
    "rest_v": Annotated[tuple[tuple[float, float], ...], BeforeValidator(_curve)],
    "hold_s": Annotated[float, BeforeValidator(_hold_s)],
    **dict.fromkeys(
        ("efficiency", "efficiency_low", "efficiency_high"), Annotated[float, BeforeValidator(_share)]
    ),
    **dict.fromkeys(
        (name for name in EDITABLE if name.endswith("_v") and name != "rest_v"),
        Annotated[float, BeforeValidator(_volts)],
    ),
}
_FIGURES: dict[str, Any] = {name: (TYPES.get(name, Needed), ...) for name in EDITABLE}
ChemistryForm = create_model("ChemistryForm", __base__=Form, **_FIGURES)
SentChemistry = Annotated[Posted[Form], Depends(posted(ChemistryForm))]


def figures_of(typed: Form, chemistry: Chemistry) -> dict[str, Any]:
    """The figures as the Shelf keeps them, volts a cell [V].

    Args:
        typed: a `ChemistryForm`, in volts of the battery as it is sold.
        chemistry: whose they are.
    """
    _, cells = chemistry.sold
    figures = typed.model_dump()
    for name in EDITABLE:
        if name == "rest_v":
            figures[name] = tuple((charge, volts / cells) for charge, volts in figures[name])
        elif name.endswith("_v"):
            figures[name] /= cells
    return figures
