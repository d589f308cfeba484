"""The numbers of the settings: what each means and where it begins, one row each."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from volnik.core.rig.bank import Bank
from volnik.core.shelf.chemistries import Chemistry

Question = Literal["much", "full", "slips", "promised"]


@dataclass(frozen=True, slots=True)
class Span:
    """Where a value is usually found for this bank, in stored units."""

    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Meaning:
    """One number of the settings, in words and in figures.

    Attributes:
        label: its name on the page.
        unit: the unit it is typed in.
        meaning: what it is.
        too_low, too_high: what follows where it is.
        question: under which it is asked.
        start: where it begins for a bank, in stored units; None where nobody can know. Source: the
            chemistry's
            table, trade practice.
        usual: where it is usually found for a bank. Source: trade practice (docs/domain/numbers.md).
        per_stored: how many of the typed unit make one stored unit.
        traps: what a value in the wrong unit looks like: above the first figure and up to the second, in
            stored
            units, with the sentence. Bounds are estimates, far outside any sound value.
    """

    label: str
    unit: str
    meaning: str
    too_low: str
    too_high: str
    question: Question
    start: Callable[[Bank, Chemistry], float | None]
    usual: Callable[[Bank, Chemistry], Span]
    per_stored: float = 1.0
    traps: tuple[tuple[float, float, str], ...] = ()


def _share_of_label(bank: Bank, chemistry: Chemistry, low: float, high: float) -> Span:
    """A share of what the label offers [Ah]."""
    offered = bank.capacity(chemistry).capacity_ah
    return Span(low * offered, high * offered)


def _charged_volts(bank: Bank, chemistry: Chemistry) -> Span:
    """From where a reset would come too early to a tenth of a volt, on 12 V, under absorption [V]."""
    high = chemistry.absorption_high_v - 0.1 / chemistry.cells_12v
    return Span(chemistry.early_v * bank.cells, high * bank.cells)


MEANINGS: dict[str, Meaning] = {
    "capacity_ah": Meaning(
        label="Capacity",
        unit="Ah",
        meaning="Ah the full battery gives at its hour rate.",
        too_low="The percentage falls too fast and reads empty with charge still there.",
        too_high="The percentage stays comfortable until the lights go out.",
        question="much",
        start=lambda bank, chemistry: round(bank.capacity(chemistry).capacity_ah, 1),
        usual=lambda bank, chemistry: _share_of_label(bank, chemistry, 0.6, 1.05),
    ),
    "rated_hours": Meaning(
        label="Hour rate",
        unit="h",
        meaning="Hours over which the capacity holds; C ÷ H is the current above which Peukert applies.",
        too_low="Heavy loads are bent too little.",
        too_high="Heavy loads are bent too much.",
        question="much",
        start=lambda bank, chemistry: 20.0,
        usual=lambda bank, chemistry: Span(20.0, 20.0),
    ),
    "peukert_exponent": Meaning(
        label="Peukert exponent",
        unit="",
        meaning="How much capacity is lost at currents above C ÷ H; 1 bends nothing.",
        too_low="Heavy discharge is undercounted.",
        too_high="Heavy discharge is overcounted; a lead value on lithium does this.",
        question="much",
        start=lambda bank, chemistry: chemistry.peukert,
        usual=lambda bank, chemistry: Span(chemistry.peukert_low, chemistry.peukert_high),
        traps=((1.6, math.inf, "Exponents lie from 1 to about 1.4; a percentage does not belong here."),),
    ),
    "charged_voltage_v": Meaning(
        label="Charged voltage",
        unit="V",
        meaning="Volts at and above which the battery may count as full.",
        too_low="Resets to 100 % early, in any weak sun; charge is overstated.",
        too_high="Never resets; the count drifts for weeks.",
        question="full",
        start=lambda bank, chemistry: round(chemistry.charged_v * bank.cells, 2),
        usual=_charged_volts,
    ),
    "tail_current_pct": Meaning(
        label="Tail current",
        unit="% of C",
        meaning="Charge current at and below which charging has tapered off.",
        too_low="Never resets while anything is running.",
        too_high="Resets early: a weak source alone looks like a taper.",
        question="full",
        start=lambda bank, chemistry: chemistry.tail_pct,
        usual=lambda bank, chemistry: Span(2.0, 5.0),
        traps=(
            (
                -math.inf,
                0.2 - 1e-12,
                "{value:g} % looks like a fraction: for {percent:g} % type {percent:g}.",
            ),
            (25.0, math.inf, "{value:g} % of capacity is no taper; amps go beside it, percent here."),
        ),
    ),
    "hold_s": Meaning(
        label="Hold time",
        unit="min",
        meaning="How long volts and tail must both be true without a break.",
        too_low="A passing cloud is taken for a full battery.",
        too_high="Clouds break every run; never resets on solar.",
        question="full",
        start=lambda bank, chemistry: chemistry.hold_s,
        usual=lambda bank, chemistry: Span(180.0, 600.0),
        per_stored=1 / 60,
        traps=(
            (7200.0, math.inf, "{minutes:g} minutes is longer than any taper; this is minutes, not seconds."),
            (0.0, 10.0 - 1e-12, "{minutes:g} minutes is under ten seconds; 3 minutes is usual."),
        ),
    ),
    "tail_floor_pct": Meaning(
        label="Tail floor",
        unit="% of C",
        meaning=(
            "Lowest current that still counts as tapered: 0, or slightly below on monitors that allow it."
        ),
        too_low="A battery giving out current passes as full.",
        too_high="On float the current is zero within noise and may never qualify.",
        question="full",
        start=lambda bank, chemistry: 0.0,
        usual=lambda bank, chemistry: Span(-0.5, 0.0),
    ),
    "dead_band_a": Meaning(
        label="Dead band",
        unit="A",
        meaning="Amps smaller than this are booked as nothing.",
        too_low="Noise is counted as current.",
        too_high="Hides a real draw: 0.09 A is 2.2 Ah a day.",
        question="slips",
        start=lambda bank, chemistry: 0.1,
        usual=lambda bank, chemistry: Span(0.02, 0.1),
        traps=((5.0, math.inf, "{value:g} A would hide nearly everything; {value:g} mA is {milli:g} A."),),
    ),
    "coulombic_efficiency": Meaning(
        label="Coulombic efficiency",
        unit="%",
        meaning="Ah stored for each Ah put in.",
        too_low="The count creeps down over healthy cycles.",
        too_high="The count reads high, the battery is flatter each week.",
        question="slips",
        start=lambda bank, chemistry: chemistry.efficiency,
        usual=lambda bank, chemistry: Span(chemistry.efficiency_low, chemistry.efficiency_high),
        per_stored=100.0,
        traps=((-math.inf, 0.5 - 1e-12, "{percent:g} % looks like a fraction: for 99 % type 99."),),
    ),
    "reserve_pct": Meaning(
        label="Reserve",
        unit="%",
        meaning=(
            "The part the owner never plans to use; the hours to go run to this level, the percentage "
            "does not."
        ),
        too_low="The promised hours end in the battery's own cut-out.",
        too_high="Autonomy is given away.",
        question="promised",
        start=lambda bank, chemistry: max(chemistry.reserve_pct, bank.least_reserve_pct),
        usual=lambda bank, chemistry: Span(30.0, 50.0) if chemistry.is_lead else Span(0.0, 20.0),
        traps=((0.0, 1.0 - 1e-12, "{value:g} % looks like a fraction: for {percent:g} % type {percent:g}."),),
    ),
    "runtime_window_s": Meaning(
        label="Hours averaged over",
        unit="min",
        meaning="Time over which the current is averaged before the hours to go are reckoned.",
        too_low="The hours jump with every pump.",
        too_high="The hours lag behind what is switched.",
        question="promised",
        start=lambda bank, chemistry: 180.0,
        usual=lambda bank, chemistry: Span(60.0, 1800.0),
        per_stored=1 / 60,
        traps=(
            (-math.inf, 5.0 - 1e-12, "A window under five seconds follows every spark; 3 minutes is usual."),
        ),
    ),
    "initial_soc": Meaning(
        label="Charge at the start",
        unit="%",
        meaning="Where the count stood at the first reading; empty when nobody knows.",
        too_low="Reads low until the first full reset.",
        too_high="Reads high until the first full reset.",
        question="promised",
        start=lambda bank, chemistry: None,
        usual=lambda bank, chemistry: Span(0.0, 1.0),
        per_stored=100.0,
        traps=((0.0, 0.01, "{percent:g} % looks like a fraction: for {myriad:g} % type {myriad:g}."),),
    ),
}

QUESTIONS: dict[Question, str] = {
    "much": "How much is in it?",
    "full": "When is it full?",
    "slips": "What slips past the count?",
    "promised": "What is promised?",
}


def questions() -> list[tuple[Question, str, tuple[str, ...]]]:
    """The questions in their order: key, title, and the keys of their numbers."""
    return [
        (key, title, tuple(name for name, meaning in MEANINGS.items() if meaning.question == key))
        for key, title in QUESTIONS.items()
    ]


POWER_UP = {
    "blank": "Show nothing until set: honest after any loss of supply.",
    "last": "The last value kept: right when nothing flowed meanwhile.",
    "full": "100 %: right only when the battery is full at that moment.",
    "half": "50 %: right by chance alone; some monitors have no other.",
}
