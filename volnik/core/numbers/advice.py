"""What speaks against the numbers on this bank (docs/findings.md, numbers)."""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.numbers.defaults import usual_spans
from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import Chemistry

FACTORY_AH = (100.0, 200.0)  # what monitors come with: left so, it was likely never set
HOURS_A_DAY = 24.0

WIDE_TAIL_PCT, NARROW_TAIL_PCT = 6.0, 1.0  # beyond the usual 2 to 5 %; source: trade practice
SHORT_HOLD_S = 60.0  # a cloud's length; source: estimate
HIDDEN_SHARE = 0.01  # of the bank a day that a dead band may hide unsaid; source: estimate


def hidden_ah_a_day(dead_band_a: float) -> float:
    """The most that can slip through the dead band unseen in a day, dead band x 24 h [Ah].

    Args:
        dead_band_a: below which amps are booked as nothing [A].
    """
    return dead_band_a * HOURS_A_DAY


def numbers_findings(numbers: Numbers, bank: Bank, chemistry: Chemistry, power_up: str) -> list[Finding]:
    """Everything the bank on record says against these numbers.

    Args:
        chemistry: of the bank.
        power_up: what the monitor does after a loss of supply.
    """
    return [
        *_about_capacity(numbers, bank, chemistry),
        *_about_full(numbers, bank, chemistry),
        *_about_rest(numbers, bank, chemistry, power_up),
    ]


def _about_capacity(numbers: Numbers, bank: Bank, chemistry: Chemistry) -> list[Finding]:
    offered = round(bank.capacity(chemistry).capacity_ah, 1)
    is_set = numbers.capacity_ah
    if abs(is_set - offered) <= 0.01 * offered:
        return []
    remedy = {"capacity_ah": offered}
    speed = offered / is_set
    pace = f"The percentage would move at {speed:.2g} times its real speed."
    if bank.series > 1 and abs(is_set - offered * bank.series) <= 0.02 * is_set:
        message = f"{is_set:g} Ah is {bank.series} × {offered:g} Ah: Ah do not add along a string."
        return [
            Finding(
                "numbers.N02", "stop", message, pace, f"Set {offered:g} Ah.", "numbers.capacity_ah", remedy
            )
        ]
    if is_set in FACTORY_AH:
        message = f"{is_set:g} Ah is a usual factory default; the battery on record holds {offered:g} Ah."
        return [
            Finding(
                "numbers.N01",
                "stop",
                message,
                pace,
                "Is this really yours? Otherwise set the battery's.",
                "numbers.capacity_ah",
                remedy,
            )
        ]
    message = f"Numbers say {is_set:g} Ah, the battery on record {offered:g} Ah."
    hint = "Take the battery's figure, or correct the battery if this one was measured."
    return [Finding("numbers.N03", "fix", message, pace, hint, "numbers.capacity_ah", remedy)]


def _about_full(numbers: Numbers, bank: Bank, chemistry: Chemistry) -> list[Finding]:
    return [
        *_charged_voltage(numbers, bank, chemistry),
        *_tail(numbers, chemistry),
        *_hold(numbers, chemistry),
    ]


def _charged_voltage(numbers: Numbers, bank: Bank, chemistry: Chemistry) -> list[Finding]:
    cells, charged_v = bank.cells, numbers.charged_voltage_v
    default_v = round(chemistry.charged_v * cells, 2)
    hint, at = f"Start at {default_v:g} V.", "numbers.charged_voltage_v"
    remedy = {"charged_voltage_v": default_v}
    highest = chemistry.absorption_high_v * cells
    if charged_v > highest:
        message = f"{charged_v:g} V lies above the highest usual absorption, {highest:.2f} V."
        why = "The chargers never reach it, so the count is never reset."
        return [Finding("numbers.N04", "fix", message, why, hint, at, remedy)]
    if charged_v < chemistry.early_v * cells:
        message = (
            f"{charged_v:g} V ({charged_v / cells:.2f} V a cell) is met long before the battery is full."
        )
        why = (
            "Float or rising volts reach it while the battery is still filling."
            if chemistry.is_lead
            else "On the flat part of the curve any weak charge current announces 100 %."
        )
        return [Finding("numbers.N05", "stop", message, why, hint, at, remedy)]
    return []


def _tail(numbers: Numbers, chemistry: Chemistry) -> list[Finding]:
    tail_pct, at = numbers.tail_current_pct, "numbers.tail_current_pct"
    remedy = {"tail_current_pct": chemistry.tail_pct}
    if tail_pct > WIDE_TAIL_PCT:
        message = (
            f"A tail of {tail_pct:g} % is {numbers.tail_a:.1f} A: sources smaller than that always look "
            "tapered."
        )
        why, hint = (
            "Only the volts then guard the reset.",
            "2 to 5 % is usual; with solar rather smaller than larger.",
        )
        return [Finding("numbers.N06", "fix", message, why, hint, at, remedy)]
    if tail_pct < NARROW_TAIL_PCT:
        message = f"A tail of {tail_pct:g} % is {numbers.tail_a:.2f} A."
        why = "Any load running keeps the charge current above it: the count may never be reset."
        return [Finding("numbers.N07", "advise", message, why, "2 to 5 % is usual.", at, remedy)]
    return []


def _hold(numbers: Numbers, chemistry: Chemistry) -> list[Finding]:
    if numbers.hold_s >= SHORT_HOLD_S:
        return []
    return [
        Finding(
            "numbers.N08",
            "advise",
            f"Held for only {numbers.hold_s:g} s.",
            "One passing cloud is enough for a false full.",
            "Three minutes on lithium, five to ten on lead.",
            "numbers.hold_s",
            {"hold_s": chemistry.hold_s},
        )
    ]


def _about_rest(numbers: Numbers, bank: Bank, chemistry: Chemistry, power_up: str) -> list[Finding]:
    return [
        *_dead_band(numbers),
        *_peukert(numbers, bank, chemistry),
        *_efficiency(numbers, bank, chemistry),
        *_reserve(numbers, bank),
        *_power_up(power_up),
    ]


def _dead_band(numbers: Numbers) -> list[Finding]:
    hidden = hidden_ah_a_day(numbers.dead_band_a)
    if hidden <= HIDDEN_SHARE * numbers.capacity_ah:
        return []
    return [
        Finding(
            "numbers.N09",
            "advise",
            f"The dead band of {numbers.dead_band_a:g} A can hide {hidden:.1f} Ah a day, "
            f"{100 * hidden / numbers.capacity_ah:.1f} % of the battery.",
            "Idle loads of that size are common, and the count would never see them.",
            "Set it just above the noise seen with everything off.",
            "numbers.dead_band_a",
        )
    ]


def _peukert(numbers: Numbers, bank: Bank, chemistry: Chemistry) -> list[Finding]:
    span = usual_spans(bank, chemistry)["peukert_exponent"]
    if span.low - 0.02 <= numbers.peukert_exponent <= span.high + 0.02:
        return []
    return [
        Finding(
            "numbers.N10",
            "fix",
            f"An exponent of {numbers.peukert_exponent:g}; {chemistry.name.lower()} has {span.low:g} to "
            f"{span.high:g}.",
            "Every heavy load is booked wrongly.",
            f"Start at {chemistry.peukert:g}.",
            "numbers.peukert_exponent",
            {"peukert_exponent": chemistry.peukert},
        )
    ]


def _efficiency(numbers: Numbers, bank: Bank, chemistry: Chemistry) -> list[Finding]:
    span = usual_spans(bank, chemistry)["coulombic_efficiency"]
    if span.low - 0.005 <= numbers.coulombic_efficiency <= span.high + 0.005:
        return []
    return [
        Finding(
            "numbers.N11",
            "fix",
            f"An efficiency of {100 * numbers.coulombic_efficiency:g} %; {chemistry.name.lower()} has "
            f"{100 * span.low:g} to {100 * span.high:g} %.",
            "The count creeps a little further from the truth with every cycle.",
            f"Start at {100 * chemistry.efficiency:g} %.",
            "numbers.coulombic_efficiency",
            {"coulombic_efficiency": chemistry.efficiency},
        )
    ]


def _reserve(numbers: Numbers, bank: Bank) -> list[Finding]:
    least = bank.least_reserve_pct
    if numbers.reserve_pct >= least:
        return []
    return [
        Finding(
            "numbers.N12",
            "fix",
            f"The reserve of {numbers.reserve_pct:g} % leaves no margin above the battery's own cut-out "
            f"at {bank.cut_out_pct:g} %.",
            "The lights go out before any warning.",
            f"At least {least:g} %.",
            "numbers.reserve_pct",
            {"reserve_pct": least},
        )
    ]


def _power_up(power_up: str) -> list[Finding]:
    if power_up != "full":
        return []
    return [
        Finding(
            "numbers.N13",
            "advise",
            "After any loss of supply this monitor claims 100 %.",
            "A fuse pulled for a minute looks like a full charge.",
            "Choose blank or the last value where the monitor allows it.",
            "numbers.power_up",
        )
    ]
