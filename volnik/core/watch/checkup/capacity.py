"""Capacity as set against Ah counted from a full bank to points whose charge is known.

Of lithium the knee, the step between its two plateaus, and volts still high; of lead its rested volts. Each
gives an interval; a capacity is named only where the whole interval lies outside what a sound bank may have.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.watch.checkup.cause import Cause, Mark, Outcome, Unsure
from volnik.core.watch.checkup.facts import Bools, Facts
from volnik.core.watch.checkup.load_bypass import resistance

WITHIN = (0.85, 1.18)  # of the setting: a new bank's own spread and the estimate's; source: trials
NARROW = (0.80, 1.25)  # an interval inside it says that the setting holds
MORE_OUT = 0.99  # of what came in: then the count runs down by itself and a knee proves nothing
BELIEVED = (0.38, 2.6)  # of the setting; beyond it nobody set a capacity wrong, something else is
KNEES = ((12.0, 0.06, 0.04), (12.4, 0.09, 0.05), (12.72, 0.155, 0.10))
"""Open volts of a 12 V lithium bank below its plateau, the charge there and its doubt; source:
docs/domain/checkup.md."""
HIGH = ((13.08, 0.26), (12.95, 0.16), (12.80, 0.09), (12.60, 0.05))
"""Open volts while discharging, above which at least so much is left; source: docs/domain/checkup.md."""
STEP_AT, STEP_LEFT = 0.32, (0.24, 0.40)  # out of full at the step between the plateaus; source: as above
STEP_SPAN_V, STEP_BIN_V = (12.9, 13.4), 0.01
STEP_UPPER_V, STEP_APART_V, STEP_DIP = 13.20, 0.09, 0.60
STEP_LEAST = 0.30  # of the charge above it must have been drawn below it
FINE_V = 0.021  # volts must come in steps so fine, or the two plateaus are one
REST_AFTER_CHARGE_H = 1.5
LEAD_REST_V, LEAD_CURVE_V, LEAD_SPAN_V = 12.95, 0.08, 1.05
LEAD_STILL, LEAD_REST_H, LEAD_LEFT = 0.06, 6.0, 0.70
COLD_C = 5.0
STAYS = {"lfp": 0.995, "lead": 1.0}
"""Of what goes in; of lead all, so that what is out is the least it can be."""

LEAD_REST = {"flooded": (12.70, 11.80), "agm": (12.85, 11.80), "gel": (12.85, 11.80)}
"""Rested volts of a 12 V lead bank, full and empty."""

LEAD_DOUBT = 0.13  # of charge told by rest volts: curves differ by 80 mV; source: estimate
LEAD_STAYS = 0.96
ZERO_A = 0.03  # a zero as good as one is set in practice; source: estimate
MOST_SILENT_H = 0.5  # unread since the full mark, after which what is out is unknown


@dataclass(frozen=True, slots=True)
class Measured:
    """A capacity from the log: likeliest, least, greatest [Ah]; from, to [s]; how it was told."""

    ah: float
    low_ah: float
    high_ah: float
    start_s: float
    end_s: float
    how: str


@dataclass(frozen=True, slots=True)
class Depth:
    """At each bin's end, shape (m,) each: what is out since the last full mark and its doubt [Ah], NaN where
    nobody knows; when that mark ended [s].
    """

    out_ah: Floats
    doubt_ah: Floats
    since_s: Floats


def depth(facts: Facts, *, stays: float) -> Depth:
    """What is out since the last full mark, bin by bin.

    Args:
        facts: what the log gives to look at.
        stays: of what goes in [0..1].
    """
    readings = facts.readings
    interval_h = np.diff(readings.time_s, prepend=readings.time_s[:1]) / 3600.0
    ends = facts.bins.start_s + 600.0
    marks = np.array([full.end_s for full in facts.fulls])
    of = np.searchsorted(marks, ends, side="right") - 1
    here, there = np.searchsorted(readings.time_s, ends), np.searchsorted(readings.time_s, marks)
    there = there[np.maximum(of, 0)]

    def since_mark(each: Floats) -> Floats:
        passed = np.concatenate(([0.0], np.cumsum(each)))
        return np.asarray(passed[here] - passed[there])

    net_ah = -since_mark(np.where(readings.amps > 0, stays, 1.0) * readings.amps * facts.hours)
    # Within a full stretch itself nothing is out; after a silence nobody knows what is.
    silent_h = since_mark(np.where(facts.hours <= 0.0, interval_h, 0.0))
    out_ah = np.where((of >= 0) & (silent_h < MOST_SILENT_H), net_ah, np.nan)
    step_a = np.abs(np.diff(readings.amps, prepend=readings.amps[:1]))
    sampled = since_mark((step_a * facts.hours) ** 2 / 12.0)
    since_s = marks[np.maximum(of, 0)]
    zero_ah = ZERO_A * np.maximum(0.0, ends - since_s) / 3600.0
    return Depth(out_ah, 1.645 * np.sqrt(np.maximum(sampled, 0.0)) + zero_ah, np.asarray(since_s))


@dataclass(frozen=True, slots=True)
class Interval:
    """Between what a capacity must lie, as several ways of telling leave it [Ah], and those ways."""

    low_ah: float
    high_ah: float
    told: tuple[Measured, ...]

    @property
    def ah(self) -> float:
        """The likeliest: of the way with the narrowest span [Ah]."""
        whole = [each for each in self.told if math.isfinite(each.high_ah) and each.low_ah > 0.0]
        if not whole:
            return self.low_ah
        best = min(whole, key=lambda each: each.high_ah / each.low_ah)
        return float(np.clip(best.ah, self.low_ah, self.high_ah))


def measured(facts: Facts) -> Interval | None:
    """Between what the capacity must lie; None where the log tells nothing of it.

    Args:
        facts: what the log gives to look at.
    """
    if not facts.fulls:
        return None
    out, open_v = depth(facts, stays=STAYS[facts.kind]), _open_v(facts)
    if facts.kind == "lfp":
        ways = [_knee(facts, out, open_v), _step(facts, out, open_v), _high(facts, out, open_v)]
    else:
        ways = [_lead(facts, out, open_v)]
    told = tuple(way for way in ways if way is not None)
    if not told:
        return None
    return Interval(max(each.low_ah for each in told), min(each.high_ah for each in told), told)


def _open_v(facts: Facts) -> Floats:
    """Volts of a 12 V bank in every bin, what the amps cost added again."""
    ohm = resistance(facts)
    ohm = 1.6 / facts.capacity_ah if np.isnan(ohm) else ohm
    return np.asarray(facts.bins.volts - ohm * facts.bins.amps)


def _easy(facts: Facts) -> Bools:
    """Bins of a light draw in a bank that is not cold."""
    bins = facts.bins
    warm = np.nan_to_num(bins.celsius, nan=20.0) >= COLD_C
    return np.asarray(warm & (bins.amps < 0.0) & (bins.amps > -0.12 * facts.capacity_ah))


def _knee(facts: Facts, out: Depth, open_v: Floats) -> Measured | None:
    """The lowest volts reached on each way down, and the charge that stands there; the middle of all."""
    low = _easy(facts) & (open_v < KNEES[-1][0]) & (open_v > 11.0) & (out.out_ah > 0.0)
    found = []
    for mark in np.unique(out.since_s[low]):
        of_mark = low & (out.since_s == mark)
        at = int(np.argmin(np.where(of_mark, open_v, np.inf)))
        _, charge, doubt = next(each for each in KNEES if open_v[at] < each[0])
        ah, give = float(out.out_ah[at]), float(out.doubt_ah[at])
        found.append(
            Measured(
                ah / (1.0 - charge),
                (ah - give) / (1.0 - charge + doubt),
                (ah + give) / (1.0 - charge - doubt),
                float(mark),
                float(facts.bins.start_s[at]),
                "from full to below the plateau",
            )
        )
    return sorted(found, key=lambda each: each.ah)[len(found) // 2] if found else None


def _step(facts: Facts, out: Depth, open_v: Floats) -> Measured | None:
    """The step between the two plateaus: where little of the charge lies between much above and below."""
    tick_v = np.diff(np.unique(np.round(facts.readings.volts[:5000], 3)))
    if not len(tick_v) or float(np.min(tick_v)) > FINE_V * facts.per_12v:
        return None
    bins = facts.bins
    charging = bins.amps > 0.005 * facts.capacity_ah
    index = np.arange(len(charging))
    last = np.maximum.accumulate(np.where(charging, index, -10_000))
    chosen = _easy(facts) & (index - last > REST_AFTER_CHARGE_H * 6.0) & (out.out_ah > 0.0)
    edges = np.arange(STEP_SPAN_V[0], STEP_SPAN_V[1] + STEP_BIN_V / 2.0, STEP_BIN_V)
    weight, _ = np.histogram(open_v[chosen], edges, weights=-bins.amps[chosen] / 6.0)
    if weight.sum() < 0.3 * facts.capacity_ah:
        return None
    smooth = np.convolve(weight, np.ones(3) / 3.0, mode="same")
    middles = edges[:-1] + STEP_BIN_V / 2.0
    lower = int(np.argmax(np.where(middles < STEP_UPPER_V, smooth, -1.0)))
    upper = int(np.argmax(np.where(middles >= middles[lower] + STEP_APART_V, smooth, -1.0)))
    if upper <= lower + 1 or smooth[upper] <= 0.0:
        return None
    dip = lower + 1 + int(np.argmin(smooth[lower + 1 : upper]))
    if smooth[dip] > STEP_DIP * min(smooth[lower], smooth[upper]):
        return None
    if weight[:dip].sum() < STEP_LEAST * weight[dip:].sum():
        return None
    at_step = chosen & (np.abs(open_v - middles[dip]) < 1.5 * STEP_BIN_V)
    if at_step.sum() < 3:
        return None
    ah, give = float(np.median(out.out_ah[at_step])), float(np.median(out.doubt_ah[at_step]))
    whole = facts.bins.start_s[at_step]
    return Measured(
        ah / STEP_AT,
        (ah - give) / STEP_LEFT[1],
        (ah + give) / STEP_LEFT[0],
        float(whole[0]),
        float(whole[-1]),
        "from full to the step between the plateaus",
    )


def _high(facts: Facts, out: Depth, open_v: Floats) -> Measured | None:
    """The most that was out while the volts still stood high: the bank holds more than that."""
    surely = out.out_ah - out.doubt_ah
    easy = _easy(facts) & (facts.bins.amps < -0.002 * facts.capacity_ah) & (surely > 0.0)
    best: Measured | None = None
    for volts, left in HIGH:
        chosen = easy & (open_v > volts)
        if not chosen.any():
            continue
        at = int(np.argmax(np.where(chosen, surely, -1.0)))
        least = float(surely[at]) / (1.0 - left)
        if best is None or least > best.low_ah:
            begun, ended = float(out.since_s[at]), float(facts.bins.start_s[at])
            best = Measured(least, least, math.inf, begun, ended, "still high in its volts")
    return best


def _lead(facts: Facts, out: Depth, open_v: Floats) -> Measured | None:
    """Rested volts at the end of a night: at least so much is left, so the bank holds more than what is out.

    The other way round, less than, accused sound banks of other curves.
    """
    bins = facts.bins
    charging = (bins.volts > 13.0) | (bins.amps > 0.005 * facts.capacity_ah)
    index = np.arange(len(charging))
    last = np.maximum.accumulate(np.where(charging, index, -10_000))
    rested = (index - last > LEAD_REST_H * 6.0) & (np.abs(bins.amps) < LEAD_STILL * facts.capacity_ah)
    surely = out.out_ah - out.doubt_ah
    rested &= surely > 0.0
    if rested.sum() < 6:
        return None
    left = np.clip(1.0 - (LEAD_REST_V + LEAD_CURVE_V - open_v) / LEAD_SPAN_V, 0.0, 0.95)
    rested &= left <= LEAD_LEFT  # nearer full a few millivolts make any capacity
    if rested.sum() < 6:
        return None
    least = np.where(rested, surely / (1.0 - left), 0.0)
    at = int(np.argsort(least)[-max(1, int(rested.sum()) // 20)])  # one bin alone may be noise
    return Measured(
        float(least[at]),
        float(least[at]),
        math.inf,
        float(out.since_s[at]),
        float(bins.start_s[at]),
        "still high in its rested volts",
    )


def by_rest(facts: Facts) -> Measured | None:
    """A lead bank's capacity by its rested volts on the usual curve, with that curve's doubt.

    For the trend alone: banks of other curves would be accused by it.

    Args:
        facts: what the log gives to look at.
    """
    if facts.kind != "lead" or not facts.fulls:
        return None
    out, open_v, bins = depth(facts, stays=LEAD_STAYS), _open_v(facts), facts.bins
    charging = (bins.volts > 13.0) | (bins.amps > 0.005 * facts.capacity_ah)
    index = np.arange(len(charging))
    last = np.maximum.accumulate(np.where(charging, index, -10_000))
    rested = (index - last > 24) & (np.abs(bins.amps) < 0.03 * facts.capacity_ah)
    rested &= np.isfinite(out.out_ah)
    full, empty = LEAD_REST.get(facts.chemistry, LEAD_REST["agm"])
    missing = np.clip((full - open_v) / (full - empty), 0.0, 1.2)
    deep = np.flatnonzero(rested & (missing > 0.30))
    if len(deep) < 6:
        return None
    ah = float(np.median(out.out_ah[deep] / missing[deep]))
    part = LEAD_DOUBT / float(np.quantile(missing[deep], 0.8))
    if part >= 0.6 or ah <= 0.0:
        return None
    begun, ended = float(out.since_s[deep[-1]]), float(bins.start_s[deep[-1]])
    return Measured(ah, ah / (1.0 + part), ah / (1.0 - part), begun, ended, "by rest volts")


def check(facts: Facts) -> Outcome:
    """Named only when the whole interval lies outside 0.85 to 1.18 of the setting.

    Args:
        facts: what the log gives to look at.
    """
    if facts.numbers is None:
        return Unsure("capacity", "Without settings there is nothing to compare with.")
    if why := _lead_cannot_tell(facts):
        return Unsure("capacity", why)
    found, set_ah = measured(facts), facts.numbers.capacity_ah
    if found is None:
        return Unsure(
            "capacity", "The log never leads from a full battery to a low point whose charge is known."
        )
    if found.low_ah > found.high_ah:
        return Unsure(
            "capacity",
            f"One way of telling wants more than {found.low_ah:.0f} Ah, another less than "
            f"{found.high_ah:.0f}: measure it from full down to a known low rest.",
        )
    return _judged(found, set_ah)


def _judged(found: Interval, set_ah: float) -> Outcome:
    """An interval against the setting: named, told to hold, or too wide to tell."""
    if found.low_ah > WITHIN[1] * set_ah or found.high_ah < WITHIN[0] * set_ah:
        believed = BELIEVED[0] < found.ah / set_ah < BELIEVED[1]
        return _named(found, set_ah) if believed else _too_far(found)
    if found.low_ah >= NARROW[0] * set_ah and found.high_ah <= NARROW[1] * set_ah:
        return None
    most = f" and {found.high_ah:.0f}" if math.isfinite(found.high_ah) else ""
    between = "between" if most else "more than"
    return Unsure(
        "capacity",
        f"It holds {between} {found.low_ah:.0f}{most} Ah, {set_ah:g} is set: discharge from full to a known "
        "low rest at a steady load, and count.",
    )


def _too_far(found: Interval) -> Unsure:
    return Unsure(
        "capacity",
        f"The log would give {found.ah:.0f} Ah: so far off that current must pass unseen, or the zero be "
        "wrong.",
    )


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


def _named(found: Interval, set_ah: float) -> Cause:
    ways = ", ".join(dict.fromkeys(each.how for each in found.told))
    if math.isfinite(found.high_ah):
        message = f"about {found.ah:.0f} Ah, between {found.low_ah:.0f} and {found.high_ah:.0f} ({ways})"
    else:
        message = f"more than {found.low_ah:.0f} Ah, for so much was out and it stood {ways}"
    return Cause(
        "capacity",
        0.8,
        f"The battery holds {message}; {set_ah:g} Ah is set.",
        "Discharge from a full reset to a known low rest at a steady load, and count; read the "
        "batteries' labels again.",
        "A measured capacity within a seventh of the setting rules it out.",
        {"capacity_ah": round(found.ah, 0)},
        tuple(Mark(each.start_s, each.end_s, "counted from full") for each in found.told),
        {"ah": found.ah, "low_ah": found.low_ah, "high_ah": found.high_ah},
    )
