"""Capacity as set against Ah counted from a full bank to a point whose charge is known.

The knee of lithium, the rest of lead.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts
from volnik.core.watch.checkup.load_bypass import resistance

WITHIN = (0.85, 1.18)  # of the setting: a new bank's own spread and the estimate's; source: trials
MORE_OUT = 0.99  # of what came in: then the count runs down by itself and a knee proves nothing
BELIEVED = (0.38, 2.6)  # of the setting; beyond it nobody set a capacity wrong, something else is
KNEE_V, KNEE_CHARGE, KNEE_DOUBT = (
    12.72,
    0.09,
    0.06,
)  # lithium, 12 V, load allowed for; source: docs/domain/checkup.md
PLATEAU_V = 13.08  # of a 12 V lithium bank under a light load: above it more than PLATEAU_LEAST is left
PLATEAU_LEAST = 0.26
LEAD_REST = {"flooded": (12.70, 11.80), "agm": (12.85, 11.80), "gel": (12.85, 11.80)}
# of charge told by rest volts: curves differ by 80 mV, surface charge lasts for hours; source: estimate
LEAD_DOUBT = 0.13
REST_H = 4.0  # after a charge: earlier the surface charge still shows


@dataclass(frozen=True, slots=True)
class Measured:
    """A capacity from the log: likeliest, least, greatest [Ah]; from, to [s]; how it was told."""

    ah: float
    low_ah: float
    high_ah: float
    start_s: float
    end_s: float
    how: str


def depth(facts: Facts) -> tuple[Floats, Floats]:
    """Ah out since the last full mark at each bin's end, NaN before the first, and that mark's end [Ah, s],
    shape (m,) each.

    Args:
        facts: what the log gives to look at.
    """
    readings = facts.readings
    eta = 0.995 if facts.kind == "lfp" else 0.96
    net = np.concatenate(
        ([0.0], np.cumsum(np.where(readings.amps > 0, eta, 1.0) * readings.amps * facts.hours))
    )
    ends = facts.bins.start_s + 600.0
    at = net[np.searchsorted(readings.time_s, ends)]
    marks = np.array([full.end_s for full in facts.fulls])
    of = np.searchsorted(marks, ends, side="right") - 1
    base = net[np.searchsorted(readings.time_s, marks)]
    # Within a full stretch itself nothing is out.
    found = np.where(of >= 0, base[np.maximum(of, 0)] - at, np.nan)
    return np.asarray(found), np.asarray(marks[np.maximum(of, 0)])


def measured(facts: Facts) -> tuple[Measured | None, Measured | None]:
    """A capacity told by a low point, and a least one told by a bank that stands high although much is out.

    None each where the log has none.

    Args:
        facts: what the log gives to look at.
    """
    if not facts.fulls:
        return None, None
    out, since = depth(facts)
    bins = facts.bins
    ohm = resistance(facts)
    ohm = 1.6 / facts.capacity_ah if np.isnan(ohm) else ohm
    easy = np.abs(bins.amps) < 0.12 * facts.capacity_ah
    open_v = bins.volts - ohm * bins.amps
    cold = np.nan_to_num(bins.celsius, nan=20.0) < 5.0
    if facts.kind == "lfp":
        low = easy & ~cold & (open_v < KNEE_V) & (open_v > 11.0) & (bins.amps < 0.0) & (out > 0)
        high = (bins.amps < -0.002 * facts.capacity_ah) & easy & (bins.volts > PLATEAU_V) & (out > 0)
        point = _first_below(low, out, since, bins.start_s)
        bound = None
        if high.any():
            best = int(np.argmax(np.where(high, out, -1.0)))
            least = float(out[best]) / (1.0 - PLATEAU_LEAST)
            bound = Measured(
                least,
                least,
                float("inf"),
                float(since[best]),
                float(bins.start_s[best]),
                "still on the plateau",
            )
        return point, bound
    return _lead(facts, out, since, open_v), None


def _first_below(low: np.ndarray, out: Floats, since: Floats, start_s: Floats) -> Measured | None:
    """The knee: of each way down from a full mark the first bin below it; the middle of all."""
    found = []
    for mark in np.unique(since[low]):
        at = int(np.argmax(low & (since == mark)))
        found.append((float(out[at]), float(mark), float(start_s[at])))
    if not found:
        return None
    ah, begun, ended = sorted(found)[len(found) // 2]
    return Measured(
        ah / (1.0 - KNEE_CHARGE),
        ah / (1.0 - KNEE_CHARGE + KNEE_DOUBT),
        ah / (1.0 - KNEE_CHARGE - KNEE_DOUBT),
        begun,
        ended,
        "from full to the knee",
    )


def _lead(facts: Facts, out: Floats, since: Floats, open_v: Floats) -> Measured | None:
    bins = facts.bins
    charging = (bins.volts > 13.0) | (bins.amps > 0.005 * facts.capacity_ah)
    index = np.arange(len(charging))
    last = np.maximum.accumulate(np.where(charging, index, -10_000))
    rest = (index - last > REST_H * 6.0) & (np.abs(bins.amps) < 0.03 * facts.capacity_ah) & np.isfinite(out)
    if rest.sum() < 12:
        return None
    full, empty = LEAD_REST.get(facts.chemistry, LEAD_REST["agm"])
    missing = np.clip((full - open_v[rest]) / (full - empty), 0.0, 1.2)
    deep = missing > 0.30
    if deep.sum() < 6:
        return None
    ah = float(np.median(out[rest][deep] / missing[deep]))
    deepest = float(np.quantile(missing[deep], 0.8))
    part = LEAD_DOUBT / deepest
    if part >= 0.6 or ah <= 0.0:
        return None
    where = np.flatnonzero(rest)[deep]
    return Measured(
        ah,
        ah / (1.0 + part),
        ah / (1.0 - part),
        float(since[where[-1]]),
        float(bins.start_s[where[-1]]),
        "by rest volts",
    )


def check(facts: Facts) -> Outcome:
    """Named only when the whole interval lies outside 0.85 to 1.18 of the setting.

    Args:
        facts: what the log gives to look at.
    """
    if facts.numbers is None:
        return Unsure("capacity", "Without settings there is nothing to compare with.")
    if why := _lead_cannot_tell(facts):
        return Unsure("capacity", why)
    point, bound = measured(facts)
    set_ah = facts.numbers.capacity_ah
    if point is not None:
        return _by_point(point, bound, set_ah)
    if bound is not None and bound.low_ah > WITHIN[1] * set_ah:
        return _by_bound(bound, set_ah)
    return Unsure("capacity", "The log never leads from a full battery to a low point whose charge is known.")


def _lead_cannot_tell(facts: Facts) -> str:
    if facts.kind != "lead":
        return ""
    if facts.guessed:
        return "Which kind of lead battery it is decides what its rest volts mean: give the rig's plan."
    if facts.in_ah > 0.0 and facts.out_ah > MORE_OUT * facts.in_ah:
        return (
            "More came out than went in, which no lead battery does: the zero, or a charger that is not "
            "seen, first."
        )
    return ""


def _by_point(point: Measured, bound: Measured | None, set_ah: float) -> Outcome:
    """What a low point of known charge tells, and how deep the bank once was out."""
    if not BELIEVED[0] < point.ah / set_ah < BELIEVED[1]:
        return Unsure(
            "capacity",
            f"The log would give {point.ah:.0f} Ah: so far off that current must pass unseen, or the "
            "zero be wrong.",
        )
    if point.low_ah > WITHIN[1] * set_ah or point.high_ah < WITHIN[0] * set_ah:
        span = f"between {point.low_ah:.0f} and {point.high_ah:.0f} Ah"
        return _named(point, set_ah, f"{point.ah:.0f} Ah, {span}, {point.how}", point.ah)
    above = WITHIN[1] * set_ah
    if bound is not None and bound.low_ah > above and point.high_ah > above:
        return _by_bound(bound, set_ah)
    return None


def _by_bound(bound: Measured, set_ah: float) -> Outcome:
    message = f"more than {bound.low_ah:.0f} Ah, for so much was out and the battery {bound.how}"
    return _named(bound, set_ah, message, bound.low_ah)


def _named(found: Measured, set_ah: float, message: str, value: float) -> Cause:
    return Cause(
        "capacity",
        0.8,
        f"The battery holds {message}; {set_ah:g} Ah is set.",
        "Discharge from a full reset to a known low rest at a steady load, and count; read the "
        "batteries' labels again.",
        "A measured capacity within a seventh of the setting rules it out.",
        {"capacity_ah": round(value, 0)},
        (Mark(found.start_s, found.end_s, "counted from full"),),
        {"ah": value, "low_ah": found.low_ah, "high_ah": found.high_ah},
    )
