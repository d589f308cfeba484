"""What happened in a stretch of a log: a paragraph to forward, and the figures under it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from volnik.core.papers.paper import Paper, Part

MOST_USES = 6


@dataclass(frozen=True, slots=True)
class EventFacts:
    """A stretch of a log.

    Attributes:
        name, what: the rig, and what the stretch is called, "" for nothing.
        start, end: in words.
        hours, read_h: how long, and how much of it was read [h].
        out_ah, in_ah, out_kwh, in_kwh: what went out and in [Ah, kWh].
        first, last, low: charge at the beginning, at the end and lowest [0..1], NaN while unknown.
        low_when: of the lowest, in words.
        reserve_pct: as set [%].
        most_out_a, most_in_a: greatest amps [A].
        low_v, high_v: between what volts [V].
        uses: (load, Ah) as told apart, heaviest first; () where the stretch is too short.
        believed: whether the percentage may be believed; reason why not.
        reason: see there.
    """

    name: str
    what: str
    start: str
    end: str
    hours: float
    read_h: float
    out_ah: float
    in_ah: float
    out_kwh: float
    in_kwh: float
    first: float
    last: float
    low: float
    low_when: str
    reserve_pct: float
    most_out_a: float
    most_in_a: float
    low_v: float
    high_v: float
    uses: tuple[tuple[str, float], ...]
    believed: bool
    reason: str


def paragraph(facts: EventFacts) -> str:
    """What happened, as one would forward it.

    Args:
        facts: of the stretch.
    """
    called = f"{facts.what}: " if facts.what else ""
    said = [
        f"{called}from {facts.start} to {facts.end} ({_span(facts.hours)}) {facts.name} gave "
        f"{facts.out_ah:.0f} Ah ({facts.out_kwh:.1f} kWh) and took in {facts.in_ah:.0f} Ah."
    ]
    if facts.read_h < 0.95 * facts.hours:
        said.append(
            f"Only {_span(facts.read_h)} of it were read; what flowed meanwhile is not in these figures."
        )
    if not facts.believed:
        said.append(f"Its percentage cannot be believed: {facts.reason}")
    elif not math.isnan(facts.low):
        said.append(_lowest(facts))
    if facts.uses:
        used = ", ".join(f"{name} {ah:.0f} Ah" for name, ah in facts.uses[:3])
        rest = facts.out_ah - sum(ah for _, ah in facts.uses[:3])
        said.append(f"Of that {used}; the other {max(0.0, rest):.0f} Ah are not told apart.")
    return " ".join(said)


def _lowest(facts: EventFacts) -> str:
    """The lowest charge, and how near the reserve it came."""
    low = 100.0 * facts.low
    above = low - facts.reserve_pct
    reserve = f"the reserve of {facts.reserve_pct:g} %"
    near = f"at {reserve}"
    if abs(above) >= 0.5:
        near = f"{abs(above):.0f} points {'above' if above > 0.0 else 'under'} {reserve}"
    return f"It was lowest with {low:.0f} % at {facts.low_when}, {near}."


def _span(hours: float) -> str:
    return f"{hours:.0f} h" if hours < 48.0 else f"{hours / 24.0:.1f} days"


def event_rows(facts: EventFacts) -> list[tuple[str, str]]:
    """The figures, a row each, as the table and the file have them.

    Args:
        facts: of the stretch.
    """
    rows = [
        ("From", facts.start),
        ("To", facts.end),
        ("Hours", f"{facts.hours:.1f}"),
        ("Hours read", f"{facts.read_h:.1f}"),
        ("Out, Ah", f"{facts.out_ah:.1f}"),
        ("In, Ah", f"{facts.in_ah:.1f}"),
        ("Out, kWh", f"{facts.out_kwh:.2f}"),
        ("In, kWh", f"{facts.in_kwh:.2f}"),
        ("Most out, A", f"{facts.most_out_a:.1f}"),
        ("Most in, A", f"{facts.most_in_a:.1f}"),
        ("Volts", f"{facts.low_v:.2f} to {facts.high_v:.2f}"),
    ]
    if facts.believed and not math.isnan(facts.low):
        rows += [
            ("Percent at the beginning", _pct(facts.first)),
            ("Percent at the end", _pct(facts.last)),
            ("Lowest percent", _pct(facts.low)),
            ("Lowest at", facts.low_when),
        ]
    return rows


def _pct(charge: float) -> str:
    return "unknown" if math.isnan(charge) else f"{100.0 * charge:.0f}"


def event_report(facts: EventFacts, *, drawing: str) -> Paper:
    """The report of a stretch.

    Args:
        facts: of the stretch.
        drawing: SVG of the charge over it, "" for none.
    """
    uses = tuple((name, f"{ah:.1f} Ah") for name, ah in facts.uses[:MOST_USES])
    parts = (
        Part("lines", "What happened", (paragraph(facts),)),
        Part("drawing", "Charge", ("Percent over the stretch; the broken line is the reserve.",)),
        Part("table", "Figures", rows=tuple(event_rows(facts)), columns=(2.0, 4.0)),
        Part("table", "What used it", rows=uses, columns=(3.0, 2.0)),
    )
    return Paper(
        "event",
        f"{facts.name}: {facts.what or 'what happened'}",
        f"{facts.start} to {facts.end}",
        "",
        tuple(part for part in parts if (part.lines and (part.kind != "drawing" or drawing)) or part.rows),
        drawing=drawing,
    )
