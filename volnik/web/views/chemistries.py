"""What the Shelf says of a chemistry: its ladder, figures in volts of a battery as sold, rest curve."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.shelf.chemistries import CHEMISTRIES, Chemistry
from volnik.drawings.chemistry import ChemistryDrawing, draw_chemistry
from volnik.web.page import tidy_number

VOLTS = {
    "harm_v": "never above",
    "absorption_high_v": "absorption, to",
    "absorption_low_v": "absorption, from",
    "charged_v": "charged voltage",
    "float_high_v": "float, to",
    "float_low_v": "float, from",
    "early_v": "too early below",
}
OTHERS = {
    "tail_pct": ("tail current", "% of C"),
    "hold_s": ("hold time", "min"),
    "peukert": ("Peukert exponent", ""),
    "peukert_low": ("exponent, from", ""),
    "peukert_high": ("exponent, to", ""),
    "efficiency": ("coulombic efficiency", "%"),
    "efficiency_low": ("efficiency, from", "%"),
    "efficiency_high": ("efficiency, to", "%"),
    "reserve_pct": ("reserve", "%"),
}
SHOWN_IN = {"hold_s": 1.0 / 60.0, "efficiency": 100.0, "efficiency_low": 100.0, "efficiency_high": 100.0}
"""By what a figure is multiplied to be shown; the others stand as they are."""


@dataclass(frozen=True, slots=True)
class FigureField:
    """A figure to type: what stands in it, its unit, and what is said beside it."""

    name: str
    label: str
    unit: str
    value: str
    beside: str


@dataclass(frozen=True, slots=True)
class ChemistryCard:
    """One chemistry on the page.

    Attributes:
        told_of: the battery its volts are told of.
        volts_of: the same, in short.
        volts, others: its figures.
        curve: its rest curve as lines to type.
        lines: how many of them are shown.
        curve_beside: that the curve is the shop's own.
        problems: what is wrong with what was typed.
    """

    key: str
    name: str
    told_of: str
    volts_of: str
    source: str
    drawing: ChemistryDrawing
    volts: list[FigureField]
    others: list[FigureField]
    curve: str
    lines: int
    curve_beside: str
    problems: dict[str, str]


def chemistry_card(chemistry: Chemistry, typed: dict[str, str], problems: dict[str, str]) -> ChemistryCard:
    """The words of one chemistry.

    Args:
        chemistry: as the shop keeps it.
        typed: what stands in its fields, where something was refused.
        problems: what is wrong with it.
    """
    sold_v, cells = chemistry.sold
    curve = typed.get("rest_v", _curve(chemistry))
    is_own = chemistry.rest_v != CHEMISTRIES[chemistry.key].rest_v
    return ChemistryCard(
        chemistry.key,
        chemistry.name,
        f"a {sold_v} V battery, {cells} cells",
        f"V of {sold_v} V",
        chemistry.source,
        draw_chemistry(chemistry),
        [_volts(chemistry, name, label, typed) for name, label in VOLTS.items()],
        [_other(chemistry, name, *words, typed) for name, words in OTHERS.items()],
        curve,
        min(14, curve.count("\n") + 1),
        "the shop's own curve" if is_own else "",
        problems,
    )


def _volts(chemistry: Chemistry, name: str, label: str, typed: dict[str, str]) -> FigureField:
    _, cells = chemistry.sold
    value, started = (getattr(one, name) for one in (chemistry, CHEMISTRIES[chemistry.key]))
    told = f"{value:.3f} V a cell"
    if value != started:
        told = f"{told}; started as {tidy_number(round(cells * started, 2))} V"
    return FigureField(name, label, "V", typed.get(name, tidy_number(round(cells * value, 2))), told)


def _other(chemistry: Chemistry, name: str, label: str, unit: str, typed: dict[str, str]) -> FigureField:
    factor = SHOWN_IN.get(name, 1.0)
    value, started = (
        tidy_number(round(factor * getattr(one, name), 4)) for one in (chemistry, CHEMISTRIES[chemistry.key])
    )
    told = "" if value == started else f"started as {started}"
    return FigureField(name, label, unit, typed.get(name, value), told)


def _curve(chemistry: Chemistry) -> str:
    """The rest curve as lines of charge and volts, full first."""
    _, cells = chemistry.sold
    return "\n".join(
        f"{tidy_number(round(100.0 * charge, 1))} % {cells * volts:.2f}"
        for charge, volts in reversed(chemistry.rest_v)
    )
