"""What volts read at rest mean: a span of charge, or what is still to wait for."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.count.evidence import at_rest
from volnik.core.errors import InvalidInput
from volnik.core.rig.bank import Bank
from volnik.core.shelf.chemistries import Chemistry
from volnik.web.forms.posted import read_form
from volnik.web.forms.rested import RestAsked, RestFigures
from volnik.web.page import percent
from volnik.web.views.survey import Field

WIDE = 0.25  # of charge, from which the volts tell next to nothing


@dataclass(frozen=True, slots=True)
class RestedWords:
    """The fields as they stand, the answer and what is to be known of it, what is wrong beside its field."""

    fields: list[Field]
    after: str
    answer: str
    fine: str
    problems: dict[str, str]


def rested_words(asked: RestAsked, bank: Bank, chemistry: Chemistry) -> RestedWords:
    """The look-up of volts at rest.

    Args:
        asked: as typed; nothing is answered where nothing was.
        bank: of the rig.
        chemistry: of the bank.
    """
    fields = [
        Field("volts", "Volts at the battery", asked.volts, "V"),
        Field("hours", "hours since anything", asked.hours, "h"),
    ]
    if not asked.is_asked:
        return RestedWords(fields, asked.after, "", "", {})
    try:
        figures = read_form(RestFigures, {"volts": asked.volts, "hours": asked.hours}).read()
        word = at_rest(
            0.0,
            volts=figures.volts,
            cells=bank.cells,
            chemistry=chemistry,
            hours=figures.hours,
            after_charge=asked.after == "charge",
        )
    except InvalidInput as wrong:
        return RestedWords(fields, asked.after, "", "", wrong.problems)
    answer = f"Between {percent(word.low)} and {percent(word.high)} % charged, by its volts."
    return RestedWords(fields, asked.after, answer, _fine(word.high - word.low), {})


def _fine(width: float) -> str:
    if width > WIDE:
        return "Volts tell almost nothing here; a full charge tells it."
    return "Of its label when new; an aged battery shows the same volts with less in it."
