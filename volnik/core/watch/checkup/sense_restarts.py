"""Sense restarts: the monitor loses its supply and starts anew."""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts

LEAST = 4  # silences: fewer may be a bridge out of reach
AT_LOAD = 0.6  # of the silences begin with a heavy load
MORE_THAN_CHANCE = 5.0  # times as often as the load runs at all: a fridge is always just starting
LONGEST_S = 2.0 * 3600.0  # a restart is over sooner; a longer silence has another cause


def check(facts: Facts) -> Outcome:
    """Short silences that begin as a heavy load comes on, far more often than chance would have it.

    Args:
        facts: what the log gives to look at.
    """
    time_s, amps = facts.readings.time_s, facts.readings.amps
    silence = np.diff(time_s)
    short = np.flatnonzero((silence > max(5.0 * facts.sample_s, 60.0)) & (silence <= LONGEST_S))
    if len(short) < LEAST:
        return None
    heavy = amps < -max(0.04 * facts.capacity_ah, 8.0 * facts.noise_a)
    near = heavy.copy()
    for step in (1, 2):
        near[step:] |= heavy[:-step]
    share, chance = float(near[short].mean()), max(float(near.mean()), 1.0 / len(near))
    if share < AT_LOAD or share < MORE_THAN_CHANCE * chance:
        return Unsure(
            "sense_restarts",
            f"{len(short)} short silences, but not as heavy loads come on: a bridge out of reach "
            "makes the same picture.",
        )
    marks = tuple(Mark(float(time_s[at]), float(time_s[at + 1]), "silent") for at in short[:12])
    return Cause(
        "sense_restarts",
        min(0.9, 0.5 + 0.4 * share),
        f"{len(short)} times the readings stop for some minutes, {100 * share:.0f} % of them as a "
        "heavy load comes on: the monitor's supply seems to drop out.",
        "Volts at the sense socket while the inverter starts; the sense fuse and its holder, the "
        "plug, the nut on the post.",
        "Volts there that stay above 9 rule it out.",
        {},
        marks,
        {"restarts": float(len(short))},
    )
