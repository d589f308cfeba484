"""What Survey's first pages say: why the job exists, and a usual day."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.survey.day_energy import SEASONS, SKIES, DayEnergy, LoadDay, SeasonDay
from volnik.core.survey.enquiry import Enquiry, Needed, implied_ah_day, lacks, shunt_needed
from volnik.core.survey.motor import throttles, turn_at_pct
from volnik.services.watch.usual_day import (
    LONG_DAYS,
    Choice,
    DayView,
    motor_w,
    nights_words,
    wanted_words,
)
from volnik.web.page import number

ORIGINS = {"guess": "guess", "said": "as said", "measured": "measured"}
NOT_AS_LISTED = "something is not as listed."
STRAY = 0.3  # by which a day's use by the list and by the log differ before it is told


@dataclass(frozen=True, slots=True)
class EnquiryPage:
    """The words of the first page.

    Attributes:
        heading, lead: what is wanted, and what it asks for.
        needed: whether a shunt is needed.
        implied: what a day took by how long the bank lasted, "" while not told.
        lacking: what the described monitor lacks of what is wanted.
    """

    heading: str
    lead: str
    needed: Needed
    implied: str
    lacking: list[str]


def enquiry_page(asked: Enquiry, view: DayView | None) -> EnquiryPage:
    """The words of the first page.

    Args:
        asked: as answered.
        view: the usual day, or None while no bank is described.
    """
    strings = 0 if view is None else view.given.path.bank.parallel
    implied = ""
    if view is not None and asked.survived_days:
        low, high = implied_ah_day(view.energy.usable, asked.survived_days)
        lasted = f"It lasted {number(asked.survived_days, 1)} days"
        implied = f"{lasted}: {number(low, 0)} to {number(high, 0)} Ah a day, by how far down it went."
    lacking = []
    if view is not None and view.given.dialect is not None and asked.wants:
        missing, untold = lacks(asked, view.given.dialect)
        name = view.given.dialect.name
        if missing:
            lacking.append(f"{name} has no {', no '.join(missing)}.")
        if untold:
            lacking.append(f"Look at its papers for: {', '.join(untold)}.")
    return EnquiryPage(*_wanted(asked, view), shunt_needed(asked, strings), implied, lacking)


def _wanted(asked: Enquiry, view: DayView | None) -> tuple[str, str]:
    """What is wanted, and whether the rig has it."""
    if not asked.said:
        return "Why this job, and what is wanted?", "What is answered here comes back at the end of the job."
    if asked.nights is None:
        return f"{asked.reason[:1].upper()}{asked.reason[1:]}." if asked.reason else "What is wanted?", ""
    if view is None:
        return (
            f"Wanted: {nights_words(asked.nights)} without sun or plug.",
            "Describe the battery and its loads, and Volnik says how many it has.",
        )
    return wanted_words(view), f"Reason: {asked.reason}." if asked.reason else ""


@dataclass(frozen=True, slots=True)
class LoadRow:
    """A load on the day page: id, name, Ah a day, where its figures come from, whether its hours are asked,
    the hours it runs as known, and the amps it then takes.
    """

    id: str
    name: str
    ah: str
    origin: str
    asks: bool
    hours: str
    amps: str


@dataclass(frozen=True, slots=True)
class SeasonRow:
    """A season: its name; for each sky what sun and wind give, what is over or short, how long it lasts."""

    name: str
    skies: list[tuple[str, str, str]]


@dataclass(frozen=True, slots=True)
class Compared:
    """A choice beside what there is: (what, as it is, as chosen)."""

    rows: list[tuple[str, str, str]]


@dataclass(frozen=True, slots=True)
class DayPage:
    """The words of the day page.

    Attributes:
        number: days without sun.
        heading, lead: in a sentence, and what it rests on.
        usable: how the usable Ah come about, line by line.
        called: what an hour of engine or mains brings.
        against: the list against the log or what was told, "" where they agree.
        compared: a choice beside what there is, or None.
    """

    number: str
    heading: str
    lead: str
    loads: list[LoadRow]
    usable: list[str]
    seasons: list[SeasonRow]
    called: list[str]
    against: str
    compared: Compared | None


def day_page(view: DayView, choice: Choice) -> DayPage:
    """The words of a usual day."""
    energy = view.energy
    days = energy.days
    return DayPage(
        "∞" if days >= LONG_DAYS else number(days, 1),
        _heading(view),
        _lead(view),
        [_load(load, energy) for load in energy.loads],
        _usable(view),
        [_season(energy, season) for season in SEASONS],
        [_called(*one) for one in energy.on_call],
        _against(view),
        _compared(view, choice) if view.other is not None else None,
    )


def _heading(view: DayView) -> str:
    if not view.energy.loads:
        return "No load is listed yet: type them under Devices."
    use = view.energy.use_ah
    said = f"A day takes about {number(use, 0)} Ah; {number(view.energy.usable.left, 0)} Ah may be used."
    return f"{said} {wanted_words(view)}" if view.asked.nights else said


def _lead(view: DayView) -> str:
    if view.energy.own_ah is not None:
        return "By the rig's own log. The list below is what was typed before there was one."
    share = view.energy.guessed_share
    if share <= 0.0:
        return "All figures were said or measured."
    return f"{100 * share:.0f} % of it is guessed: say below how long the big ones run."


def _load(load: LoadDay, energy: DayEnergy) -> LoadRow:
    return LoadRow(
        load.id,
        load.name,
        f"{number(load.ah, 0 if load.ah >= 10.0 else 1)} Ah",
        ORIGINS[load.origin],
        load in energy.big_guesses,
        f"{load.hours:.2g}" if load.origin != "guess" else "",
        number(load.amps, 1),
    )


@dataclass(frozen=True, slots=True)
class MotorRow:
    """A motor opened so far: name of its speed's field, words, hours, how far that is by a typed speed."""

    field: str
    words: str
    hours: str
    speed: str
    far: str


def motor_rows(view: DayView, speeds: dict[str, float | None]) -> list[MotorRow]:
    """Hours under motor, and how far where a speed was typed.

    Args:
        view: the usual day.
        speeds: by field, in the skipper's own unit an hour.
    """
    rows = []
    most_w, nominal_v = motor_w(view)
    if most_w <= 0.0:
        return []
    for each in throttles(most_w, nominal_v, view.given.numbers, view.energy.usable.left):
        field = f"v{100 * each.share:.0f}"
        speed = speeds.get(field)
        words, hours = f"{number(each.amps, 0)} A on the screen", f"{number(each.hours, 1)} h"
        if speed is None or speed <= 0.0:
            rows.append(MotorRow(field, words, hours, "", ""))
            continue
        way = speed * each.hours
        far = f"{number(way, 0)} far, {number(way / 2.0, 0)} out and back"
        rows.append(MotorRow(field, words, hours, f"{speed:g}", far))
    return rows


def turn_back_words(view: DayView) -> str:
    """Where to turn on one charge out and back, for a rig with a motor."""
    at = turn_at_pct(view.given.numbers.reserve_pct)
    return f"Out and back on one charge: turn at {number(at, 0)} %, sooner against wind or stream."


def _usable(view: DayView) -> list[str]:
    usable, cold = view.energy.usable, view.cold
    lines = [
        f"{number(usable.holds, 0)} Ah by the label",
        f"− {number(usable.reserve, 0)} Ah kept back as reserve",
    ]
    if usable.after_cut_out > usable.reserve:
        lines.append(f"− {number(usable.after_cut_out - usable.reserve, 0)} Ah more under its own cut-out")
    elif usable.after_cut_out > 0.0:
        left = usable.after_cut_out
        lines.append(f"of which {number(left, 0)} Ah lie under its own cut-out, to start a charger with")
    lines.append(f"= {number(usable.left, 0)} Ah to use; on a winter's morning {number(cold.left, 0)}")
    return lines


def _season(energy: DayEnergy, season: str) -> SeasonRow:
    return SeasonRow(season, [_sky(energy, energy.one(season, sky)) for sky, _ in SKIES])


def _sky(energy: DayEnergy, one: SeasonDay) -> tuple[str, str, str]:
    given, over, lasts = f"{number(one.given_ah, 0)} Ah", energy.over_ah(one), energy.lasts_days(one)
    if math.isinf(lasts):
        return given, f"{number(max(0.0, over), 0)} over", "as long as you like"
    return given, f"{number(-over, 0)} short", _days(lasts)


def _called(name: str, kind: str, amps: float) -> str:
    what = "an hour of the engine" if kind == "engine" else "an hour plugged in"
    return f"{name}: {what} brings up to {number(amps, 0)} Ah."


def _against(view: DayView) -> str:
    """Where the list and what is known otherwise disagree."""
    energy = view.energy
    listed, own_ah = energy.listed_ah, energy.own_ah
    if listed <= 0.0:
        return ""
    if own_ah is not None:
        if abs(own_ah - listed) <= STRAY * listed:
            return ""
        return f"The list says {number(listed, 0)} Ah a day, the log {number(own_ah, 0)}: {NOT_AS_LISTED}"
    if not view.asked.survived_days:
        return ""
    low, high = implied_ah_day(energy.usable, view.asked.survived_days)
    if (1.0 - STRAY) * low <= listed <= (1.0 + STRAY) * high:
        return ""
    lasted = f"It lasted {number(view.asked.survived_days, 1)} days so far"
    so = f"{lasted}: {number(low, 0)} to {number(high, 0)} Ah a day"
    return f"{so}; the list says {number(listed, 0)}: {NOT_AS_LISTED}"


def _compared(view: DayView, choice: Choice) -> Compared:
    """What a choice changes, beside what there is."""
    was, other = view.energy, view.other
    assert other is not None
    rows = [
        ("Ah to use", number(was.usable.left, 0), number(other.usable.left, 0)),
        ("days without sun", _days(was.days), _days(other.days)),
    ]
    for season in ("spring", "winter"):
        here, there = (_sky(each, each.one(season, "mixed"))[1] for each in (was, other))
        rows.append((f"{season}, mixed sky", here, there))
    if choice.weight_kg:
        rows.append(("Ah to use a kilogram", "", number(other.usable.left / choice.weight_kg, 1)))
    if choice.price:
        rows.append(("price of an Ah to use", "", number(choice.price / max(1e-9, other.usable.left), 2)))
    return Compared(rows)


def _days(days: float) -> str:
    return "more than a month" if days >= LONG_DAYS else f"{number(days, 1)} days"
