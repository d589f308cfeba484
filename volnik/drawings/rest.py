"""A chemistry's rest volts from empty to full, as a curve."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.shelf.chemistries import Chemistry
from volnik.drawings.scale import Scale


@dataclass(frozen=True, slots=True)
class RestDrawing:
    """The curve as points, with the volts at its ends [V a cell]."""

    curve: str
    low_v: float
    high_v: float
    message: str


def draw_rest(chemistry: Chemistry) -> RestDrawing:
    """Draw the rest volts of a chemistry."""
    (_, low_v), (_, high_v) = chemistry.rest_v[0], chemistry.rest_v[-1]
    charges = Scale(0.0, 1.0, 44.0, 310.0)
    volts = Scale(low_v, high_v, 140.0, 12.0)
    curve = " ".join(f"{charges.at(charge):g},{volts.at(rest_v):g}" for charge, rest_v in chemistry.rest_v)
    return RestDrawing(curve, low_v, high_v, f"Rest volts of {chemistry.name} from empty to full")
