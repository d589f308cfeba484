"""What Survey says of the bank, and of what the old gauge's lamps mean."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.studs import lower
from volnik.services.survey.bank import SurveyView
from volnik.services.survey.gauge import GaugeView
from volnik.web.page import kwh, number, percent, tidy_number
from volnik.web.plural import count_of

LABEL_FIELDS = {
    "nameplate": ("ah",),
    "energy": ("kwh",),
    "reserve_minutes": ("minutes", "test_a"),
    "other_rate": ("ah", "hours"),
}
"""Figures that each kind of label states."""

LEAST_LAMPS = 4
MONITOR_FIELDS = (
    ("kind", "Kind", ""),
    ("shunt_a", "is set for a shunt of", "A"),
    ("shunt_mv", "at", "mV"),
    ("step_a", "one count of it", "A"),
    ("smallest_a", "smallest draw that matters", "A"),
    ("reporting_s", "reports every", "s"),
)


@dataclass(frozen=True, slots=True)
class BankPage:
    """The bank's words.

    Attributes:
        capacity: Ah of the whole bank, "" while it cannot be told.
        heading: the verdict, or what to do.
        cells: what a 12 V block of this chemistry has.
        asked: figures that the chosen kind of label states.
    """

    capacity: str
    heading: str
    cells: str
    asked: tuple[str, ...]


CELLS_OF = {"lfp": "cells a battery (12 V: 4)", "nmc": "cells a battery (24 V: 7, 48 V: 14)"}


def bank_page(view: SurveyView, form: dict[str, str], problems: dict[str, str]) -> BankPage:
    """The words of a bank.

    Args:
        form: what stands in the fields.
        problems: what is wrong with them.
    """
    told = view.capacity is not None and not problems
    return BankPage(
        number(view.capacity.capacity_ah, 0) if view.capacity is not None and told else "",
        _bank_heading(view, problems),
        CELLS_OF.get(form["chemistry"], "cells a battery (12 V: 6)"),
        LABEL_FIELDS.get(form["kind"] or "nameplate", LABEL_FIELDS["nameplate"]),
    )


def _bank_heading(view: SurveyView, problems: dict[str, str]) -> str:
    if problems:
        return "Something typed cannot be meant; see beside the field."
    if view.capacity is None or view.bank is None or view.chemistry is None:
        return "What battery is it? Type the label of one battery and how many there are."
    volts = view.bank.nominal_v(view.chemistry)
    what = f"{number(volts, 1)} V {lower(view.chemistry.name)}, {count_of(view.bank.blocks, 'battery')}"
    energy = kwh(view.capacity.capacity_ah * volts)
    known = f"{count_of(len(view.findings), 'thing')} to know." if view.findings else NOTHING
    return f"{what}, {energy} kWh. {known}"


NOTHING = "No problems found."


@dataclass(frozen=True, slots=True)
class Field:
    """A field with its words and text."""

    name: str
    label: str
    value: str
    unit: str


@dataclass(frozen=True, slots=True)
class GaugePage:
    """The old gauge's words.

    Attributes:
        low, count: lamps that light below the reserve, of all.
        heading: what that means;
        assumed: whether the lamps are only a common panel's.
        lamps: fields for the lamps;
        monitor: fields for the monitor;
        dialect: the chosen one.
        dialects: to choose from, with their words.
    """

    low: int
    count: int
    heading: str
    assumed: str
    lamps: list[Field]
    monitor: list[Field]
    dialect: str
    dialects: list[tuple[str, str]]


def gauge_page(view: GaugeView, typed: dict[str, str]) -> GaugePage:
    """The words of a rig's old gauge.

    Args:
        typed: what was refused.
    """
    low = sum(lamp.below_reserve for lamp in view.lamps)
    comfort = ": false comfort" if low else ""
    rest = f"Volts at rest, {lower(view.chemistry.name)}, {view.path.bank.cells} cells."
    chosen = typed.get("dialect", view.monitor.dialect)
    known = [(dialect.key, f"{dialect.name}: {dialect.what}") for dialect in view.path.catalogue.dialects]
    if chosen and chosen not in dict(known):  # one taken off the Shelf since
        known.append((chosen, chosen))
    return GaugePage(
        low,
        len(view.lamps),
        f"No old panel is described; {low} lamps of a common one light below the reserve. {rest}"
        if view.assumed
        else f"lamps light below the reserve of {percent(view.reserve)} %{comfort}. {rest}",
        "The lamps are a common panel's; type what this one lights at."
        if view.assumed
        else "The lamps are as typed.",
        _lamp_fields(view, typed),
        [_monitor_field(view, typed, *asked) for asked in MONITOR_FIELDS],
        chosen,
        known,
    )


def _lamp_fields(view: GaugeView, typed: dict[str, str]) -> list[Field]:
    stated = view.monitor.lamps_v
    fields = []
    for at in range(max(LEAST_LAMPS, len(stated))):
        value = tidy_number(stated[at]) if at < len(stated) else ""
        fields.append(Field(f"lamp{at}", f"lamp {at + 1}", typed.get(f"lamp{at}", value), "V"))
    return fields


def _monitor_field(view: GaugeView, typed: dict[str, str], name: str, label: str, unit: str) -> Field:
    stated = getattr(view.monitor, name)
    value = stated if isinstance(stated, str) else tidy_number(stated)
    return Field(name, label, typed.get(name, value), unit)
