"""What a charger gave, day by day: into the battery, and straight to loads, as its own log shows it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from volnik.core.watch.beside import Beside
from volnik.drawings.scale import Box, Line, Scale, Word, round_steps

LEFT, RIGHT, TOP, BOTTOM = 44.0, 10.0, 26.0, 22.0
MOST_DAYS = 31
WORDS_EVERY = 5  # days between dates


@dataclass(frozen=True, slots=True)
class FedDrawing:
    """Bars of days, lines, words."""

    width: float
    height: float
    grid: list[Line]
    boxes: list[Box]
    words: list[Word]
    message: str


def draw_fed(held: Beside, zone: str, *, width: float = 820.0, height: float = 190.0) -> FedDrawing:
    """Draw each day's charge in two parts.

    Args:
        held: the charger's log against the bank's.
    """
    days = held.days[-MOST_DAYS:]
    most = max([1.0, *(day.gave_ah for day in days)])
    scale = Scale(0.0, most, height - BOTTOM, TOP)
    each = (width - LEFT - RIGHT) / max(1, len(days))
    grid, words, boxes = [], [], []
    for step in round_steps(0.0, most, 4):
        grid.append(Line(LEFT, scale.at(step), width - RIGHT, scale.at(step), "grid"))
        words.append(Word(LEFT - 6, scale.at(step) + 4, f"{step:g}", "end"))
    words.append(Word(LEFT, TOP - 12, f"{held.name}: Ah a day, hatched straight to loads", "start", "name"))
    for at, day in enumerate(days):
        x, wide = LEFT + at * each + 1.0, max(2.0, each - 2.0)
        top, middle = scale.at(day.gave_ah), scale.at(day.hidden_ah)
        boxes.append(Box(x, top, wide, scale.start - top, "into"))
        boxes.append(Box(x, middle, wide, scale.start - middle, "straight"))
        if at % WORDS_EVERY == 0:
            date = datetime.fromtimestamp(day.start_s, ZoneInfo(zone))
            words.append(Word(x + wide / 2.0, height - 6, f"{date:%-d %b}", "middle"))
    straight = f"{held.hidden_ah_day:.0f} Ah of them straight to loads"
    said = f"{held.name} gave {held.gave_ah_day:.0f} Ah a day, {straight}."
    return FedDrawing(width, height, grid, boxes, words, said)
