"""What the sheet says: how it stands with the monitor, and each line as it is set and read back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from volnik.core.numbers.sheet import SheetRow
from volnik.core.shelf.dialects import PLAIN
from volnik.services.numbers.sheets import SheetView
from volnik.web.page import tidy_number, when
from volnik.web.plural import count_of

POWER_UP_SET = {"blank": "blank", "last": "last value", "full": "100 %", "half": "50 %"}


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One line of the sheet.

    Attributes:
        row: as it is on the sheet.
        set_to: the value and its unit, or "open".
        factory: what it comes with where that is another, else "".
        why: why it is set so.
        same: whether it was read back as set;
        entered: what was read back instead, as text.
        differs: what stands there and what is wanted, "" where they agree.
    """

    row: SheetRow
    set_to: str
    factory: str
    why: str
    same: bool
    entered: str
    differs: str


@dataclass(frozen=True, slots=True)
class SheetPage:
    """The sheet's words: how many values are to be set, the verdict, its version, its lines, what is
    by hand.
    """

    to_set: int
    heading: str
    version: str
    lines: list[SheetLine]
    power_up: str
    by_hand: list[SheetRow]


def sheet_page(view: SheetView, typed: dict[str, str]) -> SheetPage:
    """The words of a sheet.

    Args:
        typed: what was read back and could not be kept.
    """
    zone = view.given.rig.zone
    entered = _entered(view)
    off = {entry["key"]: entry for entry in view.off}
    rows = view.sheet.rows
    held = view.given.held
    version = "Defaults, not saved"
    if held is not None:
        version = f"Version of {when(held.saved_s, zone)}, {held.reason}"
    return SheetPage(
        sum(row.value is not None for row in rows),
        _heading(view, zone),
        version,
        [_line(row, entered, off.get(row.key), typed) for row in rows if row.label],
        POWER_UP_SET[view.sheet.power_up],
        [row for row in rows if not row.label],
    )


def _entered(view: SheetView) -> dict[str, Any]:
    """What was last read back against this very sheet."""
    if view.back is None or view.last is None or view.last.dialect != view.sheet.dialect.key:
        return {}
    return {entry["key"]: entry["value"] for entry in view.back.body}


def _heading(view: SheetView, zone: str) -> str:
    """How the sheet stands with the monitor, the gravest first."""
    off, changes, unread = len(view.off), len(view.changes), len(view.unread)
    if off:
        differ = "differs" if off == 1 else "differ"
        return f"{count_of(off, 'value')} in the monitor {differ} from the sheet."
    if view.given.held is None:
        return "These are the defaults: no version of the numbers is saved yet."
    if changes:
        return f"{count_of(changes, 'change')} since the last sheet."
    if view.back is not None:
        if unread:
            return f"{count_of(unread, 'value')} not read back from the monitor yet."
        return f"Read back {when(view.back.made_s, zone)}: the monitor holds what the sheet says."
    if view.last is not None:
        return f"As given out {when(view.last.made_s, zone)}; not read back yet."
    dialect = view.sheet.dialect
    if dialect.key == PLAIN.key:
        return "In plain words. Not given out yet."
    return f"In the words of {dialect.name}, {dialect.what}. Not given out yet."


def _line(
    row: SheetRow, entered: dict[str, Any], off: dict[str, Any] | None, typed: dict[str, str]
) -> SheetLine:
    unit = "" if row.unit == "-" else f" {row.unit}"
    stands = entered.get(row.key)
    comes_with = row.factory is not None and row.value != row.factory
    is_other = row.key in entered and stands != row.value
    return SheetLine(
        row,
        "open" if row.value is None else f"{tidy_number(row.value)}{unit}",
        f"comes with {tidy_number(row.factory)}" if comes_with else "",
        row.routine or row.why,
        row.value is not None and stands == row.value,
        typed[row.key] if row.key in typed else tidy_number(stands) if is_other else "",
        "" if off is None else _differs(off),
    )


def _differs(off: dict[str, Any]) -> str:
    factory = "; it is still the factory's" if off["factory"] else ""
    return f"{tidy_number(off['entered'])} is there, {tidy_number(off['wanted'])} is wanted{factory}."
