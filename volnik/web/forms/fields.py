"""Reading typed fields: a problem stands beside its field, and what was typed is kept."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from starlette.datastructures import FormData


def text(form: Mapping[str, Any], name: str) -> str:
    """A field as trimmed text."""
    value = form.get(name, "")
    return value.strip() if isinstance(value, str) else ""


def decimal(
    form: Mapping[str, Any], name: str, problems: dict[str, str], *, needed: bool = False
) -> float | None:
    """A field as a number, comma or point; a problem is noted when it is none."""
    typed = text(form, name)
    if not typed:
        if needed:
            problems[name] = "Type a number here."
        return None
    try:
        value = float(typed.replace(" ", "").replace(",", ".").replace("−", "-"))
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        problems[name] = f"“{typed[:30]}” is not a number."
        return None
    return value


def whole(
    form: Mapping[str, Any], name: str, problems: dict[str, str], *, needed: bool = False
) -> int | None:
    """A field as a whole number."""
    value = decimal(form, name, problems, needed=needed)
    if value is not None and value != int(value):
        problems[name] = f"A whole number, got {value:g}."
        return None
    return None if value is None else int(value)


def instant(form: Mapping[str, Any], name: str, zone: str, problems: dict[str, str]) -> float | None:
    """A date and time on the rig's own clock [s since 1970]."""
    typed = text(form, name)
    try:
        return datetime.fromisoformat(typed).replace(tzinfo=ZoneInfo(zone)).timestamp()
    except ValueError:
        problems[name] = "Give the date and time."
        return None


def typed_text(form: FormData) -> dict[str, str]:
    """What was typed into a form, as it is shown again beside what is wrong with it."""
    return {name: value for name, value in form.items() if isinstance(value, str)}
