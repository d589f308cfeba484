"""JSON Schema of an archive's parts, from the tables themselves."""

from __future__ import annotations

from typing import Any

from volnik.store.archive.file import FORMAT, FORMAT_VERSION, LOCAL, REVISIONS, RIG_FIELDS, SINCE, table_of
from volnik.store.registry import IN_ORDER, TABLES


def archive_schema() -> dict[str, Any]:
    """JSON Schema of the parts: `rig` of rig.json, each of `records` of a line of its file, `manifest`."""
    types = {int: "integer", float: "number", str: "string", bytes: "object", dict: "object", list: "array"}

    def column_schema(name: str, column: Any) -> dict[str, Any]:
        if column.name in TABLES[name].packed:
            return {"type": "object"}
        kind = types.get(column.type.python_type, "object")
        told = {"JSON": ["object", "array"]}.get(type(column.type).__name__, [kind])
        return {"type": [*told, "null"] if column.nullable else told}

    def lines_of(name: str) -> dict[str, Any]:
        left_out = (*LOCAL, *TABLES[name].blobs)
        kept = [column for column in table_of(name).c if column.name not in left_out]
        properties = {column.name: column_schema(name, column) for column in kept}
        needed = ["n", *TABLES[name].identity]
        return {"type": "object", "properties": {"n": {"type": "integer"}, **properties}, "required": needed}

    rig = {name: column_schema("rigs", table_of("rigs").c[name]) for name in RIG_FIELDS}
    source = ("kind", "name", "digest", "arrived_s", "withdrawn_s", "gap_s", "readings", "report")
    sources = {name: column_schema("sources", table_of("sources").c[name]) for name in source}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": FORMAT,
        "manifest": {
            "type": "object",
            "properties": {
                "format": {"const": FORMAT},
                "format_version": {"const": FORMAT_VERSION},
                "files": {"type": "object", "additionalProperties": {"type": "string"}},
            },
            "required": ["format", "format_version", "files"],
        },
        "rig": {
            "type": "object",
            "properties": {**rig, "heads": {"type": "object"}},
            "required": [name for name in RIG_FIELDS if name not in SINCE],
        },
        "records": {
            **{name: lines_of(name) for name in (*IN_ORDER, REVISIONS)},
            "sources": {
                "type": "object",
                "properties": {"n": {"type": "integer"}, **sources},
                "required": ["n", *source],
            },
        },
    }
