"""What the page of trends says: each measure with its drawing and sentence, joints, odd readings."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.watch.spikes import Spike
from volnik.core.watch.trends import Trend, told
from volnik.drawings.scale import PHONE_W, TwoSizes
from volnik.drawings.trends import TrendDrawing, draw_trend
from volnik.services.watch.trends import BankTrends, JointLine, TrendsView
from volnik.web.page import number, when
from volnik.web.plural import count_of

MOST_ODD = 12
NOTHING = "Nothing that changes over months was measured yet."


@dataclass(frozen=True, slots=True)
class TrendPanel:
    """One measure: its title, what it says, and the drawing of it."""

    title: str
    told: str
    drawing: TwoSizes[TrendDrawing]


@dataclass(frozen=True, slots=True)
class TrendsPage:
    """The page of trends.

    Attributes:
        figure, unit: the one number, and what it is of.
        heading: what matters most.
        panels: a measure each.
        joints: rows of when, where, torque, drop, resistance.
        earlier: a sentence for each battery before.
        missing: why a capacity is not told yet, "" where it is.
        odd: readings that cannot be, latest first; `odd_more` says how many are left out.
    """

    figure: str
    unit: str
    heading: str
    panels: list[TrendPanel]
    joints: list[list[str]]
    earlier: list[str]
    missing: str
    odd: list[str]
    odd_more: str


def _drawn(trend: Trend, span: tuple[float, float], cuts_s: list[float], zone: str) -> TwoSizes[TrendDrawing]:
    drawn = partial(
        draw_trend, trend, span, cuts_s=cuts_s, zone=zone, message=f"{trend.title}: {told(trend)}"
    )
    return TwoSizes(drawn(), drawn(width=PHONE_W))


def trends_page(view: TrendsView, zone: str) -> TrendsPage:
    """The words and drawings of a rig's trends."""
    times = [point.time_s for trend in view.trends for point in trend.points]
    span = (min(times), max(times)) if times else (0.0, 0.0)
    cuts_s = [event.time_s for event in view.cuts]
    panels = [
        TrendPanel(
            trend.title,
            told(trend),
            _drawn(trend, span, cuts_s, zone),
        )
        for trend in view.trends
    ]
    figure, unit, heading = _first(view.trends)
    odd = [_odd(spike, zone) for spike in reversed(view.odd[-MOST_ODD:])]
    more = len(view.odd) - len(odd)
    return TrendsPage(
        figure,
        unit,
        heading,
        panels,
        [_joint(line, zone) for line in view.joints],
        [_earlier(bank, zone) for bank in view.earlier],
        _missing(view),
        odd,
        f"and {more} earlier" if more > 0 else "",
    )


def _first(trends: list[Trend]) -> tuple[str, str, str]:
    """The measure that matters most: capacity, else resistance, else whatever there is."""
    if not trends:
        return "–", "", NOTHING
    trend = trends[0]
    last = trend.points[-1]
    return f"{last.value:.{trend.digits}f}", trend.unit, f"{trend.title}: {told(trend)}"


def _missing(view: TrendsView) -> str:
    """Why no capacity is told, and what would tell it."""
    if view.rig.bank is None or any(trend.key == "capacity" for trend in view.trends):
        return ""
    if not CHEMISTRIES[view.rig.bank.chemistry].is_lead:
        return "Capacity is told once the log goes from full down to some 10 %, at a light load."
    return "Capacity is told once the log goes from full below 70 % and then rests for some hours."


def _joint(line: JointLine, zone: str) -> list[str]:
    measured = [(line.nm, 1, "N·m"), (line.mv, 1, "mV"), (line.mohm, 2, "mΩ")]
    cells = [
        "" if math.isnan(value) else f"{number(value, digits)} {unit}" for value, digits, unit in measured
    ]
    return [when(line.time_s, zone, "day"), line.where, *cells]


def _odd(spike: Spike, zone: str) -> str:
    said = f"{number(spike.volts, 2)} V, {number(spike.amps, 1, sign=True)} A"
    return f"{when(spike.time_s, zone, 'short')}: {said}"


def _earlier(bank: BankTrends, zone: str) -> str:
    """What the log told of a battery that is gone."""
    parts = []
    for name, unit, digits, points in (
        ("capacity", "Ah", 0, bank.capacity),
        ("resistance", "mΩ", 1, bank.resistance),
    ):
        if points:
            values = [point.value for point in points]
            span = f"{number(values[0], digits)} {unit}"
            if len(values) > 1:
                span = f"{number(values[0], digits)} to {number(values[-1], digits)} {unit}"
            parts.append(f"{name} {span} in {count_of(len(values), 'month')}")
    since = "The first battery"
    if bank.start_s != -math.inf:
        since = f"The one of {when(bank.start_s, zone, 'day')}"
    return f"{since}: {'; '.join(parts) or 'nothing measured'}."
