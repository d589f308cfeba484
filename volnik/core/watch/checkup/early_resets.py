"""Early resets: after the count was set to full, charge still went in until the bank was full."""

from __future__ import annotations

import numpy as np

from volnik.core.settings import Numbers
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.resets import short_of_full

MOST = {"lfp": 0.035, "lead": 0.10}
LEAST = 3  # resets: fewer may be days on which the monitor was being set
# under the chargers' volts [V of a 12 V bank], tail [%], hold [s]; source: docs/domain/checkup.md
NOT_FULL_V = {"lfp": 13.45, "lead": 13.3}  # of a 12 V bank: a reset there says nothing of full
WELL_ABOVE_V = {"lfp": 13.9, "lead": 14.2}
STRICT_V, STRICT_TAIL_PCT = 0.35, 3.0  # under the chargers' end of a 12 V lead bank; source: trade practice
LATER = {"lfp": (0.3, 4.0, 180.0), "lead": (0.15, 2.0, 300.0)}


def _changed(values: dict[str, float], numbers: Numbers) -> dict[str, float]:
    """Those of some values that are other than the numbers have now."""
    return {key: value for key, value in values.items() if value != getattr(numbers, key)}


def check(facts: Facts) -> Outcome:
    """What went in between a reset and the next full mark, over the capacity, at the 80th of a hundred.

    Args:
        facts: what the log gives to look at.
    """
    if facts.counted is None or facts.numbers is None:
        return Unsure("early_resets", "Without settings no count can be made.")
    if not facts.counted.resets:
        return None
    short, lonely = short_of_full(facts), _without_full(facts)
    if len(short) < LEAST:
        return lonely or Unsure(
            "early_resets",
            f"The battery was full {len(short)} times in this log: too seldom to measure the resets by.",
        )
    typical = float(np.quantile([ah / facts.capacity_ah for _, ah in short], 0.8))
    if typical <= MOST[facts.kind] or _is_strict(facts, facts.numbers):
        return lonely
    numbers = facts.numbers
    corrected = _changed(_later(facts, numbers), numbers)
    worst = sorted(short, key=lambda pair: -pair[1])[:12]
    return Cause(
        "early_resets",
        min(0.95, 0.65 + typical),
        f"After a reset to 100 % the battery still took {100 * typical:.0f} % of its capacity before it "
        "was full (one reset in five even more); "
        f"resets fire at {numbers.charged_voltage_v:.2f} V and {numbers.tail_current_pct:g} %, the "
        f"chargers go to {facts.full_v * facts.per_12v:.2f} V.",
        "Look at the reset map; watch one charge: at the reset, how many amps still go in, and at "
        "which volts?",
        "Amps that have tapered to the tail at absorption volts rule it out.",
        corrected,
        tuple(Mark(at_s - 600.0, at_s + 600.0, "reset, not full") for at_s, _ in sorted(worst)),
        {"short_share": typical},
    )


def _is_strict(facts: Facts, numbers: Numbers) -> bool:
    """Whether the numbers ask for nearly all that the chargers give; lead takes on for hours all the same."""
    near = numbers.charged_voltage_v / facts.per_12v >= facts.full_v - STRICT_V
    return facts.kind == "lead" and near and numbers.tail_current_pct <= STRICT_TAIL_PCT


def _later(facts: Facts, numbers: Numbers) -> dict[str, float]:
    """Settings that fire later: nearer the chargers' volts, a lower tail, a longer hold."""
    under_v, tail_pct, hold_s = LATER[facts.kind]
    volts = (facts.full_v - under_v) * facts.per_12v
    return {
        "charged_voltage_v": round(max(numbers.charged_voltage_v, volts), 2),
        "tail_current_pct": float(min(numbers.tail_current_pct, tail_pct)),
        "hold_s": float(max(numbers.hold_s, hold_s)),
    }


def _without_full(facts: Facts) -> Cause | None:
    """Resets on a bank that is hardly ever full by its volts.

    Volts below where chargers end: lithium on its plateau, lead where any charger lifts it at once.
    """
    assert facts.counted is not None and facts.numbers is not None
    if len(facts.fulls) >= LEAST or len(facts.counted.resets) < LEAST:
        return None
    if facts.numbers.charged_voltage_v / facts.per_12v > NOT_FULL_V[facts.kind]:
        return None
    where = "is the plateau of a lithium battery" if facts.kind == "lfp" else "any charger lifts lead at once"
    return Cause(
        "early_resets",
        0.7,
        f"{len(facts.counted.resets)} resets fire at {facts.numbers.charged_voltage_v:.2f} V, which "
        f"{where}, and this log hardly ever stays at full volts.",
        "Charge the battery to its absorption volts once and watch when the count is reset.",
        "A reset only at absorption volts rules it out.",
        {"charged_voltage_v": round(WELL_ABOVE_V[facts.kind] * facts.per_12v, 2)},
        tuple(
            Mark(reset.time_s - 600.0, reset.time_s + 600.0, "reset, not full")
            for reset in facts.counted.resets[-12:]
        ),
    )
