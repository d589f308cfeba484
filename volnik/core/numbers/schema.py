"""JSON Schema of SETTINGS.json, written from the same limits the numbers are checked by."""

from __future__ import annotations

from typing import Any

from volnik.core.numbers.meanings import MEANINGS
from volnik.core.settings import ALIASES, LIMITS, REQUIRED


def settings_schema() -> dict[str, Any]:
    """The schema as plain values (JSON Schema 2020-12)."""
    properties: dict[str, Any] = {}
    for key, limit in LIMITS.items():
        low = "exclusiveMinimum" if limit.low_open else "minimum"
        properties[key] = {
            "type": ["number", "null"] if limit.may_be_unknown else "number",
            low: limit.low,
            "maximum": limit.high,
            "description": MEANINGS[key].meaning,
            **({} if limit.usual is None else {"default": limit.usual}),
        }
    for alias, key in ALIASES.items():
        properties[alias] = {**properties[key], "deprecated": True, "description": f"Another name of {key}."}
    either = [{"required": [key]} for key in ("hold_s", *ALIASES)]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Volnik settings of a count",
        "type": "object",
        "properties": properties,
        "required": [key for key in REQUIRED if key != "hold_s"],
        "oneOf": either,
        "additionalProperties": False,
    }
