"""Scale: every current off by one factor, seen against loads whose amps are known."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Cause, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts, KnownLoad
from volnik.core.watch.checkup.off_steps import WINDOW, density, near, off_steps

WITHIN = (0.88, 1.14)  # listed amps are no better than this: within it the scale is believed; source: trials
LEAST_STEPS, A_DAY = 12, 4.0  # of a load that switches itself
LEAST_SHARE = 0.25  # of the steps must fit the factor
LEAST_LOAD_A = 0.8  # smaller loads drown in the noise; source: trials
HEAVIER = 5.0  # times the load that is met; source: estimate
SPEAKS_LEAST, SPEAKS_SHARE = 8.0, 0.05  # steps of another listed load as listed, that speak against a factor


@dataclass(frozen=True, slots=True)
class _Fit:
    """A factor, how many steps it meets, how many are met as listed, and the load it meets most of."""

    factor: float
    meets: float
    as_listed: float
    load: KnownLoad


def check(facts: Facts) -> Outcome:
    """The factor at which the listed loads' amps meet most off-steps, against how many they meet as listed.

    Args:
        facts: what the log gives to look at.
    """
    if facts.plan is None:
        return Unsure("scale", "Without the rig's plan no load's amps are known to compare with.")
    known = [load for load in facts.plan.loads if load.amps >= LEAST_LOAD_A]
    if not known:
        return Unsure("scale", "The plan states the amps of no load: measure one with a clamp meter.")
    sizes = off_steps(facts).amps
    if len(sizes) < LEAST_STEPS:
        return Unsure("scale", f"Only {len(sizes)} times a load was clearly seen to go off.")
    fit = _best_fit(sizes, known)
    if fit.meets < max(LEAST_STEPS, A_DAY * min(facts.days_read, 14.0) if fit.load.cycles else 0.0):
        return Unsure("scale", f"{fit.load.name} was seldom seen to switch.")
    if WITHIN[0] <= fit.factor <= WITHIN[1] or not _stands(sizes, fit, known):
        return None
    return Cause(
        "scale",
        min(0.95, 0.6 + 0.1 * math.log2(fit.meets / max(fit.as_listed, 1.0))),
        f"{fit.load.name} should draw {fit.load.amps:.1f} A and shows {fit.factor * fit.load.amps:.1f} A, "
        f"{fit.meets:.0f} times: all amps may be {fit.factor:.2f} times what flows.",
        "A clamp meter beside a steady load. Compare the shunt's amps and millivolts with what is "
        "entered in the monitor.",
        f"A clamp that shows {fit.factor * fit.load.amps:.1f} A too means that {fit.load.name} itself draws "
        "otherwise.",
        {"amps_factor": 1.0 / fit.factor},
        (),
        {"factor": fit.factor, "steps": fit.meets, "load_a": fit.load.amps},
        about=(fit.load.key,),
    )


def _best_fit(sizes: Floats, known: list[KnownLoad]) -> _Fit:
    """The factor that meets most steps of the loads that switch themselves, of all where none does."""
    cycling = [load for load in known if load.cycles] or known
    factors = np.exp(np.linspace(math.log(0.2), math.log(5.0), 323))
    each = np.array([density(sizes, factors * load.amps) for load in cycling])
    score = each.sum(axis=0)
    best = int(score.argmax())
    load = cycling[int(each[:, best].argmax())]
    met = sizes[np.abs(np.log(sizes / (factors[best] * load.amps))) < WINDOW]
    factor = float(np.median(met)) / load.amps if len(met) else float(factors[best])
    as_listed = float(score[np.abs(np.log(factors)) < 0.13].max())
    return _Fit(factor, float(score[best]), as_listed, load)


def _stands(sizes: Floats, fit: _Fit, known: list[KnownLoad]) -> bool:
    """Whether the factor meets far more than the list does, and no other load speaks against it."""
    if fit.meets < 2.0 * fit.as_listed or fit.meets < LEAST_SHARE * len(sizes):
        return False
    left = sizes[np.abs(np.log(sizes / (fit.factor * fit.load.amps))) >= WINDOW]
    for load in known:
        if load is fit.load:
            continue
        as_listed, by_factor = near(left, load.amps), near(left, fit.factor * load.amps)
        # What is far heavier is mistaken for nothing else: few of its steps are enough.
        share = 0.0 if load.amps > HEAVIER * fit.load.amps else SPEAKS_SHARE
        if as_listed > 1.5 * by_factor + 3.0 and as_listed >= max(SPEAKS_LEAST, share * fit.meets):
            return False
    return True
