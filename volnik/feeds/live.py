"""Live readings as a bridge sends them: a JSON array, or one object a line, with the CSV's column names."""

from __future__ import annotations

import json
import math
from datetime import datetime
from typing import Any, TypeGuard

from volnik.core.columns import MOST_OWN, column, row_of
from volnik.core.readings import COLUMNS, ReadingsRefused, Row

MOST_READINGS = 20_000  # a post: five hours at 1 Hz after a link was away
EARLIEST_MS = 946_684_800_000  # the year 2000: an earlier clock was never set


def parse_live(body: bytes, *, lines: bool = False) -> list[Row]:
    """Read what a bridge sent. Keys other than the columns' names are passed over.

    Args:
        body: JSON, UTF-8: an array of objects, one object alone, or with `lines` an object a line.

    Raises:
        ReadingsRefused: naming the first reading at fault by its index, from 0, and its field.
    """
    objects = _lines(body) if lines else _array(body)
    if not objects:
        raise ReadingsRefused(
            "There is not one reading in this; send at least one object with time, volts and amps."
        )
    if len(objects) > MOST_READINGS:
        raise ReadingsRefused(f"At most {MOST_READINGS} readings are taken at once, got {len(objects)}.")
    return [_row(object, index) for index, object in enumerate(objects)]


def _array(body: bytes) -> list[Any]:
    try:
        found = json.loads(body)
    except (ValueError, RecursionError) as wrong:
        at = f" near character {wrong.pos}" if isinstance(wrong, json.JSONDecodeError) else ""
        raise ReadingsRefused(
            f"This is not JSON{at}; send an array of objects with time, volts and amps."
        ) from None
    return found if isinstance(found, list) else [found]


def _lines(body: bytes) -> list[Any]:
    found = []
    for index, line in enumerate(splitline for splitline in body.splitlines() if splitline.strip()):
        try:
            found.append(json.loads(line))
        except (ValueError, RecursionError):
            raise ReadingsRefused("This line is not JSON; send one object a line.", index=index) from None
    return found


def _row(item: Any, index: int) -> Row:
    if not isinstance(item, dict):
        raise ReadingsRefused("A reading is an object with time, volts and amps.", index=index)
    values = {name: _figure(item, name, index) for name in _columns(item, index)}
    return row_of(_time_ms(item.get("time"), index), values)


def _columns(item: dict[str, Any], index: int) -> list[str]:
    """The columns a reading speaks of: every rig's, and those of its own."""
    own = [name for name in item if name not in COLUMNS and column(name) is not None]
    if len(own) > MOST_OWN:
        raise ReadingsRefused(
            f"A rig has at most {MOST_OWN} columns of its own, this reading brings {len(own)}.", index=index
        )
    return [*COLUMNS, *own]


def _figure(item: dict[str, Any], name: str, index: int) -> float | None:
    """What a reading says of a column, None where it says nothing."""
    value = item.get(name)
    found = column(name)
    assert found is not None
    if isinstance(value, bool) and found.kind == "switch":
        return float(value)
    if value is None and name not in ("volts", "amps"):
        return None
    if not _is_number(value):
        message = "is missing" if name not in item else "must be a plain number"
        raise ReadingsRefused(f"{name} {message}.", index=index, field=name)
    if refusal := found.of.limits.refusal(value):
        raise ReadingsRefused(f"{name} {refusal}", index=index, field=name)
    return float(value)


def _is_number(value: Any) -> TypeGuard[int | float]:
    """Whether JSON gave a plain finite number; a whole number of hundreds of digits is none."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    try:
        return math.isfinite(value)
    except OverflowError:
        return False


def _time_ms(value: Any, index: int) -> int:
    if isinstance(value, str):
        try:
            stamp = datetime.fromisoformat(value.strip())
        except ValueError:
            stamp = None
        if stamp is None or stamp.tzinfo is None:
            raise ReadingsRefused(
                "time is ISO 8601 with an offset, such as 2026-11-20T15:40:00Z, or seconds since 1970.",
                index=index,
                field="time",
            )
        seconds = stamp.timestamp()
    elif _is_number(value):
        if abs(value) > 1e11:
            raise ReadingsRefused(
                "time is in seconds since 1970; this looks like milliseconds.", index=index, field="time"
            )
        seconds = float(value)
    else:
        raise ReadingsRefused("time is missing.", index=index, field="time")
    if seconds * 1000.0 < EARLIEST_MS:
        raise ReadingsRefused(
            "time is before the year 2000: that clock was never set.", index=index, field="time"
        )
    return round(seconds * 1000.0)
