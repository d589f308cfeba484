"""What of a rig changes over months: capacity, resistance, joints, midpoint, idle draw, and their doubt.

Told when healthy too: a figure taken when all was well is what a later one is held against.
Docs: docs/domain/history.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from volnik.core.watch.checkup.capacity import by_rest, measured
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.load_bypass import Steepness, steepness

LIKE_C = 8.0  # points further apart in temperature are not compared; source: estimate
PER_C = 0.035  # of a resistance for each degree: lead 2 %, lithium up to 4; source: estimate, cell tables
YEAR_S = 365.25 * 86_400.0
NINE_OF_TEN = 1.645  # standard deviations
LEAST_OFF = 0.08  # of a resistance, however many steps: the charge it was met at moves it; source: trials
END_OF_LIFE = 0.8  # of the capacity as new; source: trade practice

Wanted = Literal["high", "low", "near zero"]


@dataclass(frozen=True, slots=True)
class TrendPoint:
    """One figure of a trend.

    Attributes:
        time_s: when, or the middle of the time it was taken over [s].
        value: the figure, in the trend's unit.
        low, high: between what it lies, nine cases of ten.
        celsius: how warm it was [°C], NaN where that is not known or says nothing.
        how: by what it was told.
    """

    time_s: float
    value: float
    low: float
    high: float
    celsius: float = math.nan
    how: str = ""


@dataclass(frozen=True, slots=True)
class Trend:
    """One measure over time.

    Attributes:
        key: names it.
        title: what it is.
        unit: of its points.
        digits: after the point.
        wanted: how it should be.
        points: in order of time.
        new: the figure it is held against, as stated or as first measured; NaN for none.
    """

    key: str
    title: str
    unit: str
    digits: int
    wanted: Wanted
    points: tuple[TrendPoint, ...]
    new: float = math.nan

    def shown(self, value: float) -> str:
        """A value with its unit.

        Args:
            value: in the trend's unit.
        """
        return f"{value:.{self.digits}f} {self.unit}".replace("-", "−")


def capacity_point(facts: Facts) -> TrendPoint | None:
    """The capacity of the battery over a stretch, from full to a charge that is known, or None.

    Args:
        facts: what the stretch gives to look at.
    """
    if (rested := by_rest(facts)) is not None:
        return TrendPoint(rested.end_s, rested.ah, rested.low_ah, rested.high_ah, math.nan, rested.how)
    found = measured(facts)
    whole = [] if found is None else [each for each in found.told if math.isfinite(each.high_ah)]
    if found is None or not whole or found.low_ah > found.high_ah:
        return None
    ways = ", ".join(each.how for each in whole)
    return TrendPoint(whole[-1].end_s, found.ah, found.low_ah, found.high_ah, math.nan, ways)


def resistance_point(facts: Facts) -> TrendPoint | None:
    """Milliohms of the whole battery over a stretch, from steps of load off charge; None with too few.

    Its doubt is that of the middle of so many steps, and of the charge they were met at.

    Args:
        facts: what the stretch gives to look at.
    """
    found = steepness(facts)
    if found is None:
        return None
    ohm, low, high = _middle(found)
    scale = 1000.0 * facts.per_12v
    celsius = facts.bins.celsius
    warm = float(np.nanmean(celsius)) if np.isfinite(celsius).any() else math.nan
    middle_s = float(np.median(found.time_s))
    return TrendPoint(
        middle_s, scale * ohm, scale * low, scale * high, warm, f"{len(found.ohm)} steps of load"
    )


def _middle(found: Steepness) -> tuple[float, float, float]:
    """The weighted middle of some steps, and between what it lies [Ω]."""
    order = np.argsort(found.ohm)
    running = np.cumsum(found.weight[order])
    quarter, half, three = (
        float(found.ohm[order][np.searchsorted(running, share * running[-1])]) for share in (0.25, 0.5, 0.75)
    )
    spread = (three - quarter) / 1.35  # of a normal distribution
    deviation = 1.25 * spread / math.sqrt(len(found.ohm))  # of a median
    off = max(NINE_OF_TEN * deviation, LEAST_OFF * half)
    return half, half - off, half + off


def comparable(points: Sequence[TrendPoint]) -> list[TrendPoint]:
    """The points as warm as the last one, itself included; those whose warmth says nothing too.

    Args:
        points: in order of time.
    """
    if not points:
        return []
    now_c = points[-1].celsius
    return [
        point
        for point in points
        if math.isnan(now_c) or math.isnan(point.celsius) or abs(point.celsius - now_c) <= LIKE_C
    ]


def told(trend: Trend) -> str:
    """What a trend says, in a sentence: where it stands, and how it moved where its doubt lets that be seen.

    Args:
        trend: with a point at least.
    """
    last = trend.points[-1]
    stands = f"{trend.shown(last.value)}{_between(trend, last)}"
    like = comparable(trend.points)
    if len(like) < 2:
        return f"{stands}{_of_new(trend, last)}. A second one will tell how it moves."
    first = like[0]
    since = _months(last.time_s - first.time_s)
    if _are_alike(first, last):
        return f"{stands}{_of_new(trend, last)}: no change in {since} that its doubt lets be seen."
    share = abs(last.value - first.value) / max(abs(first.value), 1e-9)
    moved = "rose" if last.value > first.value else "fell"
    much = f"by {100.0 * share:.0f} %" if share < 1.0 else f"to {1.0 + share:.1f} times that"
    ahead = _ahead(trend, first, last)
    return f"It {moved} {much} in {since}, from {trend.shown(first.value)} to {stands}.{ahead}"


def _are_alike(first: TrendPoint, last: TrendPoint) -> bool:
    """Whether the doubts of two points meet; warmth moves them too."""
    apart_c = abs(last.celsius - first.celsius)
    warmth = 0.0 if math.isnan(apart_c) else PER_C * apart_c * abs(first.value)
    return last.low - warmth <= first.high and first.low <= last.high + warmth


def _between(trend: Trend, point: TrendPoint) -> str:
    if not point.high > point.low:
        return ""
    return f" ({point.low:.{trend.digits}f} to {point.high:.{trend.digits}f})".replace("-", "−")


def _of_new(trend: Trend, point: TrendPoint) -> str:
    if math.isnan(trend.new) or trend.new <= 0.0 or trend.wanted != "high":
        return ""
    return f", {100.0 * point.value / trend.new:.0f} % of the {trend.shown(trend.new)} it is set to"


def _months(seconds: float) -> str:
    days = seconds / 86_400.0
    if days < 60.0:
        return f"{days:.0f} days"
    months = days / 30.44
    return f"{months:.0f} months" if months < 24.0 else f"{months / 12.0:.1f} years"


def _ahead(trend: Trend, first: TrendPoint, last: TrendPoint) -> str:
    """When a capacity that falls reaches the end of its life, at the pace so far."""
    if trend.wanted != "high" or last.value >= first.value:
        return ""
    new = first.value if math.isnan(trend.new) else trend.new
    left = last.value - END_OF_LIFE * new
    if left <= 0.0:
        return f" That is under {100.0 * END_OF_LIFE:.0f} % of new: plan its successor."
    years = left / (first.value - last.value) * (last.time_s - first.time_s) / YEAR_S
    return f" At that pace {100.0 * END_OF_LIFE:.0f} % of new is left in about {max(years, 0.1):.1f} years."
