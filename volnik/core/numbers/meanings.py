"""What each number means, and what happens when it is too low or too high."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Meaning:
    """One number in words. `unit` is the unit it is typed in, `per_stored` how many of those make one stored
    unit.
    """

    label: str
    unit: str
    meaning: str
    too_low: str
    too_high: str
    per_stored: float = 1.0


MEANINGS: dict[str, Meaning] = {
    "capacity_ah": Meaning(
        "Capacity",
        "Ah",
        "Ah the full bank gives at its hour rate.",
        "The percentage falls too fast and reads empty with charge still there.",
        "The percentage stays comfortable until the lights go out.",
    ),
    "rated_hours": Meaning(
        "Hour rate",
        "h",
        "Hours over which the capacity holds; C ÷ H is the current above which Peukert applies.",
        "Heavy loads are bent too little.",
        "Heavy loads are bent too much.",
    ),
    "peukert_exponent": Meaning(
        "Peukert exponent",
        "",
        "How much capacity is lost at currents above C ÷ H; 1 bends nothing.",
        "Heavy discharge is undercounted.",
        "Heavy discharge is overcounted; a lead value on lithium does this.",
    ),
    "charged_voltage_v": Meaning(
        "Charged voltage",
        "V",
        "Volts at and above which the bank may count as full.",
        "Resets to 100 % early, in any weak sun; charge is overstated.",
        "Never resets; the count drifts for weeks.",
    ),
    "tail_current_pct": Meaning(
        "Tail current",
        "% of C",
        "Charge current at and below which charging has tapered off.",
        "Never resets while anything is running.",
        "Resets early: a weak source alone looks like a taper.",
    ),
    "tail_floor_pct": Meaning(
        "Tail floor",
        "% of C",
        "Lowest current that still counts as tapered: 0, or slightly below on monitors that allow it.",
        "A bank giving out current passes as full.",
        "On float the current is zero within noise and may never qualify.",
    ),
    "hold_s": Meaning(
        "Hold time",
        "min",
        "How long volts and tail must both be true without a break.",
        "A passing cloud is taken for a full bank.",
        "Clouds break every run; never resets on solar.",
        1 / 60,
    ),
    "dead_band_a": Meaning(
        "Dead band",
        "A",
        "Amps smaller than this are booked as nothing.",
        "Noise is counted as current.",
        "Hides a real draw: 0.09 A is 2.2 Ah a day.",
    ),
    "coulombic_efficiency": Meaning(
        "Coulombic efficiency",
        "%",
        "Ah stored for each Ah put in.",
        "The count creeps down over healthy cycles.",
        "The count reads high, the bank is flatter each week.",
        100.0,
    ),
    "reserve_pct": Meaning(
        "Reserve",
        "%",
        "The part the owner never plans to use; the runtime runs to this level, the percentage does not.",
        "The promised hours end in the battery's own cut-out.",
        "Autonomy is given away.",
    ),
    "runtime_window_s": Meaning(
        "Runtime window",
        "min",
        "Time over which the current is averaged before the runtime is reckoned.",
        "The hours jump with every pump.",
        "The hours lag behind what is switched.",
        1 / 60,
    ),
    "initial_soc": Meaning(
        "Charge at the start",
        "%",
        "Where the count stood at the first reading; empty when nobody knows.",
        "Reads low until the first full reset.",
        "Reads high until the first full reset.",
        100.0,
    ),
}

QUESTIONS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("much", "How much is in it?", ("capacity_ah", "rated_hours", "peukert_exponent")),
    ("full", "When is it full?", ("charged_voltage_v", "tail_current_pct", "hold_s", "tail_floor_pct")),
    ("slips", "What slips past the count?", ("dead_band_a", "coulombic_efficiency")),
    ("promised", "What is promised?", ("reserve_pct", "runtime_window_s", "initial_soc")),
)

POWER_UP = {
    "blank": "Blank until told: honest after any loss of supply.",
    "last": "The last value kept: right when nothing flowed meanwhile.",
    "full": "100 %: right only when the bank is full at that moment.",
}
