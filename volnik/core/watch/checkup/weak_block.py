"""Weak block or high resistance: volts fall too far for the amps, or the middle of a series bank
stands off.
"""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.load_bypass import resistance

# Ohm x Ah of a 12 V bank over a step of some seconds to a minute, a worn and cold one included. Source:
# docs/domain/checkup.md.
MOST_OHM_AH = {"lfp": 4.6, "flooded": 6.2, "agm": 5.2, "gel": 5.8}
LIKE_SMALLER = 2.5  # times the most: up to it a capacity set too large explains as much
A_DEGREE, TEMPERATE_C = (
    0.035,
    10.0,
)  # more resistance a degree of frost, below; source: estimate, as of trends
MIDPOINT_V = 0.35  # of a 12 V half; source: estimate


def _or_smaller(facts: Facts, times: float) -> str:
    """The other cause that looks alike: a battery smaller than what is set."""
    if times > LIKE_SMALLER:
        return ""
    return f" One of {facts.capacity_ah / times:.0f} Ah would show the same: read its label."


def _celsius(facts: Facts) -> float:
    """Middle of the battery's temperatures, temperate where none are known [°C]."""
    celsius = facts.readings.extra.get("celsius")
    known = np.isfinite(celsius) if celsius is not None else np.zeros(0, dtype=np.bool_)
    return float(np.median(celsius[known])) if celsius is not None and known.any() else TEMPERATE_C


def check(facts: Facts) -> Outcome:
    """Resistance from load steps times capacity; the midpoint against half the volts.

    Args:
        facts: what the log gives to look at.
    """
    middle = facts.readings.extra.get("midpoint_volts")
    if middle is not None and np.isfinite(middle).sum() > 100:
        off = middle - facts.readings.volts / 2.0
        calm = np.isfinite(off) & (np.abs(facts.readings.amps) > 0.02 * facts.capacity_ah)
        if calm.sum() > 50 and abs(float(np.median(off[calm]))) > MIDPOINT_V * facts.per_12v / 2.0:
            value = float(np.median(off[calm]))
            return Cause(
                "weak_block",
                0.85,
                f"Under current the middle of the battery is {1000 * value:+.0f} mV from half its volts.",
                "Volts of each battery under load, and rested.",
                "Batteries alike within 0.1 V rule it out.",
                {},
                (),
                {"midpoint_v": value},
            )
    ohm = resistance(facts)
    if np.isnan(ohm):
        return Unsure("weak_block", "No load steps that move the volts.")
    product, most = ohm * facts.capacity_ah, MOST_OHM_AH.get(facts.chemistry, 4.6)
    if facts.guessed:
        most *= 1.4
    most *= 1.0 + A_DEGREE * max(0.0, TEMPERATE_C - _celsius(facts))
    if facts.numbers is None:
        return Unsure("weak_block", "Without the capacity a resistance cannot be judged.")
    if product <= most:
        return None
    return Cause(
        "weak_block",
        float(np.clip(0.55 + 0.3 * np.log2(product / most), 0.55, 0.92)),
        f"Load steps move the volts by {1000 * ohm * facts.per_12v:.1f} mV an amp; a battery of "
        f"{facts.capacity_ah:.0f} Ah should stay under "
        f"{1000 * most / facts.capacity_ah * facts.per_12v:.1f}.{_or_smaller(facts, product / most)}",
        "Under one heavy load: volts at every post and across every joint. One battery far below its "
        "fellows is weak; a joint with volts across it is loose.",
        "Volts that all agree at the posts point at the monitor's sense lead.",
        {},
        (),
        {"mohm": 1000 * ohm * facts.per_12v, "ohm_ah": product},
    )
