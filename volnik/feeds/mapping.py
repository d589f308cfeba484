"""How one kind of file names and writes its columns."""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass
from typing import Any, Literal
from zoneinfo import ZoneInfo

from volnik.core.columns import MOST_OWN, column
from volnik.core.errors import InvalidInput
from volnik.core.instants import known_zone
from volnik.core.readings import COLUMNS

TimeKind = Literal["iso", "epoch_s", "epoch_ms", "pattern"]

# Written times people really have, beside ISO 8601. The label is what the installer picks from.
TIME_PATTERNS: dict[str, str] = {
    "%d.%m.%Y %H:%M:%S": "31.12.2026 23:59:59",
    "%d.%m.%Y %H:%M": "31.12.2026 23:59",
    "%d/%m/%Y %H:%M:%S": "31/12/2026 23:59:59 (day first)",
    "%d/%m/%Y %H:%M": "31/12/2026 23:59 (day first)",
    "%m/%d/%Y %H:%M:%S": "12/31/2026 23:59:59 (month first)",
    "%m/%d/%Y %H:%M": "12/31/2026 23:59 (month first)",
    "%m/%d/%Y %I:%M:%S %p": "12/31/2026 11:59:59 PM (month first)",
    "%Y/%m/%d %H:%M:%S": "2026/12/31 23:59:59",
    "%Y-%m-%d %H:%M": "2026-12-31 23:59",
    "%Y%m%d %H%M%S": "20261231 235959",
}


MILLI = re.compile(r"(?i:milli)|(?<![A-Za-z])m[VAW](?![A-Za-z])")  # as headings say it


class MappingError(InvalidInput):
    """A mapping that cannot be used. `problems` maps a field to a sentence."""


@dataclass(frozen=True, slots=True)
class Mapping:
    """How to read one kind of file.

    Attributes:
        columns: the file's own column for each of ours ("time", "volts", "amps", ...).
        separator, decimal: of a CSV file.
        time_kind, time_pattern: how instants are written.
        zone: time zone of written times without an offset; None refuses them.
        amps_scale: 1 or 0.001 (mA), negative when the file's plus sign means discharge.
        volts_scale: 1 or 0.001 (mV); holds for every column of volts.
    """

    columns: dict[str, str]
    separator: str = ","
    decimal: str = "."
    time_kind: TimeKind = "iso"
    time_pattern: str = ""
    zone: str | None = None
    amps_scale: float = 1.0
    volts_scale: float = 1.0

    def __post_init__(self) -> None:
        problems = {**self._column_problems(), **self._field_problems(), **self._time_problems()}
        if abs(self.amps_scale) not in (1.0, 0.001) or self.volts_scale not in (1.0, 0.001):
            problems["amps_scale"] = "Amps are A or mA, volts V or mV."
        if problems:
            raise MappingError(problems)

    @property
    def own(self) -> list[str]:
        """Columns of the rig's own."""
        return [name for name in self.columns if name not in ("time", *COLUMNS)]

    def _column_problems(self) -> dict[str, str]:
        problems = {
            name: f"Choose the column that holds {name}."
            for name in ("time", "volts", "amps")
            if not self.columns.get(name)
        }
        if len(self.own) > MOST_OWN:
            problems[self.own[-1]] = f"A rig has at most {MOST_OWN} columns of its own; keep fewer."
        used: dict[str, str] = {}
        for name, heading in self.columns.items():
            if name != "time" and column(name) is None:
                problems[name] = f"{name} is not a quantity Volnik keeps."
            elif heading in used:
                problems[name] = f"The column {heading} already serves as {used[heading]}."
            used[heading] = name
        return problems

    def _field_problems(self) -> dict[str, str]:
        if self.separator not in (",", ";", "\t", "|") or self.decimal not in (".", ","):
            return {
                "separator": (
                    "Fields are parted by a comma, semicolon, tab or bar; decimals by a point or comma."
                )
            }
        if self.separator == self.decimal:
            return {"decimal": "The decimal sign cannot also part the fields."}
        return {}

    def _time_problems(self) -> dict[str, str]:
        problems = {}
        if self.time_kind == "pattern" and self.time_pattern not in TIME_PATTERNS:
            problems["time_pattern"] = "Choose how the times are written."
        if self.zone is not None and not known_zone(self.zone):
            problems["zone"] = f"{self.zone} is not a time zone this machine knows."
        return problems

    def scale(self, name: str) -> float:
        """The factor from the file's figure to ours; of a rig's own columns the heading says it."""
        if name == "amps":
            return self.amps_scale
        if name in COLUMNS:
            return 1.0 if name == "celsius" else self.volts_scale
        return 0.001 if MILLI.search(self.columns.get(name, "")) else 1.0

    def zone_info(self) -> ZoneInfo | None:
        """The zone of times without an offset."""
        return ZoneInfo(self.zone) if self.zone else None

    def as_dict(self) -> dict[str, Any]:
        """The mapping as plain values, to be remembered."""
        return asdict(self)
