"""What Numbers says: the board's verdict, each value's slip, versions side by side, a trial, two settings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.numbers.compared import Setting
from volnik.core.numbers.meanings import MEANINGS, Span
from volnik.core.numbers.reasons import Reason
from volnik.core.numbers.typed import Reading
from volnik.core.rig.studs import lower
from volnik.core.settings import LIMITS, Numbers
from volnik.services.numbers.versions import NumbersView
from volnik.web.page import minutes, number, percent, tidy_number, when
from volnik.web.plural import count_of

MOST_RESETS = 12


@dataclass(frozen=True, slots=True)
class ValueSlip:
    """One value of the board, with what is said of it.

    Attributes:
        key, label, unit, typed: the field.
        meaning: what it is, and between what it can and usually does lie.
        advised: the recommended value as typed, None where there is no recommendation; `advice` in words.
        default: the default as typed.
        too_low, too_high: what follows.
        readings: what a number that is asked back may have meant.
        certain: what says that it is meant as typed, "" where it cannot be.
    """

    key: str
    label: str
    unit: str
    typed: str
    meaning: str
    advised: str | None
    advice: str
    default: str
    too_low: str
    too_high: str
    readings: list[Reading]
    certain: str


def numbers_heading(
    view: NumbersView, numbers: Numbers, findings: Iterable[Finding], problems: dict[str, str]
) -> str:
    """The board's verdict."""
    if problems:
        return f"{count_of(len(problems), 'value')} cannot be right as typed; see beside the field."
    if view.held is None:
        cells = "" if view.rig.bank is None else f", {view.rig.bank.cells} cells"
        return f"Not saved yet: these are the defaults for {lower(view.chemistry.name)}{cells}."
    graver = next((finding for finding in findings if finding.level != "advise"), None)
    if graver is not None:
        return graver.message
    volts, amps = tidy_number(numbers.charged_voltage_v), number(numbers.tail_a, 1)
    held = f"{volts} V and {amps} A held {minutes(numbers.hold_s)} min"
    return f"Full at {held}; no problems found."


def value_slips(
    typed: dict[str, str],
    *,
    usual: dict[str, Span],
    defaults: dict[str, str],
    advised: dict[str, str],
    why: dict[str, Reason],
    readings: dict[str, list[Reading]],
) -> dict[str, ValueSlip]:
    """Every value of the board.

    Args:
        typed, defaults, advised: as the text of the fields.
        usual: between what each usually lies, in stored units.
        why: the reasons of what is recommended.
        readings: of numbers that are asked back.
    """
    found = {}
    for key, meaning in MEANINGS.items():
        reason = why.get(key)
        low, high = (value * meaning.per_stored for value in (usual[key].low, usual[key].high))
        limit = LIMITS[key]
        possible = (tidy_number(value * meaning.per_stored) for value in (limit.low, limit.high))
        default = f"{defaults[key]} {meaning.unit}" if defaults[key] else "unknown"
        said = (
            f"{meaning.meaning} Possible: {' to '.join(possible)}; usual: {tidy_number(round(low, 3))} to "
            f"{tidy_number(round(high, 3))} {meaning.unit}. Default: {default.strip()}."
        )
        wanted = None if reason is None else advised[key]
        advice = f"{wanted} {meaning.unit}".strip() if wanted else "leave it open"
        found[key] = ValueSlip(
            key,
            meaning.label,
            meaning.unit,
            typed.get(key, ""),
            said,
            wanted,
            advice,
            defaults[key],
            meaning.too_low,
            meaning.too_high,
            readings.get(key, []),
            _certain(key, typed.get(key, "")),
        )
    return found


def _certain(key: str, text: str) -> str:
    """The number as one that is meant as typed; "" where its limits refuse it anyway."""
    try:
        refused = LIMITS[key].refusal(float(text) / MEANINGS[key].per_stored)
    except ValueError:
        return ""
    return "" if refused else f"{key}={text}"


@dataclass(frozen=True, slots=True)
class ComparedRow:
    """One number in two versions."""

    label: str
    was: str
    now: str
    unit: str

    @property
    def differs(self) -> bool:
        """Whether the two are unlike."""
        return self.was != self.now


def compared_rows(was: dict[str, str], now: dict[str, str]) -> list[ComparedRow]:
    """Two sets of numbers, as the text of their fields, side by side."""
    rows = []
    for key, value in was.items():
        meaning = MEANINGS.get(key)
        label = "Power-up state" if meaning is None else meaning.label
        unit = "" if meaning is None else meaning.unit
        rows.append(ComparedRow(label, value or "unknown", now[key] or "unknown", unit))
    return rows


def versions_heading(count: int, last_s: float | None, zone: str) -> str:
    """How many versions there are."""
    if last_s is None:
        return "No version is saved yet."
    if count == 1:
        return f"One version, saved {when(last_s, zone)}."
    return f"{count} versions; two beside each other."


def trial_heading(resets: int, soc: float, before: tuple[int, float] | None) -> str:
    """What new numbers would have done to the log.

    Args:
        resets, soc: with the new ones: full resets, charge at the end [0..1].
        before: the same with the numbers of record, None where there are none.
    """
    after = percent(soc)
    if before is None:
        return f"{resets} full resets with these numbers; the count would end at {after} %."
    was = percent(before[1])
    end = f"the same {after} %" if after == was else f"{after} % instead of {was} %"
    return f"{before[0]} full resets before, {resets} with the new numbers; the count would end at {end}."


def setting_words(setting: Setting) -> str:
    """A setting of the reset at full in figures."""
    volts, tail = tidy_number(setting.charged_voltage_v), tidy_number(setting.tail_current_pct)
    return f"{volts} V, {tail} %, {minutes(setting.hold_s)} min"


@dataclass(frozen=True, slots=True)
class ResetList:
    """When one setting would have reset: the last ones, and how many came before, in a sentence."""

    title: str
    resets: list[str]
    earlier: str


def reset_list(title: str, resets_s: list[float], zone: str) -> ResetList:
    """The resets of one setting over the log."""
    earlier = len(resets_s) - MOST_RESETS
    said = f"and {earlier} times before." if earlier > 0 else ""
    last = [when(at_s, zone) for at_s in resets_s[-MOST_RESETS:]]
    return ResetList(title, last, said if resets_s else "Never in this log.")
