"""A chemistry as a ladder of volts: its rest curve from empty to full, beside it where charging stands."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.shelf.chemistries import Chemistry
from volnik.drawings.scale import PHONE_W, Box, Line, Scale, Word, kept_apart, round_steps

WIDTH, HEIGHT = PHONE_W, 300.0
LEFT, RIGHT, NAMES, TOP, FOOT = 52.0, 204.0, 218.0, 14.0, 262.0
ROOM = 17.0  # that a name needs
LOW_CHARGE = 0.06  # from which the curve sets the scale: lithium's last volts would squeeze the rest


@dataclass(frozen=True, slots=True)
class Span:
    """Where something stands on the ladder, from and to [V a cell], and what it is called."""

    low_v: float
    high_v: float
    name: str
    kind: str


@dataclass(frozen=True, slots=True)
class ChemistryDrawing:
    """The curve as points, spans as boxes, names with their leaders, the axis."""

    width: float
    height: float
    curve: str
    spans: list[Box]
    leaders: list[Line]
    axis: list[Line]
    words: list[Word]
    message: str


def draw_chemistry(chemistry: Chemistry) -> ChemistryDrawing:
    """Draw a chemistry, in volts of a battery as it is sold.

    Args:
        chemistry: as the shop keeps it.
    """
    sold_v, cells = chemistry.sold
    spans = _spans(chemistry)
    low_v = next(volts for charge, volts in chemistry.rest_v if charge >= LOW_CHARGE) - 0.02
    volts = Scale(cells * low_v, cells * (chemistry.harm_v + 0.01), FOOT, TOP)
    steps = round_steps(volts.low, volts.high, 8)
    boxes = [_box(span, volts, cells) for span in spans]
    names = kept_apart([_middle(box) + 4 for box in boxes], ROOM, FOOT + 4)
    told = [f"{span.name} {_told(span, cells)}" for span in spans]
    return ChemistryDrawing(
        WIDTH,
        HEIGHT,
        _curve(chemistry, low_v, volts),
        boxes,
        [
            Line(RIGHT + 2, _middle(box), NAMES - 3, y - 4, "leader")
            for box, y in zip(boxes, names, strict=True)
        ],
        [Line(LEFT, volts.at(at), RIGHT, volts.at(at), "grid") for at in steps],
        [
            *(Word(LEFT - 6, volts.at(at) + 4, f"{at:.4g} V", "end", "axis") for at in steps),
            *(Word(NAMES, y, words, "start") for words, y in zip(told, names, strict=True)),
            Word(LEFT, FOOT + 22, "empty", "start", "axis"),
            Word(RIGHT, FOOT + 22, "full", "end", "axis"),
        ],
        f"{chemistry.name}, {sold_v} V: rest volts from empty to full, and {', '.join(told)}.",
    )


def _curve(chemistry: Chemistry, low_v: float, volts: Scale) -> str:
    """The rest curve as points, from the lowest volts that are drawn [V a cell]."""
    _, cells = chemistry.sold
    charges = Scale(0.0, 1.0, LEFT, RIGHT)
    seen = [(charge, rest_v) for charge, rest_v in chemistry.rest_v if rest_v >= low_v]
    return " ".join(f"{charges.at(charge):g},{volts.at(cells * rest_v):g}" for charge, rest_v in seen)


def _middle(box: Box) -> float:
    return box.y + box.height / 2


def _spans(chemistry: Chemistry) -> list[Span]:
    """What stands on the ladder, from the top down."""
    one = chemistry
    found = [
        Span(one.harm_v, one.harm_v, "never above", "harm"),
        Span(one.absorption_low_v, one.absorption_high_v, "absorption", "charger"),
        Span(one.charged_v, one.charged_v, "charged", "charged"),
        Span(one.float_low_v, one.float_high_v, "float", "float"),
        Span(one.early_v, one.early_v, "too early below", "early"),
    ]
    return sorted(found, key=lambda span: -(span.low_v + span.high_v))


def _told(span: Span, cells: int) -> str:
    low, high = f"{cells * span.low_v:.1f}", f"{cells * span.high_v:.1f}"
    return low if low == high else f"{low}–{high}"


def _box(span: Span, volts: Scale, cells: int) -> Box:
    top, bottom = volts.at(cells * span.high_v), volts.at(cells * span.low_v)
    return Box(LEFT, min(top, bottom - 2.0), RIGHT - LEFT, max(2.0, bottom - top), span.kind)
