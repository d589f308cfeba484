"""Ways at right angles: every cable on tracks, passages and corridors of its own."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from volnik.drawings.path_parts import TRACK


@dataclass(slots=True)
class Place:
    """Where a stud is and how its cables leave it.

    Sideways into a gap, or up into the corridor of its row of blocks.
    """

    x: float
    y: float
    gap: int
    rail: bool = False
    corridor: float | None = None


class Router:
    """Gives every cable its tracks, passages and corridors, so that no two lie on each other."""

    def __init__(
        self, gaps: dict[int, tuple[float, float]], open_lanes: set[int], top: float, bottom: float
    ) -> None:
        self.gaps, self.open_lanes = gaps, open_lanes
        self.used: dict[int, int] = defaultdict(int)
        self.top, self.bottom = top, bottom
        self.above = self.below = 0
        self.corridors: dict[float, int] = defaultdict(int)

    def track(self, gap: int) -> float:
        """The next free upright track of a gap, from its middle outwards."""
        low, high = self.gaps[gap]
        index = self.used[gap]
        self.used[gap] += 1
        middle = (low + high) / 2
        offset = (index + 1) // 2 * TRACK * (1 if index % 2 else -1)
        return round(min(high - 3, max(low + 3, middle + offset)), 1)

    def corridor(self, row_y: float) -> float:
        """The next free level above a row of blocks."""
        index = self.corridors[row_y]
        self.corridors[row_y] += 1
        return row_y - 10 - TRACK * (index % 5)

    def passage(self, pole: str) -> float:
        """The next free level round the closed lanes: negatives below, positives above."""
        if pole == "minus":
            self.below += 1
            return self.bottom + TRACK * self.below
        self.above += 1
        return self.top - TRACK * self.above

    def way(self, a: Place, b: Place, pole: str) -> list[tuple[float, float]]:
        """Corner points from one stud to the other."""
        start, end = self.leave(a), self.leave(b)
        (ax, ay), (bx, by) = start[-1], end[-1]
        if a.corridor is not None and b.corridor == a.corridor:
            return [(a.x, a.y), (a.x, ay), (b.x, ay), (b.x, b.y)]
        if (
            a.corridor is not None and b.corridor is not None and a.gap != b.gap
        ):  # along a string, one row to another
            x = min(a.x, b.x) - 22.0
            return [(a.x, a.y), (a.x, ay), (x, ay), (x, by), (b.x, by), (b.x, b.y)]
        if a.rail and b.rail:
            return [*start, (ax, ay), (bx, ay), *((bx, by),)]
        if a.rail or b.rail:
            rail, other, leave = (a, b, end) if a.rail else (b, a, start)
            points = self._to_rail(rail, other, leave, pole)
            return points if b.rail else points[::-1]
        if a.gap == b.gap:
            x = self.track(a.gap)
            middle = [(x, ay), (x, by)]
        elif self.is_open(a.gap, b.gap):
            x = self.track(min(a.gap, b.gap) if pole == "minus" else max(a.gap, b.gap))
            middle = [(x, ay), (x, by)]
        else:
            xa, xb, level = self.track(a.gap), self.track(b.gap), self.passage(pole)
            middle = [(xa, ay), (xa, level), (xb, level), (xb, by)]
        return [*start, *middle, *end[::-1]]

    def leave(self, place: Place) -> list[tuple[float, float]]:
        if place.corridor is None:
            return [(place.x, place.y)]
        return [(place.x, place.y), (place.x, self.corridor(place.corridor))]

    def is_open(self, number: int, other: int) -> bool:
        low, high = sorted((number, other))
        return all(lane in self.open_lanes for lane in range(low + 1, high + 1))

    def _to_rail(
        self, rail: Place, other: Place, leave: list[tuple[float, float]], pole: str
    ) -> list[tuple[float, float]]:
        """From another stud onto a rail at the level it comes in on."""
        _, y = leave[-1]
        if self.is_open(other.gap, rail.gap) or self.is_open(other.gap, rail.gap - 1):
            return [*leave, (rail.x, y)]
        x, level = self.track(other.gap), self.passage(pole)
        return [*leave, (x, y), (x, level), (rail.x, level)]
