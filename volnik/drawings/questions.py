"""The four questions of Numbers, each a small drawing that carries its values."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

from volnik.core.numbers.advice import hidden_ah_a_day
from volnik.core.numbers.meanings import MEANINGS
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


def _tag(key: str, x: float, y: float, text: str, label: str, *, troubled: set[str]) -> Tag:
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
    message = (
        f"{numbers.capacity_ah:g} Ah at {rated_a:.3g} A; at {most_a:.3g} A about "
        f"{numbers.capacity_ah * (rated_a / most_a) ** (numbers.peukert_exponent - 1):.0f} Ah."
    )
    return QuestionDrawing(
        "much",
        boxes=[],
        lines=_axes_of_much(across.at(rated_a), up.at(numbers.capacity_ah)),
        paths=[(f"{curve}V196H56Z", "area"), (curve, "curve")],
        words=[
            *(Word(across.at(amps), 214, f"{amps:g}", "middle") for amps in round_steps(0, most_a, 6)),
            Word(588, 228, "amps drawn", "end", "axis"),
            Word(60, 22, "Ah given, full to empty", "start", "axis"),
        ],
        tags=_tags_of_much(numbers, across, up, end_y, troubled),
        message=message,
    )


def _axes_of_much(rated_x: float, whole_y: float) -> list[Line]:
    """The axes, and the capacity with the amps it was stated at."""
    return [
        Line(56, 196, 588, 196, "axis"),
        Line(56, 30, 56, 196, "axis"),
        Line(rated_x, whole_y, rated_x, 196, "dash"),
        Line(56, whole_y, rated_x, whole_y, "dash"),
    ]


def _tags_of_much(numbers: Numbers, across: Scale, up: Scale, end_y: float, troubled: set[str]) -> list[Tag]:
    """The three numbers, each beside what it shapes."""
    rated_a = numbers.rated_a
    return [
        _tag(
            "capacity_ah",
            66,
            up.at(numbers.capacity_ah) + 6,
            f"{numbers.capacity_ah:g} Ah",
            "Capacity",
            troubled=troubled,
        ),
        _tag(
            "rated_hours",
            across.at(rated_a) + 8,
            158,
            f"at {numbers.rated_hours:g} h = {rated_a:.3g} A",
            "Hour rate",
            troubled=troubled,
        ),
        _tag(
            "peukert_exponent",
            470,
            min(150.0, end_y + 8),
            f"k {numbers.peukert_exponent:g}",
            "Peukert exponent",
            troubled=troubled,
        ),
    ]


def draw_full(numbers: Numbers, bank: Bank, chemistry: Chemistry, troubled: set[str]) -> QuestionDrawing:
    """When is it full: a typical last leg of charging, volts over amps, with the conditions as lines.

    The curve is a sketch from the chemistry's absorption volts, not a simulation of this rig.
    """
    leg = _last_leg(chemistry, bank.cells)
    high_v = max(chemistry.absorption_high_v * bank.cells * 1.012, numbers.charged_voltage_v * 1.005)
    paper = _FullPaper(
        numbers,
        bank.cells,
        Scale(min(leg.low_v, numbers.charged_voltage_v * 0.995), high_v, 112.0, 16.0),
        Scale(min(-1.0, numbers.tail_floor_pct), MOST_PCT, 204.0, 124.0),
        Scale(0.0, 240.0, 56.0, 588.0),
        leg.met(numbers),
    )
    hold_min = numbers.hold_s / 60.0
    volts_path = _joined([(paper.minutes.at(at), paper.volts.at(v)) for at, v, _ in leg.points])
    amps_path = _joined([(paper.minutes.at(at), paper.amps.at(a)) for at, _, a in leg.points])
    message = (
        f"Full when volts are at {numbers.charged_voltage_v:g} V or more and current between "
        f"{numbers.floor_a:.2g} and {numbers.tail_a:.3g} A for {hold_min:g} minutes."
    )
    return QuestionDrawing(
        "full",
        boxes=paper.boxes(),
        lines=paper.lines(),
        paths=[(volts_path, "curve"), (amps_path, "curve amps")],
        words=paper.words(),
        tags=paper.tags(troubled),
        grips=paper.grips(),
        message=message,
    )


MOST_PCT = 20.0  # current the sketched charge begins at [% of C]


@dataclass(frozen=True, slots=True)
class _LastLeg:
    """The sketched last hours of a charge: (minute, volts, % of C) every two minutes; where it begins [V]."""

    low_v: float
    points: list[tuple[float, float, float]]

    def met(self, numbers: Numbers) -> float | None:
        """The minute at which volts and tail current are first met together, or None."""
        for minute, v, a in self.points:
            within = numbers.tail_floor_pct <= a <= numbers.tail_current_pct
            if within and v >= numbers.charged_voltage_v:
                return minute
        return None


def _last_leg(chemistry: Chemistry, cells: int) -> _LastLeg:
    """Volts rise to absorption, the current tapers, and the charger steps down to float."""
    absorb_v = 0.5 * (chemistry.absorption_low_v + chemistry.absorption_high_v) * cells
    float_v = 0.5 * (chemistry.float_low_v + chemistry.float_high_v) * cells
    low_v = (1.03 if chemistry.is_lead else 1.035) * chemistry.cell_v * cells
    reach, taper = 110.0, 38.0 if chemistry.is_lead else 14.0
    end = reach + taper * math.log(MOST_PCT / 1.0)
    points: list[tuple[float, float, float]] = []
    for minute in range(0, 241, 2):
        if minute > end:
            v, a = float_v + (absorb_v - float_v) * math.exp(-(minute - end) / 12.0), 0.15
        elif minute < reach:
            v, a = low_v + (absorb_v - low_v) * (minute / reach) ** 2.2, MOST_PCT * 0.92
        else:
            v, a = absorb_v, MOST_PCT * 0.92 * math.exp(-(minute - reach) / taper)
        points.append((float(minute), v, a))
    return _LastLeg(low_v, points)


def _joined(points: list[tuple[float, float]]) -> str:
    """A line through some places."""
    return "".join(f"{'L' if at else 'M'}{x:g} {y:g}" for at, (x, y) in enumerate(points))


@dataclass(frozen=True, slots=True)
class _FullPaper:
    """The paper of the second question: scales, and where the conditions are met [min]; None if never."""

    numbers: Numbers
    cells: int
    volts: Scale
    amps: Scale
    minutes: Scale
    met: float | None

    @property
    def start(self) -> float:
        """Where the hold time begins [min]."""
        return 150.0 if self.met is None else self.met

    @property
    def hold_end_x(self) -> float:
        """Where the hold time ends on the paper."""
        return self.minutes.at(self.start + self.numbers.hold_s / 60.0)

    @property
    def heights(self) -> tuple[float, float, float]:
        """Where charged voltage, tail current and tail floor lie on the paper."""
        numbers = self.numbers
        tail, floor = self.amps.at(numbers.tail_current_pct), self.amps.at(numbers.tail_floor_pct)
        return self.volts.at(numbers.charged_voltage_v), tail, floor

    def boxes(self) -> list[Box]:
        """The hold time, where it is met."""
        if self.met is None:
            return []
        x = self.minutes.at(self.start)
        return [Box(x, 16, max(3.0, self.hold_end_x - x), 188, "hold")]

    def words(self) -> list[Word]:
        """What is written beside the curves."""
        return [
            Word(588, 28, "this charge never meets both", "end", "trouble")
            if self.met is None
            else Word(self.hold_end_x + 6, 30, "reset", "start", "reset"),
            Word(60, 222, "the last hours of a charge, sketched", "start", "axis"),
            Word(60, 14, "volts", "start", "axis"),
            Word(588, 136, "amps, % of C", "end", "axis"),
            *(
                Word(50, self.volts.at(v) + 4, f"{v:g}", "end")
                for v in round_steps(self.volts.low, self.volts.high, 4)
            ),
            *(Word(50, self.amps.at(v) + 4, f"{v:g}", "end") for v in (0, 10, 20)),
        ]

    def lines(self) -> list[Line]:
        """The conditions as lines, and the axes."""
        v_y, t_y, f_y = self.heights
        return [
            Line(56, v_y, 588, v_y, "limit"),
            Line(56, t_y, 588, t_y, "limit"),
            Line(56, f_y, 588, f_y, "limit faint"),
            Line(56, 118, 588, 118, "axis"),
            Line(56, 204, 588, 204, "axis"),
        ]

    def grips(self) -> list[Grip]:
        """What can be dragged."""
        numbers = self.numbers
        v_y, t_y, f_y = self.heights
        charged_v, tail, floor = numbers.charged_voltage_v, numbers.tail_current_pct, numbers.tail_floor_pct
        hold_min = numbers.hold_s / 60.0
        hold = Scale(0, 240 - self.start, self.minutes.at(self.start), 588)
        below = Scale(-1.0, 0.0, self.amps.at(-1.0), self.amps.at(0.0))
        step_v = 0.01 * max(1, self.cells // 4)
        volts, amps, x = self.volts, self.amps, self.hold_end_x
        named = ("Charged voltage", f"{charged_v:g} volts")
        return [
            Grip("charged_voltage_v", "y", charged_v, step_v, 2, volts, 72, v_y, *named),
            Grip("tail_current_pct", "y", tail, 0.1, 1, amps, 72, t_y, "Tail current", f"{tail:g} percent"),
            Grip("hold_s", "x", hold_min, 1.0, 0, hold, x, 160, "Hold time", f"{hold_min:g} minutes"),
            Grip("tail_floor_pct", "y", floor, 0.05, 2, below, 400, f_y, "Tail floor", f"{floor:g} percent"),
        ]

    def tags(self, troubled: set[str]) -> list[Tag]:
        """The numbers, each beside its line."""
        numbers = self.numbers
        v_y, t_y, _ = self.heights
        charged = f"{numbers.charged_voltage_v:g} V = {numbers.charged_voltage_v / self.cells:.3f} a cell"
        tail = f"{numbers.tail_current_pct:g} % = {numbers.tail_a:.3g} A"
        floor = f"floor {numbers.tail_floor_pct:g} % = {numbers.floor_a:.2g} A"
        hold = f"{numbers.hold_s / 60.0:g} min"
        above = v_y - (25 if v_y > 44 else -4)
        return [
            _tag("charged_voltage_v", 90, above, charged, "Charged voltage", troubled=troubled),
            _tag("tail_current_pct", 92, t_y - 25, tail, "Tail current", troubled=troubled),
            _tag("hold_s", min(self.hold_end_x + 10, 520), 66, hold, "Hold time", troubled=troubled),
            _tag("tail_floor_pct", 430, 206, floor, "Tail floor", troubled=troubled),
        ]


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
            f"{100 * hidden / numbers.capacity_ah:.2g} % of the battery",
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
    band, share = Scale(0.0, most, across.at(0), 576.0), Scale(0.0, 100.0, 24.0, 576.0)
    band_named = ("Dead band", f"{numbers.dead_band_a:g} amps")
    share_named = ("Coulombic efficiency", f"{100 * efficiency:g} percent")
    grips = [
        Grip("dead_band_a", "x", numbers.dead_band_a, 0.01, 2, band, right, 62, *band_named),
        Grip("coulombic_efficiency", "x", 100 * efficiency, 0.5, 1, share, stored, 167, *share_named),
    ]
    tags = [
        _tag(
            "dead_band_a",
            min(right + 14, 480),
            48,
            f"± {numbers.dead_band_a:g} A",
            "Dead band",
            troubled=troubled,
        ),
        _tag(
            "coulombic_efficiency",
            250,
            155,
            f"{100 * efficiency:.4g} %",
            "Coulombic efficiency",
            troubled=troubled,
        ),
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
    named = {"blank": "show nothing until set", "last": "last value kept", "full": "claims 100 %"}
    first = "unknown" if numbers.initial_soc is None else f"{100 * numbers.initial_soc:g} %"
    tags = [
        _tag(
            "reserve_pct",
            min(kept + 12, 440),
            53,
            f"reserve {numbers.reserve_pct:g} %",
            "Reserve",
            troubled=troubled,
        ),
        _tag("runtime_window_s", 24, 174, f"{window_min:g} min", "Hours averaged over", troubled=troubled),
        _tag("power_up", 300, 142, named[power_up], "Power-up state", troubled=troubled),
        _tag("initial_soc", 300, 202, first, "Charge at the start", troubled=troubled),
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
    drawn = {
        "much": draw_much(numbers, troubled),
        "full": draw_full(numbers, bank, chemistry, troubled),
        "slips": draw_slips(numbers, troubled),
        "promised": draw_promised(numbers, power_up, troubled),
    }
    return {key: _with_the_rest(drawing, numbers, troubled) for key, drawing in drawn.items()}


def _with_the_rest(drawing: QuestionDrawing, numbers: Numbers, troubled: set[str]) -> QuestionDrawing:
    """A drawing, with tags at its foot for numbers of its question that have no place in it of their own."""
    keys = {tag.key for tag in drawing.tags}
    asked = [
        (key, meaning)
        for key, meaning in MEANINGS.items()
        if meaning.question == drawing.key and key not in keys
    ]
    if not asked:
        return drawing
    x, tags = 24.0, list(drawing.tags)
    for key, meaning in asked:
        value = getattr(numbers, key)
        shown = "unknown" if value is None else f"{value * meaning.per_stored:g} {meaning.unit}"
        tag = _tag(key, x, drawing.height + 4, f"{meaning.label} {shown}", meaning.label, troubled=troubled)
        tags.append(tag)
        x = tag.x + tag.width + 12.0
    return replace(drawing, tags=tags, height=drawing.height + 34.0)
