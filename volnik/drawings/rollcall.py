"""The roll call drawn: a bar a device, what it should move the shunt by against what it did.

And the readings of the last minutes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.prove.record import RollCallRow
from volnik.drawings.scale import NARROW_W, PHONE_W, WIDE_W

WIDTH, NAME, BAR, ROW, TOP = 900.0, 220.0, 420.0, 44.0, 30.0
PHONE_ROW = 84.0  # a row that a gloved finger hits
MOST_ROW, ROOM = 66.0, 520.0  # a row of few devices is higher, so that the drawing fills its half
STRIP_W, STRIP_H = 520.0, 150.0
ROUND = (1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 50.0, 100.0, 200.0, 300.0, 500.0, 1000.0)


@dataclass(frozen=True, slots=True)
class Bar:
    """One device: y, widths of the expected and the seen bar, the words beside it."""

    id: str
    name: str
    y: float
    expected_w: float
    seen_w: float
    seen: str
    word: str
    level: str
    proven: bool
    against: bool


@dataclass(frozen=True, slots=True)
class RollLayout:
    """Where things of a row stand, from the shunt's line and the middle of the row: longest bar, room to
    press (left, top, width, height), places of name, word and figures (x, y, anchor).
    """

    bar: float
    hit: tuple[float, float, float, float]
    name: tuple[float, float, str]
    word: tuple[float, float, str]
    figures: tuple[float, float, str]


BESIDE = RollLayout(
    BAR,
    (2.0 - NAME, -20.0, WIDTH - 4.0, 40.0),
    (-12.0, 6.0, "end"),
    (BAR + 10.0, -1.0, "start"),
    (BAR + 10.0, 15.0, "start"),
)
ABOVE = RollLayout(
    PHONE_W - 16.0,
    (-6.0, -40.0, PHONE_W - 4.0, 80.0),
    (0.0, -22.0, "start"),
    (0.0, 32.0, "start"),
    (PHONE_W - 16.0, 32.0, "end"),
)


@dataclass(frozen=True, slots=True)
class RollDrawing:
    """The roll call laid out; `scale_a` is the amps of a whole bar."""

    width: float
    height: float
    scale_a: float
    bars: list[Bar]
    zero_x: float
    lay: RollLayout


def roll_drawing(rows: list[RollCallRow], width: float = WIDE_W) -> RollDrawing:
    """Lay the roll call out; bars grow with the root of the amps, so that a lamp stands beside an
    inverter. On a phone a row's name stands above its bar.
    """
    most = max([1.0, *(abs(row.expected_a) for row in rows), *(_seen_a(row) for row in rows)])
    scale = next((value for value in ROUND if value >= most), ROUND[-1])
    narrow = width < NARROW_W
    lay = ABOVE if narrow else BESIDE
    pitch = PHONE_ROW if narrow else min(MOST_ROW, max(ROW, ROOM / max(1, len(rows))))
    bars = [_bar(row, TOP + (at + 0.5) * pitch, scale, lay.bar) for at, row in enumerate(rows)]
    paper_w, zero_x = (PHONE_W, 8.0) if narrow else (WIDTH, NAME)
    return RollDrawing(paper_w, TOP + len(rows) * pitch + 8.0, scale, bars, zero_x, lay)


def _seen_a(row: RollCallRow) -> float:
    """How far the device moved the shunt [A], without its sign; 0 before it was called."""
    return 0.0 if row.proof is None else abs(float(row.proof.body.get("seen_a", 0.0)))


def _wide(amps: float, scale: float, bar: float) -> float:
    return bar * math.sqrt(min(1.0, abs(amps) / scale))


def _bar(row: RollCallRow, y: float, scale: float, bar: float) -> Bar:
    """A device's bar; what it showed is drawn once it was called."""
    body = {} if row.proof is None else row.proof.body
    ratio = body.get("ratio")
    seen_w, seen = 0.0, ""
    if row.proof is not None:
        seen_w = _wide(_seen_a(row), scale, bar)
        seen = f"{_seen_a(row):.2f} of {abs(float(body.get('expected_a', 0.0))):.2f} A"
    return Bar(
        row.device.id,
        row.device.device.name,
        y,
        _wide(row.expected_a, scale, bar),
        seen_w,
        seen,
        _word(row),
        _level(row),
        row.proven,
        ratio is not None and float(ratio) <= -0.1,
    )


def _word(row: RollCallRow) -> str:
    if row.reopened:
        return "wires touched since"
    return "not called yet" if row.proof is None else row.proof.verdict


def _level(row: RollCallRow) -> str:
    """How grave what the device showed is, "" where all is well or nothing is known."""
    if row.proven:
        return ""
    if row.reopened:
        return "fix"
    return "" if row.proof is None else str(row.proof.body.get("level") or "")


@dataclass(frozen=True, slots=True)
class LiveStrip:
    """The last minutes of amps: a path, its scale, where someone pressed (x, word), and the level
    shown last.
    """

    width: float
    height: float
    path: str
    low: float
    high: float
    zero_y: float | None
    presses: list[tuple[float, str]]
    seconds: float

    @property
    def right(self) -> float:
        """Where the readings end."""
        return self.width - 8.0

    @property
    def foot(self) -> float:
        """Where the paper ends below."""
        return self.height - 8.0


def live_strip(time_s: Floats, amps: Floats, presses: tuple[tuple[float, str], ...]) -> LiveStrip | None:
    """Draw the readings; None while there are fewer than two."""
    if len(time_s) < 2:
        return None
    low, high = float(np.min(amps)), float(np.max(amps))
    room = max(0.5, 0.12 * (high - low))
    low, high = low - room, high + room
    start, end = float(time_s[0]), float(time_s[-1])
    span = max(1.0, end - start)

    def x(at: float) -> float:
        return 8.0 + (STRIP_W - 16.0) * (at - start) / span

    def y(value: float) -> float:
        return 8.0 + (STRIP_H - 16.0) * (high - value) / (high - low)

    points = " ".join(
        f"{'M' if not at else 'H'}{x(float(when)):.1f}"
        + (f" {y(float(value)):.1f}" if not at else f" V{y(float(value)):.1f}")
        for at, (when, value) in enumerate(zip(time_s, amps, strict=True))
    )
    zero = y(0.0) if low < 0.0 < high else None
    return LiveStrip(
        STRIP_W, STRIP_H, points, low, high, zero, [(x(max(start, at)), word) for at, word in presses], span
    )
