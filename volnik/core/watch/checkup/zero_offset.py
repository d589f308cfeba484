"""Zero offset: amps that are always there.

Seen where a charger holds the bank and nothing should flow, or at rest.
"""

from __future__ import annotations

import numpy as np

from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Facts

MOST_A = 0.8  # a larger shift is a load that always runs; source: estimate
RATIO = {
    "lfp": (0.955, 1.04),
    "lead": (0.0, 1.02),
}  # out over in from full to full; lead that gasses hides a plus
LEAST_A = 0.08  # a smaller one lies in the noise and in the dead band


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
    return level if level > LEAST_A else 0.0


def check(facts: Facts) -> Outcome:
    """The balance from full to full together with the amps while held; or amps that go in at rest.

    Args:
        facts: what the log gives to look at.
    """
    shift, steady = held_current(facts)
    balanced = facts.in_ah > 0.1 * facts.capacity_ah and len(facts.cycles) >= 2
    found = _offset(facts, shift, steady=steady, balanced=balanced)
    if found is None:
        return _nothing_told(facts, steady=steady, balanced=balanced)
    offset_a, why = found
    chosen = facts.bins.start_s[held(facts)][-12:]
    marks = tuple(Mark(float(at), float(at) + 600.0, "held, yet amps flow") for at in chosen[::3])
    return Cause(
        "zero_offset",
        0.85 if steady and abs(shift - offset_a) < 0.15 else 0.65,
        why[0].upper() + why[1:] + ".",
        "Main fuse or isolator open and every fuse ahead of it out: what the monitor then shows is "
        "the offset.",
        "0.00 A there rules it out: then something really draws or gives.",
        {"amps_offset_a": -offset_a},
        marks,
        {"offset_a": offset_a, "ah_day": offset_a * 24.0},
    )


def _nothing_told(facts: Facts, *, steady: bool, balanced: bool) -> Outcome:
    if facts.kind == "lead":
        return Unsure(
            "zero_offset",
            "On a lead battery gassing hides a small plus of the zero: read the zero with "
            "everything disconnected.",
        )
    if balanced or steady:
        return None
    return Unsure(
        "zero_offset", "The log neither leads from full to full nor shows the battery held by a charger."
    )


def _offset(facts: Facts, shift: float, *, steady: bool, balanced: bool) -> tuple[float, str] | None:
    """The offset that the log shows [A], and by what; None where it shows none."""
    rest = resting_plus(facts)
    if facts.kind == "lead":
        found = _lead_held(facts, shift, balanced=balanced) if steady else None
    else:
        found = _by_balance(facts, shift, rest, steady=steady) if balanced else None
    if found is None and 0.0 < rest <= MOST_A:
        found = rest + 0.1, f"at rest, with the volts falling, {rest:+.2f} A are shown to go in"
    return found


def _by_balance(facts: Facts, shift: float, rest: float, *, steady: bool) -> tuple[float, str] | None:
    """A lithium bank gives back what goes in: a balance far off, with the amps while held to match."""
    low, high = RATIO[facts.kind]
    if low <= facts.out_ah / facts.in_ah <= high or facts.cycle_h <= 24.0:
        return None
    implied = (0.995 * facts.in_ah - facts.out_ah) / facts.cycle_h
    agrees = not steady or abs(shift - implied) < max(0.20, 0.4 * abs(implied))
    if not LEAST_A < abs(implied) <= MOST_A or not (agrees or rest > 0.0):
        return None
    return implied, (
        f"from full to full {facts.in_ah:.0f} Ah went in and {facts.out_ah:.0f} Ah came out, "
        f"which {implied:+.2f} A at all hours explain"
    )


def _lead_held(facts: Facts, shift: float, *, balanced: bool) -> tuple[float, str] | None:
    """A lead bank never gives while a charger holds it."""
    if not -MOST_A <= shift < -max(LEAST_A, 0.0008 * facts.capacity_ah):
        return None
    if balanced and not facts.out_ah / facts.in_ah > 0.95:
        return None
    why = f"while a charger holds the battery {shift:+.2f} A are shown, and a lead battery never gives there"
    return shift - 0.0005 * facts.capacity_ah, why
