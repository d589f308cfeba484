"""How far off the count can be: a band about the charge that grows between full resets, from stated causes.

Model, priors and how they were set: docs/domain/band.md. All causes but noise are taken as fully correlated
in time, so they grow with time or charge itself, not with its root.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.count.evidence import Beginnings, Standing, Word, weighed
from volnik.core.count.log import Counted
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import CELLS_12V, GRID_LOW, GRID_POINTS, GRID_STEP, MODELS, open_circuit
from volnik.core.shelf.chemistries import CHEMISTRIES

WITHIN = 1.645  # of a standard deviation: nine cases of ten
HOUR_S = 3600.0
MONTH_H = 30.0 * 24.0  # self-discharge is stated a month


@dataclass(frozen=True, slots=True)
class Prior:
    """What is not known of a rig of one chemistry, each as a standard deviation. Source: docs/domain/band.md.

    Attributes:
        offset_a: zero of the shunt [A].
        gain: its scale [-].
        eta, eta_sd: what the cells keep of what goes in.
        capacity: the real one against the one set [-].
        self_month: self-discharge [1/month].
        peukert: of the bank's own exponent [-].
        curve_v: doubt of volts at a reset, for 12 V [V].
        lag: how far the whole bank is behind its near part, times.
        rested: least doubt of a reset [-].
        start: of a charge said by hand or at the start [-].
        widen: what all but the start, noise and silence is stretched by, from trials.
        own_peukert: the bank's own likely exponent [-]; what the set one books beyond it was never drawn.
        electronics_a: what the battery's own electronics draw past the shunt [A], of the whole bank.
        unknown_flow: share of the capacity that may flow in an hour nobody read, while the rig's own hours
            are not known [1/h].
    """

    offset_a: float
    gain: float
    eta: float
    eta_sd: float
    capacity: float
    self_month: float
    peukert: float
    curve_v: float
    lag: float
    rested: float
    start: float = 0.05
    widen: float = 1.0
    electronics_a: float = 0.0
    unknown_flow: float = 0.05
    own_peukert: float = 1.05


PRIORS: dict[str, Prior] = {
    "lfp": Prior(
        0.025, 0.005, 0.997, 0.004, 0.04, 0.02, 0.02, 0.03, 1.0, 0.004, widen=0.65, own_peukert=1.02
    ),
    "nmc": Prior(
        0.025, 0.005, 0.997, 0.004, 0.04, 0.02, 0.02, 0.03, 1.0, 0.004, widen=1.0, own_peukert=1.02
    ),  # as of iron phosphate, unnarrowed: no trials were run on it
    "flooded": Prior(0.025, 0.005, 0.985, 0.015, 0.05, 0.05, 0.04, 0.06, 1.3, 0.010, widen=0.9),
    "agm": Prior(0.025, 0.005, 0.985, 0.015, 0.05, 0.05, 0.04, 0.06, 1.3, 0.010, widen=0.8),
    "gel": Prior(0.025, 0.005, 0.985, 0.015, 0.05, 0.05, 0.04, 0.06, 1.3, 0.010, widen=0.85),
}
AS_TOLD = ("start", "noise", "gaps")  # what was said, and what sampling and silence leave, is never narrowed
NOISE_A = 0.02  # of a reading, root mean square; source: estimate, two steps of a common monitor
ELECTRONICS_A = 0.010  # of one lithium battery's own electronics, 2 to 40 mA; source: estimate
LEAST_UNKNOWN_FLOW = 0.05  # of capacity an hour, where the rig's devices are not known; source: estimate
MOST_MISSING = 0.6  # a reset can hardly be further from full than this


def prior_for(chemistry: str, *, strings: int, capacity_ah: float, most_flow_a: float = math.nan) -> Prior:
    """What is believed of a bank before its log is seen.

    Args:
        chemistry: its key.
        strings: in parallel, each with its own electronics where it is lithium.
        capacity_ah: of the bank [Ah].
        most_flow_a: the most its chargers or its loads move [A]; NaN where they are not known.

    Raises:
        KeyError: for a chemistry without a prior.
    """
    prior = PRIORS[chemistry]
    own_a = 0.0 if CHEMISTRIES[chemistry].is_lead else ELECTRONICS_A * strings
    flow = prior.unknown_flow
    if not math.isnan(most_flow_a):
        flow = min(1.0, max(LEAST_UNKNOWN_FLOW, most_flow_a / capacity_ah))
    return replace(prior, electronics_a=own_a, unknown_flow=flow)


CAUSES: dict[str, tuple[str, str]] = {
    "start": (
        "the last full reset, or how the count began",
        "A full charge held at its volts until the current has tapered.",
    ),
    "offset": ("the shunt's zero", "Read the zero with nothing connected, and set it (Prove, zero)."),
    "gain": ("the shunt's scale", "A clamp meter beside a steady load (Prove, gain)."),
    "efficiency": (
        "what the battery loses in charging",
        "A full charge: what it was short of tells the efficiency.",
    ),
    "capacity": ("the battery's real capacity", "Measure it: from a full reset to a known low rest."),
    "dead_band": ("current inside the dead band", "A smaller dead band once the zero is set."),
    "self_discharge": ("self-discharge and the battery's own electronics", "A full charge."),
    "gaps": ("stretches without readings", "A bridge that reports without a break, or a full charge."),
    "peukert": ("the Peukert exponent at high rates", "A full charge; then heavy loads one at a time."),
    "noise": ("noise and the time between readings", "Readings closer together."),
}


@dataclass(frozen=True, slots=True)
class Accumulated:
    """What ran up since the count was last known well; arrays of one shape, or numbers.

    Attributes:
        hours: passed [h].
        net_ah: net charge [Ah].
        in_ah: put in [Ah].
        still_h: inside the dead band [h].
        gap_h: not counted [h].
        bent_ah: what one more in the Peukert exponent would book, ∫|I| (|I|/I_H)^(p-1) ln(|I|/I_H) dt over
            |I| > I_H [Ah].
        swing_ah2: sum of the squares of current step times interval [Ah²].
        clamp_ah: came in when already full [Ah].
    """

    hours: Floats
    net_ah: Floats
    in_ah: Floats
    still_h: Floats
    gap_h: Floats
    bent_ah: Floats
    swing_ah2: Floats
    clamp_ah: Floats

    def since(self, at: NDArray[np.int64]) -> Accumulated:
        """What ran up since each index `at`, whose negative value means since the start."""
        return self.less(self, at)

    def less(self, whole: Accumulated, at: NDArray[np.int64]) -> Accumulated:
        """These places less what had run up at each index `at` of the whole.

        Args:
            whole: the running sums of the log.
            at: an index for each of these places; a negative one takes nothing off.
        """
        return Accumulated(
            *(_less(getattr(self, column.name), getattr(whole, column.name), at) for column in fields(self))
        )

    def at(self, chosen: NDArray[np.int64]) -> Accumulated:
        """These places alone.

        Args:
            chosen: indices of the readings.
        """
        return Accumulated(*(np.asarray(getattr(self, column.name))[chosen] for column in fields(self)))


def _less(values: Floats, whole: Floats, at: NDArray[np.int64]) -> Floats:
    return np.asarray(values - np.where(at >= 0, whole[np.maximum(at, 0)], 0.0))


@dataclass(frozen=True, slots=True)
class Start:
    """What the count began from: how much the bank is likely below what the count claims, and the doubt of
    that; arrays or numbers [0..1].
    """

    shortfall: Floats
    uncertainty: Floats


@dataclass(frozen=True, slots=True)
class Band:
    """The band about a count.

    Attributes:
        centre: likeliest charge, shape (n,) [0..1]; NaN while unknown.
        low, high: nine cases of ten lie between, 0..1.
        parts: by cause of CAUSES, its standard deviation in charge, shape (n,) [0..1].
        silence: by how much an hour without readings widens it, in charge [1/h].
    """

    centre: Floats
    low: Floats
    high: Floats
    parts: dict[str, Floats]
    silence: float = 0.0

    def part(self, first: int, last: int) -> Band:
        """The places first up to before last."""
        parts = {name: values[first:last] for name, values in self.parts.items()}
        return Band(self.centre[first:last], self.low[first:last], self.high[first:last], parts, self.silence)

    def standing(self, place: int = -1) -> Standing:
        """What is believed at a place."""
        deviation = math.sqrt(sum(float(part[place]) ** 2 for part in self.parts.values()))
        return Standing(float(self.centre[place]), deviation)

    @property
    def half(self) -> Floats:
        """Half its width [0..1]."""
        return np.asarray((self.high - self.low) / 2.0)


def spread(
    soc: Floats,
    sums: Accumulated,
    start: Start,
    numbers: Numbers,
    prior: Prior,
    *,
    flow_a: float,
    step_h: float,
) -> Band:
    """The band from what ran up since the start.

    Args:
        soc: the count, shape (n,) [0..1]; NaN while unknown, and then the band is the whole width.
        flow_a: rms of the rig's hourly net amps, for gaps [A].
        step_h: usual interval [h].
        sums: what has flowed since full.
        numbers: the settings it is counted by.
        prior: what is believed before the log is seen.

    s² = s0² + (sb T)² + (sg N)² + (sη Q)² + ((1-S) sC)² + (d/√3 Tdb)² + (ssd T)² + (sgap Tgap)² + (sp B)² +
    sn² dt T + Σ(ΔI dt)²/12, all but the first, fourth and seventh over C. No cause is wider than the whole.
    Source: docs/domain/band.md.
    """
    capacity = numbers.capacity_ah
    lost_an_hour = prior.self_month / MONTH_H / 2.0 + prior.electronics_a / capacity
    known = np.nan_to_num(soc, nan=0.5)
    parts = {
        "start": np.broadcast_to(np.asarray(start.uncertainty, dtype=float), known.shape),
        "offset": prior.offset_a * sums.hours / capacity,
        "gain": prior.gain * np.abs(sums.net_ah) / capacity,
        "efficiency": prior.eta_sd * sums.in_ah / capacity,
        "capacity": (1.0 - known) * prior.capacity,
        "dead_band": numbers.dead_band_a / math.sqrt(3.0) * sums.still_h / capacity,
        "self_discharge": lost_an_hour * sums.hours,
        "gaps": flow_a * sums.gap_h / capacity,
        "peukert": prior.peukert * np.minimum(sums.bent_ah, capacity) / capacity
        if numbers.peukert_exponent > 1.0
        else np.zeros_like(known),
        "noise": np.sqrt(NOISE_A**2 * step_h * sums.hours + sums.swing_ah2 / 12.0) / capacity,
    }
    parts = {name: np.minimum(part, 1.0) for name, part in parts.items()}
    shift = (
        -_unhealed(np.asarray(start.shortfall, dtype=float), sums.clamp_ah / capacity)
        - (numbers.coulombic_efficiency - prior.eta) * sums.in_ah / capacity
        - lost_an_hour * sums.hours
        + _overbooked(sums.bent_ah, numbers.peukert_exponent - prior.own_peukert) / capacity
    )
    narrowed = np.sum([part**2 for name, part in parts.items() if name not in AS_TOLD], axis=0)
    as_told = np.sum([parts[name] ** 2 for name in AS_TOLD], axis=0)
    wide = WITHIN * np.sqrt(prior.widen**2 * narrowed + as_told)
    centre = np.clip(known + shift, 0.0, 1.0)
    low, high = np.maximum(centre - wide, 0.0), np.minimum(centre + wide, 1.0)
    unknown = np.isnan(soc)
    return Band(
        np.where(unknown, np.nan, centre),
        np.where(unknown, 0.0, low),
        np.where(unknown, 1.0, high),
        {name: np.asarray(part) for name, part in parts.items()},
        flow_a / capacity,
    )


def _overbooked(bent_ah: Floats, beyond: float) -> Floats:
    """What the count books beyond what the bank's own exponent would [Ah].

    ∫|I| ((|I|/I_H)^(p−1) − (|I|/I_H)^(pm−1)) dt by its slope at p, halfway back; source: docs/domain/band.md.
    """
    return np.asarray(bent_ah * beyond / (1.0 + 0.75 * max(beyond, 0.0)))


def _unhealed(excess: Floats, clamped: Floats) -> Floats:
    """What the count still has too much, after charge that came in while it stood at full already [0..1]."""
    return np.asarray(np.maximum(np.minimum(0.0, excess), excess - 0.7 * clamped))


def band(
    readings: Readings,
    counted: Counted,
    numbers: Numbers,
    *,
    chemistry: str,
    cells: int,
    gap_s: float,
    prior: Prior | None = None,
    words: Sequence[Word] = (),
    carried: Standing | None = None,
) -> Band:
    """The band at every reading of a log counted under one set of numbers.

    Args:
        counted: the same readings counted, deficits kept.
        chemistry: key.
        cells: in series.
        words: what was said of the charge in that time, in order.
        carried: what was believed at the first reading, where a stretch goes on from another.
        gap_s: longest interval that is counted [s].

    Raises:
        KeyError: for a chemistry without a prior.
        ValueError: when deficits were not kept.
    """
    if len(counted.deficit_ah) != len(readings):
        raise ValueError("the deficit of every reading is needed")
    prior = PRIORS[chemistry] if prior is None else prior
    if not len(readings):
        empty = np.empty(0)
        return Band(empty, empty, empty, dict.fromkeys(CAUSES, empty))
    sums, step_h, flow_a = run_up(readings, counted, numbers, gap_s=gap_s, unknown_flow=prior.unknown_flow)
    at = anchors(readings, counted, numbers, gap_s=gap_s)
    start = starts(readings, at, numbers, prior, chemistry=chemistry, cells=cells)
    soc = np.maximum(1.0 - counted.deficit_ah / numbers.capacity_ah, 0.0)
    return told(
        soc,
        readings.time_s,
        sums,
        at,
        start,
        words=words,
        carried=carried,
        spread_by=partial(spread, numbers=numbers, prior=prior, flow_a=flow_a, step_h=step_h),
    )


def told(
    soc: Floats,
    time_s: Floats,
    sums: Accumulated,
    at: NDArray[np.int64],
    start: Start,
    *,
    words: Sequence[Word],
    carried: Standing | None,
    spread_by: Callable[[Floats, Accumulated, Start], Band],
) -> Band:
    """The band over a log with all that was said of the charge in it.

    Args:
        soc: the count, shape (n,) [0..1].
        time_s: of each place [s].
        sums: what ran up since the first place.
        at: which reset each place rests on, -1 for none, shape (n,).
        start: what each place began from, by the resets alone.
        words: what was said, in order of time.
        carried: what was believed at the first place; None where nothing went before.
        spread_by: the band of some places, from their counts, what ran up since their beginnings, and these.
    """
    begins: Beginnings = (at, start.shortfall, start.uncertainty)
    if carried is not None and not math.isnan(carried.centre):
        unset = at < 0
        excess = 0.0 if math.isnan(soc[0]) else float(soc[0]) - carried.centre
        begins = (
            np.where(unset, 0, at),
            np.where(unset, excess, start.shortfall),
            np.where(unset, carried.deviation, start.uncertainty),
        )

    def standing_at(place: int, begun: Beginnings) -> Standing:
        chosen = np.array([place])
        since = sums.at(chosen).less(sums, begun[0][chosen])
        return spread_by(soc[chosen], since, Start(begun[1][chosen], begun[2][chosen])).standing()

    at, shortfall, uncertainty = weighed(words, time_s, soc, begins, standing_at)
    return spread_by(soc, sums.since(at), Start(shortfall, uncertainty))


def run_up(
    readings: Readings,
    counted: Counted,
    numbers: Numbers,
    *,
    gap_s: float,
    unknown_flow: float = LEAST_UNKNOWN_FLOW,
) -> tuple[Accumulated, float, float]:
    """Running sums over a log, the usual interval [h] and the rms of the hourly net amps [A].

    Args:
        readings: in order of time.
        counted: the readings counted.
        numbers: the settings it is counted by.
        gap_s: longest interval that is counted [s].
        unknown_flow: share of the capacity that may flow in an hour nobody read, where the log is too short
            to tell [1/h].
    """
    time_s, amps = readings.time_s, np.nan_to_num(readings.amps)
    interval_h = np.diff(time_s, prepend=time_s[0]) / HOUR_S
    gap = interval_h * HOUR_S > gap_s
    counted_h = np.where(gap, 0.0, interval_h)
    size = np.abs(amps)
    still = size < numbers.dead_band_a
    over = (amps < 0.0) & (size > numbers.rated_a)
    ratio = np.where(over, size / numbers.rated_a, 1.0)
    bent = np.where(over, size * ratio ** (numbers.peukert_exponent - 1.0) * np.log(ratio), 0.0)
    net = np.where(still, 0.0, amps) * counted_h
    full = (
        np.concatenate(([False], counted.deficit_ah[:-1] == 0.0)) & (counted.deficit_ah == 0.0) & (amps > 0.0)
    )
    swing = np.abs(np.diff(amps, prepend=amps[0])) * counted_h
    sums = Accumulated(
        (time_s - time_s[0]) / HOUR_S,
        np.cumsum(net),
        np.cumsum(np.maximum(net, 0.0)),
        np.cumsum(np.where(still, counted_h, 0.0)),
        np.cumsum(np.where(gap, interval_h, 0.0)),
        np.cumsum(bent * counted_h),
        np.cumsum(swing**2),
        np.cumsum(np.where(full, np.maximum(net, 0.0), 0.0)),
    )
    step_h = float(np.median(interval_h[1:])) if len(interval_h) > 1 else 0.0
    hour = np.floor((time_s - time_s[0]) / HOUR_S).astype(np.int64)
    hours = np.bincount(hour, weights=net)
    message = np.bincount(hour, weights=counted_h)
    # A stretch without readings can hold anything the rig does: its own hours tell what that may be.
    flow_a = (
        float(np.sqrt(np.mean(hours[message > 0.5] ** 2)))
        if (message > 0.5).sum() >= 24
        else unknown_flow * numbers.capacity_ah
    )
    return sums, step_h, flow_a


def anchors(readings: Readings, counted: Counted, numbers: Numbers, *, gap_s: float) -> NDArray[np.int64]:
    """For each reading the last one at or before it that still qualified in a run that had reset the count,
    -1 for none, shape (n,).

    Args:
        readings: in order of time.
        counted: the readings counted.
        numbers: the settings it is counted by.
        gap_s: longest interval that is counted [s].
    """
    time_s, count = readings.time_s, len(readings)
    good = (
        (readings.volts >= numbers.charged_voltage_v)
        & (readings.amps >= numbers.floor_a)
        & (readings.amps <= numbers.tail_a)
    )
    begins = good & ~(np.concatenate(([False], good[:-1])) & (np.diff(time_s, prepend=-math.inf) <= gap_s))
    run = np.cumsum(begins) - 1
    fired_s = np.full(int(run[-1]) + 2, math.inf)
    for reset in counted.resets:
        at = int(np.searchsorted(time_s, reset.time_s))
        if at < count and good[at]:
            fired_s[run[at]] = min(fired_s[run[at]], reset.time_s)
    held = good & (time_s >= fired_s[run])
    return np.asarray(np.maximum.accumulate(np.where(held, np.arange(count), -1)), dtype=np.int64)


def starts(
    readings: Readings, at: NDArray[np.int64], numbers: Numbers, prior: Prior, *, chemistry: str, cells: int
) -> Start:
    """What each reading's count began from.

    The reset's own doubt from the volts and amps at which it held last.

    Args:
        readings: in order of time.
        numbers: the settings it is counted by.
        prior: what is believed before the log is seen.
        chemistry: key of the chemistry.
        cells: of the bank in series.
    """
    shortfall, uncertainty = (
        np.zeros(len(at)),
        np.full(len(at), prior.start if numbers.initial_soc is not None else 0.3),
    )
    chosen = np.unique(at[at >= 0])
    if len(chosen):
        celsius = readings.extra.get("celsius")
        warm = np.full(len(chosen), 20.0) if celsius is None else np.nan_to_num(celsius[chosen], nan=20.0)
        amps = (
            np.array([_lately(readings, int(column)) for column in chosen])
            if len(chosen) <= 2000
            else readings.amps[chosen]
        )
        m, s = reset_doubt(
            readings.volts[chosen], amps, warm, numbers.capacity_ah, prior, chemistry=chemistry, cells=cells
        )
        place = np.searchsorted(chosen, np.maximum(at, 0))
        place = np.minimum(place, len(chosen) - 1)
        shortfall, uncertainty = (
            np.where(at >= 0, m[place], shortfall),
            np.where(at >= 0, s[place], uncertainty),
        )
    return Start(shortfall, uncertainty)


def _lately(readings: Readings, at: int, window_s: float = 300.0) -> float:
    first = int(np.searchsorted(readings.time_s, readings.time_s[at] - window_s))
    return float(np.nanmedian(readings.amps[first : at + 1]))


def reset_doubt(
    volts: Floats,
    amps: Floats,
    celsius: Floats,
    capacity_ah: float,
    prior: Prior,
    *,
    chemistry: str,
    cells: int,
) -> tuple[Floats, Floats]:
    """How far below full a bank is that takes these amps at these volts, and the doubt of that [0..1], shape
    (n,) each.

    Solved on the cell model: V = E(h) + I (R0 + Rc(h)), less what gassing takes; done at volts a little lower
    and higher too.

    Args:
        celsius: of the bank, shape (n,) [°C].
        capacity_ah: of the bank [Ah].
        prior: what is believed before the log is seen.
        chemistry: key of the chemistry.
        cells: of the bank in series.
    """
    per_12v = cells / CELLS_12V[chemistry]
    middle, low, high = (
        _missing(volts / per_12v + step, amps / capacity_ah, celsius, chemistry) * prior.lag
        for step in (0.0, -prior.curve_v, prior.curve_v)
    )
    uncertainty = np.sqrt(prior.rested**2 + (0.5 * (low - high)) ** 2 + (0.35 * middle) ** 2)
    return np.minimum(middle, MOST_MISSING), np.minimum(uncertainty, MOST_MISSING / 2.0)


def _missing(volts_12: Floats, rate: Floats, celsius: Floats, chemistry: str) -> Floats:
    model = MODELS[chemistry]
    grid = GRID_LOW + GRID_STEP * np.arange(GRID_POINTS)
    keep = (grid >= 0.3) & (grid <= min(1.0, model.cc - 1e-4))
    near, open_v = grid[keep], open_circuit(chemistry)[keep] + model.hysteresis_v
    cold = np.exp(model.activation / 8.314 * (1.0 / (celsius + 273.15) - 1.0 / 298.15))[:, None]
    ohms = model.r0a + model.r0b * cold + model.rc * cold * (1.0 + model.mc * near / (model.cc - near))
    gas = np.zeros((len(volts_12), 1))
    if model.gas_a > 0.0:
        gas = (
            model.gas_a
            / 100.0
            * np.exp(
                np.minimum(
                    model.gas_volts * (volts_12 / 6.0 - 2.23) + model.gas_warm * (celsius - 20.0), 20.0
                )
            )[:, None]
        )
    takes = (volts_12[:, None] - open_v[None, :] - model.warm_v * (celsius[:, None] - 25.0)) / ohms + gas
    # The bank takes less the fuller it is: the first charge at which it takes no more than it does now.
    fuller = takes <= np.maximum(rate, 0.0)[:, None]
    found = np.where(fuller.any(axis=1), near[np.argmax(fuller, axis=1)], near[-1])
    return np.asarray(np.clip(model.active * (1.0 - found), 0.0, 1.0))


def describe(found: Band, at: int = -1) -> list[tuple[str, float]]:
    """The causes of the band at one reading, largest first, each with its half width in charge [0..1].

    Those under a tenth of a percent left out.

    Args:
        found: the band.
    """
    parts = [(name, WITHIN * float(values[at])) for name, values in found.parts.items()]
    return sorted((part for part in parts if part[1] >= 0.001), key=lambda pair: -pair[1])
