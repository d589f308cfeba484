"""What the days-to-come page says: the forecast in sentences, the choices asked, rehearsals kept."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.units import System
from volnik.core.watch.tomorrow import AirEffect, TurnBack
from volnik.drawings.fan import clock, describe_ahead
from volnik.services.log.counted_log import Moment
from volnik.services.watch.ahead import AheadView, ForecastQuestion
from volnik.web.page import as_temperature, number, percent, when
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
        balance: what grey and sunny days leave over or lack, and what would change it.
        air: what tomorrow's frost or heat does to charging.
    """

    sentences: list[str]
    morning: str
    days_alike: str
    likeliest: str
    nights: list[tuple[int, str]]
    kept: list[str]
    balance: list[str]
    air: list[str]


def ahead_page(view: AheadView, zone: str, system: System) -> AheadPage:
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
        _balance(view),
        [_air(effect, system) for effect in view.air],
    )


PANEL_W = 100.0  # of one more panel that is told of
EVEN_AH = 1.0  # short or over by less is even


def _balance(view: AheadView) -> list[str]:
    """What grey and sunny days leave over or lack, and what one more panel or string would change."""
    days = view.balance
    if days is None:
        return []
    grey, sunny = (_over(value) for value in (days.grey, days.sunny))
    said = [f"A day uses about {number(days.use, 0)} Ah. Grey days: {grey}; sunny ones: {sunny}."]
    if days.grey >= -EVEN_AH:
        return said
    helps = []
    if view.panel_w > 0.0 and days.grey_sun > EVEN_AH:
        a_panel = days.grey_sun * PANEL_W / view.panel_w
        even_w = math.ceil(-days.grey / a_panel) * PANEL_W
        helps.append(
            f"{PANEL_W:.0f} W more panel brings about {number(a_panel, 0)} Ah on a grey day, {even_w:.0f} W "
            "make it even"
        )
    if not math.isnan(view.string_ah):
        more = view.string_ah / -days.grey
        string = f"one string more ({number(view.string_ah, 0)} Ah)"
        helps.append(f"{string} carries {number(more, 1)} grey days more")
    carried = f"From full to the reserve it carries {number(days.carried, 1)} grey days in a row."
    return [*said, f"{carried} {'; '.join(helps)}." if helps else carried]


def _over(value: float) -> str:
    if abs(value) < EVEN_AH:
        return "about even"
    return f"{number(abs(value), 0)} Ah {'over' if value > 0.0 else 'short'}"


def _air(effect: AirEffect, system: System) -> str:
    limit = as_temperature(effect.limit_c, system)
    if effect.kind == "frost":
        return (
            f"Frost: below {limit} this battery must take no charge. While the battery itself is that cold, "
            f"up to {number(effect.at_stake_ah, 0)} Ah of a usual morning stay out; a bay warm in the "
            "evening follows the air hours later. Never bridge its protection."
        )
    if effect.kind == "freezes":
        return f"Frost: a lead battery this low may freeze below {limit}. Charge it today."
    return (
        f"Heat: above {limit} this battery must take no charge: {number(effect.at_stake_ah, 0)} Ah of a "
        "usual day are at stake. Air the bay, shade it, charge in the morning."
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
    if view.turn is not None:
        found.insert(0, _turn(view.turn, view.now, zone))
    return found


def _turn(turn: TurnBack, now: Moment, zone: str) -> str:
    """Where to turn for home, and when the days to come reach it."""
    where = f"Turn back at {percent(turn.soc)} %"
    if turn.soc >= 1.0:
        return "That way back takes more than this bank holds above its reserve: no charge suffices."
    if now.soc <= turn.soc:
        return f"{where}: you are there already. Turn back now, or charge first."
    if math.isnan(turn.soonest_s):
        return f"{where}: not reached in the days to come."
    soonest = f"as early as {clock(turn.soonest_s, zone, now.read_s)}"
    if math.isnan(turn.likeliest_s):
        return f"{where}: {soonest}, likely not at all in the days to come."
    return f"{where}: likeliest {clock(turn.likeliest_s, zone, now.read_s)}, {soonest}."


def _kept(at_s: float, predicted: float, came: float, zone: str) -> str:
    """A rehearsal, and what came of it."""
    outcome = "the morning is still to come" if math.isnan(came) else f"it came to {percent(came)} %"
    return f"{when(at_s, zone, 'short')}: predicted {percent(predicted)} %, {outcome}."


def usual_days(asked: ForecastQuestion, days: int) -> float:
    """How many days the drawing shows: as chosen, but never less than the nights asked for."""
    return float(max(days, asked.nights))
