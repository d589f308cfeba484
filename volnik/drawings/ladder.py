"""The ladder of volts drawn: low at the foot, every rung named, the window of the charged voltage as
a band.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.numbers.ladder import Ladder, Rung
from volnik.drawings.scale import NARROW_W, WIDE_W, Box, Line, Scale, Word, kept_apart, round_steps

TOP = 18.0


@dataclass(frozen=True, slots=True)
class Paper:
    """How wide and high the drawing is, from where to where its ladder, where names begin, their least
    height.
    """

    width: float
    height: float
    left: float
    right: float
    names: float
    room: float

    @property
    def leader(self) -> float:
        """Where a line to a name begins."""
        return self.right + 2.0

    @property
    def foot(self) -> float:
        """Where its uprights end."""
        return self.height - 14.0

    @property
    def before_names(self) -> float:
        """Where a line to a name ends."""
        return self.names - 8.0

    @property
    def stacked(self) -> bool:
        """Whether volts stand under their name instead of behind it."""
        return self.width < NARROW_W

    @property
    def bottom(self) -> float:
        """Where the lowest volts stand."""
        return self.height - 24.0

    def bar(self, kind: str) -> tuple[float, float]:
        """Where a bar of a kind begins and its width: floats and schools do not cross the whole ladder."""
        whole = self.right - self.left
        if kind == "float":
            return self.left + 0.22 * whole, 0.56 * whole
        return (self.left, 0.08 * whole) if kind == "schools" else (self.left, whole)


def _paper(width: float, rungs: int) -> Paper:
    if width < NARROW_W:
        return Paper(width, max(560.0, 60.0 + 38.0 * rungs), 52.0, 106.0, 130.0, 38.0)
    return Paper(860.0, 560.0, 150.0, 330.0, 400.0, 25.0)


RAILS = {
    "cut_low": "protection",
    "cut_high": "protection",
    "charged": "charged",
    "over": "alarm",
    "low_alarm": "alarm",
    "rest_reserve": "rest",
    "rest_full": "rest",
    "schools": "schools",
}


@dataclass(frozen=True, slots=True)
class RungDrawing:
    """A rung: its span on the ladder, its name beside it, the leader between."""

    key: str
    kind: str
    x: float
    width: float
    top: float
    height: float
    middle: float
    name_y: float
    name: str
    volts: str
    wrong: bool


@dataclass(frozen=True, slots=True)
class LadderDrawing:
    """The ladder as boxes, lines and words. scale: volts a cell."""

    paper: Paper
    rungs: list[RungDrawing]
    window: Box | None
    grid: list[Line]
    words: list[Word]
    scale: Scale
    message: str


def _scaled_by(found: Ladder) -> Sequence[Rung]:
    """The rungs that set the scale: what is far below would squeeze the others."""
    return [rung for rung in found.rungs if rung.key not in ("cut_low", "low_alarm")] or found.rungs


def draw_ladder(
    found: Ladder, cells: int, beside: Rung | None = None, *, width: float = WIDE_W
) -> LadderDrawing:
    """Draw a ladder; left the volts of the whole bank, right the names.

    Args:
        beside: drawn with the rungs, though it is none, as what practitioners set.
    """
    shown = _scaled_by(found)
    rungs = found.rungs + ([beside] if beside else [])
    paper = _paper(width, len(rungs))
    low = min(rung.low_v for rung in shown) - 0.02
    high = max(rung.high_v for rung in shown) + 0.02
    scale = Scale(low, high, paper.bottom, TOP)
    steps = round_steps(low * cells, high * cells, 10)
    grid = [
        Line(paper.left - 8, scale.at(at / cells), paper.right, scale.at(at / cells), "grid") for at in steps
    ]
    words = [Word(paper.left - 10, scale.at(at / cells) + 4, f"{at:.4g} V", "end", "axis") for at in steps]
    wrong = {rung.key for pair in found.wrong for rung in pair}
    named = ", ".join(f"{rung.name} {rung.low_v * cells:.2f} V" for rung in found.rungs)
    return LadderDrawing(
        paper,
        _named(rungs, scale, cells, wrong, paper),
        _window(found, scale, paper),
        grid,
        words,
        scale,
        f"Ladder of volts, low to high: {named}.",
    )


def _window(found: Ladder, scale: Scale, paper: Paper) -> Box | None:
    """Where the charged voltage may lie, None where it may lie nowhere."""
    if found.high_v is None or found.high_v <= found.low_v:
        return None
    top, bottom = scale.at(found.high_v), scale.at(found.low_v)
    return Box(paper.left, top, paper.right - paper.left, round(bottom - top, 2), "window")


def _named(rungs: list[Rung], scale: Scale, cells: int, wrong: set[str], paper: Paper) -> list[RungDrawing]:
    """Rungs with their names spread so that none lies on another."""
    ordered = sorted(rungs, key=lambda rung: -(rung.low_v + rung.high_v))
    middles = [scale.at((rung.low_v + rung.high_v) / 2) for rung in ordered]
    places = kept_apart(middles, paper.room, paper.bottom + 8)
    return [
        _drawn(rung, y, scale, cells, paper=paper, is_wrong=rung.key in wrong)
        for rung, y in zip(ordered, places, strict=True)
    ]


def _drawn(rung: Rung, y: float, scale: Scale, cells: int, *, paper: Paper, is_wrong: bool) -> RungDrawing:
    top, bottom = scale.at(rung.high_v), scale.at(rung.low_v)
    kind = RAILS.get(rung.key, "charger" if rung.key.startswith("abs") else "float")
    span = (
        f"{rung.low_v * cells:.2f} V"
        if rung.high_v - rung.low_v < 0.002
        else f"{rung.low_v * cells:.2f} to {rung.high_v * cells:.2f} V"
    )
    return RungDrawing(
        rung.key,
        kind,
        *paper.bar(kind),
        top,
        max(3.0, round(bottom - top, 2)),
        (top + bottom) / 2,
        y - 4.0,
        rung.name,
        f"{span}, {rung.low_v:.3f} a cell",
        is_wrong,
    )
