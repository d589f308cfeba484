"""Sense restarts: the monitor loses its supply and starts anew."""

from __future__ import annotations

import math

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts

LEAST = 4  # silences: fewer may be a bridge out of reach
AT_LOAD = 0.35  # of the silences lie beside a heavy load
CHANCE = 1e-5  # less likely than that to be chance
HEAVY = 0.04  # of capacity [A]
LONGEST_S = 2.0 * 3600.0  # a restart is over sooner; a longer silence has another cause


def check(facts: Facts) -> Outcome:
    """Short silences beside a heavy load, far more often than chance would have it.

    Args:
        facts: what the log gives to look at.
    """
    time_s, amps = facts.readings.time_s, facts.readings.amps
    silence = np.diff(time_s)
    shortest = max(1.8 * facts.sample_s, facts.sample_s + 15.0)
    short = np.flatnonzero((silence > shortest) & (silence <= LONGEST_S))
    if len(short) < LEAST:
        return None
    heavy = amps < -max(HEAVY * facts.capacity_ah, 8.0 * facts.noise_a)
    # The load comes on and the readings stop, or they stop as it comes on and it still runs when they return.
    padded = np.concatenate(([False, False], heavy, [False, False]))
    beside = np.any([padded[at : at + len(heavy)] for at in (1, 2, 3, 4)], axis=0)
    hits, rate = int(beside[short].sum()), max(float(beside.mean()), 1.0 / len(beside))
    if hits < LEAST or hits / len(short) < AT_LOAD or _chance(hits, len(short), rate) > CHANCE:
        return Unsure(
            "sense_restarts",
            f"{len(short)} short silences, but not beside heavy loads: a bridge out of reach "
            "makes the same picture.",
        )
    share = hits / len(short)
    marks = tuple(
        Mark(float(time_s[at]), float(time_s[at + 1]), "silent") for at in short[beside[short]][:12]
    )
    return Cause(
        "sense_restarts",
        min(0.95, 0.65 + 0.3 * share),
        f"{len(short)} times the readings stop for some minutes, {100 * share:.0f} % of them beside a "
        "heavy load: the monitor's supply seems to drop out.",
        "Volts at the sense socket while the inverter starts; the sense fuse and its holder, the "
        "plug, the nut on the post.",
        "Volts there that stay above 9 rule it out.",
        {},
        marks,
        {"restarts": float(len(short))},
    )


def _chance(hits: int, tries: int, rate: float) -> float:
    """How likely at least so many hits are by chance alone (binomial tail)."""
    if rate >= 1.0:
        return 1.0
    terms = (
        math.lgamma(tries + 1)
        - math.lgamma(each + 1)
        - math.lgamma(tries - each + 1)
        + each * math.log(rate)
        + (tries - each) * math.log1p(-rate)
        for each in range(hits, tries + 1)
    )
    return float(sum(math.exp(term) for term in terms))
