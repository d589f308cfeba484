"""A scale an alarm: where it speaks and falls silent, among what it must not contradict."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.numbers.alarms import KINDS, Alarm, most_charge_a
from volnik.core.numbers.ladder import ladder, limits
from volnik.core.settings import Numbers
from volnik.core.simulation.vehicle import Vehicle

WIDTH, LEFT, RIGHT = 640.0, 14.0, 14.0
EDGE = 90.0  # nearer to an end, a name is set towards the middle


@dataclass(frozen=True, slots=True)
class Mark:
    """Something the alarm stands among: x, name, and on which of two rows its name is written."""

    x: float
    name: str
    row: int

    @property
    def name_y(self) -> float:
        """Where its name is written."""
        return 42.0 + 12.0 * self.row

    @property
    def anchor(self) -> str:
        """How its name is set, so that it stays on the paper."""
        return "start" if self.x < EDGE else "end" if self.x > WIDTH - EDGE else "middle"


@dataclass(frozen=True, slots=True)
class AlarmScale:
    """One alarm on its scale: where it speaks (from x to x), where it clears, the marks."""

    key: str
    speaks: tuple[float, float]
    level_x: float
    release_x: float
    marks: list[Mark]

    @property
    def speaks_w(self) -> float:
        """How wide the part is in which it speaks."""
        return self.speaks[1] - self.speaks[0]


def _among(
    alarm: Alarm, vehicle: Vehicle, numbers: Numbers, fuse_a: float | None
) -> tuple[float, float, list[tuple[float, str]]]:
    kind = KINDS[alarm.key]
    if alarm.key in ("low_charge", "relay", "surplus"):
        return 0.0, 100.0, [(numbers.reserve_pct, f"reserve {numbers.reserve_pct:g} %")]
    if alarm.key in ("low_volts", "high_volts"):
        marks = _volts_marks(vehicle, numbers)
        ends = [value for value, _ in marks] + [alarm.level, alarm.release]
        room = 0.08 * (max(ends) - min(ends))
        return min(ends) - room, max(ends) + room, marks
    if kind.unit == "A":
        return _amps_among(alarm, vehicle, fuse_a)
    if kind.unit == "°C":
        return -20.0, 70.0, [(0.0, "freezing")]
    high_end = 1.5 * max(alarm.level, alarm.release)
    return (8.0 if kind.unit == "V" else 0.0), max(high_end, 16.0 if kind.unit == "V" else 1.0), []


def _amps_among(
    alarm: Alarm, vehicle: Vehicle, fuse_a: float | None
) -> tuple[float, float, list[tuple[float, str]]]:
    """The amps an alarm lies among: what the battery takes, or the main fuse [A]."""
    if alarm.key == "over_charge":
        most = most_charge_a(vehicle)
        return 0.0, 1.3 * max(most, alarm.level), [(most, f"battery takes {most:.0f} A")]
    marks = [(fuse_a, f"main fuse {fuse_a:g} A")] if fuse_a else []
    return 0.0, 1.15 * max(fuse_a or 0.0, alarm.level), marks


def _volts_marks(vehicle: Vehicle, numbers: Numbers) -> list[tuple[float, str]]:
    """The volts an alarm of volts lies among: cut-offs, rest at the reserve, what the chargers reach [V]."""
    cells = vehicle.bank.cells
    low, high = limits(vehicle)
    rungs = ladder(vehicle, numbers)
    top = max(
        (max(reach.cold_v, reach.warm_v) for reach in rungs.reaches),
        default=vehicle.chemistry.absorption_high_v * cells,
    )
    rest = next(rung.low_v for rung in rungs.rungs if rung.key == "rest_reserve") * cells
    marks = [
        (low * cells, f"cut-off {low * cells:.1f}"),
        (rest, f"rest at reserve {rest:.1f}"),
        (top, f"chargers {top:.1f}"),
    ]
    if high is not None:
        marks.append((high * cells, f"cell cut-off {high * cells:.1f}"))
    return marks


def alarm_scale(alarm: Alarm, vehicle: Vehicle, numbers: Numbers, *, fuse_a: float | None) -> AlarmScale:
    """Lay one alarm out.

    Args:
        fuse_a: the main fuse [A], or None.
    """
    low, high, among = _among(alarm, vehicle, numbers, fuse_a)

    def x(value: float) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * min(1.0, max(0.0, (value - low) / (high - low)))

    marks: list[Mark] = []
    for value, name in sorted(among):
        near = bool(marks) and x(value) - marks[-1].x < 130.0
        marks.append(Mark(x(value), name, 1 - marks[-1].row if near else 0))
    speaks = (LEFT, x(alarm.level)) if KINDS[alarm.key].below else (x(alarm.level), WIDTH - RIGHT)
    return AlarmScale(alarm.key, speaks, x(alarm.level), x(alarm.release), marks)
