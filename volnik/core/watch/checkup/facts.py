"""What a log says by itself, reckoned once for all causes.

Bins of ten minutes, full marks by volts alone, balances between them, steps.

Volts are brought to a 12 V bank first. Statistics and thresholds: docs/domain/checkup.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.count.log import Counted, LogCounter, gap_limit_s
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.watch.checkup.steps import Steps, noise_of, steps_of

BIN_S = 600.0  # fine enough for an absorption, coarse enough for a year in memory
FINEST_S = 10.0  # finer readings are averaged first: steps of loads last longer
LEAST_READINGS, LEAST_DAYS = 200, 1.0  # less tells chance; source: estimate
CHARGING_V = {
    "lfp": 13.65,
    "nmc": math.inf,
    "lead": 13.35,
    "flooded": 13.35,
    "agm": 13.35,
    "gel": 13.35,
}
"""A 12 V bank stands above it only while something charges it; of nickel lithium no volts tell that.

Source: estimate.
"""
UNTAUGHT = (
    "What the check-up weighs was learned on lead and on lithium iron phosphate; of nickel lithium it cannot "
    "tell. Its count, its resets and the roll call hold as for any bank: after a full charge, Prove and the "
    "volts at rest say whether all is counted."
)
FULL_LEAST_V = {
    "lfp": 13.8,
    "lead": 13.75,
}  # no charger that fills a bank ends below it, warm lead included; source: estimate
FULL_BINS = {"lfp": 1, "lead": 12}
FULL_MARGIN_V = 0.12  # of a 12 V bank: leads and meters differ by as much
PLATEAU_FROM_V = 12.98  # of a 12 V bank, middle of the volts off charge; source: trials
MOST_UNREAD_H, MOST_UNREAD = 0.25, 0.02  # of a way from full to full: more may have hidden anything
MISSED = 1.8  # usual intervals, after which a reading is missing
MOST_A = 5000.0  # of any bank a monitor of this job can show; source: estimate
SPIKE_V = (6.0, 20.0)  # of a 12 V bank; what lies outside is no reading of it
Bools = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class KnownLoad:
    """A load the Survey gives amps for: name, amps [A], whether it switches itself, its number there."""

    name: str
    amps: float
    cycles: bool = False
    id: str = ""

    @property
    def key(self) -> str:
        """Its number, or its name where it has none."""
        return self.id or self.name


@dataclass(frozen=True, slots=True)
class RigFacts:
    """What is known of the rig besides its log.

    Attributes:
        chemistry: key.
        cells: in series.
        loads: with stated amps.
        absorption_v: of its chargers, highest first [V]; () when not known.
        sources: (name, most amps) of its chargers. counted: shares by device name from the drawing, where
            solved.
    """

    chemistry: str
    cells: int
    loads: tuple[KnownLoad, ...] = ()
    absorption_v: tuple[float, ...] = ()
    sources: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Bins:
    """Ten minutes each: start [s], mean volts (12 V bank), mean, least and greatest amps, readings, deviation
    of the amps; shape (m,).
    """

    start_s: Floats
    volts: Floats
    amps: Floats
    low_a: Floats
    high_a: Floats
    count: Floats
    sway_a: Floats
    celsius: Floats


@dataclass(frozen=True, slots=True)
class Full:
    """A stretch in which the bank was full by its volts: from, to [s], bins [first, last)."""

    start_s: float
    end_s: float
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Cycle:
    """From one full to the next: from, to [s], in and out as read [Ah], hours counted [h], deepest
    net [Ah], hours in which a reading was due and none came [h].
    """

    start_s: float
    end_s: float
    in_ah: float
    out_ah: float
    hours: float
    deepest_ah: float
    unread_h: float = 0.0

    @property
    def is_whole(self) -> bool:
        """Whether so much of it was read that its balance says something."""
        return self.unread_h <= max(MOST_UNREAD_H, MOST_UNREAD * self.hours)


@dataclass(frozen=True, slots=True)
class Facts:
    """All that the causes look at.

    Attributes:
        readings: averaged to 10 s where finer, spikes out.
        volts: of a 12 V bank, shape (n,).
        hours: counted time of each reading [h].
        numbers, counted: the settings and the count under them, or None.
        plan: what else is known, or None.
        chemistry: key, known or guessed;
        guessed: whether.
        cells: in series.
        kind: "lfp" or "lead".
        capacity_ah: as set, or guessed from what flowed [Ah].
        full_v: volts at which chargers end, 12 V bank; NaN when they never seem to.
        fulls, cycles: as above.
        noise_a, noise_v: of the readings [A, V].
        sample_s: usual interval [s].
        trouble: why nothing can be told at all, or "".
    """

    readings: Readings
    volts: Floats
    hours: Floats
    numbers: Numbers | None
    counted: Counted | None
    plan: RigFacts | None
    chemistry: str
    guessed: bool
    cells: int
    capacity_ah: float
    bins: Bins
    full_v: float
    fulls: list[Full]
    cycles: list[Cycle]
    steps: Steps
    noise_a: float
    noise_v: float
    sample_s: float
    gap_s: float
    spikes: int
    trouble: str = ""
    memo: dict[str, object] = field(default_factory=dict)

    @property
    def kind(self) -> str:
        """Lithium or lead."""
        return _kind(self.chemistry)

    @property
    def per_12v(self) -> float:
        """Volts of this bank over those of a 12 V bank."""
        return self.cells / CELLS_12V[self.chemistry]

    @property
    def days(self) -> float:
        """Length of the log [days]."""
        return (
            float(self.readings.time_s[-1] - self.readings.time_s[0]) / 86400.0 if len(self.readings) else 0.0
        )

    @property
    def days_read(self) -> float:
        """How much of it was read: a gap of a year is no idle year [days]."""
        return float(self.hours.sum()) / 24.0

    @property
    def whole_cycles(self) -> list[Cycle]:
        """The ways from full to full that were read whole."""
        return [cycle for cycle in self.cycles if cycle.is_whole]

    @property
    def in_ah(self) -> float:
        """Put in from full to full, over the cycles that were read whole [Ah]."""
        return sum(cycle.in_ah for cycle in self.whole_cycles)

    @property
    def out_ah(self) -> float:
        """Taken out, over the same cycles [Ah]."""
        return sum(cycle.out_ah for cycle in self.whole_cycles)

    @property
    def net_out_ah(self) -> float:
        """Seen to go out over the whole log, less what was seen to come in [Ah]."""
        return -float((self.readings.amps * self.hours).sum())

    @property
    def cycle_h(self) -> float:
        """Hours of the same cycles [h]."""
        return sum(cycle.hours for cycle in self.whole_cycles)

    @property
    def unread_h(self) -> Floats:
        """Before each reading, the hours in which another was due and none came [h], shape (n,)."""
        return _unread_h(self.readings.time_s, self.sample_s)

    @property
    def charging_v(self) -> float:
        """Volts of a 12 V bank above which something must be charging it."""
        return CHARGING_V[self.chemistry]


def _kind(chemistry: str) -> str:
    return "lead" if CHEMISTRIES[chemistry].is_lead else "lfp"


def gather(
    readings: Readings,
    *,
    numbers: Numbers | None = None,
    plan: RigFacts | None = None,
    gap_s: float | None = None,
) -> Facts:
    """Reckon what the causes look at.

    Args:
        readings: as stored; finer than 10 s they are averaged.
        gap_s: longest interval that counts; by default from the readings themselves [s].
        numbers: the settings, or None.
        plan: what is known of the rig, or None.
    """
    raw = thinned(readings)
    chemistry, cells, guessed = which_bank(raw, plan)
    per_12v = cells / CELLS_12V[chemistry]
    tidy = _sane(raw, per_12v)
    volts_12 = tidy.volts / per_12v
    gap = gap_limit_s(tidy.time_s) if gap_s is None else max(gap_s, 2.0 * FINEST_S)
    interval = np.diff(tidy.time_s, prepend=tidy.time_s[:1])
    hours = np.where(interval > gap, 0.0, interval) / 3600.0
    trouble = UNTAUGHT if chemistry == "nmc" else _trouble(raw, tidy, volts_12, hours)
    sample_s = float(np.median(interval[1:])) if len(interval) > 1 else 60.0
    counted = None
    if numbers is not None and len(tidy):
        counted = LogCounter.opened(numbers).feed(tidy.time_s, tidy.volts, tidy.amps, gap_s=gap)
    bins = _bins(tidy, volts_12)
    kind = _kind(chemistry)
    full_v = _full_v(bins, plan, per_12v, kind) if not trouble else math.nan
    fulls = _fulls(bins, full_v, kind)
    cycles = _cycles(tidy, hours, fulls, sample_s)
    noise_a, noise_v = noise_of(tidy.amps), noise_of(volts_12)
    capacity = numbers.capacity_ah if numbers is not None else _guessed_capacity(tidy, hours)
    return Facts(
        tidy,
        volts_12,
        hours,
        numbers,
        counted,
        plan,
        chemistry,
        guessed,
        cells,
        capacity,
        bins,
        full_v,
        fulls,
        cycles,
        steps_of(tidy, volts_12, gap, noise_a),
        noise_a,
        noise_v,
        sample_s,
        gap,
        len(raw) - len(tidy),
        trouble,
    )


def _sane(readings: Readings, per_12v: float) -> Readings:
    """The readings that can be: finite, within what a bank of that voltage class can show."""
    volts_12 = readings.volts / per_12v
    sane = np.isfinite(readings.volts) & np.isfinite(readings.amps)
    with np.errstate(invalid="ignore"):
        sane &= (volts_12 > SPIKE_V[0]) & (volts_12 < SPIKE_V[1]) & (np.abs(readings.amps) < MOST_A)
    extra = {name: values[sane] for name, values in readings.extra.items()}
    return Readings(readings.time_s[sane], readings.volts[sane], readings.amps[sane], extra)


def thinned(readings: Readings) -> Readings:
    """Readings averaged to 10 s where they are finer.

    Args:
        readings: in order of time.
    """
    if len(readings) < 3 or float(np.median(np.diff(readings.time_s))) >= FINEST_S * 0.75:
        return readings
    place = np.floor(readings.time_s / FINEST_S).astype(np.int64)
    starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
    count = np.diff(np.append(starts, len(place)))

    def mean(values: Floats) -> Floats:
        given = np.isfinite(values)
        if given.all():
            return np.asarray(np.add.reduceat(values, starts) / count)
        # What comes seldom, such as a pack's percentage, stands for the whole of its ten seconds.
        some = np.add.reduceat(given.astype(np.float64), starts)
        sums = np.add.reduceat(np.where(given, values, 0.0), starts)
        return np.asarray(np.where(some > 0.0, sums / np.maximum(some, 1.0), np.nan))

    return Readings(
        readings.time_s[starts],
        mean(readings.volts),
        mean(readings.amps),
        {name: mean(values) for name, values in readings.extra.items()},
    )


def which_bank(readings: Readings, plan: RigFacts | None) -> tuple[str, int, bool]:
    """Chemistry and cells, from the plan or from where the volts stand when little flows.

    Args:
        readings: in order of time.
    """
    if plan is not None:
        return plan.chemistry, plan.cells, False
    volts = readings.volts[np.isfinite(readings.volts) & (readings.volts > 1.0)]
    if not len(volts):
        return "lfp", 4, True
    middle = float(np.median(volts))
    blocks = min((1, 2, 3, 4), key=lambda number: abs(middle / number - 13.1))
    # Off charge lithium stands on its plateau near 13.2 V; lead rests and works below 13, surface charge
    # apart.
    off_charge = volts[(volts / blocks > 11.0) & (volts / blocks < 13.36)] / blocks
    lithium = bool(len(off_charge) > 20 and float(np.median(off_charge)) > PLATEAU_FROM_V)
    return ("lfp", 4 * blocks, True) if lithium else ("agm", 6 * blocks, True)


def _trouble(raw: Readings, tidy: Readings, volts_12: Floats, hours: Floats) -> str:
    if not len(raw):
        return "There are no readings."
    if len(tidy) < LEAST_READINGS:
        return (
            f"Readings that can be used: {len(tidy)}; a check-up wants at least {LEAST_READINGS}, over a "
            "day or more."
        )
    if float(hours.sum()) < 24.0 * LEAST_DAYS:
        return f"Only {hours.sum():.1f} h were counted; a check-up wants at least a day."
    if float(np.ptp(tidy.amps)) < 1e-9:
        return "The amps never change: what wrote this log was not measuring a current."
    if float(np.ptp(volts_12)) < 0.02:
        return "The volts never change: what wrote this log was not measuring a battery."
    return ""


def _bins(readings: Readings, volts: Floats) -> Bins:
    if not len(readings):
        none = np.empty(0)
        return Bins(none, none, none, none, none, none, none, none)
    place = np.floor(readings.time_s / BIN_S).astype(np.int64)
    starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
    count = np.diff(np.append(starts, len(place))).astype(float)
    amps = np.add.reduceat(readings.amps, starts) / count
    square = np.add.reduceat(readings.amps**2, starts) / count
    celsius = readings.extra.get("celsius")
    warm = np.full(len(starts), math.nan) if celsius is None else np.add.reduceat(celsius, starts) / count
    return Bins(
        np.asarray(place[starts] * BIN_S, dtype=np.float64),
        np.add.reduceat(volts, starts) / count,
        amps,
        np.minimum.reduceat(readings.amps, starts),
        np.maximum.reduceat(readings.amps, starts),
        count,
        np.sqrt(np.maximum(square - amps**2, 0.0)),
        np.asarray(warm, dtype=np.float64),
    )


def _full_v(bins: Bins, plan: RigFacts | None, per_12v: float, kind: str) -> float:
    """Where charging ends: what the chargers are set to if the log reaches it, else the log's own plateau.

    NaN when neither.
    """
    if len(bins.start_s) < 12:
        return math.nan
    # Each day's highest sustained volts: half an hour for lithium, an hour and a half for lead.
    width = 2 if kind == "lfp" else 6
    sustained = np.min(
        np.stack([bins.volts[at : len(bins.volts) - width + at + 1] for at in range(width)]), axis=0
    )
    day = np.floor(bins.start_s[: len(sustained)] / 86400.0).astype(np.int64)
    begins = np.concatenate(([0], np.flatnonzero(np.diff(day)) + 1))
    top = np.maximum.reduceat(sustained, begins)
    reached = top[top >= FULL_LEAST_V[kind]]
    if plan is not None and plan.absorption_v:
        for stated in sorted((value / per_12v for value in plan.absorption_v), reverse=True):
            if (top >= stated - FULL_MARGIN_V).sum() >= max(1, 0.05 * len(top)):
                return float(stated)
    if not len(reached):
        return math.nan
    return float(np.quantile(reached, 0.6))


def _fulls(bins: Bins, full_v: float, kind: str) -> list[Full]:
    if math.isnan(full_v) or not len(bins.start_s):
        return []
    # A charger that follows the temperature holds lower when warm: 24 to 30 mV a degree and 12 V.
    warm = np.nan_to_num(bins.celsius, nan=20.0)
    slack = FULL_MARGIN_V + (0.015 * np.maximum(0.0, warm - 20.0) if kind == "lead" else 0.0)
    high = bins.volts >= full_v - slack
    joined = high & (np.diff(bins.start_s, prepend=bins.start_s[0] - BIN_S) <= 2.5 * BIN_S)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], high.astype(np.int8), [0]))))
    found: list[Full] = []
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        long = last - first >= FULL_BINS[kind] or (
            kind == "lead" and last - first >= 3 and _floats(bins, last)
        )
        if long and joined[first + 1 : last].all():
            end_s = float(bins.start_s[last - 1] + BIN_S)
            _add_full(found, Full(float(bins.start_s[first]), end_s, int(first), int(last)))
    return found


def _add_full(found: list[Full], full: Full) -> None:
    """Add a full stretch; one within three hours of the last goes on with it."""
    if found and full.start_s - found[-1].end_s < 3600.0 * 3.0:
        full = Full(found[-1].start_s, full.end_s, found[-1].first, full.last)
        found.pop()
    found.append(full)


def _floats(bins: Bins, at: int) -> bool:
    """Whether a charger goes over to float by itself here.

    Steady at float volts for the next forty minutes, off the next ten.
    """
    after = bins.volts[at + 1 : at + 5]
    return (
        len(after) == 4
        and float(np.ptp(after)) < 0.05
        and 13.2 <= float(after.mean()) <= 13.9
        and float(bins.start_s[at + 4] - bins.start_s[at]) < 5.5 * BIN_S
    )


def _unread_h(time_s: Floats, sample_s: float) -> Floats:
    interval_s = np.diff(time_s, prepend=time_s[:1])
    missed = interval_s > max(MISSED * sample_s, sample_s + 15.0)
    return np.where(missed, interval_s, 0.0) / 3600.0


def _cycles(readings: Readings, hours: Floats, fulls: list[Full], sample_s: float) -> list[Cycle]:
    if len(fulls) < 2:
        return []
    went_in = np.concatenate(([0.0], np.cumsum(np.maximum(readings.amps, 0.0) * hours)))
    went_out = np.concatenate(([0.0], np.cumsum(np.maximum(-readings.amps, 0.0) * hours)))
    passed = np.concatenate(([0.0], np.cumsum(hours)))
    unread = np.concatenate(([0.0], np.cumsum(_unread_h(readings.time_s, sample_s))))
    net = went_out - went_in
    ends = np.searchsorted(readings.time_s, [full.end_s for full in fulls], side="left")
    found = []
    for at, (first, last) in enumerate(zip(ends, ends[1:], strict=False)):
        if last > first:
            found.append(
                Cycle(
                    fulls[at].end_s,
                    fulls[at + 1].end_s,
                    float(went_in[last] - went_in[first]),
                    float(went_out[last] - went_out[first]),
                    float(passed[last] - passed[first]),
                    float(net[first : last + 1].max() - net[first]),
                    float(unread[last] - unread[first]),
                )
            )
    return found


def _guessed_capacity(readings: Readings, hours: Floats) -> float:
    """Without a setting: four times the largest day's outflow at most, at least 50 Ah [Ah]."""
    if not len(readings):
        return 100.0
    day = np.floor((readings.time_s - readings.time_s[0]) / 86400.0).astype(np.int64)
    out = np.bincount(day, weights=np.maximum(-readings.amps, 0.0) * hours)
    return float(max(50.0, 3.0 * np.quantile(out, 0.9)))
