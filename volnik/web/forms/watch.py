"""Watch's forms: entries, files and how they are read, trips, exports, mendings, loads, second opinions."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Any, Self, cast

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, model_validator

from volnik.core.columns import KINDS, own_name
from volnik.core.count.entries import Entry, EntryKind, PowerUp
from volnik.core.readings import COLUMNS
from volnik.web.forms.amounts import fault
from volnik.web.forms.posted import (
    File,
    Form,
    Line,
    Moment,
    MomentIfAny,
    Needed,
    Number,
    Posted,
    Text,
    at_s,
    chosen,
    posted,
)

ENTRY_KINDS = ("set", "full", "supply_lost", "block_swapped")
CLAIMS = ("full", "last", "blank", "half")
TIME_KINDS = {"iso": "ISO 8601", "epoch_s": "seconds since 1970", "epoch_ms": "milliseconds since 1970"}
MOST_STRINGS = 8
MOST_PANEL_W = 20_000.0
MOST_BACK_AH = 20_000.0


class EntryForm(Form):
    """A dated entry of the log."""

    time: Moment
    kind: Annotated[Line, chosen(ENTRY_KINDS, "Choose what happened.")]
    soc: Number
    power_up: Annotated[Line, chosen(("", *CLAIMS), "Choose what the monitor claimed afterwards.")]
    note: Line

    @model_validator(mode="after")
    def _charge_fits(self) -> Self:
        if self.kind == "set" and self.soc is None:
            raise fault("Type a number here.", "soc")
        if self.soc is not None and not 0 <= self.soc <= 100:
            raise fault(f"A charge lies from 0 to 100 %, got {self.soc:g} %.", "soc")
        return self

    def entry(self, zone: str) -> Entry:
        """The entry, by the rig's own clock."""
        soc = None if self.soc is None else self.soc / 100
        return Entry(
            at_s(self.time, zone),
            cast(EntryKind, self.kind),
            soc=soc,
            power_up=cast(PowerUp, self.power_up or "last"),
        )


class RestForm(Form):
    """Volts read at rest."""

    time: Moment
    volts: Needed
    hours: Needed
    after: Annotated[Line, chosen(("", "charge", "discharge"), "Choose what went before.")]


class OwnHistoryForm(Form):
    """The monitor's own history page as read: its figures by key."""

    time: Moment
    deepest_ah: Number
    last_ah: Number
    mean_ah: Number
    total_ah: Number
    low_v: Number
    high_v: Number
    fulls: Number
    since_full_days: Number

    @property
    def figures(self) -> dict[str, float | None]:
        """What was typed, None for what was left empty."""
        return {name: getattr(self, name) for name in type(self).model_fields if name != "time"}


class FileForm(Form):
    """A log to be read."""

    file: File


class MappingForm(Form):
    """How a file's columns, times and signs are to be read."""

    columns: dict[str, str]
    decimal: Line
    time_kind: Line
    zone: Line
    amps_unit: Line
    amps_sign: Line
    volts_unit: Line

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Columns are named "column_volts" and so on; one that is not chosen is left out."""
        columns = {name: str(sent.get(f"column_{name}", "")).strip() for name in ("time", *COLUMNS)}
        kept = {
            own_name(str(kind), heading): heading
            for field, kind in sent.items()
            if field.startswith("keep_") and kind in KINDS
            if (heading := field.removeprefix("keep_")) not in columns.values()
        }
        return {**sent, "columns": {name: column for name, column in columns.items() if column} | kept}

    def choice(self, separator: str) -> dict[str, Any]:
        """The mapping, as the import takes it."""
        pattern = "" if self.time_kind in TIME_KINDS else self.time_kind
        amps_scale = 0.001 if self.amps_unit == "mA" else 1.0
        return {
            "columns": self.columns,
            "separator": separator,
            "decimal": self.decimal or ".",
            "time_kind": "pattern" if pattern else self.time_kind,
            "time_pattern": pattern,
            "zone": self.zone or None,
            "amps_scale": -amps_scale if self.amps_sign == "out" else amps_scale,
            "volts_scale": 0.001 if self.volts_unit == "mV" else 1.0,
        }


class TripForm(Form):
    """A stretch of the log, and its name."""

    start: Moment
    end: Moment
    name: Line

    @model_validator(mode="after")
    def _is_a_stretch(self) -> Self:
        if not 1 <= len(self.title) <= 60:
            raise fault("A trip has a name of 1 to 60 letters.", "name")
        if self.end <= self.start:
            raise fault("A trip ends after it begins.", "end")
        return self

    @property
    def title(self) -> str:
        """The name, with single blanks."""
        return " ".join(self.name.split())


class ExportForm(Form):
    """What is to be written to a file, and how; the stretch totals are made over."""

    what: Line
    form: Line
    by: Line


class MendedForm(Form):
    """The wiring mended: when, of which cause, what was done."""

    time: Moment
    cause: Line
    note: Line


class PanelForm(Form):
    """Panels added in a what-if [W]; asked in the address, read as any form."""

    panel: Number

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        if self.panel is not None and not 0.0 <= self.panel <= MOST_PANEL_W:
            raise fault(f"From 0 to {MOST_PANEL_W:.0f} W, got {self.panel:g}.", "panel")
        return self


class BackForm(Form):
    """What the way back takes in a what-if [Ah]; asked in the address."""

    back: Number

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        if self.back is not None and not 0.0 <= self.back <= MOST_BACK_AH:
            raise fault(f"From 0 to {MOST_BACK_AH:.0f} Ah, got {self.back:g}.", "back")
        return self


class AirForm(Form):
    """Tomorrow's coldest and hottest hour in a what-if, in the browser's degrees; asked in the address."""

    low: Number
    high: Number

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        for name in ("low", "high"):
            value = getattr(self, name)
            if value is not None and not -80.0 <= value <= 160.0:
                raise fault(f"No weather is {value:g} degrees.", name)
        if self.low is not None and self.high is not None and self.low > self.high:
            raise fault("The hottest hour is not colder than the coldest.", "high")
        return self


class LoadForm(Form):
    """A step of the current, named."""

    amps: Needed
    name: Line


class LearnedForm(Form):
    """Which device's measured use is taken over, "" for all; or whose is given up again."""

    device: Line
    forget: Line


class OpinionRow(BaseModel):
    """What one string's own counter says."""

    model_config = ConfigDict(frozen=True)

    name: Line
    soc_pct: Needed
    capacity_ah: Needed
    full: MomentIfAny
    amps: Number


class OpinionsForm(Form):
    """What several counters say at one time, in rows or pasted from a file.

    Attributes:
        rows, lines: by their place in the form, or among the pasted lines that are not blank.
    """

    time: Moment
    pasted: Text
    rows: dict[int, OpinionRow]
    lines: dict[int, OpinionRow]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Fields are named "0.soc_pct" and so on; a row of which nothing was read is left out."""
        lines = _pasted_rows(str(sent.get("pasted", "")))
        rows = {}
        for place in range(0 if lines else MOST_STRINGS):
            row = {name: sent.get(f"{place}.{name}", "") for name in OpinionRow.model_fields}
            if any(row[name] for name in ("soc_pct", "full", "amps")):
                rows[place] = row
        return {**sent, "rows": rows, "lines": lines}

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A row's field as it is named in the form; a pasted line by its number."""
        if place[0] == "rows":
            return f"{place[1]}.{place[2]}", sentence
        if place[0] == "lines":
            return "pasted", f"Line {int(place[1]) + 1}: {place[2]}: {sentence}"
        return str(place[0]), sentence


def _pasted_rows(typed: str) -> dict[int, dict[str, str]]:
    """Counters pasted from a spreadsheet: name, percent, Ah, and if known last full (ISO) and amps."""
    rows = {}
    for place, line in enumerate(filter(str.strip, typed.splitlines())):
        mark = next((mark for mark in "\t;" if mark in line), ",")
        cells = [cell.strip() for cell in line.split(mark)]
        if place == 0 and not re.search(r"\d", "".join(cells[1:2]) or "0"):
            continue  # headings
        name, soc_pct, capacity_ah, full, amps = (*cells, "", "", "", "")[:5]
        rows[place] = {
            "name": name,
            "soc_pct": soc_pct.rstrip(" %"),
            "capacity_ah": capacity_ah,
            "full": full,
            "amps": amps,
        }
    return rows


def opinion_texts(typed: Mapping[str, str]) -> list[dict[str, str]]:
    """The rows as they were typed, to be shown again."""
    return [
        {name: typed.get(f"{place}.{name}", "") for name in OpinionRow.model_fields}
        for place in range(MOST_STRINGS)
        if f"{place}.name" in typed
    ]


SentEntry = Annotated[Posted[EntryForm], Depends(posted(EntryForm))]
SentOwnHistory = Annotated[Posted[OwnHistoryForm], Depends(posted(OwnHistoryForm))]
SentRest = Annotated[Posted[RestForm], Depends(posted(RestForm))]
SentFile = Annotated[Posted[FileForm], Depends(posted(FileForm))]
SentMapping = Annotated[Posted[MappingForm], Depends(posted(MappingForm))]
SentTrip = Annotated[Posted[TripForm], Depends(posted(TripForm))]
SentExport = Annotated[Posted[ExportForm], Depends(posted(ExportForm))]
SentMended = Annotated[Posted[MendedForm], Depends(posted(MendedForm))]
SentLearned = Annotated[Posted[LearnedForm], Depends(posted(LearnedForm))]
SentLoad = Annotated[Posted[LoadForm], Depends(posted(LoadForm))]
SentOpinions = Annotated[Posted[OpinionsForm], Depends(posted(OpinionsForm))]
