"""The four questions of Numbers, each a small drawing that carries its values."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from volnik.core.numbers.advice import hidden_ah_a_day
from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry
from volnik.drawings.scale import Box, Grip, Line, Scale, Tag, Word, round_steps

WIDTH, HEIGHT = 600.0, 230.0


@dataclass(frozen=True, slots=True)
class QuestionDrawing:
    """One question's drawing."""

    key: str
    width: float = WIDTH
    height: float = HEIGHT
    boxes: list[Box] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    paths: list[tuple[str, str]] = field(default_factory=list)
    words: list[Word] = field(default_factory=list)
    tags: list[Tag] = field(default_factory=list)
    grips: list[Grip] = field(default_factory=list)
    message: str = ""


def _tag(key: str, x: float, y: float, text: str, label: str, troubled: set[str]) -> Tag:
    return Tag(key, x, y, text, 18.0 + 9.6 * len(text), label, key in troubled)


def draw_much(numbers: Numbers, troubled: set[str]) -> QuestionDrawing:
    """How much is in it: Ah the bank gives against the current it is drawn at."""
    rated_a = numbers.rated_a
    most_a = max(numbers.capacity_ah / 2.0, 4 * rated_a)
    across = Scale(0.0, most_a, 56.0, 588.0)
    up = Scale(0.0, numbers.capacity_ah * 1.12, 196.0, 30.0)
    points: list[str] = []
    for at in range(61):
        amps = most_a * at / 60
        given = (
            numbers.capacity_ah
            if amps <= rated_a
            else numbers.capacity_ah * (rated_a / amps) ** (numbers.peukert_exponent - 1)
        )
        points.append(f"{'L' if points else 'M'}{across.at(amps):g} {up.at(given):g}")
    curve = "".join(points)
    end_y = up.at(numbers.capacity_ah * (rated_a / most_a) ** (numbers.peukert_exponent - 1))
    words = [Word(across.at(amps), 214, f"{amps:g}", "middle") for amps in round_steps(0, most_a, 6)]
    words += [
        Word(588, 228, "amps drawn", "end", "axis"),
        Word(60, 22, "Ah given, full to empty", "start", "axis"),
    ]
    lines = [
        Line(56, 196, 588, 196, "axis"),
        Line(56, 30, 56, 196, "axis"),
        Line(across.at(rated_a), up.at(numbers.capacity_ah), across.at(rated_a), 196, "dash"),
        Line(56, up.at(numbers.capacity_ah), across.at(rated_a), up.at(numbers.capacity_ah), "dash"),
    ]
    tags = [
        _tag(
            "capacity_ah",
            66,
            up.at(numbers.capacity_ah) + 6,
            f"{numbers.capacity_ah:g} Ah",
            "Capacity",
            troubled,
        ),
        _tag(
            "rated_hours",
            across.at(rated_a) + 8,
            158,
            f"at {numbers.rated_hours:g} h = {rated_a:.3g} A",
            "Hour rate",
            troubled,
        ),
        _tag(
            "peukert_exponent",
            470,
            min(150.0, end_y + 8),
            f"k {numbers.peukert_exponent:g}",
            "Peukert exponent",
            troubled,
        ),
    ]
    message = (
        f"{numbers.capacity_ah:g} Ah at {rated_a:.3g} A; at {most_a:.3g} A about "
        f"{numbers.capacity_ah * (rated_a / most_a) ** (numbers.peukert_exponent - 1):.0f} Ah."
    )
    return QuestionDrawing(
        "much",
        boxes=[],
        lines=lines,
        paths=[(f"{curve}V196H56Z", "area"), (curve, "curve")],
        words=words,
        tags=tags,
        message=message,
    )


def draw_full(numbers: Numbers, bank: Bank, chemistry: Chemistry, troubled: set[str]) -> QuestionDrawing:
    """When is it full: a typical last leg of charging, volts over amps, with the conditions as lines.

    The curve is a sketch from the chemistry's absorption volts, not a simulation of this rig.
    """
    cells = bank.cells
    absorb_v = 0.5 * (chemistry.absorption_low_v + chemistry.absorption_high_v) * cells
    float_v = 0.5 * (chemistry.float_low_v + chemistry.float_high_v) * cells
    low_v = (1.03 if chemistry.is_lead else 1.035) * chemistry.cell_v * cells
    high_v = max(chemistry.absorption_high_v * cells * 1.012, numbers.charged_voltage_v * 1.005)
    volts = Scale(min(low_v, numbers.charged_voltage_v * 0.995), high_v, 112.0, 16.0)
    most_pct = 20.0
    amps = Scale(min(-1.0, numbers.tail_floor_pct), most_pct, 204.0, 124.0)
    minutes = Scale(0.0, 240.0, 56.0, 588.0)
    reach, taper = 110.0, 38.0 if chemistry.is_lead else 14.0
    end = reach + taper * math.log(most_pct / 1.0)
    v_points: list[str] = []
    a_points: list[str] = []
    met = None
    for minute in range(0, 241, 2):
        v = low_v + (absorb_v - low_v) * (minute / reach) ** 2.2 if minute < reach else absorb_v
        a = most_pct * 0.92 if minute < reach else most_pct * 0.92 * math.exp(-(minute - reach) / taper)
        if minute > end:
            v = float_v + (absorb_v - float_v) * math.exp(-(minute - end) / 12.0)
            a = 0.15
        if (
            met is None
            and v >= numbers.charged_voltage_v
            and numbers.tail_floor_pct <= a <= numbers.tail_current_pct
        ):
            met = float(minute)
        v_points.append(f"{'L' if v_points else 'M'}{minutes.at(minute):g} {volts.at(v):g}")
        a_points.append(f"{'L' if a_points else 'M'}{minutes.at(minute):g} {amps.at(a):g}")
    v_y, t_y, f_y = (
        volts.at(numbers.charged_voltage_v),
        amps.at(numbers.tail_current_pct),
        amps.at(numbers.tail_floor_pct),
    )
    hold_min = numbers.hold_s / 60.0
    boxes, words = [], []
    start = 150.0 if met is None else met
    x1, x2 = minutes.at(start), minutes.at(start + hold_min)
    if met is not None:
        boxes.append(Box(x1, 16, max(3.0, x2 - x1), 188, "hold"))
        words.append(Word(x2 + 6, 30, "reset", "start", "reset"))
    else:
        words.append(Word(588, 28, "this charge never meets both", "end", "trouble"))
    words += [
        Word(60, 222, "the last hours of a charge, sketched", "start", "axis"),
        Word(60, 14, "volts", "start", "axis"),
        Word(588, 136, "amps, % of C", "end", "axis"),
    ]
    words += [Word(50, volts.at(v) + 4, f"{v:g}", "end") for v in round_steps(volts.low, volts.high, 4)]
    words += [Word(50, amps.at(v) + 4, f"{v:g}", "end") for v in (0, 10, 20)]
    lines = [
        Line(56, v_y, 588, v_y, "limit"),
        Line(56, t_y, 588, t_y, "limit"),
        Line(56, f_y, 588, f_y, "limit faint"),
        Line(56, 118, 588, 118, "axis"),
        Line(56, 204, 588, 204, "axis"),
    ]
    grips = [
        Grip(
            "charged_voltage_v",
            "y",
            numbers.charged_voltage_v,
            0.01 * max(1, cells // 4),
            2,
            volts,
            72,
            v_y,
            "Charged voltage",
            f"{numbers.charged_voltage_v:g} volts",
        ),
        Grip(
            "tail_current_pct",
            "y",
            numbers.tail_current_pct,
            0.1,
            1,
            amps,
            72,
            t_y,
            "Tail current",
            f"{numbers.tail_current_pct:g} percent",
        ),
        Grip(
            "hold_s",
            "x",
            hold_min,
            1.0,
            0,
            Scale(0, 240 - start, minutes.at(start), 588),
            x2,
            160,
            "Hold time",
            f"{hold_min:g} minutes",
        ),
        Grip(
            "tail_floor_pct",
            "y",
            numbers.tail_floor_pct,
            0.05,
            2,
            Scale(-1.0, 0.0, amps.at(-1.0), amps.at(0.0)),
            400,
            f_y,
            "Tail floor",
            f"{numbers.tail_floor_pct:g} percent",
        ),
    ]
    tags = [
        _tag(
            "charged_voltage_v",
            90,
            v_y - (25 if v_y > 44 else -4),
            f"{numbers.charged_voltage_v:g} V = {numbers.charged_voltage_v / cells:.3f} a cell",
            "Charged voltage",
            troubled,
        ),
        _tag(
            "tail_current_pct",
            92,
            t_y - 25,
            f"{numbers.tail_current_pct:g} % = {numbers.tail_a:.3g} A",
            "Tail current",
            troubled,
        ),
        _tag("hold_s", min(x2 + 10, 520), 66, f"{hold_min:g} min", "Hold time", troubled),
        _tag(
            "tail_floor_pct",
            430,
            206,
            f"floor {numbers.tail_floor_pct:g} % = {numbers.floor_a:.2g} A",
            "Tail floor",
            troubled,
        ),
    ]
    message = (
        f"Full when volts stand at {numbers.charged_voltage_v:g} V or more and current between "
        f"{numbers.floor_a:.2g} and {numbers.tail_a:.3g} A for {hold_min:g} minutes."
    )
    return QuestionDrawing(
        "full",
        boxes=boxes,
        lines=lines,
        paths=[("".join(v_points), "curve"), ("".join(a_points), "curve amps")],
        words=words,
        tags=tags,
        grips=grips,
        message=message,
    )


def draw_slips(numbers: Numbers, troubled: set[str]) -> QuestionDrawing:
    """What slips past the count: the hatched band around zero, and what charging loses."""
    most = max(0.5, 2.5 * numbers.dead_band_a)
    across = Scale(-most, most, 24.0, 576.0)
    left, right = across.at(-numbers.dead_band_a), across.at(numbers.dead_band_a)
    hidden = hidden_ah_a_day(numbers.dead_band_a)
    boxes = [Box(left, 34, max(1.0, right - left), 56, "hidden")]
    lines = [Line(24, 90, 576, 90, "axis"), Line(across.at(0), 28, across.at(0), 96, "axis")]
    words = [Word(across.at(step), 106, f"{step:g} A", "middle") for step in round_steps(-most, most, 6)]
    words.append(
        Word(
            300,
            22,
            f"amps in the hatched band are booked as nothing: up to {hidden:.2g} Ah a day, "
            f"{100 * hidden / numbers.capacity_ah:.2g} % of the bank",
            "middle",
            "axis",
        )
    )
    efficiency = numbers.coulombic_efficiency
    stored = 24 + 552 * efficiency
    boxes += [Box(24, 150, stored - 24, 34, "stored"), Box(stored, 150, 576 - stored, 34, "lost")]
    words += [
        Word(24, 142, "of each 100 Ah put in", "start", "axis"),
        Word(576, 202, f"{100 * (1 - efficiency):.2g} Ah lost", "end", "axis"),
        Word(24, 202, f"{100 * efficiency:.4g} Ah stored", "start", "axis"),
    ]
    grips = [
        Grip(
            "dead_band_a",
            "x",
            numbers.dead_band_a,
            0.01,
            2,
            Scale(0.0, most, across.at(0), 576.0),
            right,
            62,
            "Dead band",
            f"{numbers.dead_band_a:g} amps",
        ),
        Grip(
            "coulombic_efficiency",
            "x",
            100 * efficiency,
            0.5,
            1,
            Scale(0.0, 100.0, 24.0, 576.0),
            stored,
            167,
            "Coulombic efficiency",
            f"{100 * efficiency:g} percent",
        ),
    ]
    tags = [
        _tag("dead_band_a", min(right + 14, 480), 48, f"± {numbers.dead_band_a:g} A", "Dead band", troubled),
        _tag("coulombic_efficiency", 250, 155, f"{100 * efficiency:.4g} %", "Coulombic efficiency", troubled),
    ]
    message = (
        f"Dead band {numbers.dead_band_a:g} A, hiding up to {hidden:.2g} Ah a day; "
        f"{100 * efficiency:.4g} % of charge is stored."
    )
    return QuestionDrawing(
        "slips", boxes=boxes, lines=lines, words=words, tags=tags, grips=grips, message=message
    )


def draw_promised(numbers: Numbers, power_up: str, troubled: set[str]) -> QuestionDrawing:
    """What is promised: the reserve on the rail, the window the hours rest on, what a loss of supply
    leaves.
    """
    across = Scale(0.0, 100.0, 24.0, 576.0)
    kept = across.at(numbers.reserve_pct)
    boxes = [Box(24, 44, 552, 40, "bar"), Box(24, 44, kept - 24, 40, "reserve")]
    words = [
        Word(across.at(pct), 102, f"{pct} %", "start" if pct == 0 else "end" if pct == 100 else "middle")
        for pct in (0, 25, 50, 75, 100)
    ]
    usable = numbers.capacity_ah * (1 - numbers.reserve_pct / 100)
    words.append(Word(576, 34, f"{usable:.4g} Ah to use; hours run to the hatched part", "end", "axis"))
    window_min = numbers.runtime_window_s / 60
    wide = min(200.0, 24.0 + 8 * window_min)
    boxes.append(Box(24, 142, wide, 26, "window"))
    words += [
        Word(24, 134, "hours rest on the mean of the last", "start", "axis"),
        Word(300, 134, "after a loss of supply", "start", "axis"),
        Word(300, 194, "the log begins at", "start", "axis"),
    ]
    named = {"blank": "blank until told", "last": "last value kept", "full": "claims 100 %"}
    first = "unknown" if numbers.initial_soc is None else f"{100 * numbers.initial_soc:g} %"
    tags = [
        _tag(
            "reserve_pct", min(kept + 12, 440), 53, f"reserve {numbers.reserve_pct:g} %", "Reserve", troubled
        ),
        _tag("runtime_window_s", 24, 174, f"{window_min:g} min", "Runtime window", troubled),
        _tag("power_up", 300, 142, named[power_up], "Power-up state", troubled),
        _tag("initial_soc", 300, 202, first, "Charge at the start", troubled),
    ]
    grips = [
        Grip(
            "reserve_pct",
            "x",
            numbers.reserve_pct,
            1.0,
            0,
            across,
            kept,
            64,
            "Reserve",
            f"{numbers.reserve_pct:g} percent",
        )
    ]
    message = (
        f"Reserve {numbers.reserve_pct:g} %, {usable:.4g} Ah to use; hours averaged over "
        f"{window_min:g} minutes; after a loss of supply {named[power_up]}."
    )
    return QuestionDrawing(
        "promised", boxes=boxes, lines=[], words=words, tags=tags, grips=grips, message=message
    )


def draw_questions(
    numbers: Numbers, power_up: str, bank: Bank, chemistry: Chemistry, troubled: set[str]
) -> dict[str, QuestionDrawing]:
    """All four drawings by their key; `troubled` names the values something speaks against."""
    return {
        "much": draw_much(numbers, troubled),
        "full": draw_full(numbers, bank, chemistry, troubled),
        "slips": draw_slips(numbers, troubled),
        "promised": draw_promised(numbers, power_up, troubled),
    }
