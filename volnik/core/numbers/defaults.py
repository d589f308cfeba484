"""Default numbers for a bank, and the range a value is usually found in."""

from __future__ import annotations

from volnik.core.numbers.meanings import MEANINGS, Span
from volnik.core.numbers.typed import asked_back
from volnik.core.rig.bank import Bank
from volnik.core.settings import LIMITS, Numbers, numbers_from_dict
from volnik.core.shelf.chemistries import Chemistry


def default_numbers(bank: Bank, chemistry: Chemistry) -> Numbers:
    """Starting numbers for this chemistry and cell count. Source: the chemistry's table.

    Args:
        bank: as described.
    """
    values = {key: meaning.start(bank, chemistry) for key, meaning in MEANINGS.items()}
    return numbers_from_dict(values)


def usual_spans(bank: Bank, chemistry: Chemistry) -> dict[str, Span]:
    """The customary range of every number for this bank. Source: trade practice (docs/domain/numbers.md).

    Args:
        chemistry: of the bank.
    """
    return {key: meaning.usual(bank, chemistry) for key, meaning in MEANINGS.items()}


def traps(
    values: dict[str, float | None],
    bank: Bank,
    chemistry: Chemistry,
    *,
    sure: frozenset[str] = frozenset(),
) -> dict[str, str]:
    """Values typed in the wrong unit or for another voltage class, by key, each with a sentence.

    Args:
        values: stored units, as in SETTINGS.json.
        bank, chemistry: what the volts and the capacity are held against.
        sure: keys whose value was said to be meant as it is.
    """
    found: dict[str, str] = {}
    for key, others in asked_back(values, bank, chemistry, sure).items():
        meant = " or ".join(one.words for one in others)
        found[key] = f"Is {_shown(key, values[key])} meant, or {meant}?"
    for key, number in values.items():
        if number is None:
            continue
        if key in LIMITS and (sentence := LIMITS[key].refusal(number)):
            found[key] = f"This {sentence}"
        elif sentence := _trap(key, number, bank, chemistry, certain=key in sure):
            found[key] = sentence
    return found


def _trap(key: str, number: float, bank: Bank, chemistry: Chemistry, *, certain: bool) -> str:
    """What is wrong with a value; one said to be meant is only held against the battery's own cut-out."""
    if certain:
        return _bank_trap(key, number, bank, chemistry) if key == "reserve_pct" else ""
    return _unit_trap(key, number) or _bank_trap(key, number, bank, chemistry)


def _shown(key: str, value: float | None) -> str:
    """A value in the unit the page shows."""
    meaning = MEANINGS[key]
    return f"{round((value or 0.0) * meaning.per_stored, 4):.10g} {meaning.unit}".strip()


def _bank_trap(key: str, number: float, bank: Bank, chemistry: Chemistry) -> str:
    """Volts of another class, a capacity ten times off, a reserve under the battery's own cut-out, or ""."""
    if key == "charged_voltage_v":
        per_cell = number / bank.cells
        if 0.95 * chemistry.cell_v <= per_cell <= 1.35 * chemistry.cell_v:
            return ""
        return (
            f"{number:g} V is {per_cell:.2f} V a cell; this {bank.nominal_v(chemistry):g} V battery has "
            f"{bank.cells} cells, so about {chemistry.charged_v * bank.cells:.1f} V."
        )
    if key == "capacity_ah":
        offered = bank.capacity(chemistry).capacity_ah
        if 0.1 * offered <= number <= 10 * offered:
            return ""
        return f"The battery on record holds {offered:.0f} Ah; {number:g} Ah is ten times off."
    if key == "reserve_pct" and number < bank.least_reserve_pct:
        return (
            f"The battery switches itself off at {bank.cut_out_pct:g} %: at a reserve of {number:g} % the "
            f"lights go out before any warning. {bank.least_reserve_pct:g} % at the least."
        )
    return ""


def _unit_trap(key: str, number: float) -> str:
    """What a value in the wrong unit looks like, or ""."""
    for low, high, sentence in MEANINGS[key].traps if key in MEANINGS else ():
        if low < number <= high:
            return sentence.format(
                value=number,
                percent=100 * number,
                myriad=10_000 * number,
                minutes=number / 60,
                milli=number / 1000,
            )
    return ""
