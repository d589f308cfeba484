"""The roll call drawn: a bar a device, what it should move the shunt by against what it did.

And the readings of the last minutes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.prove.record import RollCallRow

WIDTH, NAME, BAR, ROW, TOP = 900.0, 220.0, 420.0, 44.0, 30.0
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
class RollDrawing:
    """The roll call laid out; `scale_a` is the amps of a whole bar."""

    width: float
    height: float
    scale_a: float
    bars: list[Bar]
    zero_x: float


def roll_drawing(rows: list[RollCallRow]) -> RollDrawing:
    """Lay the roll call out; bars grow with the root of the amps, so that a lamp stands beside an
    inverter.
    """
    seen = [abs(float(row.proof.body.get("seen_a", 0.0))) if row.proof is not None else 0.0 for row in rows]
    most = max([abs(row.expected_a) for row in rows] + seen + [1.0])
    scale = next((value for value in ROUND if value >= most), ROUND[-1])

    def wide(amps: float) -> float:
        return BAR * math.sqrt(min(1.0, abs(amps) / scale))

    pitch = min(MOST_ROW, max(ROW, ROOM / max(1, len(rows))))
    bars = []
    for at, (row, saw) in enumerate(zip(rows, seen, strict=True)):
        proof = row.proof
        word = "wires touched since" if row.reopened else "not called yet" if proof is None else proof.verdict
        level = (
            ""
            if row.proven
            else "fix"
            if row.reopened
            else str((proof.body.get("level") or "") if proof is not None else "")
        )
        ratio = None if proof is None else proof.body.get("ratio")
        bars.append(
            Bar(
                row.device.id,
                row.device.device.name,
                TOP + (at + 0.5) * pitch,
                wide(row.expected_a),
                wide(saw) if proof is not None else 0.0,
                ""
                if proof is None
                else f"{saw:.2f} of {abs(float(proof.body.get('expected_a', 0.0))):.2f} A",
                word,
                level,
                row.proven,
                ratio is not None and float(ratio) <= -0.1,
            )
        )
    return RollDrawing(WIDTH, TOP + len(rows) * pitch + 8.0, scale, bars, NAME)


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
