"""What the pages of loads and of second opinions say."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from volnik.core.columns import column
from volnik.core.rig.bank import Bank
from volnik.core.watch.learned import LearnedLoad
from volnik.core.watch.loads import LoadsTold
from volnik.services.watch.loads import LoadsView, OpinionsView
from volnik.services.watch.own_columns import OwnColumns
from volnik.web.page import minutes, number, percent, when

MOST_UNKNOWN = 3
MUCH_UNTOLD = 0.15  # share of what is drawn that no device is told by, from which the ranking is doubtful


@dataclass(frozen=True, slots=True)
class UnknownLoad:
    """A step without a name: its amps as sent back, how it is described, and what was typed for it."""

    amps: str
    label: str
    what: str
    typed: str
    at_fault: bool


@dataclass(frozen=True, slots=True)
class LoadsPage:
    """The words of the loads.

    Attributes:
        trouble: why nothing can be told, "" where loads are.
        heading: what takes most;
        idle: how long the idle draw alone lasts;
        unseen: listed and never seen.
        unknown: steps offered for naming.
        rest: what the idle draw leaves over or lists too much.
        number: Ah a day, the whole use where it is known; beside: what that number is.
        share: how much of it went through the battery.
        learned: of each listed device, what the log shows of it.
        more: whether anything of that is not in the Survey yet.
        charger: what a charger's own log adds, "" without.
        untold: when much is drawn that no device is told by, "" for never.
        unnamed: listed devices never seen, to choose a name from.
    """

    trouble: str
    heading: str
    idle: str
    unseen: str
    unknown: list[UnknownLoad]
    rest: str
    number: str = ""
    beside: str = ""
    share: str = ""
    learned: list[LearnedRow] = field(default_factory=list)
    more: bool = False
    charger: str = ""
    untold: str = ""
    unnamed: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class LearnedRow:
    """A listed device: its number and name, what was measured, what is listed, whether the Survey has it, and
    whether it differs from the list.
    """

    device_id: str
    name: str
    measured: str
    listed: str
    kept: bool
    differs: bool


def loads_page(view: LoadsView, typed: dict[str, str], *, has_problems: bool) -> LoadsPage:
    """The words of a rig's loads.

    Args:
        typed: a name that was refused, with the amps it was typed for.
    """
    loads = view.loads
    if loads is None:
        trouble = view.facts.trouble if view.facts is not None else ""
        return LoadsPage(trouble or "There is no log.", "", "", "", [], "")
    unseen = f"Listed and never seen to switch: {', '.join(loads.unseen)}." if loads.unseen else ""
    too_much = loads.idle is not None and loads.idle.unknown_a < 0
    rest = "listed more than is drawn" if too_much else "not known"
    used, beside, share = _use(view, loads)
    rows = [_learned_row(one) for one in view.learned]
    return LoadsPage(
        "",
        _heading(loads),
        _idle(view, loads),
        unseen,
        _unknown(loads, typed, has_problems=has_problems),
        rest,
        used,
        beside,
        share,
        rows,
        any(row.differs and not row.kept for row in rows),
        _charger(view),
        _untold(view),
        loads.unseen,
    )


def _unknown(loads: LoadsTold, typed: dict[str, str], *, has_problems: bool) -> list[UnknownLoad]:
    """Steps without a name, offered for naming; what was refused is shown as typed."""
    found = []
    for load in loads.unknown[:MOST_UNKNOWN]:
        amps = str(round(load.amps, 2))
        refused = typed.get("amps") == amps
        label = f"{load.runs} times, {number(load.ah_day, 1)} Ah a day"
        name = typed.get("name", "") if refused else ""
        found.append(UnknownLoad(amps, label, f"{number(load.amps, 1)} A", name, refused and has_problems))
    return found


def _use(view: LoadsView, loads: LoadsTold) -> tuple[str, str, str]:
    """Ah of a day, what that number is, and how much of it went through the battery."""
    whole, out = view.whole_ah_day, loads.out_ah_day
    if math.isnan(whole) or whole < out:
        return number(out, 0), "a day, out", "What chargers feed straight to loads is not among it."
    straight = f"{number(whole - out, 0)} or more straight from chargers"
    return number(whole, 0), "a day, at least", f"{number(out, 0)} of it out of the battery, and {straight}."


def _learned_row(one: LearnedLoad) -> LearnedRow:
    measured, listed = [], []
    if one.ah_day is not None and one.duty is None:
        measured.append(
            f"{_amps_words(one)}, at least {number(one.ah_day.value, 1)} Ah a day: {one.at_least}"
        )
        listed.append(f"{number(one.ah_day.listed, 0)} Ah a day")
    if one.ah_day is not None and one.duty is not None:
        amps = _amps_words(one)
        share = f"{percent(one.duty.value)} % of {_hours_words(one.hours)}"
        ah_day = f"{number(one.ah_day.value, 1)} ± {number(one.ah_day.doubt, 1)} Ah a day"
        measured.append(f"{amps}, {share}: {ah_day}")
        if one.amps is not None:
            guess = "≈ " if one.amps.guessed else ""
            listed.append(f"{guess}{number(one.amps.listed, 1)} A, {number(one.ah_day.listed, 0)} Ah a day")
        else:
            listed.append(f"{number(one.ah_day.listed, 0)} Ah a day")
    if one.standby is not None:
        part = ", its part of the idle draw" if one.shared else ""
        measured.append(f"standby {number(one.standby.value, 2)} A{part}")
        listed.append(f"≈ {number(one.standby.listed, 2)} A standby")
    return LearnedRow(one.device_id, one.name, "; ".join(measured), "; ".join(listed), one.kept, one.differs)


def _amps_words(one: LearnedLoad) -> str:
    low, high = one.spread_a
    if one.amps is None:
        return f"at many powers, {number(low, 0)} to {number(high, 0)} A"
    return f"{number(one.amps.value, 1)} A ({number(low, 1)} to {number(high, 1)})"


def _hours_words(hours: tuple[tuple[float, float], ...]) -> str:
    if not hours or hours == ((0.0, 24.0),):
        return "the day"
    return " and ".join(f"{_clock(start)}–{_clock(end)}" for start, end in hours)


def _clock(hour: float) -> str:
    return f"{int(hour):02d}:{round(60 * (hour % 1)):02d}"


def _untold(view: LoadsView) -> str:
    """When much is drawn that neither a run nor the idle draw tells, and which listed devices it may be."""
    rest = view.untold
    if rest is None:
        return ""
    may = f" On the list for those hours: {', '.join(rest.devices)}." if rest.devices else ""
    return (
        f"Of no device known: about {number(rest.amps, 1)} A at {_clock(rest.start_h)}–{_clock(rest.end_h)}: "
        f"something slow, or several that switch at once.{may}"
    )


def _charger(view: LoadsView) -> str:
    held = view.beside
    if held is None:
        return ""
    least = "at least " if held.more_sources else ""
    given = (
        f"While {held.name} worked ({number(held.hours, 0)} h read beside the battery's log) it gave "
        f"{number(held.gave_ah_day, 0)} Ah a day"
    )
    if view.distrusted:
        return f"{given}; how much of it loads took cannot be told while the shunt is not believed."
    said = (
        f"{given}, {least}{number(held.hidden_ah_day, 0)} Ah of them "
        f"straight to loads: {number(held.load_a, 1)} A on average."
    )
    said += (
        f" Given less what the battery gained, all loads took {least}{number(held.drawn_ah_day, 0)} Ah a day."
    )
    if held.more_sources:
        said += " More came in than it gave: something else charged too."
    if held.lag_s:
        ahead = "ahead" if held.lag_s > 0 else "behind"
        said += f" Its clock is taken as {minutes(abs(held.lag_s))} {ahead}."
    return said


def _heading(loads: LoadsTold) -> str:
    most = "No load was seen to switch"
    if loads.named:
        first = loads.named[0]
        of_all = "" if loads.untold_share < MUCH_UNTOLD else " of what shows"
        most = f"{first.name} takes the most{of_all}: {number(first.ah_day, 1)} Ah a day"
    elif loads.unknown:
        most = f"The most goes to something without a name, {number(loads.unknown[0].amps, 1)} A"
    if loads.idle is None:
        return f"{most}."
    return f"{most}; {number(loads.idle.ah_day, 1)} Ah a day go even with all off."


def _idle(view: LoadsView, loads: LoadsTold) -> str:
    if loads.idle is None:
        return ""
    from_now = not math.isnan(view.storage_days)
    days = view.storage_days if from_now else loads.idle.storage_days
    reserve = "its reserve from now" if from_now else "its reserve"
    return f"Left on the idle draw alone the battery lasts {number(days, 0)} days to {reserve}."


@dataclass(frozen=True, slots=True)
class OpinionsPage:
    """The words of second opinions: the number beside the heading, the heading, what follows, how sure; what
    each counter is to be set to; of late, when, what they and the shunt said, and how far apart.
    """

    number: str
    heading: str
    further: list[str]
    give_or_take: str
    to_set: str = ""
    over_time: list[tuple[str, str, str, str]] = field(default_factory=list)


def opinions_page(view: OpinionsView) -> OpinionsPage:
    """The words of a rig's second opinions."""
    latest = view.latest
    if latest is None:
        ask = (
            "One after the other, at the same hour, nothing switching: each counts its own Ah, so they are "
            "weighed by them, not averaged."
        )
        return OpinionsPage("?", "Type what the batteries' own counters say.", [ask], "")
    first, *further = latest.sentences or ["They agree with the shunt, and none is stale."]
    sure = f"give or take {percent(latest.uncertainty)} points"
    return OpinionsPage(
        percent(latest.soc),
        first,
        further,
        sure,
        _to_set(view),
        [_then(each, view.rig.zone) for each in view.over_time],
    )


SET_APART = 0.05  # from the shunt, from which a counter is worth setting; source: the shop's judgement


def _to_set(view: OpinionsView) -> str:
    """What to set those counters to that are far from the shunt; nothing where the shunt is in doubt."""
    latest = view.latest
    if latest is None or math.isnan(latest.off) or view.rig.summary.believed != "plain":
        return ""
    shunt = latest.soc + latest.off
    far = [
        each.opinion.name
        for each in latest.each
        if abs(each.opinion.soc_pct / 100.0 - shunt) > max(SET_APART, view.half)
    ]
    if not far:
        return ""
    return (
        f"To be set: {', '.join(far)}. Best at the next full, all to 100 % at once; by hand now only where "
        f"that is weeks away, to {percent(shunt)} %."
    )


def _then(each: tuple[float, float, float], zone: str) -> tuple[str, str, str, str]:
    at_s, said, shunt = each
    known = not math.isnan(shunt)
    apart = f"{number(100.0 * (said - shunt), 0, sign=True)} points" if known else "?"
    return when(at_s, zone, "short"), f"{percent(said)} %", f"{percent(shunt)} %" if known else "?", apart


def counter_rows(
    bank: Bank | None, told: OwnColumns | None = None, zone: str = "UTC"
) -> list[dict[str, str]]:
    """Rows for the counters of a bank's strings; two where no bank is known.

    What counters said by themselves stands in them already.

    Args:
        bank: as described.
        told: what the rig's own columns tell.
        zone: the rig's time zone.
    """
    rows = _empty_rows(bank)
    said = [] if told is None else [counter for counter, _ in told.counters]
    for at, counter in enumerate(said):
        full = "" if counter.full_s is None else when(counter.full_s, zone, "field")
        found = column(counter.name)
        name = counter.name if found is None else found.words
        own = {"name": name, "soc_pct": f"{counter.percent:g}", "full": full}
        if len(said) == 1 and bank is not None and bank.label.ah:
            own["capacity_ah"] = f"{bank.label.ah * bank.parallel:g}"
        if at < len(rows):
            rows[at] = {**rows[at], **own}
        else:
            rows.append({"capacity_ah": "", "amps": "", **own})
    return rows


def _empty_rows(bank: Bank | None) -> list[dict[str, str]]:
    """A row for each string, with its Ah where they are known."""
    empty = {"name": "", "capacity_ah": "", "soc_pct": "", "full": "", "amps": ""}
    if bank is None:
        return [empty, empty]
    capacity = f"{bank.label.ah:g}" if bank.label.ah else ""
    return [
        {**empty, "name": f"string {at + 1}", "capacity_ah": capacity} for at in range(max(2, bank.parallel))
    ]
