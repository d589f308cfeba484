"""The sheet: a rig's numbers in one monitor's own words, units and steps, rounded the safe way, and what it
cannot be told.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from volnik.core.numbers.ladder import LOW_ALARM
from volnik.core.numbers.meanings import MEANINGS, questions
from volnik.core.numbers.reasons import Reason
from volnik.core.numbers.reset_map import ZONE_WORDS, ZONES, ResetMap
from volnik.core.numbers.schools import SchoolPoint, school_of
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.dialects import PARAMETERS, Dialect, DialectField

EXTRA = {
    "low_alarm_pct": "Low-charge alarm",
    "low_alarm_v": "Low-volts alarm",
    "high_alarm_v": "High-volts alarm",
    "relay_on_pct": "Relay on",
    "relay_off_pct": "Relay off",
    "relay_least_s": "Relay, shortest run",
}
EXTRA_WHY = {
    "low_alarm_pct": "Beside the count: 5 points above the reserve, so that it warns before the hours end.",
    "low_alarm_v": "3 % under the rest volts at the reserve, so that a kettle does not set it off.",
    "high_alarm_v": "Between what the chargers bring in the cold and what cuts off or harms.",
    "relay_on_pct": "With the low-charge alarm, above the reserve.",
    "relay_off_pct": (
        "30 points above where it closes, so that it does not chatter. A dump load for surplus takes "
        "the reverse."
    ),
    "relay_least_s": "So that a cloud or a kettle does not start and stop what it switches.",
}
POWER_UP_WORDS = {"blank": "show nothing until set", "last": "last value", "full": "100 %", "half": "50 %"}


@dataclass(frozen=True, slots=True)
class SheetRow:
    """One line of the sheet.

    Attributes:
        key, name: the parameter, in Volnik's words.
        label, unit: in the monitor's; label "" where it has none.
        exact, value: before and after rounding, in that unit; value None for a routine.
        effect: what rounding or its range does, or "".
        why, school: of the value.
        routine: what to do by hand instead, or "".
        factory: what it comes with, in that unit.
    """

    key: str
    name: str
    label: str
    unit: str
    exact: float | None
    value: float | None
    effect: str
    why: str
    school: str
    routine: str = ""
    factory: float | None = None


MODE_TOLD = (
    "First, where it asks: battery monitor, not energy meter (a meter knows no charge); and let its own Ah "
    "begin again at each full."
)


@dataclass(frozen=True, slots=True)
class Sheet:
    """A sheet: its rows, the power-up state, what the monitor cannot do, and the numbers it amounts to once
    rounded.
    """

    dialect: Dialect
    rows: list[SheetRow]
    power_up: str
    power_up_told: str
    cannot: list[str]
    amounts_to: Numbers

    @property
    def mode(self) -> str:
        """What the instrument must be set to be before any number counts, in a sentence."""
        return MODE_TOLD


def extras(numbers: Numbers, chemistry: Chemistry, cells: int, *, over_v: float) -> dict[str, float]:
    """Alarms and relay beside the count, in stored units.

    Low charge 5 points above the reserve, volts at rest there, relay above it.

    Source: estimate; over_v is the ladder's rung for the whole bank [V].

    Args:
        numbers: the settings it is counted by.
        chemistry: of the bank.
        cells: of the bank in series.
    """
    low_pct = min(95.0, numbers.reserve_pct + 5.0)
    low_v = (
        float(
            np.interp(
                numbers.reserve_pct / 100.0,
                [pair[0] for pair in chemistry.rest_v],
                [pair[1] for pair in chemistry.rest_v],
            )
        )
        * cells
    )
    return {
        "low_alarm_pct": low_pct,
        "low_alarm_v": low_v * LOW_ALARM,
        "high_alarm_v": over_v,
        "relay_on_pct": low_pct,
        "relay_off_pct": min(100.0, low_pct + 30.0),
    }


def in_unit(key: str, value: float, unit: str, numbers: Numbers, cells: int) -> float:
    """A stored value in a monitor's unit.

    Args:
        key: of the number.
        numbers: the settings it is counted by.
        cells: of the bank in series.
    """
    if key == "tail_current_pct" and unit == "A":
        return value * numbers.capacity_ah / 100.0
    if unit == "V/cell":
        return value / cells
    if unit == "mA":
        return value * 1000.0
    if unit == "min":
        return value / 60.0
    if unit == "%" and key in MEANINGS:
        return value * MEANINGS[key].per_stored
    return value


def stored(key: str, value: float, unit: str, capacity_ah: float, cells: int) -> float:
    """A value in a monitor's unit as it is stored.

    Args:
        key: of the number.
        capacity_ah: of the bank [Ah].
        cells: of the bank in series.
    """
    if key == "tail_current_pct" and unit == "A":
        return 100.0 * value / capacity_ah
    if unit == "V/cell":
        return value * cells
    if unit == "mA":
        return value / 1000.0
    if unit == "min":
        return value * 60.0
    if unit == "%" and key in MEANINGS:
        return value / MEANINGS[key].per_stored
    return value


def rounded(field: DialectField, exact: float) -> float:
    """A value on the monitor's steps, inside its range, rounded the safe way.

    Args:
        field: how the monitor takes the number.
        exact: value before rounding, in the monitor's unit.
    """
    steps = (exact - field.low) / field.step
    way = PARAMETERS[field.key].rounds
    whole = (
        round(steps)
        if way == 0 or abs(steps - round(steps)) < 1e-6
        else math.floor(steps)
        if way < 0
        else math.ceil(steps)
    )
    value = min(field.high, max(field.low, field.low + whole * field.step))
    return round(value, 6)


@dataclass(frozen=True, slots=True)
class SheetInput:
    """What a sheet is made from besides the numbers and the monitor.

    Attributes:
        chemistry, cells: of the bank.
        over_v: where the over-volts alarm starts [V].
        why: reasons by key.
        points: the schools' values.
        at_map: the reset map at the hold of these numbers, to tell what rounding does; without it only
            amounts
            are told.
        alarms: alarms and relay the monitor is to speak, as saved; None takes where to start.
    """

    chemistry: Chemistry
    cells: int
    over_v: float
    why: dict[str, Reason]
    points: list[SchoolPoint]
    at_map: ResetMap | None = None
    alarms: dict[str, float] | None = None


def make_sheet(numbers: Numbers, power_up: str, dialect: Dialect, given: SheetInput) -> Sheet:
    """The sheet of a rig for one monitor.

    Args:
        numbers: as saved.
        power_up: wanted after a loss of supply.
        dialect: the monitor's words, units, steps and limits.
        given: what else it is made from.
    """
    stated = numbers.as_dict()
    # in the order they are asked; a monitor's own floor is no setting of it but part of how it is made
    values = {key: stated[key] for _, _, keys in questions() for key in keys if key in PARAMETERS}
    rows: list[SheetRow] = []
    amounts: dict[str, Any] = {**stated, "tail_floor_pct": dialect.floor_pct}
    capacity = dialect.field_of("capacity_ah")
    assert capacity is not None
    capacity_ah = rounded(capacity, numbers.capacity_ah)
    for key, value in {**values, **_alarms(numbers, given)}.items():
        row = _sheet_row(key, value, numbers, dialect, given)
        if row is None:
            continue
        rows.append(row)
        field = dialect.field_of(key)
        if key in amounts and field is not None and row.value is not None:
            amounts[key] = stored(key, row.value, field.unit, capacity_ah, given.cells)
    amounts_to = Numbers(**amounts)
    rows = _with_map(rows, numbers, amounts_to, given.at_map)
    state, message = _power_up(power_up, dialect)
    return Sheet(dialect, rows, state, message, list(dialect.cannot), amounts_to)


def _alarms(numbers: Numbers, given: SheetInput) -> dict[str, float]:
    """Alarms and relay as saved, else as they would start."""
    if given.alarms is not None:
        return given.alarms
    return extras(numbers, given.chemistry, given.cells, over_v=given.over_v)


def _sheet_row(
    key: str, value: float | None, numbers: Numbers, dialect: Dialect, given: SheetInput
) -> SheetRow | None:
    """One row, or None where the monitor lacks it and nothing needs doing by hand."""
    name = EXTRA.get(key) or MEANINGS[key].label
    school = school_of(given.points, key, value) if value is not None else ""
    why, field = _why(key, given), dialect.field_of(key)
    if field is None:
        routine = _routine(key, numbers, dialect)
        return SheetRow(key, name, "", "", None, None, "", why, school, routine) if routine else None
    if value is None:
        routine = "Leave it until the first full charge."
        return SheetRow(
            key, name, field.label, field.unit, None, None, "", why, school, routine, field.factory
        )
    exact = in_unit(key, value, field.unit, numbers, given.cells)
    set_to = rounded(field, exact)
    return SheetRow(
        key,
        name,
        field.label,
        field.unit,
        round(exact, 6),
        set_to,
        _effect(key, field, exact, set_to, numbers),
        _with_advice(why, key, field, set_to, numbers, given=given),
        school,
        "",
        field.factory,
    )


def _why(key: str, given: SheetInput) -> str:
    if key in given.why:
        return given.why[key].why
    return EXTRA_WHY.get(key, "") if given.alarms is None else "As set under Alarms."


def _with_advice(
    why: str, key: str, field: DialectField, set_to: float, numbers: Numbers, *, given: SheetInput
) -> str:
    """The reason, with what is recommended where the saved value is another one."""
    reason = given.why.get(key)
    if reason is None or not isinstance(reason.value, int | float):
        return why
    advised = rounded(field, in_unit(key, float(reason.value), field.unit, numbers, given.cells))
    if abs(advised - set_to) <= 1e-9:
        return why
    unit = "" if field.unit == "-" else f" {field.unit}"
    return f"As saved in the numbers; recommended is {advised:g}{unit}: {why[:1].lower() + why[1:]}"


def _power_up(wanted: str, dialect: Dialect) -> tuple[str, str]:
    """What the monitor can do after a loss of supply, and how that is told."""
    state = wanted
    if state not in dialect.power_up:
        state = next((name for name in ("blank", "last") if name in dialect.power_up), dialect.power_up[0])
    words = POWER_UP_WORDS[state]
    message = f"Set it to {words}." if len(dialect.power_up) > 1 else f"It has no choice: {words}."
    if state != wanted:
        asked = POWER_UP_WORDS[wanted]
        message += (
            f" {asked[:1].upper() + asked[1:]} was wanted and is not offered: after every outage compare it "
            "with the rest volts before believing it."
        )
    return state, message


def _effect(key: str, field: DialectField, exact: float, set_to: float, numbers: Numbers) -> str:
    off = set_to - exact
    if abs(off) < 1e-6 * max(1.0, abs(exact)):
        return ""
    unit = "" if field.unit == "-" else f" {field.unit}"
    if set_to in (field.low, field.high) and abs(off) > field.step:
        return (
            f"{exact:.4g}{unit} is outside what this monitor takes; {set_to:g}{unit} is its "
            f"{'least' if set_to == field.low else 'most'}."
        )
    way = "up" if off > 0 else "down"
    message = f"{exact:.4g}{unit} rounded {way} to {set_to:g}{unit}"
    percent = 100.0 * abs(off) / abs(exact) if exact else 0.0
    tail = {
        "capacity_ah": (
            f": the percentage moves {percent:.1f} % {'slower' if off > 0 else 'faster'} than the battery's"
        ),
        "coulombic_efficiency": f": the count reads {abs(off):.1f} % of each charge low",
        "dead_band_a": (
            f": hides at most {24.0 * (set_to / 1000 if field.unit == 'mA' else set_to):.1f} Ah a day"
        ),
        "peukert_exponent": ": heavy loads are booked a little too high, so the count reads low",
        "reserve_pct": ": the hours end a little early",
        "low_alarm_pct": ": warns a little early",
    }.get(key, "")
    return f"{message}{tail}."


def _moved_on_map(at_map: ResetMap, was: tuple[int, ...], now: tuple[int, ...]) -> str:
    """What rounding changes on the map."""
    before, after = (ZONE_WORDS[ZONES[int(at_map.zone[place])]] for place in (was, now))
    same = "the map says the same" if before == after else f"the map's zone changes from {before} to {after}"
    first, last = (100 * float(at_map.error[place]) for place in (was, now))
    return f" As rounded {same}; expected error {first:.1f} to {last:.1f} %."


def _with_map(
    rows: list[SheetRow], numbers: Numbers, amounts_to: Numbers, at_map: ResetMap | None
) -> list[SheetRow]:
    """The zone a rounded charged voltage and tail fall in, told on the row of the volts."""
    if at_map is None:
        return rows
    was, now = (
        at_map.grid.nearest(each.charged_voltage_v, each.tail_current_pct) for each in (numbers, amounts_to)
    )
    if was == now:
        return rows
    message = _moved_on_map(at_map, was, now)
    set_here = [row.key for row in rows if row.value is not None]
    key = "charged_voltage_v" if "charged_voltage_v" in set_here else "tail_current_pct"
    told = key if key in set_here else ""
    return [replace(row, effect=(row.effect + message).strip()) if row.key == told else row for row in rows]


def _routine(key: str, numbers: Numbers, dialect: Dialect) -> str:
    """What to do by hand where a monitor lacks a parameter; "" where nothing needs doing."""
    return ROUTINES[key](numbers, dialect) if key in ROUTINES else ""


def _by_amps_alone(numbers: Numbers, dialect: Dialect) -> str:
    if dialect.field_of("tail_current_pct") is not None:
        return (
            "It judges by amps alone: make sure the charger then is at absorption, "
            f"{numbers.charged_voltage_v:g} V or more."
        )
    full = (
        f"{numbers.charged_voltage_v:g} V or more and {numbers.tail_a:.1f} A or less, both for "
        f"{numbers.hold_s / 60:g} minutes"
    )
    if dialect.full_button:
        return f"Twice a month watch a full charge: at {full}, press full."
    return f"Twice a month, at {full}, set the count to 100 %."


def _by_volts_alone(numbers: Numbers, dialect: Dialect) -> str:
    if dialect.field_of("charged_voltage_v") is None:
        return ""
    return (
        f"It judges by volts alone: look at the amps too, {numbers.tail_a:.1f} A or less, before "
        "believing 100 %."
    )


def _fixed_hold(numbers: Numbers, dialect: Dialect) -> str:
    if dialect.field_of("tail_current_pct") is None:
        return ""
    return (
        "Its hold is fixed: after a cloudy day believe 100 % only when volts and amps stood for "
        f"{numbers.hold_s / 60:g} minutes."
    )


def _books_all(numbers: Numbers, _dialect: Dialect) -> str:
    if numbers.coulombic_efficiency >= 0.999:
        return ""
    return (
        "It books every Ah in as kept: after a day that brought 100 Ah in, read "
        f"{100 * (1 - numbers.coulombic_efficiency):.0f} Ah less than it says, until the next full."
    )


def _does_not_bend(numbers: Numbers, _dialect: Dialect) -> str:
    if numbers.peukert_exponent <= 1.05:
        return ""
    return (
        f"It does not bend heavy loads: above {numbers.rated_a:.0f} A expect the battery to give out "
        "before the percentage does."
    )


def _runs_to_zero(numbers: Numbers, _dialect: Dialect) -> str:
    return (
        f"It runs to zero: plan to {numbers.reserve_pct:g} % yourself, and take "
        f"{numbers.reserve_pct:g} % off every figure it shows."
    )


def _no_shortest_run(numbers: Numbers, dialect: Dialect) -> str:
    if dialect.field_of("relay_on_pct") is None:
        return ""
    return "Its relay knows no shortest run: put a timer behind the contact, set to the run under Alarms."


ROUTINES: dict[str, Callable[[Numbers, Dialect], str]] = {
    "charged_voltage_v": _by_amps_alone,
    "tail_current_pct": _by_volts_alone,
    "hold_s": _fixed_hold,
    "coulombic_efficiency": _books_all,
    "peukert_exponent": _does_not_bend,
    "reserve_pct": _runs_to_zero,
    "relay_least_s": _no_shortest_run,
}


def not_read_back(rows: list[dict[str, Any]], entered: list[dict[str, Any]]) -> list[str]:
    """Labels of the rows of a sheet that ask for a value nobody has read back yet, in order.

    Args:
        rows: of the sheet as given out: {"key", "label", "name", "value", ...}.
        entered: {"key", "value"}.
    """
    read = {entry["key"] for entry in entered if entry["value"] is not None}
    return [
        row["label"] or row["name"] for row in rows if row["value"] is not None and row["key"] not in read
    ]


def differences(before: Sheet, after: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows read back that are not what the sheet says. `after`: {"key", "value"} in the monitor's units.

    Args:
        before: the sheet it is compared with.
    """
    wanted = {row.key: row for row in before.rows if row.value is not None}
    return [
        {
            "key": entry["key"],
            "wanted": wanted[entry["key"]].value,
            "entered": entry["value"],
            "factory": entry["value"] == wanted[entry["key"]].factory,
        }
        for entry in after
        if entry["key"] in wanted
        and entry["value"] is not None
        and abs(entry["value"] - (wanted[entry["key"]].value or 0.0)) > 1e-9
    ]


def plain_sheet(sheet: Sheet) -> dict[str, Any]:
    """The sheet as plain values, for JSON and to be kept."""
    names = (
        "key",
        "name",
        "label",
        "unit",
        "exact",
        "value",
        "effect",
        "why",
        "school",
        "routine",
        "factory",
    )
    return {
        "monitor": {"key": sheet.dialect.key, "name": sheet.dialect.name, "what": sheet.dialect.what},
        "rows": [{name: getattr(row, name) for name in names} for row in sheet.rows],
        "power_up": sheet.power_up,
        "power_up_told": sheet.power_up_told,
        "cannot": sheet.cannot,
        "amounts_to": sheet.amounts_to.as_dict(),
    }
