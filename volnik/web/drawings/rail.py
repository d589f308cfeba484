"""The charge rail: one wide bar scaled in Ah, the reserve hatched, the clock above it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.numbers.settings import Numbers
from volnik.core.watch.outlook import Outlook
from volnik.web.drawings.scale import Box, Line, Scale, Word, round_steps

MARGIN = 16.0
ROOM_PER_WORD = 88.0


@dataclass(frozen=True, slots=True)
class Rail:
    """The rail as boxes, lines and words.

    Attributes:
        width, height: of the paper.
        bar, reserve, level: the whole bar, the reserve at its left, what is in it; level is None while unknown.
        ticks, tick_words: the Ah scale below.
        flags, flag_words: the clock above.
        told: the drawing in a sentence.
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
    told: str


def draw_rail(numbers: Numbers, deficit_ah: float, ahead: list[Outlook], *, width: float, small: bool = False) -> Rail:
    """Draw the rail for a deficit [Ah]; the left end is an empty bank, the right end a full one."""
    top, thick = (66.0, 44.0) if not small else (64.0, 48.0)
    scale = Scale(0.0, numbers.capacity_ah, MARGIN, width - MARGIN)
    bar = Box(MARGIN, top, width - 2 * MARGIN, thick, "bar")
    kept_ah = numbers.capacity_ah - numbers.reserve_ah
    reserve = Box(MARGIN, top, scale.at(kept_ah) - MARGIN, thick, "reserve")
    ticks, words = [], []
    for ah in round_steps(0.0, numbers.capacity_ah, int(width / 95)):
        x = scale.at(ah)
        ticks.append(Line(x, top + thick, x, top + thick + 7, "tick"))
        words.append(
            Word(
                x,
                top + thick + 23,
                f"{ah:g}",
                "start" if x < MARGIN + 8 else "end" if x > width - MARGIN - 8 else "middle",
            )
        )
    words[-1] = Word(words[-1].x, words[-1].y, f"{words[-1].text} Ah", "end")
    if math.isnan(deficit_ah):
        told = f"Charge unknown; capacity {numbers.capacity_ah:g} Ah, reserve {kept_ah:.0f} Ah."
        return Rail(width, top + thick + 30, bar, reserve, None, ticks, words, [], [], told)
    left_ah = max(0.0, numbers.capacity_ah - deficit_ah)
    level = Box(MARGIN, top, scale.at(left_ah) - MARGIN, thick, "level")
    named = [("now", left_ah)] + [(one.name, numbers.capacity_ah - one.deficit_ah) for one in ahead]
    flags, flag_words = _flags(named, scale, top, width, numbers)
    told = f"{left_ah:.0f} of {numbers.capacity_ah:g} Ah left, {deficit_ah:.0f} Ah below full; the reserve is {kept_ah:.0f} Ah."
    return Rail(width, top + thick + 30, bar, reserve, level, ticks, words, flags, flag_words, told)


def _flags(
    named: list[tuple[str, float]], scale: Scale, top: float, width: float, numbers: Numbers
) -> tuple[list[Line], list[Word]]:
    """Flags above the bar; two that stand close go on two heights."""
    flags, words = [], []
    taken: list[list[float]] = [[], [], []]
    for name, ah in named:
        x = scale.at(ah)
        row = next((at for at, xs in enumerate(taken) if all(abs(x - other) > ROOM_PER_WORD for other in xs)), 2)
        taken[row].append(x)
        y = top - 10 - 19 * row
        flags.append(Line(x, y + 4, x, top, f"flag {'now' if name == 'now' else 'then'}"))
        anchor = "start" if x < 60 else "end" if x > width - 60 else "middle"
        words.append(
            Word(x, y, f"{name} {100 * ah / numbers.capacity_ah:.0f} %", anchor, "now" if name == "now" else "then")
        )
    return flags, words
