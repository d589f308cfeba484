"""What the reset map and the ladder of volts say."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.numbers.compared import Compared, Setting
from volnik.core.numbers.ladder import Ladder
from volnik.core.numbers.recommended import Recommended
from volnik.core.settings import Numbers
from volnik.web.page import minutes, number, percent, tidy_number
from volnik.web.plural import count_of
from volnik.web.views.numbers import setting_words

SHOWN_DAYS = 14
STRAYS = 0.05  # of C, beyond what the map explains; more is worth a sentence
A_STEP_V = 0.005


@dataclass(frozen=True, slots=True)
class MapPage:
    """What stands beside the map.

    Attributes:
        volts, heading: the setting under the cross-hair, and what it does.
        recommended: the recommended point in figures;
        room: how far it may be moved. Both "" where none works.
        others: settings to compare with, by key.
        strays: that the count strays by more than its resets explain, "" where it does not.
        last_day: the last day the drawing can begin at;
        days: those shown.
    """

    volts: str
    heading: str
    recommended: str
    room: str
    others: list[tuple[str, str]]
    strays: str
    last_day: int
    days: str


def map_page(compared: Compared, point: Recommended, others: dict[str, Setting], numbers: Numbers) -> MapPage:
    """The words beside the map."""
    first = compared.first
    setting = first.setting
    return MapPage(
        tidy_number(setting.charged_voltage_v),
        _heading(compared, point, numbers),
        _recommended(point),
        _room(point),
        [(key, f"{other.name}: {setting_words(other)}") for key, other in others.items()],
        _strays(first.off) if first.off > first.error + STRAYS else "",
        compared.days - SHOWN_DAYS,
        f"{compared.day + 1} to {compared.day + SHOWN_DAYS} of {compared.days}",
    )


def _heading(compared: Compared, point: Recommended, numbers: Numbers) -> str:
    if point.charged_voltage_v is None:
        return point.sentence
    first = compared.first
    tail_pct = first.setting.tail_current_pct
    tail_a = number(tail_pct * numbers.capacity_ah / 100, 1)
    held = f"held {minutes(first.setting.hold_s)} min"
    return f"with {tidy_number(tail_pct)} % ({tail_a} A) {held}: {first.words}. {first.sentence}"


def _recommended(point: Recommended) -> str:
    if point.charged_voltage_v is None or point.tail_current_pct is None or point.hold_s is None:
        return ""
    return setting_words(Setting("", point.charged_voltage_v, point.tail_current_pct, point.hold_s))


def _room(point: Recommended) -> str:
    """How far the recommended point may be moved before it matters."""
    if point.charged_voltage_v is None:
        return ""
    volts = "none worth a step of the map in volts"
    if point.down_v + point.up_v >= A_STEP_V:
        volts = f"{number(point.down_v, 2)} V down, {number(point.up_v, 2)} V up"
    tail = f"{number(point.narrower_pct, 1)} % smaller, {number(point.wider_pct, 1)} % larger"
    return f"Room: {volts}; tail {tail}."


def _strays(off: float) -> str:
    return (
        "The resets are one thing, the way between them another: with these numbers the count strays "
        f"{percent(off)} %, by its efficiency and Peukert exponent."
    )


def ladder_heading(found: Ladder, numbers: Numbers, cells: int) -> str:
    """Where the charged voltage stands on the ladder, and whether its rungs are in order."""
    order = "Every rung is in its order."
    if found.wrong:
        order = f"{count_of(len(found.wrong), 'pair')} out of order."
    return f"{_window(found, numbers, cells)} {order}"


def _window(found: Ladder, numbers: Numbers, cells: int) -> str:
    if found.high_v is None:
        return "No charger is on record, so nothing says how high the charged voltage may lie."
    low, high = number(found.low_v * cells, 2), number(found.high_v * cells, 2)
    if found.high_v <= found.low_v:
        best = f"what the best charger brings in the hottest weeks, {high} V"
        return f"No room: {best}, lies under what a battery still filling shows, {low} V."
    is_inside = found.low_v <= numbers.charged_voltage_v / cells <= found.high_v
    return f"The charged voltage lies {'inside' if is_inside else 'outside'} its window, {low} to {high} V."
