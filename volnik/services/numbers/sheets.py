"""The sheet of a rig: made in a monitor's own words, kept as given out, read back from the monitor."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import on_sheet
from volnik.core.numbers.ladder import ladder
from volnik.core.numbers.sheet import Sheet, SheetInput, differences, make_sheet, not_read_back, plain_sheet
from volnik.core.shelf.dialects import PLAIN, Dialect, described_by
from volnik.services.context import AppContext
from volnik.services.numbers.alarms import saved_alarms
from volnik.services.numbers.study import Inputs, inputs, nearest_hold, reasons_of, study_of
from volnik.services.path.drawings import keep_survey
from volnik.services.path.read import read_path
from volnik.services.shelf.catalogue import put
from volnik.store import sheets as sheet_store
from volnik.store.sheets import KeptSheet, ReadBack

__all__ = [
    "KeptSheet",
    "ReadBack",
    "SheetView",
    "choose_dialect",
    "give_out",
    "keep_words",
    "read_back",
    "sheet_lines",
    "sheet_document",
    "sheet_view",
]


@dataclass(frozen=True, slots=True)
class SheetView:
    """The sheet as it would be given out now, and what was given out before.

    Attributes:
        given: the rig.
        sheet: in the chosen dialect.
        chosen: whether that is the fitted monitor's, as recorded.
        last: sheet given out last, or None.
        changes: (label, was, is) since then.
        back: what was last read back against it.
        off: rows whose read-back is not what the sheet says.
        simulated: whether the reset was tried on simulated days.
        unread: labels of the last sheet's rows that nobody has read back yet.
    """

    given: Inputs
    sheet: Sheet
    chosen: bool
    last: KeptSheet | None
    changes: list[tuple[str, str, str]]
    back: ReadBack | None
    off: list[dict[str, Any]]
    simulated: bool
    unread: list[str]


def _chosen(offered: Sequence[Dialect], key: str) -> Dialect | None:
    return next((item for item in offered if item.key == key), None)


def sheet_view(context: AppContext, rig_id: int, dialect: str = "") -> SheetView:
    """The sheet of a rig.

    Args:
        dialect: key of another than the fitted monitor's; "" takes that, or plain words.

    Raises:
        NoBank, InvalidInput: as for a study.
    """
    given = inputs(context, rig_id)
    chosen = _chosen((*given.path.catalogue.dialects, PLAIN), dialect) or given.dialect or PLAIN
    sheet = _made(context, given, chosen)
    with context.db.reading() as session:
        last = next(reversed(sheet_store.sheets(session, rig_id)), None)
        back = None if last is None else sheet_store.last_read_back(session, rig_id, last.id)
    of_monitor = chosen == (given.dialect or PLAIN)
    simulated = study_of(context, given) is not None
    if last is None:
        return SheetView(given, sheet, of_monitor, None, _changes(None, sheet), back, [], simulated, [])
    entered = [] if back is None else back.body
    off = differences(sheet, entered) if last.dialect == chosen.key else []
    unread = not_read_back(last.body["rows"], entered)
    return SheetView(given, sheet, of_monitor, last, _changes(last, sheet), back, off, simulated, unread)


def sheet_lines(context: AppContext, rig_id: int) -> tuple[tuple[str, ...], str]:
    """The rows of the sheet given out last, as they are entered, and the monitor's name.

    None while none was given out.
    """
    with context.db.reading() as session:
        kept = sheet_store.sheets(session, rig_id)
    if not kept:
        return (), ""
    body = kept[-1].body
    rows = [
        f"{row['label']}: {shown(row['value'], row['unit'])}"
        if row["value"] is not None
        else f"{row['name']}: {row['routine']}"
        for row in body["rows"]
    ]
    return (*rows, body["power_up_told"]), str(body["monitor"]["name"])


def _made(context: AppContext, given: Inputs, chosen: Dialect) -> Sheet:
    study = study_of(context, given)
    rungs = ladder(given.vehicle, given.numbers)
    over = next(rung.high_v for rung in rungs.rungs if rung.key == "over") * given.vehicle.bank.cells
    with context.db.reading() as session:
        alarms = on_sheet(saved_alarms(session, given.rig.id))
    at_map = None if study is None else study.maps[nearest_hold(given.numbers.hold_s)]
    return make_sheet(
        given.numbers,
        given.power_up,
        chosen,
        SheetInput(
            given.vehicle.chemistry,
            given.vehicle.bank.cells,
            over,
            reasons_of(context, given),
            given.points,
            at_map,
            alarms,
        ),
    )


def _changes(last: KeptSheet | None, sheet: Sheet) -> list[tuple[str, str, str]]:
    if last is None:
        return []
    if last.dialect != sheet.dialect.key:
        return [("monitor", last.body["monitor"]["name"], sheet.dialect.name)]
    was = {row["key"]: row for row in last.body["rows"]}
    found = []
    for row in sheet.rows:
        old = was.get(row.key, {}).get("value")
        if old != row.value:
            found.append((row.label or row.name, shown(old, row.unit), shown(row.value, row.unit)))
    if last.body["power_up"] != sheet.power_up:
        found.append(("after a loss of supply", last.body["power_up"], sheet.power_up))
    return found


def shown(value: float | None, unit: str) -> str:
    """A value of a sheet with its unit."""
    return "open" if value is None else f"{value:.10g}" + ("" if unit in ("", "-") else f" {unit}")


def sheet_document(view: SheetView, made_s: float) -> dict[str, Any]:
    """The sheet as one JSON document."""
    given = view.given
    return {
        "volnik_sheet": 1,
        "rig": given.rig.name,
        "made_s": made_s,
        "version": None if given.held is None else given.held.id,
        "version_saved_s": None if given.held is None else given.held.saved_s,
        **plain_sheet(view.sheet),
        "changes": [{"label": label, "was": was, "is": now} for label, was, now in view.changes],
    }


def give_out(context: AppContext, rig_id: int, dialect: str) -> int:
    """Keep the sheet as it is given out now, and the monitor it is for; returns its number."""
    view = sheet_view(context, rig_id, dialect)
    fitted = view.sheet.dialect.key
    choose_dialect(context, rig_id, "" if fitted == PLAIN.key else fitted)
    with context.change(rig_id) as work:
        session = work.session
        return sheet_store.add_sheet(
            session,
            rig_id,
            made_s=context.now(),
            version_id=None if view.given.held is None else view.given.held.id,
            dialect=view.sheet.dialect.key,
            body=sheet_document(view, context.now()),
        )


def keep_words(context: AppContext, rig_id: int, name: str, called: Mapping[str, str]) -> str:
    """Keep what the monitor at hand calls its numbers as a dialect of the shop; returns its key.

    Raises:
        InvalidInput: naming what is missing.
    """
    key = put(context, "dialects", described_by(name, called))
    choose_dialect(context, rig_id, key)
    return key


def choose_dialect(context: AppContext, rig_id: int, dialect: str) -> None:
    """Record which kind of monitor is fitted; a step of the survey, with undo there."""
    with context.change(rig_id) as work:
        session = work.session
        path = read_path(session, context, rig_id)
        if path.monitor.dialect != dialect:
            chosen = path.monitor.changed(dialect=dialect)
            keep_survey(
                session,
                context,
                rig_id,
                devices=path.devices,
                monitor=chosen,
                wiring=path.found,
                what="monitor chosen",
            )


def read_back(context: AppContext, rig_id: int, entered: Mapping[str, float | None]) -> SheetView:
    """Keep what was really entered, by parameter in the monitor's unit.

    Returns the sheet as it stands after it.

    Raises:
        InvalidInput: when no sheet was given out yet.
    """
    body = [{"key": key, "value": value} for key, value in entered.items()]
    with context.change(rig_id) as work:
        session = work.session
        before = sheet_store.sheets(session, rig_id)
        if not before:
            raise InvalidInput({"sheet": "Give the sheet out first; what is read back is compared with it."})
        sheet_store.add_read_back(session, rig_id, sheet_id=before[-1].id, made_s=context.now(), body=body)
    return sheet_view(context, rig_id)
