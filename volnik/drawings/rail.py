"""The charge rail: one wide bar scaled in Ah, the reserve hatched, the clock above it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.settings import Numbers
from volnik.core.watch.outlook import Outlook
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

MARGIN = 16.0
ROOM_PER_WORD = 98.0
ROW = 20.0


@dataclass(frozen=True, slots=True)
class Rail:
    """The rail as boxes, lines and words.

    Attributes:
        width, height: of the paper.
        bar, reserve, level: the whole bar, the reserve at its left, what is in it; level is None while
            unknown.
        edge: the level's uncertain edge, from the least to the greatest it can be; None without a band.
        ticks, tick_words: the Ah scale below.
        flags, flag_words: the clock above.
        message: the drawing in a sentence.
        unknown: what stands in the bar while the charge is unknown.
    """

    width: float
    height: float
    bar: Box
    reserve: Box
    level: Box | None
    ticks: list[Line]
    tick_words: list[Word]
    flags: list[Line]
    flag_words: list[Word]
    message: str
    edge: Box | None = None
    unknown: str = ""

    @property
    def level_edge(self) -> Line:
        """The line at which the level stands, a little beyond the bar above and below."""
        assert self.level is not None
        return Line(self.level.right, self.bar.y - 6, self.level.right, self.bar.y + self.bar.height + 6)


def draw_rail(
    numbers: Numbers,
    deficit_ah: float,
    ahead: list[Outlook],
    *,
    width: float,
    small: bool = False,
    band: tuple[float, float] | None = None,
    unknown: str = "charge unknown until the first full reset",
) -> Rail:
    """Draw the rail for a deficit [Ah].

    The left end is an empty bank, the right end a full one. `band` is least and greatest charge [0..1],
    `unknown` what stands in the bar where the deficit is NaN.
    """
    left_ah = max(0.0, numbers.capacity_ah - deficit_ah)
    named = [] if math.isnan(deficit_ah) else [("now", left_ah)]
    named += [(outlook.name, numbers.capacity_ah - outlook.deficit_ah) for outlook in ahead]
    rows = _rows([ah for _, ah in named], Scale(0.0, numbers.capacity_ah, MARGIN, width - MARGIN))
    top, thick = 10.0 + ROW * (max(rows) + 1 if rows else 0), 48.0 if small else 44.0
    scale = Scale(0.0, numbers.capacity_ah, MARGIN, width - MARGIN)
    bar = Box(MARGIN, top, width - 2 * MARGIN, thick, "bar")
    kept_ah = numbers.capacity_ah - numbers.reserve_ah
    reserve = Box(MARGIN, top, scale.at(kept_ah) - MARGIN, thick, "reserve")
    ticks, words = _ticks(scale, top + thick, width)
    if math.isnan(deficit_ah):
        message = f"{unknown.capitalize()}; capacity {numbers.capacity_ah:g} Ah, reserve {kept_ah:.0f} Ah."
        return Rail(
            width, top + thick + 30, bar, reserve, None, ticks, words, [], [], message, unknown=unknown
        )
    level = Box(MARGIN, top, scale.at(left_ah) - MARGIN, thick, "level")
    flags, flag_words = _flags(named, rows, scale, top, width, numbers=numbers)
    message = (
        f"{left_ah:.0f} of {numbers.capacity_ah:g} Ah left, {deficit_ah:.0f} Ah below full; the "
        f"reserve is {kept_ah:.0f} Ah."
    )
    edge = None
    if band is not None:
        low, high = (scale.at(charge * numbers.capacity_ah) for charge in band)
        edge = Box(low, top, max(2.0, high - low), thick, "edge")
        message += f" Nine cases of ten lie between {100 * band[0]:.0f} and {100 * band[1]:.0f} %."
    return Rail(width, top + thick + 30, bar, reserve, level, ticks, words, flags, flag_words, message, edge)


def _ticks(scale: Scale, y: float, width: float) -> tuple[list[Line], list[Word]]:
    """The scale of Ah below the bar, the unit at its last figure."""
    ticks, words = [], []
    for ah in round_steps(0.0, scale.high, int(width / 95)):
        x = scale.at(ah)
        ticks.append(Line(x, y, x, y + 7, "tick"))
        anchor = "start" if x < MARGIN + 8 else "end" if x > width - MARGIN - 8 else "middle"
        words.append(Word(x, y + 23, f"{ah:g}", anchor))
    last = words[-1]
    words[-1] = Word(last.x, last.y, f"{last.text} Ah", "end" if last.x > width - MARGIN - 30 else "middle")
    return ticks, words


def _rows(levels_ah: list[float], scale: Scale) -> list[int]:
    """The height each flag stands on: two that stand close go on two heights.

    One for which there is no room left is -1.
    """
    taken: list[list[float]] = [[], [], []]
    rows = []
    for ah in levels_ah:
        x = scale.at(ah)
        row = next(
            (at for at, xs in enumerate(taken) if all(abs(x - other) > ROOM_PER_WORD for other in xs)), -1
        )
        if row >= 0:
            taken[row].append(x)
        rows.append(row)
    return rows


def _flags(
    named: list[tuple[str, float]],
    rows: list[int],
    scale: Scale,
    top: float,
    width: float,
    *,
    numbers: Numbers,
) -> tuple[list[Line], list[Word]]:
    """Flags above the bar."""
    flags, words = [], []
    for (name, ah), row in zip(named, rows, strict=True):
        if row < 0:
            continue
        x = scale.at(ah)
        y = top - 9 - ROW * row
        flags.append(Line(x, y + 4, x, top, f"flag {'now' if name == 'now' else 'then'}"))
        anchor = "start" if x < 60 else "end" if x > width - 60 else "middle"
        words.append(
            Word(
                x,
                y,
                f"{name} {100 * ah / numbers.capacity_ah:.0f} %",
                anchor,
                "now" if name == "now" else "then",
            )
        )
    return flags, words
