"""A battery's label as people type it: "100 Ah", "2 x 110", "24 V 200 Ah", "1280 Wh", "6 V 225 Ah x 2"."""

from __future__ import annotations

import re
from dataclasses import dataclass

from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.shelf.chemistries import Chemistry

USUAL_V = 12  # of a battery whose label was typed without volts, and of the system
MOST_LETTERS = 60
BLOCK_V = (2, 4, 6, 8, 12, 24, 36, 48)  # volts a battery is sold by
_NUMBER = r"(?<![\d.,])(\d{1,6}(?:[.,]\d{1,4})?)"
_COUNT = re.compile(r"^(\d{1,2}) ?(?:[x×*]|(?:batteries|pieces|off)\b)|[x×*] ?(\d{1,2})$", re.I)
_VOLTS = re.compile(rf"{_NUMBER} ?(?:v|volts?)\b", re.I)
_HOURS = re.compile(r"\bc ?/? ?(\d{1,3})\b|@ ?(\d{1,3}) ?h(?:r|ours?)?\b", re.I)
_FIGURES = (
    ("energy", 1.0, re.compile(rf"{_NUMBER} ?kwh\b", re.I)),
    ("energy", 0.001, re.compile(rf"{_NUMBER} ?wh\b", re.I)),
    ("reserve_minutes", 1.0, re.compile(rf"{_NUMBER} ?(?:min|mins|minutes)\b", re.I)),
    ("nameplate", 1.0, re.compile(rf"{_NUMBER} ?(?:ah|amp[- ]?hours?)\b", re.I)),
)
_BARE = re.compile(_NUMBER)


@dataclass(frozen=True, slots=True)
class BatteryLabel:
    """What a label says, and how many such batteries there are.

    Attributes:
        label: its capacity.
        volts: of one battery [V].
        count: of batteries.
    """

    label: CapacityLabel
    volts: int
    count: int

    @property
    def joins(self) -> tuple[str, ...]:
        """How they can be joined, the usual way first."""
        if self.count == 1:
            return ("parallel",)
        if self.volts < USUAL_V:
            return ("series",) if self.in_a_row(USUAL_V) == self.count else ("mixed",)
        return ("parallel", "series")

    def in_a_row(self, system_v: int) -> int:
        """How many of them in a row make so many volts.

        Args:
            system_v: of the whole [V].
        """
        return max(1, round(system_v / self.volts))


def read_battery(text: str) -> BatteryLabel:
    """A label as typed.

    Args:
        text: as on the label; "x 2" behind or before it for several alike.

    Raises:
        InvalidInput: for `label`, saying what cannot be read.
    """
    if not text.strip():
        raise InvalidInput({"label": "Type what is printed on the battery, such as 100 Ah."})
    if len(text) > MOST_LETTERS:
        raise InvalidInput({"label": f"At most {MOST_LETTERS} letters, such as 2 x 110 Ah."})
    count, rest = _taken(_COUNT, " ".join(text.split()))
    volts, rest = _taken(_VOLTS, rest)
    hours, rest = _taken(_HOURS, rest)
    label = _capacity(rest, hours)
    if problems := label.problems():
        raise InvalidInput({"label": " ".join(problems.values())})
    return BatteryLabel(label, _block_v(volts), _count(count))


def _taken(pattern: re.Pattern[str], text: str) -> tuple[float | None, str]:
    """The figure a pattern finds, and the text without it."""
    found = pattern.search(text)
    if found is None:
        return None, text
    figure = next(group for group in found.groups() if group is not None)
    return _number(figure), f"{text[: found.start()]} {text[found.end() :]}"


def _number(figure: str) -> float:
    return float(figure.replace(",", "."))


def _capacity(text: str, hours: float | None) -> CapacityLabel:
    for kind, factor, pattern in _FIGURES:
        found = pattern.search(text)
        if found is None:
            continue
        value = _number(found[1]) * factor
        if kind == "energy":
            return CapacityLabel("energy", kwh=value)
        if kind == "reserve_minutes":
            return CapacityLabel("reserve_minutes", minutes=value)
        return _amp_hours(value, hours)
    bare = _BARE.findall(text)
    if len(bare) != 1:
        raise InvalidInput(
            {"label": f"“{text.strip()}” cannot be read; write it such as 100 Ah or 2 x 110 Ah."}
        )
    return _amp_hours(_number(bare[0]), hours)


def _amp_hours(value: float, hours: float | None) -> CapacityLabel:
    if hours is None:
        return CapacityLabel("nameplate", ah=value)
    return CapacityLabel("other_rate", ah=value, hours=hours)


def _block_v(volts: float | None) -> int:
    if volts is None:
        return USUAL_V
    # 12.8 V of lithium is sold as 12 V, 25.6 V as 24 V
    nearest = min(BLOCK_V, key=lambda name: abs(name * 1.03 - volts))
    if abs(volts - nearest) > 0.1 * nearest:
        raise InvalidInput({"label": f"No battery is sold as {volts:g} V; 12 V and 24 V are usual."})
    return nearest


def _count(count: float | None) -> int:
    made = 1 if count is None else int(count)
    if not 1 <= made <= 16:
        raise InvalidInput({"label": f"1 to 16 batteries, got {made}."})
    return made


def bank_of(battery: BatteryLabel, chemistry: Chemistry, joined: str) -> Bank:
    """The bank of such batteries.

    Args:
        battery: one of them, and how many.
        chemistry: of them all.
        joined: "parallel" or "series"; what cannot be follows the volts of one.

    Raises:
        InvalidInput: for `label`, when so many cannot be joined.
    """
    series = battery.count if joined == "series" else battery.in_a_row(USUAL_V)
    if battery.volts >= USUAL_V and joined != "series":
        series = 1
    parallel, left = divmod(battery.count, series)
    if left or not parallel:
        needed = f"{battery.volts} V each: {series} in a row make {USUAL_V} V"
        raise InvalidInput({"label": f"{needed}, so their number is a multiple of {series}."})
    cells = max(1, round(battery.volts * 1.03 / chemistry.cell_v))
    return Bank(chemistry.key, cells, series, parallel, battery.label)
