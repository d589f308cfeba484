"""A dialect as typed: what kind of monitor it is, and a row for each parameter it has."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import Depends
from pydantic import BaseModel, BeforeValidator, ConfigDict

from volnik.core.shelf.dialects import PARAMETERS, POWER_UPS, Dialect
from volnik.web.forms.posted import Form, Line, Needed, Number, Posted, Ticked, posted

FIGURES = ("low", "high", "step", "factory")
ROW = ("label", "unit", *FIGURES)
OWN = ("key", "name", "what", "floor_pct", "power_up", "cannot")


class ParameterRow(BaseModel):
    """One parameter, in the monitor's own words and unit."""

    model_config = ConfigDict(frozen=True)

    key: Line
    label: Line
    unit: Line
    low: Needed
    high: Needed
    step: Needed
    factory: Number


def _lines(value: object) -> tuple[str, ...]:
    lines = value.splitlines() if isinstance(value, str) else []
    return tuple(line.strip() for line in lines if line.strip())


class DialectForm(Form):
    """A kind of monitor; a parameter without a label is one it has not."""

    key: Line
    name: Line
    what: Line
    fields: dict[str, ParameterRow]
    floor_pct: Number
    power_up: tuple[str, ...]
    full_button: Ticked
    cannot: Annotated[tuple[str, ...], BeforeValidator(_lines)]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """Fields are named "hold_s-label" and so on, boxes "power-blank"."""
        rows = {}
        for key, parameter in PARAMETERS.items():
            row = {name: sent.get(f"{key}-{name}", "") for name in ROW}
            if str(row["label"]).strip():
                rows[key] = {**row, "key": key, "unit": row["unit"] or parameter.units[0]}
        power_up = tuple(word for word in POWER_UPS if sent.get(f"power-{word}"))
        return {**sent, "fields": rows, "power_up": power_up}

    @classmethod
    def fault_at(cls, place: tuple[int | str, ...], sentence: str) -> tuple[str, str]:
        """A parameter's field as it is named in the form."""
        return (f"{place[1]}-{place[2]}" if place[0] == "fields" else str(place[0])), sentence

    def body(self) -> dict[str, Any]:
        """The dialect as plain values."""
        given = self.model_dump()
        rows = [row.model_dump() for row in self.fields.values()]
        return {**given, "fields": rows, "floor_pct": self.floor_pct or 0.0}

    def placed(self, problems: dict[str, str]) -> dict[str, str]:
        """What the Shelf found wrong, beside the row or field it is in."""
        return {self._place_of(place, sentence): sentence for place, sentence in problems.items()}

    def _place_of(self, place: str, sentence: str) -> str:
        parts = place.split(".")
        if parts[0] == "fields" and len(parts) > 1 and parts[1].isdigit():
            key = list(self.fields)[int(parts[1])]
            return f"{key}-{parts[2] if len(parts) > 2 else 'label'}"
        if "capacity_ah" in sentence:
            return "capacity_ah-label"
        return parts[0] if parts[0] in OWN else "key"


SentDialect = Annotated[Posted[DialectForm], Depends(posted(DialectForm))]


def dialect_texts(dialect: Dialect | None) -> dict[str, str]:
    """A dialect as the text of its fields; empty ones for a new one."""
    names = ("key", "name", "what", "cannot", "full_button", *(f"power-{word}" for word in POWER_UPS))
    shown = dict.fromkeys((*names, *(f"{key}-{name}" for key in PARAMETERS for name in ROW)), "")
    if dialect is None:
        return shown | {"floor_pct": "0"}
    shown |= {
        "key": dialect.key,
        "name": dialect.name,
        "what": dialect.what,
        "floor_pct": f"{dialect.floor_pct:g}",
        "cannot": "\n".join(dialect.cannot),
        "full_button": "on" if dialect.full_button else "",
    }
    shown |= {f"power-{word}": "on" for word in dialect.power_up}
    for field in dialect.fields:
        figures = {name: getattr(field, name) for name in FIGURES}
        texts = {name: "" if value is None else f"{value:.10g}" for name, value in figures.items()}
        row = {"label": field.label, "unit": field.unit, **texts}
        shown |= {f"{field.key}-{name}": text for name, text in row.items()}
    return shown
