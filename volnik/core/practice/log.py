"""The log of a case: its days simulated, what the monitor wrote and counted, and what a reader sees in it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from volnik.core.arrays import Bools, Floats
from volnik.core.count.log import LogCounter
from volnik.core.practice.bay import Bay
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import rest_v
from volnik.core.simulation.season import Days, Season, changed_season, stream

DAYS = 14
STEP_S = 60.0
DAY_S = 86_400.0
PARKED_H = (22.0, 7.0)
OUT_S = 240.0  # for how long a monitor is away that begins anew
NIGHT_H = 3.0  # from midnight on, before any sun
QUIET_A = 3.0  # a night is quiet where no more than this goes in
IDLE_A = 0.18  # by how much a night's draw may differ from the list
FITS = (0.93, 1.12)  # Ah in over Ah out between two fulls
EARLY_V = 0.2  # under where a reset belongs
BEFORE_FULL = 0.05  # of the capacity missing by the count when it is full
SAGS = 1.5  # times what such a bank sags
OFF = 0.15  # of charge, between volts at rest and the count
HEAVY_A = 40.0
GRID = np.linspace(0.0, 1.0, 201)


@dataclass(frozen=True, slots=True)
class Log:
    """A log.

    Attributes:
        readings: as written.
        soc: by the monitor's own count at each [0..1], shape (n,).
        resets_s: instants of 100 % by the rule of full [s].
        missing: what the count lacked of full at each of them [0..1].
        begun_s: since when it is as it is [s].
        numbers: the monitor was set to.
        seed: of weather and habits.
    """

    readings: Readings
    soc: Floats
    resets_s: tuple[float, ...]
    missing: tuple[float, ...]
    begun_s: float
    numbers: Numbers
    seed: int


def log_of(bay: Bay, *, since_days: float = DAYS, seed: int = 1) -> Log:
    """The log of a van with what is wrong in it.

    Args:
        bay: as it really is.
        since_days: for how long it has been so; longer than the log is the whole log [d].
        seed: of weather and habits.
    """
    key = ("log", since_days, seed)
    if key not in bay.kept:
        bay.kept[key] = _log(bay, since_days, seed)
    found: Log = bay.kept[key]
    return found


def _log(bay: Bay, since_days: float, seed: int) -> Log:
    at_day = max(0.0, DAYS - since_days)
    truth = _lived(bay, at_day, seed)
    begun_s = float(truth.truth.time_s[0]) + at_day * DAY_S
    written = truth.readings(bay.wired.meter)
    sound = truth.readings(bay.sound.wired.meter)
    before = written.time_s < begun_s
    # A lug between battery and shunt takes its part of what the monitor reads as volts.
    in_the_way = bay.faults.loose.get(bay.link, 0.0) * truth.truth.bank_a
    volts = np.where(before, sound.volts, np.round(written.volts + in_the_way, 2))
    amps = np.where(before, sound.amps, written.amps)
    readings = Readings(written.time_s, volts, amps, dict(written.extra))
    kept = before | _written(bay, readings, seed)
    readings = readings.where(kept)
    return _counted(readings, bay, begun_s, seed)


def _lived(bay: Bay, at_day: float, seed: int) -> Season:
    """The days it lived through; those of things that do not change what flows are shared."""
    key = ("season", at_day, seed, bay.physics)
    if key not in bay.shared:
        hidden = bay.hidden
        days = Days("summer", bay.plan.use.sky, seed, DAYS, STEP_S, begins=hidden.begins)
        bay.shared[key] = changed_season(
            bay.sound.vehicle, bay.vehicle, days, at_day=at_day, then_c=hidden.celsius
        )
    found: Season = bay.shared[key]
    return found


def _written(bay: Bay, readings: Readings, seed: int) -> Bools:
    """Where the monitor was awake."""
    count = len(readings)
    if bay.faults.dead:
        return np.zeros(count, dtype=np.bool_)
    awake = np.ones(count, dtype=np.bool_)
    if bay.hidden.restarts == "parked":
        hour = (readings.time_s / 3600.0) % 24.0
        awake = (hour < PARKED_H[0]) & (hour >= PARKED_H[1])
    elif bay.hidden.restarts == "load":
        begun = np.flatnonzero(np.diff(readings.amps) < -HEAVY_A)
        chance = stream(seed, "restarts").random(len(begun))
        for at in begun[chance < 0.7]:
            awake[at + 1 : at + 1 + int(OUT_S / STEP_S) + 2] = False
    return np.asarray(awake, dtype=np.bool_)


def _counted(readings: Readings, bay: Bay, begun_s: float, seed: int) -> Log:
    """The monitor's own count, begun anew where it was away."""
    anew = np.zeros(len(readings), dtype=np.bool_)
    if bay.hidden.restarts and len(readings):
        gap = np.diff(readings.time_s) > OUT_S
        anew[1:] = gap & (readings.time_s[1:] >= begun_s)
    changed = np.searchsorted(readings.time_s, begun_s)
    starts = sorted({0, int(changed), *np.flatnonzero(anew).tolist(), len(readings)})
    soc, resets, missing = [], list[float](), list[float]()
    held = 1.0
    for first, last in zip(starts, starts[1:], strict=False):
        numbers = bay.right if readings.time_s[first] < begun_s else bay.numbers
        begins = 1.0 if anew[first] else held
        counter = LogCounter.opened(replace(numbers, initial_soc=max(0.0, begins)))
        part = slice(first, last)
        made = counter.feed(readings.time_s[part], readings.volts[part], readings.amps[part], gap_s=3600.0)
        soc.append(1.0 - made.deficit_ah / numbers.capacity_ah)
        held = float(soc[-1][-1])
        for reset in made.resets:
            at = max(first, int(np.searchsorted(readings.time_s, reset.time_s)) - 1)
            resets.append(reset.time_s)
            missing.append(float(1.0 - soc[-1][at - first]))
    whole = np.concatenate(soc) if soc else np.empty(0)
    return Log(readings, np.maximum(0.0, whole), tuple(resets), tuple(missing), begun_s, bay.numbers, seed)


def signs_of(bay: Bay, log: Log) -> tuple[str, ...]:
    """What a careful reader sees in the part of a log since which it is so.

    Args:
        bay: whose papers tell what to expect.
        log: of it.
    """
    if bay.faults.dead:
        return ("it ends in the middle of a day, the volts well",)
    since = log.readings.time_s >= log.begun_s
    part = log.readings.where(since)
    if len(part) < 60:
        return ("it is too short to tell",)
    seen = _Seen(bay, log, part, log.soc[since], log.seed)
    return tuple(sign for sign in (look(seen) for look in SIGNS) if sign)


@dataclass(frozen=True, slots=True)
class _Seen:
    """What a reader has before them."""

    bay: Bay
    log: Log
    part: Readings
    soc: Floats
    seed: int


def _direction(seen: _Seen) -> str:
    """Whether volts fall as charge is shown."""
    steps = np.abs(np.diff(seen.part.amps)) > HEAVY_A
    if not steps.any():
        return ""
    slope = np.diff(seen.part.volts)[steps] / np.diff(seen.part.amps)[steps]
    return "volts fall while it shows charge" if float(np.median(slope)) < 0.0 else ""


def _idle(seen: _Seen) -> str:
    hour = (seen.part.time_s / 3600.0) % 24.0
    night = hour < NIGHT_H
    day = np.floor(seen.part.time_s / DAY_S)
    least = []
    for each in np.unique(day):
        amps = seen.part.amps[night & (day == each)]
        if len(amps) > 30 and np.quantile(amps, 0.95) < QUIET_A:
            least.append(float(np.quantile(amps, 0.85)))
    if not least:
        return "no quiet night"
    listed = -sum(load.number("standby_a") for load in seen.bay.sound.vehicle.loads)
    over = min(least) - listed  # plugged in, a charger carries what is drawn
    if abs(over) <= IDLE_A:
        return "quiet nights draw what the list says"
    return "quiet nights draw more than the list" if over < 0.0 else "quiet nights draw less than the list"


def _ratio(readings: Readings, full_v: float) -> float:
    """Ah in over Ah out between the first full and the last, NaN where there are no two a day apart."""
    full = np.flatnonzero(readings.volts >= full_v)
    if len(full) < 2 or readings.time_s[full[-1]] - readings.time_s[full[0]] < DAY_S:
        return float("nan")
    amps = readings.amps[full[0] : full[-1]]
    return float(amps[amps > 0.0].sum()) / max(float(-amps[amps < 0.0].sum()), 1e-9)


def _balance(seen: _Seen) -> str:
    full_v = seen.bay.right.charged_voltage_v
    ratio = _ratio(seen.part, full_v) / _ratio(log_of(seen.bay.sound, seed=seen.seed).readings, full_v)
    if np.isnan(ratio):
        return "no two fulls to weigh between"
    if ratio < FITS[0]:
        return "from full to full less goes in than comes out"
    return (
        "from full to full in and out agree"
        if ratio <= FITS[1]
        else "from full to full more goes in than such a bank needs"
    )


def _room(seen: _Seen) -> str:
    """Whether the first charge puts in more than the count had room for."""
    first = np.argmax(seen.part.volts >= seen.bay.right.charged_voltage_v)
    net = np.cumsum(seen.part.amps[: int(first)]) * STEP_S / 3600.0
    room = 1.0 - float(seen.soc[0])
    over = float(net.max(initial=0.0)) / seen.bay.right.capacity_ah - room
    return "the first charge puts in far more than was missing" if over > OFF else ""


def _fulls(seen: _Seen) -> str:
    resets = [at for at in seen.log.resets_s if at >= seen.log.begun_s]
    if not resets:
        return "never 100 %"
    at = np.minimum(np.searchsorted(seen.part.time_s, resets), len(seen.part) - 1)
    volts = float(np.median(seen.part.volts[at]))
    if volts < seen.bay.right.charged_voltage_v - EARLY_V:
        return "100 % comes at volts well under the charger's end"
    return "100 % comes at the end of a charge"


def _arrival(seen: _Seen) -> str:
    pairs = zip(seen.log.resets_s, seen.log.missing, strict=True)
    missing = [lack for at, lack in pairs if at >= seen.log.begun_s]
    if not missing:
        return ""
    return "at 100 % the count still lacked some" if float(np.median(missing)) > BEFORE_FULL else ""


def _top(seen: _Seen) -> str:
    reached = float(np.quantile(seen.part.volts, 0.999)) >= seen.bay.right.charged_voltage_v
    return "volts reach the charger's end" if reached else "volts never reach the charger's end"


def sag_ohm(readings: Readings) -> float:
    """How much volts fall for each amp where most is switched at once, NaN where little is [ohm].

    Args:
        readings: of the log.
    """
    steps = np.diff(readings.amps)
    most = float(np.abs(steps).max(initial=0.0))
    if most < HEAVY_A / 3.0:
        return float("nan")
    heavy = np.abs(steps) > 0.7 * most
    return float(np.median(np.abs(np.diff(readings.volts)[heavy] / steps[heavy])))


def _sag(seen: _Seen) -> str:
    usual = sag_ohm(log_of(seen.bay.sound, seed=seen.seed).readings)
    sag = sag_ohm(seen.part)
    if not sag > 0.0 or not usual > 0.0:
        return ""
    if sag > SAGS * usual:
        return "volts sag more for each amp than such a bank does"
    return (
        "volts sag less for each amp than such a bank does"
        if sag * SAGS < usual
        else "volts sag as such a bank does"
    )


def _rest(seen: _Seen) -> str:
    """Volts at rest against the count, by the papers' chemistry."""
    amps = np.abs(seen.part.amps - np.median(seen.part.amps[np.abs(seen.part.amps) < 2.0]))
    still = np.convolve(amps < 1.0, np.ones(60), mode="full")[: len(amps)] >= 60
    if still.sum() < 60:
        return ""
    bank, volts = seen.bay.plan.bank, seen.part.volts[still]
    curve = np.array([float(rest_v(bank.chemistry, float(at), bank.cells)) for at in GRID])
    by_volts = np.interp(volts, curve, GRID)
    known = by_volts < 0.15 if bank.chemistry == "lfp" else np.ones(len(volts), dtype=np.bool_)
    if known.sum() < 30:
        return ""
    over = float(np.median(seen.soc[still][known] - by_volts[known]))
    if abs(over) <= OFF:
        return "volts at rest agree with the percentage"
    return (
        "volts at rest say less than the percentage"
        if over > 0.0
        else "volts at rest say more than the percentage"
    )


def _gaps(seen: _Seen) -> str:
    gaps = np.flatnonzero(np.diff(seen.part.time_s) > OUT_S)
    if len(gaps) < 2:
        return ""
    long = float(np.median(np.diff(seen.part.time_s)[gaps])) > 3600.0
    return (
        "it is away each night and begins at 100 %" if long else "it is away for minutes and begins at 100 %"
    )


def _refused(seen: _Seen) -> str:
    day = (seen.part.time_s / 3600.0) % 24.0
    noon = (day > 10.0) & (day < 15.0)
    celsius = seen.part.extra["celsius"]
    return "frost, and no charge by day" if noon.any() and float(np.median(celsius[noon])) < 0.0 else ""


SIGNS: tuple[Callable[[_Seen], str], ...] = (
    _direction,
    _gaps,
    _idle,
    _balance,
    _room,
    _fulls,
    _arrival,
    _top,
    _sag,
    _rest,
    _refused,
)
