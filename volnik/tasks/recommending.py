"""`volnik numbers` and `volnik resetmap`: a rig document simulated on the terminal, without a database."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from volnik.core.document import RigDocument
from volnik.core.findings import by_weight
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.defaults import default_numbers
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.reasons import Reason, reasons, recommended_numbers
from volnik.core.numbers.recommend import recommend
from volnik.core.numbers.recommended import Recommended, Weathered
from volnik.core.numbers.reset_map import ZONES, ResetMap, grid_for, reset_map, sampled
from volnik.core.numbers.schools import school_points
from volnik.core.path.analysis import analyse
from volnik.core.path.fitted import fitted
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Wiring
from volnik.core.settings import Numbers, numbers_from_dict
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.dialects import DIALECTS
from volnik.core.shelf.presets import PRESETS
from volnik.core.shelf.schools import SCHOOLS
from volnik.core.simulation.season import Days, season
from volnik.core.simulation.vehicle import Vehicle, vehicle_of
from volnik.tasks.path_report import open_document

BESIDE = ("power_up", "relay", "alarms")
HEADER = ("charged_voltage_v", "tail_current_pct", "zone", "resets", "early_resets", "mean_error")


@dataclass(frozen=True, slots=True)
class Opened:
    """A rig document ready to be simulated.

    The vehicle, its own numbers or the defaults, what was taken for granted.
    """

    document: RigDocument
    vehicle: Vehicle
    numbers: Numbers
    power_up: str
    floor_pct: float
    power_ups: tuple[str, ...]
    notes: list[str]


def open_rig(path: Path) -> Opened:
    """Read a rig document for simulation.

    Raises:
        InvalidInput: when it cannot be read, lacks the bank, or has a charger that cannot be.
    """
    document, bank = open_document(path)
    latitude = None if document.rig is None else document.rig.latitude
    devices = document.devices or ()
    chemistry = CHEMISTRIES[bank.chemistry]
    wiring = document.wiring.planned or document.wiring.found or Wiring()
    seen = analyse(
        bank,
        chemistry,
        devices,
        fitted(wiring, bank, devices, PRESETS, like=document.wiring.found),
        monitor=document.monitor,
        presets=PRESETS,
    )
    vehicle = vehicle_of(seen, use=document.use or Use(), latitude=latitude)
    numbers, power_up = default_numbers(bank, chemistry), "blank"
    if document.numbers is not None:
        power_up = str(document.numbers.get("power_up", "blank"))
        numbers = numbers_from_dict(
            {key: value for key, value in document.numbers.items() if key not in BESIDE}
        )
    floor, power_ups = _limits_of(document, numbers)
    return Opened(document, vehicle, numbers, power_up, floor, power_ups, _taken_instead(document))


def _taken_instead(document: RigDocument) -> list[str]:
    """What the document leaves out, and what is taken instead."""
    notes = []
    if document.wiring.planned is None and document.wiring.found is None:
        notes.append("wiring is missing: every device is taken as counted.")
    if not document.devices:
        notes.append("devices is missing: nothing charges or loads this battery.")
    if document.rig is None or document.rig.latitude is None:
        notes.append("rig.latitude is missing: 48 degrees north is taken.")
    return notes


def _limits_of(document: RigDocument, numbers: Numbers) -> tuple[float, tuple[str, ...]]:
    """What the monitor's dialect takes: least tail current [%], power-up states."""
    named = "" if document.monitor is None else document.monitor.dialect
    dialect = next((dialect for dialect in DIALECTS if dialect.key == named), None)
    if dialect is None:
        return numbers.tail_floor_pct, ("blank", "last", "full")
    return min(dialect.floor_pct, numbers.tail_floor_pct), tuple(dialect.power_up)


@dataclass(frozen=True, slots=True)
class Settled:
    """What `volnik numbers` answers: the settings, why each, what speaks against them."""

    settings: Numbers
    why: dict[str, Reason]
    recommended: Recommended
    answer: dict[str, Any]
    stops: int


def recommend_settings(path: Path, *, seed: int = 1) -> Settled:
    """Recommend every number of a rig document.

    Raises:
        InvalidInput: as `open_rig`.
    """
    opened = open_rig(path)
    vehicle = opened.vehicle
    found = recommend(vehicle, seed=seed, floor_pct=opened.floor_pct)
    step = None if opened.document.monitor is None else opened.document.monitor.step_a
    why = reasons(vehicle, found, school_points(vehicle, SCHOOLS), step_a=step, power_ups=opened.power_ups)
    settings = recommended_numbers(vehicle, why)
    power_up = str(why["power_up"].value)
    findings = by_weight(
        [
            *numbers_findings(settings, vehicle.bank, vehicle.chemistry, power_up),
            *feasibility(vehicle, settings, recommended=found),
        ]
    )
    answer = {
        "settings": settings.as_dict(),
        "why": {key: _fields(reason, REASON_FIELDS) for key, reason in why.items()},
        "power_up": power_up,
        "works": found.charged_voltage_v is not None,
        "verdict": found.sentence,
        "margins": {
            "down_v": round(found.down_v, 3),
            "up_v": round(found.up_v, 3),
            "narrower_pct": round(found.narrower_pct, 2),
            "wider_pct": round(found.wider_pct, 2),
        },
        "weathers": [_weather(weather) for weather in found.weathers],
        "findings": [_fields(finding, FINDING_FIELDS) for finding in findings],
        "notes": opened.notes,
    }
    return Settled(settings, why, found, answer, sum(finding.level == "stop" for finding in findings))


REASON_FIELDS = ("value", "why", "source", "others", "against")
FINDING_FIELDS = ("id", "level", "message", "why", "hint", "at")


def _fields(given: object, names: tuple[str, ...]) -> dict[str, Any]:
    """Some fields of a value, as they are given out."""
    return {name: getattr(given, name) for name in names}


def _weather(weather: Weathered) -> dict[str, Any]:
    return {
        "name": weather.name,
        "zone": weather.zone,
        "resets": weather.resets,
        "full_charges": weather.full_legs,
    }


def settled_lines(settled: Settled) -> list[str]:
    """The answer as lines of text."""
    lines = [*settled.answer["notes"], settled.recommended.sentence, ""]
    for key, reason in settled.why.items():
        if key == "power_up":
            lines.append(f"Power-up state: {reason.value}")
        else:
            meaning = MEANINGS[key]
            value = (
                "leave it open"
                if reason.value is None
                else f"{round(float(reason.value) * meaning.per_stored, 6):g} {meaning.unit}".rstrip()
            )
            lines.append(f"{meaning.label}: {value}")
        lines += [
            f"    {reason.why}",
            f"    Others: {reason.others}. Against: {reason.against} Source: {reason.source}.",
        ]
    lines += ["", f"{len(settled.answer['findings'])} findings"]
    lines += [f"  {item['level']:<6} {item['id']}  {item['message']}" for item in settled.answer["findings"]]
    return lines


def map_rig(path: Path, *, hold_s: float | None = None, seed: int = 1) -> tuple[ResetMap, list[str]]:
    """The reset map of a rig document over its season, and what was taken for granted.

    Args:
        hold_s: [s]; by default that of its numbers, else the chemistry's.

    Raises:
        InvalidInput: as `open_rig`.
    """
    opened = open_rig(path)
    vehicle, numbers = opened.vehicle, opened.numbers
    days = season(vehicle, Days(vehicle.use.season, vehicle.use.sky, seed))
    seen = sampled(
        days,
        days.readings(),
        is_lead=vehicle.chemistry.is_lead,
        capacity_ah=numbers.capacity_ah,
        dead_band_a=numbers.dead_band_a,
    )
    found = reset_map(
        seen,
        grid_for(vehicle.chemistry, vehicle.bank.cells),
        hold_s=numbers.hold_s if hold_s is None else hold_s,
        floor_pct=opened.floor_pct,
        dead_band_a=numbers.dead_band_a,
    )
    if not vehicle.sources:
        opened.notes.append("Nothing charges this battery: every setting never resets.")
    elif not seen.full_legs:
        opened.notes.append(
            f"This battery is never filled on these days (at best {100 * seen.peak:.0f} %): “never” is "
            "no fault of the number."
        )
    return found, opened.notes


def write_map(out: Path, found: ResetMap) -> None:
    """Write a map as CSV, a row a cell, volts rising, then tail; `mean_error` is a share of capacity."""
    with out.open("w", newline="", encoding="utf-8") as raw:
        table = csv.writer(raw, lineterminator="\n")
        table.writerow(HEADER)
        for row, volts in enumerate(found.grid.charged_v):
            for column, tail in enumerate(found.grid.tail_pct):
                table.writerow(
                    (
                        f"{volts:.2f}",
                        f"{tail:.1f}",
                        ZONES[int(found.zone[row, column])],
                        int(found.resets[row, column]),
                        int(found.early[row, column]),
                        f"{found.error[row, column]:.5f}",
                    )
                )
