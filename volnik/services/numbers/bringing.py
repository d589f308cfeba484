"""Numbers brought in from another rig or a supplier's table, to be judged on this rig anew."""

from __future__ import annotations

import re

from volnik.core.errors import InvalidInput
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.numbers.typed import NotRead, as_shown
from volnik.core.settings import Numbers
from volnik.core.shelf.dialects import PLAIN
from volnik.services.context import AppContext
from volnik.services.numbers.versions import NumbersView, numbers_view
from volnik.store import rigs as store

OWN = ("capacity_ah", "initial_soc")  # of the rig itself, never another's
BETWEEN = re.compile(r"\s*[;:=\t]\s*|\s{2,}|,\s+")
MOST_LINES = 60


def others_with_numbers(context: AppContext, rig_id: int) -> list[tuple[int, str]]:
    """Other rigs of the yard that have numbers and a battery on record: id and name."""
    with context.db.reading() as session:
        known = store.rigs_with_numbers(session)
        return [
            (rig.id, rig.name)
            for rig in store.all_rigs(session)
            if rig.id != rig_id and rig.id in known and rig.bank is not None
        ]


def of_rig(context: AppContext, view: NumbersView, other_id: int) -> dict[str, float]:
    """The numbers of another rig as this one would have them, in stored units: volts by its cells.

    Raises:
        InvalidInput: where the other has no numbers.
        NotFound: without such a rig.
    """
    other = numbers_view(context, other_id)
    if other.held is None or other.rig.bank is None or view.rig.bank is None:
        raise InvalidInput({"from": "That rig has no numbers on record."})
    values = _without_own(other.held.numbers)
    values["charged_voltage_v"] *= view.rig.bank.cells / other.rig.bank.cells
    return values


def _without_own(numbers: Numbers) -> dict[str, float]:
    return {
        key: float(value) for key, value in numbers.as_dict().items() if key not in OWN and value is not None
    }


def of_table(text: str, capacity_ah: float) -> dict[str, float]:
    """A supplier's table, a line each with a name and a value in any unit, in stored units.

    Args:
        text: as pasted.
        capacity_ah: of this rig, of which amps are a share [Ah].

    Raises:
        InvalidInput: naming each line that cannot be read.
    """
    names = _names()
    found: dict[str, float] = {}
    problems = []
    for at, line in enumerate(text.splitlines()[:MOST_LINES], 1):
        name, *rest = BETWEEN.split(line.strip(), maxsplit=1)
        if not name:
            continue
        key = names.get(name.casefold())
        if key is None or not rest:
            problems.append(f"Line {at}: “{line.strip()[:40]}” is no name of a number with its value.")
            continue
        try:
            shown = as_shown(key, rest[0], capacity_ah)
        except NotRead as wrong:
            problems.append(f"Line {at}: {wrong}")
            continue
        if shown is not None:
            found[key] = shown / MEANINGS[key].per_stored
    if not found and not problems:
        problems.append("Paste at least one line: a name and its value.")
    if problems:
        raise InvalidInput({"table": " ".join(problems)})
    return found


def _names() -> dict[str, str]:
    """What each number may be called: its name here, in trade words, or its key."""
    names = {meaning.label.casefold(): key for key, meaning in MEANINGS.items()}
    names |= {key: key for key in MEANINGS}
    return names | {field.label.casefold(): field.key for field in PLAIN.fields if field.key in MEANINGS}
