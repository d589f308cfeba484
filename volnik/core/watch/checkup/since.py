"""Since when: whether what a log shows began somewhere in it, and on which day.

Each kind of fault moves a figure of its own, day by day or from full to full. Where such a figure steps from
one level to another, the log is cut there and both parts are judged alone: what the later part shows and the
earlier does not began then. Source: trials.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.facts import Bools, Facts
from volnik.core.watch.checkup.load_bypass import unexplained
from volnik.core.watch.checkup.off_steps import density, off_steps

DAY_S = 86_400.0
LEAST_DAYS = 3.0  # on either side of a step
LEAST_STRENGTH = 3.5  # of a step, in deviations of what it steps over
FAINT = 1.0  # the same, where something else speaks for it
MOST_STEPS = 5  # looked at, strongest first
USUAL = 0.85  # of the logarithm: what a factor from 0.43 to 2.3 makes of a load
APART_S = 1.5 * DAY_S

SHOWN_BY: dict[str, tuple[str, ...]] = {
    "reversed": ("against", "balance"),
    "scale": ("size", "ohm"),
    "changed_device": ("size",),
    "load_bypass": ("offs", "alone", "balance"),
    "charger_bypass": ("balance", "given"),
    "zero_offset": ("balance", "given"),
    "sense_restarts": ("silences",),
    "weak_block": ("ohm",),
}
"""Figures that step when a fault begins, by its key."""


@dataclass(frozen=True, slots=True)
class Step:
    """A figure that steps: which, when [s], how far it stands out."""

    figure: str
    at_s: float
    strength: float


def steps_in(facts: Facts, *, all_amps: bool) -> list[Step]:
    """Where a figure of the log steps from one level to another, strongest first, each day once.

    Args:
        facts: what the whole log gives to look at.
        all_amps: whether the amps of all loads seem to have changed; a faint step of theirs is then enough.
    """
    found = sorted(_steps(facts), key=lambda step: -step.strength)
    first_s, last_s = float(facts.readings.time_s[0]), float(facts.readings.time_s[-1])
    kept: list[Step] = []
    for step in found:
        inside = first_s + LEAST_DAYS * DAY_S <= step.at_s <= last_s - LEAST_DAYS * DAY_S
        apart = all(abs(step.at_s - other.at_s) > APART_S or step.figure != other.figure for other in kept)
        least = FAINT if all_amps and step.figure in SHOWN_BY["scale"] else LEAST_STRENGTH
        if inside and apart and step.strength >= least:
            kept.append(step)
    return kept[:MOST_STEPS]


def _steps(facts: Facts) -> Iterator[Step]:
    for figure, (time_s, values) in _figures(facts).items():
        known = np.isfinite(values)
        if known.sum() >= 2 * LEAST_DAYS:
            at, strength = _step(values[known])
            yield Step(figure, float(time_s[known][at]), strength)


def _step(values: Floats) -> tuple[int, float]:
    """Where two levels fit a row best, and their distance in deviations of what is left."""
    count = len(values)
    total, squares = np.cumsum(values), np.cumsum(values**2)
    places = np.arange(2, count - 1)
    left, right = total[places - 1] / places, (total[-1] - total[places - 1]) / (count - places)
    rest = squares[-1] - places * left**2 - (count - places) * right**2
    best = int(np.argmin(rest))
    at = int(places[best])
    sd = np.sqrt(max(float(rest[best]), 0.0) / max(1, count - 2))
    least = 1e-3 * max(1e-6, float(np.abs(values).max()))
    spread = max(sd, least) * np.sqrt(1.0 / at + 1.0 / (count - at))
    return at, float(abs(left[best] - right[best]) / spread)


def _usual(sizes: Floats) -> Bools:
    """Steps of the load that goes off most often, whatever one factor may have made of it."""
    if not len(sizes):
        return np.zeros(0, dtype=bool)
    axis = np.exp(np.linspace(np.log(sizes.min()), np.log(sizes.max()) + 1e-9, 200))
    most = axis[int(np.argmax(density(sizes, axis)))]
    return np.asarray(np.abs(np.log(sizes / most)) < USUAL)


def _figures(facts: Facts) -> dict[str, tuple[Floats, Floats]]:
    """Each figure: instants [s] and values, shape (k,) each."""
    first_s = float(facts.readings.time_s[0])
    days = int(np.ceil((facts.readings.time_s[-1] - first_s) / DAY_S))
    begins = first_s + DAY_S * np.arange(days)

    def by_day(time_s: Floats, values: Floats, how: str) -> tuple[Floats, Floats]:
        place = np.clip(((time_s - first_s) // DAY_S).astype(np.int64), 0, days - 1)
        if how == "count":
            each = np.bincount(place, minlength=days)
        else:
            parts = [values[place == day] for day in range(days)]
            each = np.array([np.median(part) if len(part) else np.nan for part in parts])
        return np.asarray(begins, dtype=np.float64), np.asarray(each, dtype=np.float64)

    steps, seen = facts.steps, off_steps(facts)
    usual = _usual(seen.amps)
    big = np.abs(steps.amps) > max(8.0 * facts.noise_a, 0.006 * facts.capacity_ah, 0.5)
    against = (np.sign(steps.amps) == -np.sign(steps.volts)).astype(float)
    steep = big & (np.sign(steps.amps) == np.sign(steps.volts)) & (steps.level_v < facts.charging_v)
    alone, _ = unexplained(facts)
    silence = np.diff(facts.readings.time_s)
    short = (silence > max(1.8 * facts.sample_s, facts.sample_s + 15.0)) & (silence < 7200.0)
    bins = facts.bins
    charging = bins.volts >= facts.charging_v
    ends = np.array([cycle.end_s for cycle in facts.whole_cycles])
    rates = np.array([(cycle.in_ah - cycle.out_ah) / max(cycle.hours, 0.1) for cycle in facts.whole_cycles])
    return {
        "against": by_day(steps.time_s[big], against[big], "median"),
        "size": by_day(seen.time_s[usual], np.log(seen.amps[usual]), "median"),
        "offs": by_day(seen.time_s, seen.amps, "count"),
        "alone": by_day(steps.time_s[alone], steps.amps[alone], "count"),
        "silences": by_day(facts.readings.time_s[1:][short], silence[short], "count"),
        "ohm": by_day(steps.time_s[steep], steps.volts[steep] / steps.amps[steep], "median"),
        "given": by_day(bins.start_s[charging], bins.amps[charging], "median"),
        "balance": (ends, rates),
    }
