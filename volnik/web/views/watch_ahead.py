"""What the days-to-come page says: the forecast in sentences, the choices asked, rehearsals kept."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.drawings.fan import describe_ahead
from volnik.services.watch.ahead import AheadView, ForecastQuestion
from volnik.web.page import percent, when
from volnik.web.plural import count_of

NIGHTS = 8  # "not asked", then one to seven
STAYS = ((0.9, "Yes"), (0.6, "Probably"), (0.25, "Hardly"), (0.0, "No"))
"""Least share of such stays that last, and the word for it; source: the shop's own judgement."""


@dataclass(frozen=True, slots=True)
class AheadPage:
    """The forecast's words.

    Attributes:
        sentences: as asked or as things are, then the other; why there is none where nothing can be told.
        morning: charge at the next 07:00 [%], "" without a forecast.
        days_alike: how the past days were told apart.
        likeliest: what the middle line is.
        nights: nights to choose from, with their words.
        kept: rehearsals kept, each in a sentence.
    """

    sentences: list[str]
    morning: str
    days_alike: str
    likeliest: str
    nights: list[tuple[int, str]]
    kept: list[str]


def ahead_page(view: AheadView, zone: str) -> AheadPage:
    """The words of a forecast."""
    shown = view.changed or view.plain
    weekdays = view.plain is not None and view.plain.weekdays
    return AheadPage(
        _sentences(view, zone),
        percent(shown.by_morning[0][2]) if shown is not None and shown.by_morning else "",
        "weekdays and week-ends apart" if weekdays else "all days alike so far",
        "likeliest, as things are" if view.changed else "likeliest",
        [(night, count_of(night, "night") if night else "not asked") for night in range(NIGHTS)],
        [_kept(note.time_s, float(note.body["soc"]), came, zone) for note, came in view.kept],
    )


def _sentences(view: AheadView, zone: str) -> list[str]:
    """What the forecast says, plainly: first as asked or as things are, then the other."""
    if view.plain is None or view.now is None:
        return [view.trouble]
    found = []
    for name, forecast in (("As asked", view.changed), ("As things are", view.plain)):
        if forecast is not None:
            said = describe_ahead(forecast, view.now.numbers, zone, view.now.read_s)
            found.append(f"{name}: {said}.")
    if not math.isnan(view.stay):
        word = next(word for least, word in STAYS if view.stay >= least)
        last = f"in {100 * view.stay:.0f} of 100 such stays the battery keeps above its reserve"
        found.insert(0, f"{word}: {last}.")
    return found


def _kept(at_s: float, predicted: float, came: float, zone: str) -> str:
    """A rehearsal, and what came of it."""
    outcome = "the morning is still to come" if math.isnan(came) else f"it came to {percent(came)} %"
    return f"{when(at_s, zone, 'short')}: predicted {percent(predicted)} %, {outcome}."


def usual_days(asked: ForecastQuestion, days: int) -> float:
    """How many days the drawing shows: as chosen, but never less than the nights asked for."""
    return float(max(days, asked.nights))
