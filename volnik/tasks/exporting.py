"""Export: a rig's readings, counted series or totals written to a file, to be fetched once."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.outlets.series import ENDING, Form, write_series
from volnik.services.context import AppContext
from volnik.services.log.band import Width, width_of
from volnik.services.log.counted_log import CountedLog, open_counted_log
from volnik.services.watch.sums import rows_for
from volnik.store import rigs as store

WAITS_S = 24 * 3600.0


class ExportService:
    """Writes files aside and gives each out once."""

    def __init__(self, context: AppContext, folder: Path) -> None:
        self._house, self._folder = context, folder
        self._names: dict[str, str] = {}
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.iterdir():
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
            what: "readings", "counted" or "totals".
            by: day, week or month of the totals.
            on_progress: told the share done; may raise to stop.

        Raises:
            ValueError: when there is nothing to write.
        """
        token = secrets.token_urlsafe(16)
        path = self._folder / token
        with self._house.db.reading() as session:
            rig = store.rig(session, rig_id)
            counted_log = open_counted_log(session, self._house, rig_id)
            if counted_log is None:
                raise ValueError("There is nothing to export yet: no log was counted.")
            try:
                if what == "totals":
                    found = rows_for(session, self._house, rig_id, by)
                    assert found is not None
                    rows = found[0]
                    columns = {
                        name: getattr(rows, name)
                        for name in (
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
                    }
                    write_series(path, [(rows.start_s, columns)], form)
                else:
                    width = (
                        width_of(session, self._house, counted_log, wait=True) if what == "counted" else None
                    )
                    write_series(path, self._parts(session, counted_log, what, width, on_progress), form)
            except BaseException:
                path.unlink(missing_ok=True)
                raise
        plain = "".join(name if name.isalnum() else "-" for name in rig.name.lower()).strip("-") or "rig"
        self._names[token] = f"{plain}-{what}{'-by-' + by if what == 'totals' else ''}{ENDING[form]}"
        return token

    def _parts(
        self,
        session: Session,
        counted_log: CountedLog,
        what: str,
        width: Width | None,
        on_progress: Callable[[float], None],
    ) -> Iterator[tuple[Floats, dict[str, Floats]]]:
        names = [pen for pen in counted_log.pens if pen not in ("volts", "amps", "charge")]
        for at, segment in enumerate(counted_log.segments):
            readings = counted_log.readings(session, self._house, segment)
            if what == "readings":
                blank = np.full(len(readings), np.nan)
                yield (
                    readings.time_s,
                    {
                        "volts": readings.volts,
                        "amps": readings.amps,
                        **{name: readings.extra.get(name, blank) for name in names},
                    },
                )
            else:
                counter = counted_log.counter(segment)
                counted = counter.feed(readings.time_s, readings.volts, readings.amps, gap_s=segment.gap_s)
                columns = {
                    "soc": np.maximum(
                        0.0, 1.0 - counted.deficit_ah / counted_log.on.capacities(readings.time_s)
                    ),
                    "deficit_ah": counted.deficit_ah,
                }
                if width is not None:
                    place = np.clip(
                        np.searchsorted(width.time_s, readings.time_s, side="right") - 1,
                        0,
                        len(width.time_s) - 1,
                    )
                    columns |= {"soc_low": width.low[place], "soc_high": width.high[place]}
                yield readings.time_s, columns
            on_progress((at + 1) / len(counted_log.segments))

    def fetched(self, token: str) -> tuple[Path, str] | None:
        """The file of a token and its name, once; None when it is not there."""
        name = self._names.pop(token, None)
        return None if name is None else (self._folder / token, name)
