"""What a log shows of each listed device's use, held against what is listed: amps, duty, hours, standby.

The shop takes it over by one press; it then stands on the device as `LearnedUse`.
Source: docs/domain/loads.md.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.rig.devices import LearnedUse, ResolvedDevice
from volnik.core.watch.loads import HALF_HOUR_S, HALF_HOURS, Idle, LoadsTold, LoadTold, Run, by_half_hour

LEAST_RUNS, LEAST_DAYS = 6, 5.0  # seen, from which a use is told; source: estimate
ALIKE = 0.15  # share by which a figure may differ from the listed one and still bear it out
SURE = 1.96  # deviations of a mean: 19 of 20
OPEN = 0.2  # share of what is drawn at its hours that may be told of no device
MOST_HIDDEN = 0.25  # share of its hours beside chargers, up to which its use is taken to be told
MOSTLY_IN = 0.9  # of its running time that must lie in its hours
LONGEST_H = 16.0  # hours of a day in use; more is "at any hour"
STEADY = 0.1  # share within which what was taken over goes on holding
MUCH_A, MUCH = 0.8, 0.3  # and share of what is drawn, that no device is told by
LEAST_STANDBY_A = 0.05  # that a standby must be off by to be worth telling
LOWER = 0.9  # of the usual standbys, under which the idle draw speaks against them


@dataclass(frozen=True, slots=True)
class Measured:
    """A figure as the log shows it, with its doubt; `listed` is NaN where none is listed."""

    value: float
    doubt: float
    listed: float
    guessed: bool = False

    @property
    def differs(self) -> bool:
        """Whether the listed figure lies beyond the doubt and what is alike."""
        if math.isnan(self.listed):
            return False
        apart = abs(self.value - self.listed)
        return apart > self.doubt and apart > ALIKE * max(self.value, self.listed, 1e-9)


@dataclass(frozen=True, slots=True)
class LearnedLoad:
    """What the log shows of one listed device.

    Attributes:
        device_id, name: which.
        amps: while it runs [A], None where it is not told apart or has many powers.
        spread_a: between what eight of ten of its runs lay [A], NaN without.
        duty: share of its hours, None where it is not told apart.
        hours: of the day it was in use, () for any hour.
        ah_day: used in a day [Ah].
        standby: drawn while idle [A], None where the log does not tell.
        at_least: why its use is at least what was seen and is not taken over, or "".
        shared: whether that is its part of an idle draw that several have, by what is listed.
        runs: seen.
        use: as it would be kept on the device.
        kept: whether it stands on the device already.
    """

    device_id: str
    name: str
    amps: Measured | None
    spread_a: tuple[float, float]
    duty: Measured | None
    hours: tuple[tuple[float, float], ...]
    ah_day: Measured | None
    standby: Measured | None
    at_least: str
    shared: bool
    runs: int
    use: LearnedUse
    kept: bool

    @property
    def differs(self) -> bool:
        """Whether what it shows is otherwise than listed, and can be taken over."""
        told = self.standby is not None or self.duty is not None
        figures = (self.amps, self.ah_day, self.standby)
        return told and any(figure is not None and figure.differs for figure in figures)


@dataclass(frozen=True, slots=True)
class LogSpan:
    """What a use rests on: the log's last instant [s], days read, the rig's zone."""

    end_s: float
    days: float
    zone: str

    @property
    def until(self) -> date:
        """The day it ended, by the rig's clock."""
        return datetime.fromtimestamp(self.end_s, ZoneInfo(self.zone)).date()


def learned(told: LoadsTold, devices: Iterable[ResolvedDevice], span: LogSpan) -> list[LearnedLoad]:
    """What the log shows of the listed devices, most Ah a day first; those it does not show are left out.

    Args:
        told: loads as the log tells them apart.
        devices: of the rig, with what they are listed with (nothing learned in them).
        span: what it rests on.
    """
    if span.days < LEAST_DAYS:
        return []
    by_key = {load.key: load for load in told.named if load.key and len(load.all_runs) >= LEAST_RUNS}
    listed = [device for device in devices if device.takes]
    standby = _standby(told.idle, listed)
    shown = [device for device in listed if device.id in by_key or device.id in standby]
    found = [
        replace(
            _learned(device, by_key.get(device.id), standby.get(device.id), span, told),
            shared=device.id in standby and len(standby) > 1,
        )
        for device in shown
    ]
    return sorted(found, key=_most_ah)


def _most_ah(one: LearnedLoad) -> float:
    return -one.ah_day.value if one.ah_day is not None else 0.0


def same_use(kept: LearnedUse | None, seen: LearnedUse) -> bool:
    """Whether what stands on a device is what its log goes on showing.

    Args:
        kept: what stands, or None.
        seen: as the log shows it now.
    """
    if kept is None:
        return False
    pairs = (
        (kept.amps, seen.amps),
        (_hours_a_day(kept), _hours_a_day(seen)),
        (kept.standby_a, seen.standby_a),
    )
    return all(
        (was is None and now is None)
        or (was is not None and now is not None and abs(was - now) <= STEADY * max(was, now))
        for was, now in pairs
    )


def _hours_a_day(use: LearnedUse) -> float | None:
    if use.duty is None:
        return None
    return use.duty * sum((end - start) % 24.0 or 24.0 for start, end in use.hours or ((0.0, 24.0),))


def _learned(
    device: ResolvedDevice, load: LoadTold | None, standby: Measured | None, span: LogSpan, told: LoadsTold
) -> LearnedLoad:
    runs = _NOTHING_RAN if load is None else _running(device, load, span, told)
    use = LearnedUse(
        amps=_rounded(runs.amps, 2),
        duty=_rounded(runs.duty, 4),
        hours=None if runs.duty is None else runs.hours or ((0.0, 24.0),),
        standby_a=_rounded(standby, 3),
        days=round(span.days, 1),
        until=span.until,
    )
    return LearnedLoad(
        device.id,
        device.name,
        runs.amps,
        runs.spread_a,
        runs.duty,
        runs.hours,
        runs.ah_day,
        standby,
        runs.at_least,
        False,
        runs.count,
        use,
        False,
    )


@dataclass(frozen=True, slots=True)
class _Runs:
    """What its runs show of a device, as of `LearnedLoad`."""

    amps: Measured | None = None
    spread_a: tuple[float, float] = (math.nan, math.nan)
    duty: Measured | None = None
    hours: tuple[tuple[float, float], ...] = ()
    ah_day: Measured | None = None
    at_least: str = ""
    count: int = 0


_NOTHING_RAN = _Runs()


def _running(device: ResolvedDevice, load: LoadTold, span: LogSpan, told: LoadsTold) -> _Runs:
    hours = () if device.round_the_clock and _cycles(device) else _hours(load.all_runs, span.zone)
    ah_day = _ah_day(device, load, span)
    at_least = _at_least(device, load, span.zone, told)
    duty = None
    if not at_least:
        length_h = sum((end - start) % 24.0 or 24.0 for start, end in hours) or 24.0
        running_a = device.usual_a if load.many else load.amps
        share = min(1.0, load.ah_day / max(1e-9, running_a * length_h))
        relative = ah_day.doubt / max(ah_day.value, 1e-9)
        duty = Measured(share, share * relative, _listed_duty(device, length_h))
    amps = None if load.many else _amps(device, load)
    return _Runs(amps, load.spread_a, duty, hours, ah_day, at_least, len(load.all_runs))


def _rounded(figure: Measured | None, digits: int) -> float | None:
    return None if figure is None else round(figure.value, digits)


def _cycles(device: ResolvedDevice) -> bool:
    return 0.05 <= device.number("duty") <= 0.95


def _amps(device: ResolvedDevice, load: LoadTold) -> Measured:
    """Amps while it runs, and their doubt: of the mean, and of the shunt's zero."""
    sizes = np.array([run.amps for run in load.all_runs])
    doubt = SURE * float(sizes.std()) / math.sqrt(len(sizes)) + 0.01 * load.amps
    return Measured(load.amps, doubt, device.usual_a, guessed=not _states_amps(device))


def _states_amps(device: ResolvedDevice) -> bool:
    return device.states("power_w") or device.states("current_a")


def _listed_duty(device: ResolvedDevice, length_h: float) -> float:
    """Its listed running hours as a share of other hours."""
    return min(1.0, device.number("duty") * _listed_h(device) / length_h)


def _listed_h(device: ResolvedDevice) -> float:
    """Hours of the day it is listed to be in use [h]."""
    return float(sum((end - start) % 24.0 or 24.0 for start, end in device.windows or ((0.0, 24.0),)))


def _ah_day(device: ResolvedDevice, load: LoadTold, span: LogSpan) -> Measured:
    """Ah a day, with the doubt that its days differ by."""
    runs = load.all_runs
    day = np.floor(np.array([run.start_s for run in runs]) / 86400.0).astype(int)
    drawn = np.array([(run.end_s - run.start_s) * run.amps / 3600.0 for run in runs])
    by_day = np.bincount(day - day.min(), weights=drawn)
    count = max(1, round(span.days))
    mean = drawn.sum() / count
    spread = math.sqrt(max(0.0, float((by_day**2).sum()) / count - mean**2))
    scale = load.ah_day / max(mean, 1e-9)
    listed = device.usual_a * device.number("duty") * _listed_h(device)
    return Measured(load.ah_day, SURE * scale * spread / math.sqrt(count), listed)


def _hours(runs: tuple[Run, ...], zone: str) -> tuple[tuple[float, float], ...]:
    """The shortest stretch of the day that holds nine tenths of its running time; () for most of the day."""
    used = _by_half_hour(runs, zone)
    total = used.sum()
    if total <= 0.0:
        return ()
    twice = np.concatenate(([0.0], np.cumsum(np.concatenate((used, used)))))
    for length in range(1, int(2 * LONGEST_H) + 1):
        inside = twice[length : length + HALF_HOURS] - twice[:HALF_HOURS]
        best = int(np.argmax(inside))
        if inside[best] >= MOSTLY_IN * total:
            return ((best / 2.0, ((best + length) % HALF_HOURS) / 2.0 or 24.0),)
    return ()


def _by_half_hour(runs: tuple[Run, ...], zone: str) -> Floats:
    """Seconds it ran in each half hour of the rig's day."""
    return np.asarray(np.roll(by_half_hour(runs), _ahead(runs[-1].end_s, zone)), dtype=np.float64)


def _ahead(at_s: float, zone: str) -> int:
    """Half hours by which the rig's clock is ahead of UTC."""
    offset = datetime.fromtimestamp(at_s, ZoneInfo(zone)).utcoffset()
    return 0 if offset is None else round(offset.total_seconds() / HALF_HOUR_S)


def _at_least(device: ResolvedDevice, load: LoadTold, zone: str, told: LoadsTold) -> str:
    """Why a device's use is at least what was seen, or "": what switches itself is seen often enough."""
    if load.hidden == ():
        return ""
    inside = _inside(device, load.all_runs[-1].end_s, zone)
    hidden_h = 0.5 * float(np.count_nonzero(np.array(load.hidden) & inside))
    if hidden_h > MOST_HIDDEN * _listed_h(device):
        return f"{hidden_h:.0f} h of its day lie beside chargers, where its steps do not show"
    drawn, untold = (float(np.array(amps)[inside].sum()) for amps in (told.drawn_a, told.untold_a))
    return "" if untold <= OPEN * drawn else "at its hours much is drawn of which no device is known"


def _inside(device: ResolvedDevice, at_s: float, zone: str) -> NDArray[np.bool_]:
    """Half hours of the day (UTC) at which it is listed to be in use, shape (48,)."""
    middle = (np.arange(HALF_HOURS) + 0.5) / 2.0
    inside = np.zeros(HALF_HOURS, dtype=bool)
    for start, end in device.windows or ((0.0, 24.0),):
        inside |= (middle >= start) & (middle < end) if start < end else (middle >= start) | (middle < end)
    return np.asarray(np.roll(inside, -_ahead(at_s, zone)))


@dataclass(frozen=True, slots=True)
class Untold:
    """Hours of the rig's day at which much is drawn that no device is told by: how much, from when to when,
    and the listed devices whose use is not told and whose hours these are.
    """

    amps: float
    start_h: float
    end_h: float
    devices: tuple[str, ...]


def untold(
    told: LoadsTold, shown: Iterable[LearnedLoad], devices: Iterable[ResolvedDevice], span: LogSpan
) -> Untold | None:
    """The longest stretch of the day at which much is not told apart; None where there is none.

    Args:
        told: loads as the log tells them apart.
        shown: what it shows of the listed devices.
        devices: of the rig, as listed.
        span: what it rests on.
    """
    ahead = _ahead(span.end_s, span.zone)
    rest, drawn = (np.roll(np.array(amps), ahead) for amps in (told.untold_a, told.drawn_a))
    much = (rest > MUCH_A) & (rest > MUCH * drawn)
    start, length = _longest(much)
    if length < 2:
        return None
    place = (start + np.arange(length)) % HALF_HOURS
    told_ids = {one.device_id for one in shown if one.duty is not None}
    amps = float(rest[place].mean())
    may = [device for device in devices if device.id not in told_ids and _may_be(device, amps)]
    names = tuple(
        device.name for device in may if np.roll(_inside(device, span.end_s, span.zone), ahead)[place].any()
    )
    return Untold(amps, start / 2.0, (start + length) % HALF_HOURS / 2.0 or 24.0, names)


def _may_be(device: ResolvedDevice, amps: float) -> bool:
    """Whether a device may be what draws so much for hours."""
    lasting = device.usual_a * device.number("duty")
    return device.takes and not device.round_the_clock and 0.15 * amps < lasting < 2.0 * amps


def _longest(much: NDArray[np.bool_]) -> tuple[int, int]:
    """Where the longest stretch begins, over midnight too, and its length."""
    if much.all():
        return 0, len(much)
    best, run = (0, 0), 0
    for at, each in enumerate(np.concatenate((much, much))):
        run = run + 1 if each else 0
        if run > best[1]:
            best = (at - run + 1) % len(much), run
    return best


def _standby(idle: Idle | None, devices: list[ResolvedDevice]) -> dict[str, Measured]:
    """Standby of devices that the idle draw speaks against, by id.

    What was stated is taken as it is; what is only usual shares the rest, where less is left than it asks.
    Where more is drawn than is listed something else draws too, and nothing is learned.
    """
    if idle is None:
        return {}
    stated, usual = 0.0, {}
    for device in devices:
        if device.number("duty") >= 0.98 and device.round_the_clock:
            stated += device.usual_a
        elif device.number("standby_a") > 0.0 and device.states("standby_a"):
            stated += device.number("standby_a")
        elif device.number("standby_a") > 0.0:
            usual[device.id] = device.number("standby_a")
    asked, left = sum(usual.values()), idle.amps - stated
    if not usual or left + idle.doubt_a >= LOWER * asked:
        return {}
    share = max(0.0, left) / asked
    return {
        key: Measured(share * amps, idle.doubt_a * amps / asked, amps, guessed=True)
        for key, amps in usual.items()
        if (1.0 - share) * amps >= LEAST_STANDBY_A
    }
