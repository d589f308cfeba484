"""Export: a rig's readings, counted series or totals written to a file, to be fetched once.

What can be exported is a row of `EXPORTS`; the page, the address and the file's name follow from it.
"""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from volnik import __version__
from volnik.core.arrays import Floats
from volnik.core.rig.rig import spoilt_since
from volnik.outlets.series import FORMS, Form, write_series
from volnik.services.context import AppContext
from volnik.services.log.band import Width, width_of
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.log.raw import raw_readings
from volnik.services.watch.sums import rows_for
from volnik.services.yard.archive import give_out
from volnik.store import rigs as store
from volnik.store.logs import sources

WAITS_S = 24 * 3600.0
TOTALS = (
    "hours",
    "out_ah",
    "in_ah",
    "out_wh",
    "in_wh",
    "low_v",
    "high_v",
    "low_c",
    "high_c",
    "low_soc",
    "end_soc",
    "full_h",
)

Part = tuple[Floats, dict[str, Floats]]
"""Instants [s since 1970] and columns by name, of one length."""


@dataclass(frozen=True, slots=True)
class ExportRun:
    """One export under way.

    Attributes:
        session, context, rig_id: where it reads from.
        counted_log: the rig's log; None where it cannot be counted.
        by: day, week or month of totals.
        on_progress: told the share done; may raise to stop.
    """

    session: Session
    context: AppContext
    rig_id: int
    counted_log: CountedLog | None
    by: str
    on_progress: Callable[[float], None]


@dataclass(frozen=True, slots=True)
class Export:
    """Something that can be exported.

    Attributes:
        label: what it is; "{by}" stands for the stretch of totals.
        parts: reads it, part by part, in order of time, each with the same columns.
    """

    label: str
    parts: Callable[[ExportRun], Iterator[Part]]


def _readings(run: ExportRun) -> Iterator[Part]:
    """Readings as they came, one segment after the other."""
    log = run.counted_log
    if log is None:
        yield from _uncounted(run)
        return
    names = [pen for pen in log.pens if pen not in ("volts", "amps", "charge")]
    for at, segment in enumerate(log.segments):
        readings = log.readings(run.session, run.context, segment)
        blank = np.full(len(readings), np.nan)
        beside = {name: readings.extra.get(name, blank) for name in names}
        yield readings.time_s, {"volts": readings.volts, "amps": readings.amps, **beside}
        run.on_progress((at + 1) / len(log.segments))


def _uncounted(run: ExportRun) -> Iterator[Part]:
    """Readings of a rig that is not described well enough to count them."""
    names = sorted(
        {
            name
            for source in sources(run.session, run.rig_id)
            for name in source.columns
            if name not in ("volts", "amps")
        }
    )
    for done, readings in raw_readings(run.session, run.rig_id):
        blank = np.full(len(readings), np.nan)
        beside = {name: readings.extra.get(name, blank) for name in names}
        yield readings.time_s, {"volts": readings.volts, "amps": readings.amps, **beside}
        run.on_progress(done)


def _counted(run: ExportRun) -> Iterator[Part]:
    """The count of record with its band, reading by reading."""
    log = run.counted_log
    assert log is not None
    width = width_of(run.session, run.context, log, wait=True)
    doubted_s = spoilt_since(store.rig(run.session, run.rig_id).summary)
    for at, segment in enumerate(log.segments):
        readings = log.readings(run.session, run.context, segment)
        counter = log.counter(segment)
        counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=segment.gap_s)
        capacity_ah = log.on.capacities(readings.time_s)
        columns = {
            "soc": np.maximum(0.0, 1.0 - counted.deficit_ah / capacity_ah),
            "deficit_ah": counted.deficit_ah,
        }
        yield readings.time_s, _believed(columns | _band(width, readings.time_s), readings.time_s, doubted_s)
        run.on_progress((at + 1) / len(log.segments))


def _believed(columns: dict[str, Floats], time_s: Floats, doubted_s: float) -> dict[str, Floats]:
    """The columns with what cannot be believed left empty, and whether each row is believed, 1 or 0."""
    fine = time_s < doubted_s
    blank = {name: np.where(fine, values, np.nan) for name, values in columns.items()}
    return {**blank, "believed": fine.astype(float)}


def _band(width: Width | None, time_s: Floats) -> dict[str, Floats]:
    """Least and greatest charge at each instant, where a band is known."""
    if width is None:
        return {}
    place = np.clip(np.searchsorted(width.time_s, time_s, side="right") - 1, 0, len(width.time_s) - 1)
    return {"soc_low": width.low[place], "soc_high": width.high[place]}


def _totals(run: ExportRun) -> Iterator[Part]:
    """Totals by day, week or month."""
    found = rows_for(run.session, run.context, run.rig_id, run.by)
    assert found is not None
    rows = found[0]
    yield rows.start_s, {name: getattr(rows, name) for name in TOTALS}


EXPORTS: dict[str, Export] = {
    "readings": Export("readings", _readings),
    "counted": Export("counted series", _counted),
    "totals": Export("totals by {by}", _totals),
}


def file_word(name: str) -> str:
    """A rig's name as it stands in the name of a file."""
    return "".join(letter if letter.isalnum() else "-" for letter in name.lower()).strip("-") or "rig"


class ExportService:
    """Writes files aside and gives each out once."""

    def __init__(self, context: AppContext, folder: Path) -> None:
        self._context, self._folder = context, folder
        self._names: dict[str, str] = {}
        folder.mkdir(parents=True, exist_ok=True)
        self.tidy()

    def tidy(self) -> None:
        """Let go of files nobody fetched."""
        for old in self._folder.iterdir():
            if old.stat().st_mtime < time.time() - WAITS_S:
                old.unlink(missing_ok=True)

    def export(
        self,
        rig_id: int,
        *,
        what: str,
        form: Form,
        by: str = "day",
        on_progress: Callable[[float], None] = lambda done: None,
    ) -> str:
        """Write a file; returns the token it waits under.

        Args:
            what: a key of `EXPORTS`.
            by: day, week or month of the totals.
            on_progress: told the share done; may raise to stop.

        Raises:
            ValueError: when there is nothing to write.
        """
        token = secrets.token_urlsafe(16)
        path = self._folder / token
        with self._context.db.reading() as session:
            rig = store.rig(session, rig_id)
            counted_log = open_counted_log(session, self._context, rig_id)
            if counted_log is None and what != "readings":
                raise ValueError(
                    "There is nothing counted to export: describe the battery and set the numbers."
                )
            if counted_log is None and not sources(session, rig_id):
                raise ValueError("There is nothing to export yet: no reading came in.")
            run = ExportRun(session, self._context, rig_id, counted_log, by, on_progress)
            try:
                write_series(path, EXPORTS[what].parts(run), form)
            except BaseException:
                path.unlink(missing_ok=True)
                raise
        plain = file_word(rig.name)
        stretch = f"-by-{by}" if "{by}" in EXPORTS[what].label else ""
        self._names[token] = f"{plain}-{what}{stretch}{FORMS[form].ending}"
        return token

    def archive(self, rig_id: int, on_progress: Callable[[float], None] = lambda done: None) -> str:
        """Write a rig's archive; returns the token it waits under."""
        token = secrets.token_urlsafe(16)
        name = give_out(
            self._context, rig_id, self._folder / token, program=__version__, on_progress=on_progress
        )
        self._names[token] = f"{file_word(name)}.volnik-rig.zip"
        return token

    def fetched(self, token: str) -> tuple[Path, str] | None:
        """The file of a token and its name, once; None when it is not there."""
        name = self._names.pop(token, None)
        return None if name is None else (self._folder / token, name)
