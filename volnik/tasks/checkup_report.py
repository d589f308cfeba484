"""`volnik checkup` and `volnik band`.

A file of readings cross-examined, and the width of its count, without a database.
"""

from __future__ import annotations

import csv
import math
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from volnik.core.count.log import Counted, LogCounter, gap_limit_s
from volnik.core.count.uncertainty import Band, band
from volnik.core.document import RigDocument
from volnik.core.instants import iso_text
from volnik.core.numbers.defaults import default_numbers
from volnik.core.readings import Readings
from volnik.core.rig.devices import all_drawn
from volnik.core.settings import Numbers, numbers_from_dict
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.watch.checkup.cause import Cause
from volnik.core.watch.checkup.facts import RigFacts, which_bank
from volnik.core.watch.checkup.measures import Measure
from volnik.core.watch.checkup.registry import Checkup, checkup, names
from volnik.core.watch.checkup.rig_facts import plan_of
from volnik.tasks.path_report import open_document
from volnik.tasks.replay import ReplayRefused, load_settings, read_file

BESIDE = ("power_up", "relay", "alarms")


@dataclass(frozen=True, slots=True)
class Given:
    """What was given: the readings, the settings or None, the rig's plan or None, what was taken instead."""

    readings: Readings
    numbers: Numbers | None
    plan: RigFacts | None
    notes: list[str]


def take(readings: Path, settings: Path | None, rig: Path | None) -> Given:
    """Read what was given; settings come before the rig's own numbers.

    Raises:
        ReplayRefused: when the file or settings cannot be used.
        InvalidInput: when the rig document cannot.
    """
    notes: list[str] = []
    numbers = None if settings is None else load_settings(settings)
    plan = None
    if rig is not None:
        document, bank = open_document(rig)
        chemistry = CHEMISTRIES[bank.chemistry]
        plan = plan_of(bank, chemistry, all_drawn(document.devices or (), PRESETS, bank.nominal_v(chemistry)))
        if document.devices is None:
            notes.append("devices is missing: no load's amps are known.")
        if numbers is None:
            numbers = _numbers_of(document)
        if numbers is None:
            numbers = default_numbers(bank, chemistry)
            notes.append("numbers is missing: the defaults of the battery are taken.")
    read = read_file(readings)
    if read.problem_count:
        notes.append(f"Lines left out: {read.problem_count}.")
    return Given(read.readings, numbers, plan, notes)


def _numbers_of(document: RigDocument) -> Numbers | None:
    """The settings of a rig document, or None."""
    if document.numbers is None:
        return None
    return numbers_from_dict({key: value for key, value in document.numbers.items() if key not in BESIDE})


def check_file(readings: Path, settings: Path | None, rig: Path | None) -> tuple[Checkup, list[str]]:
    """Cross-examine a file; raises as `take`."""
    given = take(readings, settings, rig)
    return checkup(given.readings, numbers=given.numbers, plan=given.plan), given.notes


def checkup_lines(found: Checkup, notes: list[str]) -> list[str]:
    """The check-up as lines of text."""
    lines = list(notes)
    if not found.causes:
        lines.append("No problems found in this log.")
    for cause in found.causes:
        lines += [
            f"{names()[cause.cause]}: {100 * cause.likelihood:.0f} %{_since(cause)}",
            f"  {cause.evidence}",
            f"  Next: {cause.next}",
        ]
        if cause.corrected:
            lines.append(
                "  Corrected: " + ", ".join(f"{key} {value:g}" for key, value in cause.corrected.items())
            )
    if found.measures:
        lines += ["", "Measured"]
        lines += [f"  {each.title}: {_figure(each)}" for each in found.measures]
    if found.cannot_tell:
        lines += ["", "Cannot tell"]
        lines += [f"  {names()[unsure.cause]}: {unsure.why}" for unsure in found.cannot_tell]
    return lines


def _since(cause: Cause) -> str:
    """Since when, "" from the start of the log."""
    return (
        ""
        if cause.since_s is None
        else f", since about {datetime.fromtimestamp(cause.since_s, UTC):%Y-%m-%d}"
    )


def _figure(each: Measure) -> str:
    """A figure, and between what it lies."""
    least = f"{each.low:.{each.digits}f}"
    if math.isinf(each.high):
        return f"more than {least} {each.unit}"
    return f"{each.value:.{each.digits}f} {each.unit} ({least} to {each.high:.{each.digits}f})"


def band_file(
    readings: Path, settings: Path | None, rig: Path | None
) -> tuple[Readings, Counted, Band, list[str]]:
    """Count a file with the width of the count; raises as `take`.

    Raises:
        ReplayRefused: without settings, numbers or one good reading.
    """
    given = take(readings, settings, rig)
    if given.numbers is None:
        raise ReplayRefused("A band is drawn about a count: give --settings, or --rig with its numbers.")
    if not len(given.readings):
        raise ReplayRefused(f"{readings}: not one line holds a good reading.")
    chemistry, cells, guessed = which_bank(given.readings, given.plan)
    if guessed:
        given.notes.append(
            f"No rig was given: by its volts this is a battery of {CHEMISTRIES[chemistry].name} in "
            f"{cells} cells."
        )
    gap_s = gap_limit_s(given.readings.time_s)
    log = given.readings
    counted = LogCounter.opened(given.numbers).feed(log.time_s, log.volts, log.amps, gap_s=gap_s)
    return (
        log,
        counted,
        band(log, counted, given.numbers, chemistry=chemistry, cells=cells, gap_s=gap_s),
        given.notes,
    )


def write_band(path: Path, readings: Readings, found: Band) -> None:
    """Write time, soc, soc_low, soc_high as CSV; soc, the likeliest charge, is empty while unknown.

    Raises:
        OSError: when the file cannot be written.
    """
    with path.open("w", newline="", encoding="utf-8") as out:
        rows = csv.writer(out)
        rows.writerow(("time", "soc", "soc_low", "soc_high"))
        for time_s, soc, low, high in zip(
            readings.time_s.tolist(),
            found.centre.tolist(),
            found.low.tolist(),
            found.high.tolist(),
            strict=True,
        ):
            rows.writerow((iso_text(time_s), "" if soc != soc else f"{soc:.6f}", f"{low:.6f}", f"{high:.6f}"))
