"""A measure over months: a dot with its doubt for each time it was taken, cuts where a new battery came."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.watch.trends import Trend, TrendPoint
from volnik.drawings.dates import day_label, has_years, local_of
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 150.0, 56.0, 14.0, 12.0, 24.0
PANEL_W = 560.0  # on a laptop, two beside each other
LEAST_SPAN_S = 7 * 86_400.0  # points of one day are drawn apart from the edges
DATED_ROOM = 120.0  # of a date that is written
MARK = 8.0


@dataclass(frozen=True, slots=True)
class TrendDot:
    """A figure: its mark, the line of its doubt, and what it says when pointed at."""

    mark: Box
    doubt: Line
    title: str


@dataclass(frozen=True, slots=True)
class TrendDrawing:
    """A measure over time: figures, grid, cuts, words, and a sentence on all of it."""

    width: float
    height: float
    dots: list[TrendDot]
    grid: list[Line]
    cuts: list[Line]
    words: list[Word]
    message: str


def draw_trend(
    trend: Trend,
    span: tuple[float, float],
    *,
    cuts_s: list[float],
    zone: str,
    message: str,
    width: float = PANEL_W,
) -> TrendDrawing:
    """Draw a measure.

    Args:
        trend: with a point at least.
        span: from to of the paper, the same for all measures of a page [s].
        cuts_s: when a new battery came or wiring was changed [s].
        zone: of the rig's clock.
        message: what the drawing says.
        width: of the paper.
    """
    start_s, end_s = span
    margin = max(0.04 * (end_s - start_s), LEAST_SPAN_S)
    time = Scale(start_s - margin, end_s + margin, LEFT, width - RIGHT)
    level = _level(trend)
    foot = HEIGHT - BOTTOM
    steps = round_steps(level.low, level.high, 4)
    grid = [Line(LEFT, level.at(value), width - RIGHT, level.at(value), "grid") for value in steps]
    words = [Word(LEFT - 6, level.at(value) + 4, f"{value:g}".replace("-", "−"), "end") for value in steps]
    if level.low < trend.new < level.high:
        grid.append(Line(LEFT, level.at(trend.new), width - RIGHT, level.at(trend.new), "new"))
        words.append(Word(width - RIGHT, level.at(trend.new) - 4, "as set", "end", "new"))
    cuts = [Line(time.at(at), TOP, time.at(at), foot, "cut") for at in cuts_s if time.low < at < time.high]
    dots = [_dot(trend, point, time, level, zone) for point in trend.points]
    return TrendDrawing(width, HEIGHT, dots, grid, cuts, [*words, *_dates(time, zone)], message)


def _level(trend: Trend) -> Scale:
    """The scale of values: all doubts fit, and what ought to be zero shows how far it is off."""
    values = [end for point in trend.points for end in (point.low, point.high)]
    low, high = min(values), max(values)
    if trend.wanted != "high":
        low, high = min(low, 0.0), max(high, 0.0)
    elif trend.new > 0.0:
        low, high = min(low, trend.new), max(high, trend.new)
    room = 0.1 * (high - low) or 1.0
    return Scale(low if low == 0.0 else low - room, high + room, HEIGHT - BOTTOM, TOP)


def _dot(trend: Trend, point: TrendPoint, time: Scale, level: Scale, zone: str) -> TrendDot:
    x = time.at(point.time_s)
    day = day_label(local_of(point.time_s, zone), year=True)
    warm = "" if point.celsius != point.celsius else f", {point.celsius:.0f} °C"
    how = f", {point.how}" if point.how else ""
    title = f"{day}: {trend.shown(point.value)}{warm}{how}."
    mark = Box(x - MARK / 2.0, level.at(point.value) - MARK / 2.0, MARK, MARK)
    return TrendDot(mark, Line(x, level.at(point.low), x, level.at(point.high)), title)


def _dates(time: Scale, zone: str) -> list[Word]:
    years = has_years(time.low, time.high, zone)
    found = []
    dates = int((time.end - time.start) / DATED_ROOM) + 1
    for at in range(dates):
        instant = time.low + (time.high - time.low) * at / (dates - 1)
        anchor = "start" if at == 0 else "end" if at == dates - 1 else "middle"
        label = day_label(local_of(instant, zone), year=years)
        found.append(Word(time.at(instant), HEIGHT - 6, label, anchor, "day"))
    return found
