"""What is no fault, shown on the rig's own figures: the last time it happened here, in amps and volts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from volnik.core.watch.checkup.facts import Facts

BIN_MIN = 10.0
FLOAT_FALL_V = 0.25  # of a 12 V bank, between neighbouring bins, at which a charger goes over to float
ABSORBED_BINS = 3  # half an hour at charging volts before, and on float after
STEADY_V = 0.1  # of a 12 V bank, within which float holds it
FLOAT_V = {
    "lfp": 13.35,
    "lead": 13.1,
}  # above it a charger holds a 12 V bank on float; source: makers' sheets
AFTER_BINS = 9  # an hour and a half in which the volts come down
REST_A = 0.5  # under which nothing flows to speak of
REBOUND_V = 0.25  # of a 12 V bank, by which volts come back in an hour
HEAVY = 0.05  # of the Ah, from which a draw presses the volts
LOW_V = {"lfp": 12.8, "lead": 12.2}  # under which such a rebound misleads, 12 V bank; source: rest tables
TAKES_LITTLE = 0.05  # of the Ah, under which a bank at its charging volts takes little


@dataclass(frozen=True, slots=True)
class Seen:
    """Something seen in the log: when [s], and its figures by name, in the rig's own volts."""

    at_s: float
    figures: dict[str, float]


def seen(cause: str, facts: Facts) -> Seen | None:
    """The last time the log shows what a cause is about; None where it does not, or the cause has no picture.

    Args:
        cause: its key.
        facts: what the log gives to look at.
    """
    look = LOOKS.get(cause)
    return None if look is None or len(facts.bins.start_s) < AFTER_BINS else look(facts)


def _after_float(facts: Facts) -> Seen | None:
    """The charger fell to float, and amps ran out for a while."""
    bins = facts.bins
    falls = np.flatnonzero(
        (np.diff(bins.volts) < -FLOAT_FALL_V)
        & (bins.volts[:-1] >= facts.charging_v)
        & (np.diff(bins.start_s) < 2.0 * BIN_MIN * 60.0)
    )
    for at in falls[::-1].tolist():
        found = _draw_before_float_holds(facts, at + 1)
        if found is None or not _absorbed(facts, at):
            continue
        first, length = found
        volts = facts.per_12v * bins.volts[[at, first + length]]
        return Seen(
            float(bins.start_s[first]),
            {
                "minutes": length * BIN_MIN,
                "amps": float(bins.amps[first : first + length].mean()),
                "from_v": float(volts[0]),
                "to_v": float(volts[1]),
            },
        )
    return None


def _absorbed(facts: Facts, at: int) -> bool:
    """Whether the bank was held at charging volts before, and took little at the end."""
    bins, first = facts.bins, max(0, at - ABSORBED_BINS + 1)
    held = bins.volts[first : at + 1] >= facts.charging_v
    return bool(held.all()) and 0.0 <= bins.amps[at] < TAKES_LITTLE * facts.capacity_ah


def _draw_before_float_holds(facts: Facts, begin: int) -> tuple[int, int] | None:
    """Bins in which amps go out until float holds the bank again: first, and how many.

    None where none go out, or where nothing holds it afterwards: then a load runs, with no charger on.

    Args:
        facts: what the log gives to look at.
        begin: the first bin after the fall.
    """
    bins = facts.bins
    out = bins.amps[begin : begin + AFTER_BINS] < -REST_A / 5.0
    if not out[:2].any() or out.all():
        return None
    first = begin + int(np.argmax(out))
    length = int(np.argmin(bins.amps[first : begin + AFTER_BINS] < -REST_A / 5.0))
    after = slice(first + length, first + length + ABSORBED_BINS)
    volts = bins.volts[after]
    if length == 0 or len(volts) < ABSORBED_BINS:
        return None
    holds = float(np.ptp(volts)) < STEADY_V and float(volts.min()) > FLOAT_V[facts.kind]
    return (first, length) if holds and (bins.amps[after] > -REST_A / 5.0).all() else None


def _rebound(facts: Facts) -> Seen | None:
    """A heavy draw ended, nothing charged, and the volts came back."""
    bins = facts.bins
    heavy = bins.low_a < -HEAVY * facts.capacity_ah
    low = bins.volts < LOW_V[facts.kind]
    for at in np.flatnonzero(heavy & low)[::-1].tolist():
        after = slice(at + 1, at + 7)
        if len(bins.volts[after]) < 6 or (bins.high_a[after] > REST_A).any():
            continue
        best = int(np.argmax(bins.volts[after]))
        if bins.volts[after][best] - bins.volts[at] > REBOUND_V:
            return Seen(
                float(bins.start_s[at]),
                {
                    "from_v": facts.per_12v * float(bins.volts[at]),
                    "to_v": facts.per_12v * float(bins.volts[after][best]),
                    "minutes": (best + 1) * BIN_MIN,
                },
            )
    return None


def _cold(facts: Facts) -> Seen | None:
    """The battery was cold, and hardly anything went in."""
    celsius = facts.bins.celsius
    cold = np.isfinite(celsius) & (celsius < 5.0)
    if not cold.any():
        return None
    at = int(np.flatnonzero(cold)[-1])
    return Seen(
        float(facts.bins.start_s[at]),
        {
            "celsius": float(np.nanmin(celsius)),
            "hours": float(cold.sum()) * BIN_MIN / 60.0,
            "most_a": float(np.maximum(facts.bins.amps[cold], 0.0).max()),
        },
    )


def _nearly_full(facts: Facts) -> Seen | None:
    """At its charging volts it took little; the most it ever took shows what the charger can."""
    bins = facts.bins
    there = (bins.volts >= facts.charging_v) & (bins.amps > 0.0)
    little = there & (bins.amps < TAKES_LITTLE * facts.capacity_ah)
    most = float(bins.amps.max())
    if not little.any() or most <= TAKES_LITTLE * facts.capacity_ah:
        return None
    at = int(np.flatnonzero(little)[-1])
    volts = facts.per_12v * float(bins.volts[at])
    return Seen(float(bins.start_s[at]), {"amps": float(bins.amps[at]), "volts": volts, "most_a": most})


def _charging(facts: Facts) -> Seen | None:
    """More went in than out."""
    into = np.flatnonzero(facts.bins.amps > REST_A)
    if not len(into):
        return None
    at = int(into[-1])
    return Seen(float(facts.bins.start_s[at]), {"amps": float(facts.bins.amps[at])})


LOOKS: dict[str, Callable[[Facts], Seen | None]] = {
    "after_float": _after_float,
    "rebound": _rebound,
    "cold": _cold,
    "nearly_full": _nearly_full,
    "charging": _charging,
}
