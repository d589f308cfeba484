"""A load that bypasses the shunt: volts fall in steps that no amps explain, or more goes in than ever comes
out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup import zero_offset
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Facts, KnownLoad
from volnik.core.watch.checkup.off_steps import WINDOW, density, near, off_steps

UNEXPLAINED = 0.46  # of the falls in volts come with no amps; wires and warmth explain fewer; source: trials
MORE_OUT = 0.5  # of the capacity, by which more was seen to go out than in: then no load is what is not seen
LEAST_EVENTS, EVENTS_A_DAY = 8, 1.0  # such falls: fewer may be chance
LITTLE_OUT = {"lfp": 0.90, "lead": 0.76}
HOLDS = {"lfp": 0.93, "lead": 0.90}  # of ALL that went in: a balance that holds speaks against a load unseen
LIST_OUT = {"lfp": 0.92, "lead": 0.80}  # the same, where a listed load is never seen; source: trials
MOST_SAMPLE_S = 120.0  # coarser readings tell no steps
LEAST_CYCLES = {"lfp": 2, "lead": 3}
LEAST_EXCESS_A = 0.15
AGAINST_SHIFT = 0.4  # of the excess: less than that while held, and no shift of the zero made it
LEAD_USE = 0.10  # of capacity, from full to full
SILENCE_MARGIN = 1.3  # what heavy draw could have taken in silences must leave so much over
RARE_A_DAY, BUSY_A_DAY = 3.0, 8.0  # switchings: of a load that is not seen, of another that may be it
CLEAR_A = 0.6  # a load must stand clear of what a step is told from
GASSES_V = (
    14.2  # of a 12 V lead bank: what goes in below it stays in; source: trade practice, 2.35 to 2.40 V a cell
)


@dataclass(frozen=True, slots=True)
class Steepness:
    """Volts of a 12 V bank an amp, step by step: when [s], how much [ohm], and the step's own amps [A]; shape
    (k,) each.
    """

    time_s: Floats
    ohm: Floats
    weight: Floats


def steepness(facts: Facts) -> Steepness | None:
    """The steps off charge that tell a resistance, None with too few.

    Args:
        facts: what the log gives to look at.
    """
    steps = facts.steps
    good = (np.abs(steps.amps) > max(10.0 * facts.noise_a, 0.01 * facts.capacity_ah, 1.0)) & (
        steps.level_v < facts.charging_v
    )
    good &= np.sign(steps.amps) == np.sign(steps.volts)
    if good.sum() < 6:
        return None
    return Steepness(steps.time_s[good], steps.volts[good] / steps.amps[good], np.abs(steps.amps[good]))


def resistance(facts: Facts) -> float:
    """Volts of a 12 V bank an amp over steps off charge [ohm]; NaN with too few.

    Args:
        facts: what the log gives to look at.
    """
    found = steepness(facts)
    if found is None:
        return float("nan")
    order = np.argsort(found.ohm)
    running = np.cumsum(found.weight[order])
    return float(found.ohm[order][np.searchsorted(running, running[-1] / 2.0)])


def unexplained(facts: Facts) -> tuple[Bools, float]:
    """Steps of volts off charge without their amps, and their share by size of all such steps.

    Args:
        facts: what the log gives to look at.
    """
    steps, ohm = facts.steps, resistance(facts)
    strong = (
        (np.abs(steps.volts) > max(9.0 * facts.noise_v, 0.05))
        & (np.maximum(steps.level_v, steps.level_v - steps.volts) < facts.charging_v - 0.15)
        & (steps.level_v > 11.0)
    )
    if np.isnan(ohm):  # then no amps were ever seen to move the volts
        ohm = 1.5 / facts.capacity_ah
    alone = strong & (np.abs(steps.amps) < 0.2 * np.abs(steps.volts) / max(ohm, 1e-5))
    whole = float(np.abs(steps.volts[strong]).sum())
    return alone, float(np.abs(steps.volts[alone]).sum()) / whole if whole > 0 else 0.0


def could_come_out(facts: Facts) -> float:
    """What went in from the first full to the last and can come out again [Ah].

    For lead only below the volts at which it gasses, and not while full.

    Args:
        facts: what the log gives to look at.
    """
    if facts.kind == "lfp" or len(facts.fulls) < 2:
        return facts.in_ah
    bins = facts.bins
    inside = np.zeros(len(bins.start_s), dtype=bool)
    for cycle in facts.whole_cycles:
        inside |= (bins.start_s >= cycle.start_s) & (bins.start_s <= cycle.end_s)
    chosen = inside & (bins.volts < GASSES_V)
    drawn = np.append(np.flatnonzero(bins.amps < 0.0), len(bins.amps))
    for full in facts.fulls:
        begin = full.first + 3  # the first half hour still fills
        end = max(full.last, int(drawn[np.searchsorted(drawn, full.last)]))  # and float fills nothing
        chosen[begin:end] = False
    return float(np.maximum(bins.amps[chosen], 0.0).sum()) / 6.0


@dataclass(frozen=True, slots=True)
class _Signs:
    """What speaks for a load that is not seen: steps of the volts, the balance, the list."""

    by_steps: bool
    by_balance: bool
    listed: KnownLoad | None

    @property
    def count(self) -> int:
        """How many of them do."""
        return self.by_steps + self.by_balance + (self.listed is not None)


def check(facts: Facts) -> Outcome:
    """Steps of the volts without amps; charge that goes in and never comes out; a listed load never seen.

    The balance only where no shift of the zero explains it.

    Args:
        facts: what the log gives to look at.
    """
    alone, share = unexplained(facts)
    went_in = could_come_out(facts)
    excess_a = (0.99 * went_in - facts.out_ah) / facts.cycle_h if facts.cycle_h > 0 else 0.0
    enough = went_in > 0.15 * facts.capacity_ah and len(facts.whole_cycles) >= LEAST_CYCLES[facts.kind]
    signs = _Signs(
        _by_steps(facts, share, int(alone.sum())),
        enough and _by_balance(facts, went_in, excess_a),
        never_seen(facts) if enough else None,
    )
    if not signs.count:
        unsure = "The log does not lead from one full charge to another, and no step of the volts is alone."
        return Unsure("load_bypass", unsure) if not enough and len(facts.fulls) < 2 else None
    return Cause(
        "load_bypass",
        min(0.97, 0.62 + 0.2 * (signs.count - 1) + 0.1 * signs.by_balance),
        _evidence(facts, went_in, excess_a, share, signs=signs),
        _next(signs.listed),
        "A load whose amps the shunt sees is cleared.",
        {},
        _marks(facts, alone),
        {"unseen_ah_day": max(0.0, excess_a) * 24.0, "steps_share": share},
        about=() if signs.listed is None else (signs.listed.key,),
    )


def _next(listed: KnownLoad | None) -> str:
    first = "whatever was fitted last" if listed is None else listed.name
    return f"Switch on each load in turn: does the shunt see its amps? Begin with {first}."


def _by_steps(facts: Facts, share: float, count: int) -> bool:
    """Steps of the volts alone; a balance that holds with all that went in speaks against them."""
    least = max(LEAST_EVENTS, EVENTS_A_DAY * facts.days_read)
    if facts.net_out_ah > MORE_OUT * facts.capacity_ah:
        return False  # what comes in unseen makes such steps too; an unseen load takes out, and more goes in
    if facts.sample_s > MOST_SAMPLE_S or share <= UNEXPLAINED or count < least:
        return False
    balanced = facts.in_ah > 0.15 * facts.capacity_ah and len(facts.whole_cycles) >= 2
    return not (balanced and facts.out_ah / facts.in_ah > HOLDS[facts.kind])


def _by_balance(facts: Facts, went_in: float, excess_a: float) -> bool:
    """Far more in than out, beyond what silences may have taken and no shift of the zero explains."""
    if not (facts.out_ah / went_in < LITTLE_OUT[facts.kind] and excess_a > LEAST_EXCESS_A):
        return False
    if facts.kind == "lead" and _usual_use(facts) < LEAD_USE:
        return False  # what lives near full loses so much there that no balance speaks
    silent_h = sum(cycle.unread_h for cycle in facts.whole_cycles)
    if facts.kind == "lfp" and excess_a * facts.cycle_h <= SILENCE_MARGIN * _heavy_a(facts) * silent_h:
        return False
    return not _like_shift(facts, excess_a)


def _usual_use(facts: Facts) -> float:
    """What usually goes out between full marks, as the shunt sees it, of the capacity."""
    return float(np.median([cycle.out_ah for cycle in facts.whole_cycles])) / facts.capacity_ah


def _heavy_a(facts: Facts) -> float:
    """The heaviest draw of this rig: what may have flowed in a silence [A]."""
    return float(max(0.0, -np.min(facts.readings.amps)))


def never_seen(facts: Facts) -> KnownLoad | None:
    """A listed load that switches itself, is hardly ever seen to, and whose amps the balance lacks.

    Args:
        facts: what the log gives to look at.
    """
    if facts.plan is None or facts.cycle_h <= 0.0 or facts.in_ah <= 0.0 or facts.sample_s > MOST_SAMPLE_S:
        return None
    seen, days = off_steps(facts).amps, max(facts.days_read, 1.0)
    excess_a = (0.99 * facts.in_ah - facts.out_ah) / facts.cycle_h
    if facts.out_ah / facts.in_ah > LIST_OUT[facts.kind]:
        return None
    loads = sorted(facts.plan.loads, key=lambda load: -load.amps)
    return next((load for load in loads if _may_be(load, seen, excess_a, facts, days)), None)


def _may_be(load: KnownLoad, seen: Floats, excess_a: float, facts: Facts, days: float) -> bool:
    """Whether a load may be the one: it switches itself, the balance lacks it, and no steps are its own."""
    least = max(LEAST_EXCESS_A, 0.12 * load.amps, 0.002 * facts.capacity_ah)
    if not load.cycles or load.amps < 1.4 * CLEAR_A or excess_a <= least:
        return False
    others = seen[np.abs(np.log(seen / load.amps)) >= WINDOW]
    busiest = float(density(others, others).max()) if len(others) else 0.0
    return near(seen, load.amps) < RARE_A_DAY * days and busiest < BUSY_A_DAY * days


def _like_shift(facts: Facts, excess_a: float) -> bool:
    """Whether a shift of the zero would make the same excess."""
    if zero_offset.resting_plus(facts) > 0.0:
        return True
    shift, steady = zero_offset.held_current(facts)
    zero = zero_offset.by_cycles(facts) if facts.kind == "lfp" else None
    if zero is not None and zero.misfit < zero_offset.MOST_MISFIT and zero.amps <= zero_offset.MOST_A:
        return not steady or shift > AGAINST_SHIFT * excess_a
    return steady and abs(shift - excess_a) < max(0.20, 0.4 * excess_a)


def _evidence(facts: Facts, went_in: float, excess_a: float, share: float, *, signs: _Signs) -> str:
    parts = []
    if signs.listed is not None:
        parts.append(
            f"{signs.listed.name} is listed with {signs.listed.amps:.1f} A and hardly ever seen to switch, "
            f"and about {24 * excess_a:.0f} Ah a day more go in than come out"
        )
    if signs.by_balance:
        usable = "" if facts.kind == "lfp" else " that could come out again"
        parts.append(
            f"from full to full {went_in:.0f} Ah went in{usable} and {facts.out_ah:.0f} "
            f"Ah were seen to come out, about {24 * excess_a:.0f} Ah a day more in than out"
        )
    if signs.by_steps:
        parts.append(f"{100 * share:.0f} % of the steps of the volts, by size, have no amps beside them")
    text = ", and ".join(parts)
    return text[0].upper() + text[1:] + "."


def _marks(facts: Facts, alone: Bools) -> tuple[Mark, ...]:
    """The dozen largest lone steps."""
    largest = np.argsort(-np.abs(facts.steps.volts[alone]))[:12]
    places = sorted(float(at) for at in facts.steps.time_s[alone][largest])
    return tuple(Mark(at - 300.0, at + 300.0, "volts fall, amps do not") for at in places)
