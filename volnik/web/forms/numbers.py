"""Numbers as typed: each in the unit it is typed in, turned into the unit it is stored in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from volnik.core.numbers.meanings import MEANINGS, POWER_UP
from volnik.core.settings import Numbers, SettingsError
from volnik.web.forms.fields import decimal, text


def fields_of(numbers: Numbers, power_up: str) -> dict[str, str]:
    """Numbers as the text of their fields."""
    shown = {}
    for key, value in numbers.as_dict().items():
        shown[key] = "" if value is None else f"{round(value * MEANINGS[key].per_stored, 9):.10g}"
    return {**shown, "power_up": power_up}


def read_values(form: Mapping[str, Any]) -> tuple[dict[str, float | None], str]:
    """Values in stored units, and the power-up state.

    Raises:
        SettingsError: with a sentence for each field that holds no number.
    """
    problems: dict[str, str] = {}
    values: dict[str, float | None] = {}
    for key, meaning in MEANINGS.items():
        typed = decimal(form, key, problems, needed=key != "initial_soc")
        values[key] = None if typed is None else typed / meaning.per_stored
    power_up = text(form, "power_up")
    if power_up not in POWER_UP:
        problems["power_up"] = "Choose what the monitor claims after a loss of supply."
    if problems:
        raise SettingsError(problems)
    return values, power_up
