"""Zero offset: amps that are always there.

Seen where a charger holds the bank and nothing should flow, or at rest.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Cycle, Facts

MOST_A = 0.8  # a larger shift is a load that always runs; source: estimate
LEAST_A, LEAST_SHARE = 0.06, 0.0003  # and of capacity: a smaller one lies in the doubt; source: trials
LEAD_LEAST_A, LEAD_SHARE = 0.04, 0.0002  # below nothing, where no loss explains it
HELD_A = 0.08  # while held: a smaller one lies in the noise and in the dead band
REST_A = 0.08  # the same, of what goes in at rest
LEAST_CYCLES, LEAST_CYCLE_H = 4, 6.0
FULL_DOUBT, FULL_DOUBT_AH = 0.006, 0.5  # of a full mark: of capacity, and Ah; source: trials
MOST_LOSS = 0.012  # of what went into a lithium bank; source: physics of the cells, 0.2 to 1 %
MOST_MISFIT = 2.5  # beyond it the balances do not go by one zero
SILENT_SHARE = 0.5  # of the heaviest draw may have flowed in a silence
WIDEST_A = 0.15  # a wider doubt is no answer


def held(facts: Facts) -> Bools:
    """Bins in which a charger has held the bank for an hour.

    Volts steady, at least at float, the taper over, shape (m,).

    Args:
        facts: what the log gives to look at.
    """
    bins = facts.bins
    high = bins.volts >= (13.25 if facts.kind == "lead" else 13.38)
    steady = np.abs(np.diff(bins.volts, prepend=bins.volts[:1])) < 0.015
    flat = np.abs(np.diff(bins.amps, prepend=bins.amps[:1])) < max(0.15, 0.002 * facts.capacity_ah)
    good = high & steady & flat & (np.abs(bins.amps) < 0.02 * facts.capacity_ah)
    run = np.zeros(len(good), dtype=np.int64)
    for at in range(6):
        run += np.concatenate((np.zeros(at, dtype=bool), good[: len(good) - at])) if at < len(good) else 0
    return np.asarray(run >= 6)


def held_current(facts: Facts) -> tuple[float, bool]:
    """Middle of the amps where the bank is held and they are steady [A], and whether there are such
    stretches.

    Where a load bypasses, the charger feeds it through the shunt: the amps then swing, and hardly a bin is
    steady.

    Args:
        facts: what the log gives to look at.
    """
    if "held_current" not in facts.memo:
        chosen = held(facts)
        enough = chosen.sum() >= 4
        facts.memo["held_current"] = (
            (float(np.median(facts.bins.amps[chosen])), True) if enough else (0.0, False)
        )
    return facts.memo["held_current"]  # type: ignore[return-value]


def resting_plus(facts: Facts) -> float:
    """Amps that go in while the bank rests and its volts fall, where nothing can be charging it [A].

    0 when there are none.

    Args:
        facts: what the log gives to look at.
    """
    bins = facts.bins
    if len(bins.volts) < 40:
        return 0.0
    low = bins.volts < (12.95 if facts.kind == "lead" else 13.38)
    fall = np.full(len(bins.volts), False)
    fall[18:] = bins.volts[18:] < bins.volts[:-18] - 0.01
    calm = bins.sway_a < max(3.0 * facts.noise_a, 0.1)
    chosen = low & fall & calm
    if chosen.sum() < 30:
        return 0.0
    level = float(np.quantile(bins.amps[chosen], 0.5))
    return level if level > REST_A else 0.0


@dataclass(frozen=True, slots=True)
class Zero:
    """A zero as the balances from full to full tell it: where it is, how sure [A], and how well it fits."""

    amps: float
    sd: float
    misfit: float
    cycles: int


def by_cycles(facts: Facts) -> Zero | None:
    """The zero that explains what went in and never came out, cycle by cycle; None with too few.

    y = in − out = o h + g in, the bank's own loss g from 0 to 1.2 %; each cycle weighs by the doubt of its
    two full marks, of sampling and of silences. Source: docs/domain/checkup.md.

    Args:
        facts: what the log gives to look at.
    """
    cycles = [cycle for cycle in facts.whole_cycles if cycle.hours >= LEAST_CYCLE_H]
    if len(cycles) < LEAST_CYCLES:
        return None
    hours = np.array([cycle.hours for cycle in cycles])
    went_in = np.array([cycle.in_ah for cycle in cycles])
    left = went_in - np.array([cycle.out_ah for cycle in cycles])
    sigma = np.hypot(FULL_DOUBT * facts.capacity_ah + FULL_DOUBT_AH, _unread(facts, cycles))
    weight = 1.0 / sigma**2
    best, spread, chi, odds = [], [], [], []
    for loss in np.linspace(0.0, MOST_LOSS, 13):
        y = left - loss * went_in
        across = float((weight * hours * hours).sum())
        zero = float((weight * hours * y).sum()) / across
        misfit = float((weight * (y - zero * hours) ** 2).sum())
        best.append(zero)
        spread.append(1.0 / across)
        chi.append(misfit)
        odds.append(misfit)
    part = np.exp(-0.5 * (np.array(odds) - min(odds)))
    part /= part.sum()
    middle = float((part * np.array(best)).sum())
    variance = float((part * (np.array(spread) + (np.array(best) - middle) ** 2)).sum())
    return Zero(middle, float(np.sqrt(variance)), min(chi) / max(1, len(cycles) - 1), len(cycles))


def _unread(facts: Facts, cycles: list[Cycle]) -> Floats:
    """What sampling and silences leave unknown of each cycle [Ah], shape (k,)."""
    readings = facts.readings
    step = np.abs(np.diff(readings.amps, prepend=readings.amps[:1])) * facts.hours
    sampled = np.concatenate(([0.0], np.cumsum(step**2 / 12.0)))
    heavy_a = max(float(np.sqrt(np.mean(readings.amps**2))), -float(readings.amps.min()))
    first = np.searchsorted(readings.time_s, [cycle.start_s for cycle in cycles])
    last = np.searchsorted(readings.time_s, [cycle.end_s for cycle in cycles])
    gaps = SILENT_SHARE * heavy_a * np.array([cycle.unread_h for cycle in cycles])
    # A short draw that fell between two readings shows in no step: the log's own mean stands for it.
    hours = np.array([cycle.hours for cycle in cycles])
    whole_h = max(float(facts.hours.sum()), 1e-9)
    chance = np.maximum(sampled[last] - sampled[first], sampled[-1] / whole_h * hours)
    return np.asarray(np.sqrt(chance + gaps**2))


def check(facts: Facts) -> Outcome:
    """The zero by the balances of many cycles; amps while held, or amps that go in at rest.

    Args:
        facts: what the log gives to look at.
    """
    shift, steady = held_current(facts)
    zero = by_cycles(facts)
    found = _offset(facts, shift, zero, steady=steady)
    if found is None:
        return _nothing_told(facts, zero, steady=steady)
    offset_a, why = found
    chosen = facts.bins.start_s[held(facts)][-12:]
    marks = tuple(Mark(float(at), float(at) + 600.0, "held, yet amps flow") for at in chosen[::3])
    return Cause(
        "zero_offset",
        0.85 if steady and abs(shift - offset_a) < 0.15 else 0.7,
        why[0].upper() + why[1:] + ".",
        "Main fuse or isolator open and every fuse ahead of it out: what the monitor then shows is "
        "the offset.",
        "0.00 A there rules it out: then something really draws or gives.",
        {"amps_offset_a": -offset_a},
        marks,
        {"offset_a": offset_a, "ah_day": offset_a * 24.0},
    )


def _nothing_told(facts: Facts, zero: Zero | None, *, steady: bool) -> Outcome:
    if facts.kind == "lead":
        return Unsure(
            "zero_offset",
            "On a lead battery gassing hides a small plus of the zero: read the zero with "
            "everything disconnected.",
        )
    if zero is not None and zero.misfit < MOST_MISFIT:
        doubt = 1.645 * zero.sd
        if doubt <= WIDEST_A:
            return None
        return Unsure(
            "zero_offset",
            f"The balances leave {zero.amps - doubt:+.2f} to {zero.amps + doubt:+.2f} A: read the zero with "
            "everything disconnected.",
        )
    return Unsure(
        "zero_offset",
        "The log does not lead from full to full often enough: read the zero with all disconnected.",
    )


def _offset(facts: Facts, shift: float, zero: Zero | None, *, steady: bool) -> tuple[float, str] | None:
    """The offset that the log shows [A], and by what; None where it shows none."""
    rest = resting_plus(facts)
    found = None
    if facts.kind == "lead":
        found = _lead_balance(facts, zero) or (_lead_held(facts, shift) if steady else None)
    elif zero is not None:
        found = _lithium(facts, zero)
    if found is None and 0.0 < rest <= MOST_A:
        found = rest + 0.1, f"at rest, with the volts falling, {rest:+.2f} A are shown to go in"
    return found


def _lithium(facts: Facts, zero: Zero) -> tuple[float, str] | None:
    """A lithium bank gives back what goes in: what is left over at all hours is the zero."""
    sure = abs(zero.amps) - 1.645 * zero.sd > max(LEAST_A, LEAST_SHARE * facts.capacity_ah)
    if not sure or zero.misfit > MOST_MISFIT or abs(zero.amps) > MOST_A:
        return None
    return zero.amps, (
        f"over {zero.cycles} ways from full to full {facts.in_ah:.0f} Ah went in and {facts.out_ah:.0f} Ah "
        f"came out, which {zero.amps:+.2f} ± {1.645 * zero.sd:.2f} A at all hours explain"
    )


def _lead_balance(facts: Facts, zero: Zero | None) -> tuple[float, str] | None:
    """A lead bank never gives back more than went in: what it seems to is a zero below nothing."""
    if zero is None:
        return None
    rates = np.array([(cycle.in_ah - cycle.out_ah) / cycle.hours for cycle in facts.whole_cycles])
    level = float(rates.mean())
    doubt = 1.645 * float(rates.std(ddof=1)) / float(np.sqrt(len(rates)))
    if level < -MOST_A or level + doubt > -max(LEAD_LEAST_A, LEAD_SHARE * facts.capacity_ah):
        return None
    return level, (
        f"from full to full {facts.out_ah:.0f} Ah came out of {facts.in_ah:.0f} Ah that went in: no lead "
        f"battery gives more than it took, which at least {level:+.2f} A at all hours explain"
    )


def _lead_held(facts: Facts, shift: float) -> tuple[float, str] | None:
    """A lead bank never gives while a charger holds it."""
    if not -MOST_A <= shift < -max(HELD_A, 0.0008 * facts.capacity_ah):
        return None
    balanced = facts.in_ah > 0.1 * facts.capacity_ah and len(facts.cycles) >= 2
    if balanced and not facts.out_ah / facts.in_ah > 0.95:
        return None
    why = f"while a charger holds the battery {shift:+.2f} A are shown, and a lead battery never gives there"
    return shift - 0.0005 * facts.capacity_ah, why
