"""Scale: every current off by one factor, seen against a load whose amps are known."""

from __future__ import annotations

import math

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Cause, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts, KnownLoad

WITHIN = (0.88, 1.14)  # listed amps are no better than this: within it the scale is believed; source: trials
WINDOW = 0.06  # of the logarithm: sizes this near are one load's
LEAST_STEPS, A_DAY = 12, 10.0  # of a load that switches itself

LEAST_LOAD_A = 0.8  # smaller loads drown in the noise; source: trials


def switched(facts: Facts) -> Floats:
    """Sizes of the steps of loads, off charge or not, that stand clear of the noise [A].

    Args:
        facts: what the log gives to look at.
    """
    sizes = np.abs(facts.steps.amps)
    return np.asarray(sizes[sizes > max(8.0 * facts.noise_a, 0.6)])


def density(sizes: Floats, at: Floats) -> Floats:
    """How many steps lie within 6 % of each size.

    Args:
        sizes: of the steps [A].
        at: where the density is wanted [A].
    """
    ordered = np.sort(np.log(sizes))
    place = np.log(at)
    return np.asarray(
        np.searchsorted(ordered, place + WINDOW) - np.searchsorted(ordered, place - WINDOW), dtype=float
    )


def _agreed(sizes: Floats, factor: float, amps: list[float]) -> bool:
    """Whether the factor serves more of the listed loads than it spoils.

    One device alone off, or unseen, is not the scale.
    """
    off, listed = density(sizes, factor * np.array(amps)), density(sizes, np.array(amps))
    return int((off > 1.5 * listed + 3.0).sum()) > int((listed > 1.5 * off + 3.0).sum())


def check(facts: Facts) -> Outcome:
    """The factor at which the listed loads' amps meet most steps, against how many they meet as listed.

    Args:
        facts: what the log gives to look at.
    """
    if facts.plan is None:
        return Unsure("scale", "Without the rig's plan no load's amps are known to compare with.")
    known = [load for load in facts.plan.loads if load.amps >= LEAST_LOAD_A]
    if not known:
        return Unsure("scale", "The plan states the amps of no load: measure one with a clamp meter.")
    sizes = switched(facts)
    if len(sizes) < LEAST_STEPS:
        return Unsure("scale", f"Only {len(sizes)} steps of loads are clear of the noise.")
    factor, best, as_listed = _best_factor(sizes, known)
    # Refined: the middle of the steps that the best factor meets.
    cycling = [load for load in known if load.cycles] or known
    main = max(cycling, key=lambda load: float(density(sizes, np.array([factor * load.amps]))[0]))
    met = sizes[np.abs(np.log(sizes / (factor * main.amps))) < WINDOW]
    if len(met) < max(LEAST_STEPS, A_DAY * min(facts.days, 14.0) if main.cycles else 0.0):
        return Unsure("scale", f"{main.name} was seldom seen to switch.")
    factor = float(np.median(met)) / main.amps
    if WITHIN[0] <= factor <= WITHIN[1] or best < 2.0 * as_listed:
        return None
    if not _agreed(sizes, factor, [load.amps for load in known]):
        return None
    return Cause(
        "scale",
        min(0.95, 0.6 + 0.1 * math.log2(best / max(as_listed, 1.0))),
        f"{main.name} should draw {main.amps:.1f} A and shows {factor * main.amps:.1f} A, {len(met)} "
        f"times: all amps may be {factor:.2f} times what flows.",
        "A clamp meter beside a steady load. Compare the shunt's amps and millivolts with what is "
        "entered in the monitor.",
        f"A clamp that shows {factor * main.amps:.1f} A too means that {main.name} itself draws otherwise.",
        {"amps_factor": 1.0 / factor},
        (),
        {"factor": factor, "steps": float(len(met))},
    )


def _best_factor(sizes: Floats, known: list[KnownLoad]) -> tuple[float, float, float]:
    """The factor that meets most steps, how many it meets, and how many are met as listed."""
    factors = np.exp(np.linspace(math.log(0.2), math.log(5.0), 323))
    score = np.zeros(len(factors))
    for load in [load for load in known if load.cycles] or known:
        score += density(sizes, factors * load.amps)
    for load in known:
        score += 0.15 * density(sizes, factors * load.amps)
    best = int(score.argmax())
    as_listed = float(score[np.abs(np.log(factors)) < 0.13].max())
    return float(factors[best]), float(score[best]), as_listed
