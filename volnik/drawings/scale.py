"""What drawings share: scales, round steps, words and shapes, and the two widths each is drawn at."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

WIDE_W, PHONE_W = 820.0, 366.0
"""Width of a drawing on a laptop, and on a phone, where one unit is one of its pixels."""
NARROW_W = 500.0  # under which a drawing is laid out for a phone

Drawing = TypeVar("Drawing")


@dataclass(frozen=True, slots=True)
class TwoSizes(Generic[Drawing]):
    """The same drawing as a laptop and as a phone shows it."""

    wide: Drawing
    narrow: Drawing


def two_sizes(draw: Callable[[float], Drawing]) -> TwoSizes[Drawing]:
    """Draw for a laptop and for a phone.

    Args:
        draw: makes the drawing, given its width.
    """
    return TwoSizes(draw(WIDE_W), draw(PHONE_W))


@dataclass(frozen=True, slots=True)
class Scale:
    """Values `low`..`high` laid from place `start` to `end`."""

    low: float
    high: float
    start: float
    end: float

    def at(self, value: float) -> float:
        """The place of a value, kept on the paper."""
        reach = self.high - self.low
        share = 0.0 if reach == 0 else (value - self.low) / reach
        return round(self.start + min(1.0, max(0.0, share)) * (self.end - self.start), 2)


def round_steps(low: float, high: float, most: int) -> list[float]:
    """Round values between `low` and `high`, at most about `most` of them."""
    if not high > low:
        return [low]
    rough = (high - low) / max(1, most)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(power * factor for factor in (1, 2, 5, 10) if power * factor >= rough * 0.999)
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(index * step, 10) for index in range(first, last + 1)]


def kept_apart(places: list[float], room: float, foot: float) -> list[float]:
    """Places moved so that none lies on another: from the top down, then pushed up from the foot.

    Args:
        places: from the top down.
        room: that each needs.
        foot: the lowest place there is.
    """
    apart = list(places)
    for at in range(1, len(apart)):
        apart[at] = max(apart[at], apart[at - 1] + room)
    if apart and apart[-1] > foot:
        apart[-1] = foot
        for at in range(len(apart) - 2, -1, -1):
            apart[at] = min(apart[at], apart[at + 1] - room)
    return apart


@dataclass(frozen=True, slots=True)
class Word:
    """Text at a place; `anchor` is start, middle or end."""

    x: float
    y: float
    text: str
    anchor: str = "middle"
    kind: str = ""


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line; `kind` is its class."""

    x1: float
    y1: float
    x2: float
    y2: float
    kind: str = ""


@dataclass(frozen=True, slots=True)
class Box:
    """A box; `kind` is its class."""

    x: float
    y: float
    width: float
    height: float
    kind: str = ""

    @property
    def right(self) -> float:
        """Where it ends."""
        return self.x + self.width

    @property
    def centre(self) -> float:
        """The middle of its width."""
        return self.x + self.width / 2


@dataclass(frozen=True, slots=True)
class Tag:
    """A value that can be pressed to change it: its key and the words on it."""

    key: str
    x: float
    y: float
    text: str
    width: float
    label: str
    trouble: bool = False

    @property
    def middle(self) -> float:
        """The middle of its width."""
        return self.x + self.width / 2


@dataclass(frozen=True, slots=True)
class Grip:
    """A line that can be dragged: which value it carries, along which axis, and the scale between them."""

    key: str
    axis: str
    value: float
    step: float
    decimals: int
    scale: Scale
    x: float
    y: float
    label: str
    spoken: str
