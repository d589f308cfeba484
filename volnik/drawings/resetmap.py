"""The reset map drawn: zones as boxes of one run each, schools and the recommended point as marks, the
setting as a cross-hair.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.numbers.recommended import Recommended
from volnik.core.numbers.reset_map import ZONE_WORDS, ZONES, ResetMap
from volnik.core.numbers.schools import SchoolPoint
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

WIDTH, HEIGHT = 700.0, 520.0
LEFT, RIGHT, TOP, BOTTOM = 58.0, 690.0, 10.0, 474.0
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"


@dataclass(frozen=True, slots=True)
class Mark:
    """A school on the map: letter, place, and whether its hold is the one shown."""

    letter: str
    key: str
    name: str
    x: float
    y: float
    message: str
    same_hold: bool


@dataclass(frozen=True, slots=True)
class MapDrawing:
    """The map as boxes, lines and words; scales for what is dragged. words.

    Names of zones where there is room.
    """

    width: float
    height: float
    zones: list[Box]
    edges: list[Line]
    grid: list[Line]
    words: list[Word]
    marks: list[Mark]
    star: tuple[float, float] | None
    volts: Scale
    tails: Scale
    step_v: float
    step_pct: float
    message: str


def draw_map(found: ResetMap, recommended: Recommended | None, points: list[SchoolPoint]) -> MapDrawing:
    """Draw a reset map at its hold; of a rig nothing is recommended for, without its star."""
    v, t = found.grid.charged_v, found.grid.tail_pct
    half_v, half_t = float(v[1] - v[0]) / 2, float(t[1] - t[0]) / 2
    volts = Scale(float(v[0]) - half_v, float(v[-1]) + half_v, BOTTOM, TOP)
    tails = Scale(float(t[0]) - half_t, float(t[-1]) + half_t, LEFT, RIGHT)
    zones = _runs(found, volts, tails, half_v, half_t)
    grid = [
        Line(LEFT, volts.at(at), RIGHT, volts.at(at), "grid")
        for at in round_steps(float(v[0]), float(v[-1]), 8)
    ]
    words = [
        Word(LEFT - 6, volts.at(at) + 4, f"{at:.4g}", "end", "axis")
        for at in round_steps(float(v[0]), float(v[-1]), 8)
    ]
    words += [
        Word(tails.at(at), BOTTOM + 17, f"{at:g} %", "middle", "axis")
        for at in (1, 2, 3, 4, 5, 6, 7, 8, 9, 10)
    ]
    words += [
        Word(LEFT, HEIGHT - 10, "tail current, % of capacity", "start", "axis"),
        Word(LEFT + 5, TOP + 15, "charged voltage, V", "start", "axis name"),
    ]
    words += _names(found, volts, tails)
    star = None
    if (
        recommended is not None
        and recommended.charged_voltage_v is not None
        and recommended.tail_current_pct is not None
    ):
        star = tails.at(recommended.tail_current_pct), volts.at(recommended.charged_voltage_v)
    shares = [
        f"{ZONE_WORDS[zone]} {100 * float((found.zone == at).mean()):.0f} %"
        for at, zone in enumerate(ZONES)
        if (found.zone == at).any()
    ]
    edges = []
    if recommended is not None:
        edges = _outline(recommended, volts, tails, v, t, half_v=half_v, half_t=half_t)
    message = f"Reset map at a hold of {found.hold_s / 60:g} minutes. Of its area: {', '.join(shares)}."
    return MapDrawing(
        WIDTH,
        HEIGHT,
        zones,
        edges,
        grid,
        words,
        _marks(points, found, volts, tails),
        star,
        volts,
        tails,
        2 * half_v,
        2 * half_t,
        message,
    )


def _runs(found: ResetMap, volts: Scale, tails: Scale, half_v: float, half_t: float) -> list[Box]:
    """Cells of one zone side by side as one box, rows alike joined."""
    v, t = found.grid.charged_v, found.grid.tail_pct
    boxes: list[Box] = []
    start = 0
    rows = found.zone
    for row in range(1, len(v) + 1):
        if row < len(v) and np.array_equal(rows[row], rows[start]):
            continue
        top, bottom = volts.at(float(v[row - 1]) + half_v), volts.at(float(v[start]) - half_v)
        cuts = [0, *(np.flatnonzero(np.diff(rows[start])) + 1), len(t)]
        for first, last in zip(cuts, cuts[1:], strict=False):
            left, right = tails.at(float(t[first]) - half_t), tails.at(float(t[last - 1]) + half_t)
            boxes.append(
                Box(left, top, round(right - left, 2), round(bottom - top, 2), ZONES[int(rows[start, first])])
            )
        start = row
    return boxes


def _names(found: ResetMap, volts: Scale, tails: Scale) -> list[Word]:
    """The name of each zone in the middle of its widest part, where it fits."""
    words = []
    short = {**ZONE_WORDS, "early_heals": "early, heals", "early_lasts": "false full, stays wrong"}
    for at, zone in enumerate(ZONES):
        inside = found.zone == at
        if inside.sum() < 60:
            continue
        rows = np.flatnonzero(inside.sum(axis=1) >= 8)
        if not len(rows):
            continue
        row = int(rows[len(rows) // 2])
        columns = np.flatnonzero(inside[row])
        column = int(columns[len(columns) // 2])
        words.append(
            Word(
                tails.at(float(found.grid.tail_pct[column])),
                volts.at(float(found.grid.charged_v[row])) + 5,
                short[zone],
                "middle",
                "zone-name",
            )
        )
    return words


def _marks(points: list[SchoolPoint], found: ResetMap, volts: Scale, tails: Scale) -> list[Mark]:
    """Schools as marks; those on one place are set side by side."""
    taken: dict[tuple[float, float], int] = {}
    marks = []
    for letter, point in zip(LETTERS, points, strict=False):
        x, y = tails.at(point.tail_current_pct), volts.at(point.charged_voltage_v)
        near = next((place for place in taken if abs(place[0] - x) < 20 and abs(place[1] - y) < 20), None)
        shift = 0
        if near is not None:
            taken[near] += 1
            shift = taken[near]
        else:
            taken[(x, y)] = 0
        message = (
            f"{point.school.name}: {point.charged_voltage_v:g} V, {point.tail_current_pct:g} %, "
            f"{point.hold_s / 60:g} min"
        )
        marks.append(
            Mark(
                letter,
                point.school.key,
                point.school.name,
                round(x + 23 * shift, 2),
                y,
                message,
                abs(point.hold_s - found.hold_s) < 1,
            )
        )
    return marks


def _outline(
    recommended: Recommended,
    volts: Scale,
    tails: Scale,
    v: np.ndarray,
    t: np.ndarray,
    *,
    half_v: float,
    half_t: float,
) -> list[Line]:
    """The edge of the region that is as good as the recommended point."""
    inside = np.pad(np.asarray(recommended.basin, dtype=bool), 1)
    lines = []
    for row in range(len(v) + 1):
        y = volts.at(float(v[0]) - half_v + 2 * half_v * row)
        changes = np.flatnonzero(inside[row, 1:-1] != inside[row + 1, 1:-1])
        for run in np.split(changes, np.flatnonzero(np.diff(changes) > 1) + 1) if len(changes) else []:
            lines.append(
                Line(tails.at(float(t[run[0]]) - half_t), y, tails.at(float(t[run[-1]]) + half_t), y, "basin")
            )
    for column in range(len(t) + 1):
        x = tails.at(float(t[0]) - half_t + 2 * half_t * column)
        changes = np.flatnonzero(inside[1:-1, column] != inside[1:-1, column + 1])
        for run in np.split(changes, np.flatnonzero(np.diff(changes) > 1) + 1) if len(changes) else []:
            lines.append(
                Line(x, volts.at(float(v[run[0]]) - half_v), x, volts.at(float(v[run[-1]]) + half_v), "basin")
            )
    return lines
