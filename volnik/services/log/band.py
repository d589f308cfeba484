"""The band about a rig's count: of every reading where the log is short enough, of every half hour where it
is not.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.evidence import Standing, Word, after_word, full_by_hand, set_by_hand
from volnik.core.count.log import Counted
from volnik.core.count.state import CountState, FullReset
from volnik.core.count.uncertainty import (
    CAUSES,
    WITHIN,
    Accumulated,
    Band,
    Prior,
    Start,
    band,
    prior_for,
    reset_doubt,
    spread,
    told,
)
from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import CELLS_12V
from volnik.core.watch.half_hours import SLOT_S, HalfHours
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.services.path.read import read_path
from volnik.store import rigs as store
from volnik.store import watching

EXACT_READINGS = 1_500_000  # a longer log is banded by half hours: nobody waits for each reading of a year


@dataclass(frozen=True, slots=True)
class Width:
    """The band of a rig's whole log.

    Attributes:
        time_s: shape (n,) [s].
        centre, low, high: charge 0..1, centre NaN while unknown.
        parts: by cause, deviation in charge, shape (n,).
        exact: whether of every reading.
        silence: from which instant on [s] by how much an hour without readings widens it, in charge [1/h].
        later: what was said after the last reading.
    """

    time_s: Floats
    centre: Floats
    low: Floats
    high: Floats
    parts: dict[str, NDArray[np.float32]]
    exact: bool
    silence: tuple[tuple[float, float], ...] = ()
    later: tuple[Word, ...] = ()

    def at(self, at_s: float) -> int:
        """Place of the last value at or before an instant, -1 for none."""
        return int(np.searchsorted(self.time_s, at_s + 1e-6, side="right")) - 1

    def half_before(self, time_s: float) -> float:
        """Half its width at the last reading up to an instant [s], in charge; NaN while nothing is known."""
        return self._half(self.at(time_s))

    def half_after(self, time_s: float) -> float:
        """Half its width at the first reading after an instant [s], or as it stands where there is none."""
        place = int(np.searchsorted(self.time_s, time_s, side="right"))
        if place < len(self.time_s):
            return self._half(place)
        now = self.now(math.inf)
        return math.nan if now is None or math.isnan(now.centre) else now.half

    def _half(self, place: int) -> float:
        if place < 0 or math.isnan(self.centre[place]):
            return math.nan
        return float(self.high[place] - self.low[place]) / 2.0

    def causes(self, place: int) -> list[tuple[str, float]]:
        """Causes at a place, largest first, each with its half width in charge; small ones left out."""
        return _named({name: float(self.parts[name][place]) for name in CAUSES})

    def now(self, at_s: float, *, silent_h: float = 0.0) -> WidthNow | None:
        """The band at an instant; after the last reading before it only where hours without any are given.

        Args:
            at_s: the instant [s].
            silent_h: hours since the last reading that nobody read [h].
        """
        place = self.at(at_s)
        if place < 0:
            return None
        parts = {name: float(self.parts[name][place]) for name in CAUSES}
        parts["gaps"] = min(1.0, parts["gaps"] + self._silent_share(at_s) * max(0.0, silent_h))
        deviation = math.sqrt(sum(part**2 for part in parts.values()))
        standing = Standing(float(self.centre[place]), deviation)
        low, high = float(self.low[place]), float(self.high[place])
        if silent_h > 0.0 and not math.isnan(standing.centre):
            low, high = standing.bounds
        if place == len(self.time_s) - 1:
            for word in self._said_by(at_s):
                standing = after_word(word, standing)
                parts = {"start": standing.deviation}
                low, high = standing.bounds
        return WidthNow(standing.centre, max(0.0, low), min(1.0, high), _named(parts))

    def _silent_share(self, at_s: float) -> float:
        """By how much an hour without readings widens it at an instant [1/h]."""
        return next((share for since_s, share in reversed(self.silence) if since_s <= at_s), 0.0)

    def _said_by(self, at_s: float) -> list[Word]:
        """What was said between the last reading and an instant."""
        return [word for word in self.later if word.time_s <= at_s]


def _named(parts: dict[str, float]) -> list[tuple[str, float]]:
    """Causes with their half widths in charge, largest first; small ones left out."""
    wide = [(name, min(1.0, WITHIN * part)) for name, part in parts.items()]
    return sorted((pair for pair in wide if pair[1] >= 0.001), key=lambda pair: -pair[1])


@dataclass(frozen=True, slots=True)
class WidthNow:
    """The band at one instant: charge 0..1, and its causes with their half widths in charge, largest
    first.
    """

    centre: float
    low: float
    high: float
    causes: list[tuple[str, float]]

    @property
    def half(self) -> float:
        """Half its width [0..1]."""
        return (self.high - self.low) / 2.0


def width_of(
    session: Session, context: AppContext, counted_log: CountedLog, *, wait: bool = False
) -> Width | None:
    """The band of a rig's log, or None while a long one is still being reckoned in the background (or has no
    chemistry known).

    Args:
        wait: reckon it now, however long.
    """
    key = f"width:{counted_log.rig_id}"  # one a rig: the count of a live rig is opened anew as it grows
    found = context.recalled(key)
    if found is not None and found[0] is counted_log:
        return found[1]  # type: ignore[no-any-return]
    bank = store.rig(session, counted_log.rig_id).bank
    if bank is None:
        return None
    if sum(segment.last - segment.first for segment in counted_log.segments) <= EXACT_READINGS:
        made = _exact(session, context, counted_log, bank)
    elif wait or waiting(context, counted_log) <= QUICK_PIECES:
        made = _coarse(session, context, counted_log, bank)
    else:
        _later(context, counted_log)
        return None
    context.remember(key, (counted_log, made))
    return made


def _later(context: AppContext, counted_log: CountedLog) -> None:
    """Reckon in the background, once."""
    name = f"half hours of rig {counted_log.rig_id}"
    if any(thread.name == name for thread in threading.enumerate()):
        return

    def work() -> None:
        with context.db.reading() as session:
            half_hours(session, context, counted_log)

    threading.Thread(target=work, name=name, daemon=True).start()


@dataclass(frozen=True, slots=True)
class _CountedSpan:
    """Readings counted under one set of numbers and one gap limit."""

    readings: Readings
    counted: Counted
    gap_s: float


def _exact(session: Session, context: AppContext, counted_log: CountedLog, bank: Bank) -> Width:
    """Stretch by stretch of like numbers, each beginning where the one before it ended."""
    found: list[tuple[Floats, Band]] = []
    before: _CountedSpan | None = None
    words = _words(session, counted_log, bank)
    most_a = most_flow_a(session, context, counted_log.rig_id)
    for stretch in _stretches(session, context, counted_log):
        carried = None if before is None else _carried(found[-1][1], before, stretch)
        prior = _prior(bank, stretch.counted.numbers, most_a)
        if found:  # what the rig is known to do says more of a silence than what its devices could
            prior = replace(prior, unknown_flow=found[-1][1].silence)
        found.append((stretch.readings.time_s, _banded(stretch, before, carried, words, (bank, prior))))
        before = stretch
    assert before is not None
    readings, numbers = before.readings, before.counted.numbers
    later = tuple(word(readings, numbers) for word in words if word.time_s >= counted_log.end_s)
    return _width_of_stretches(found, later)


def _width_of_stretches(found: list[tuple[Floats, Band]], later: tuple[Word, ...]) -> Width:
    """The band of a log whose stretches were banded one by one."""
    parts = {
        name: np.concatenate([made.parts[name].astype(np.float32) for _, made in found]) for name in CAUSES
    }
    centre, low, high = (
        np.concatenate([getattr(made, name) for _, made in found]) for name in ("centre", "low", "high")
    )
    silence = tuple((float(time_s[0]), made.silence) for time_s, made in found)
    whole_s = np.concatenate([time_s for time_s, _ in found])
    return Width(whole_s, centre, low, high, parts, True, silence, later)


def _banded(
    stretch: _CountedSpan,
    before: _CountedSpan | None,
    carried: Standing | None,
    words: list[_Said],
    of: tuple[Bank, Prior],
) -> Band:
    """The band of a stretch. The time since the one before belongs to it: nobody read it, and it widens."""
    bank, prior = of
    numbers = stretch.counted.numbers
    kept = stretch if before is None else _after(before, stretch)
    made = band(
        kept.readings,
        kept.counted,
        numbers,
        chemistry=bank.chemistry,
        cells=bank.cells,
        gap_s=kept.gap_s,
        prior=prior,
        words=[word(kept.readings, numbers) for word in words if word.is_in(kept)],
        carried=carried,
    )
    return made if before is None else made.part(1, len(kept.readings))


def _carried(made: Band, before: _CountedSpan, stretch: _CountedSpan) -> Standing:
    """What is believed where a stretch begins."""
    ratio = before.counted.numbers.capacity_ah / stretch.counted.numbers.capacity_ah
    return _rescaled(made.standing(), ratio)


def _rescaled(standing: Standing, ratio: float) -> Standing:
    """What is believed, when the capacity is set anew: Ah below full carry over."""
    return Standing(1.0 - (1.0 - standing.centre) * ratio, standing.deviation * ratio)


def _prior(bank: Bank, numbers: Numbers, most_a: float) -> Prior:
    return prior_for(
        bank.chemistry, strings=bank.parallel, capacity_ah=numbers.capacity_ah, most_flow_a=most_a
    )


def most_flow_a(session: Session, context: AppContext, rig_id: int) -> float:
    """The most that a rig's chargers or its loads can move for hours [A]; NaN while no device is known."""
    devices = read_path(session, context, rig_id).analysis("found").devices
    gives_a = sum(device.gives_a for device in devices if device.gives)
    takes_a = sum(device.usual_a * device.number("duty") for device in devices if device.takes)
    return max(gives_a, takes_a) or math.nan


@dataclass(frozen=True, slots=True)
class _Said:
    """Something said of the charge, to be weighed against the readings of its instant.

    Attributes:
        time_s: when [s].
        kind: "set", "full", "supply_lost" or "rest".
        counted: what the count stood at after it [0..1].
        low, high: of rested volts [0..1].
        cells_12v: how many 12 V the bank is.
    """

    time_s: float
    kind: str
    counted: float
    low: float
    high: float
    cells_12v: float

    def is_in(self, span: _CountedSpan) -> bool:
        """Whether it was said within a span."""
        time_s = span.readings.time_s
        return float(time_s[0]) <= self.time_s < float(time_s[-1])

    def __call__(self, readings: Readings, numbers: Numbers) -> Word:
        """What it is worth beside the last reading before it."""
        if self.kind == "set":
            return set_by_hand(self.time_s, self.counted)
        if self.kind == "full":
            place = int(np.searchsorted(readings.time_s, self.time_s, side="right")) - 1
            if place < 0:
                return set_by_hand(self.time_s, self.counted)
            return full_by_hand(
                self.time_s,
                volts=float(readings.volts[place]),
                amps=float(readings.amps[place]),
                read_s=float(readings.time_s[place]),
                numbers=numbers,
                cells_12v=self.cells_12v,
            )
        return Word(self.time_s, self.counted, self.low, self.high)


def _words(session: Session, counted_log: CountedLog, bank: Bank) -> list[_Said]:
    """All that was said of the charge of a rig, in order of time."""
    cells_12v = bank.cells / CELLS_12V[bank.chemistry]
    found = [
        _Said(
            event.time_s,
            event.kind,
            1.0
            - event.after.deficit_ah
            / float(counted_log.on.capacities(np.array([np.nextafter(event.time_s, math.inf)]))[0]),
            math.nan,
            math.nan,
            cells_12v,
        )
        for event in counted_log.events
        if event.kind in ("set", "full", "supply_lost")
    ]
    found += [
        _Said(note.time_s, "rest", math.nan, float(note.body["low"]), float(note.body["high"]), cells_12v)
        for note in watching.notes(session, counted_log.rig_id, "rest")
    ]
    return sorted(found, key=lambda word: word.time_s)


def _after(before: _CountedSpan, stretch: _CountedSpan) -> _CountedSpan:
    """A stretch with the last reading of the one before it put first."""
    first, then = before.readings, stretch.readings
    extra = {
        name: np.concatenate((first.extra[name][-1:] if name in first.extra else [math.nan], values))
        for name, values in then.extra.items()
    }
    readings = Readings(
        np.concatenate((first.time_s[-1:], then.time_s)),
        np.concatenate((first.volts[-1:], then.volts)),
        np.concatenate((first.amps[-1:], then.amps)),
        extra,
    )
    deficits = np.concatenate((before.counted.deficit_ah[-1:], stretch.counted.deficit_ah))
    return _CountedSpan(readings, replace(stretch.counted, deficit_ah=deficits), stretch.gap_s)


def _stretches(session: Session, context: AppContext, counted_log: CountedLog) -> Iterator[_CountedSpan]:
    """The log cut where numbers or gap limit change."""
    held: list[tuple[Readings, Counted]] = []
    last: tuple[float, Numbers] | None = None
    for segment in counted_log.segments:
        readings = counted_log.readings(session, context, segment)
        counted = counted_log.counter(segment).feed(
            readings.time_s, readings.volts, readings.amps, gap_s=segment.gap_s
        )
        now = (segment.gap_s, counted.numbers)
        if last is not None and held and now != last:
            yield _joined(counted_log, held, last[0])
            held = []
        held.append((readings, counted))
        last = now
    if last is not None and held:
        yield _joined(counted_log, held, last[0])


def _joined(counted_log: CountedLog, held: list[tuple[Readings, Counted]], gap_s: float) -> _CountedSpan:
    time_s, volts, amps = (
        np.concatenate([getattr(kept[0], name) for kept in held]) for name in ("time_s", "volts", "amps")
    )
    warm = all("celsius" in kept[0].extra for kept in held)
    extra = {"celsius": np.concatenate([kept[0].extra["celsius"] for kept in held])} if warm else {}
    deficits = np.concatenate([kept[1].deficit_ah for kept in held])
    inside = [
        FullReset(event.time_s, event.before)
        for event in counted_log.events
        if event.kind == "reset" and time_s[0] <= event.time_s <= time_s[-1]
    ]
    return _CountedSpan(
        Readings(time_s, volts, amps, extra),
        Counted(deficits, deficits[:0], inside, [], [], CountState(), held[-1][1].numbers),
        gap_s,
    )


def _coarse(session: Session, context: AppContext, counted_log: CountedLog, bank: Bank) -> Width:
    """By half hours: what ran up since the last one in which the count stood at full after a reset."""
    some = half_hours(session, context, counted_log)
    numbers = counted_log.on.opening.numbers
    for entry in counted_log.on.entries:
        numbers = entry.numbers or numbers
    prior = _prior(bank, numbers, most_flow_a(session, context, counted_log.rig_id))
    end_s = some.start_s + SLOT_S
    rate = np.where(some.hours > 0, (some.in_ah - some.out_ah) / np.maximum(some.hours, 1e-9), 0.0)
    first_reset = min(
        (event.time_s for event in counted_log.events if event.kind in ("reset", "full")), default=math.inf
    )
    at_full = (some.full_h > 0.25) & (end_s > first_reset)
    at = np.maximum.accumulate(np.where(at_full, np.arange(len(some)), -1))
    words = [word(Readings(end_s, some.mean_v, rate), numbers) for word in _words(session, counted_log, bank)]
    flow = float(np.sqrt(np.mean((some.in_ah - some.out_ah) ** 2))) * 2.0
    made = told(
        some.end_soc,
        end_s,
        _run_up(some),
        at,
        _begun(some, rate, at, (bank, prior, numbers)),
        words=[word for word in words if end_s[0] <= word.time_s < end_s[-1]],
        carried=None,
        spread_by=partial(spread, numbers=numbers, prior=prior, flow_a=flow, step_h=1.0 / 3600.0),
    )
    return Width(
        end_s,
        made.centre,
        made.low,
        made.high,
        {name: part.astype(np.float32) for name, part in made.parts.items()},
        False,
        ((float(end_s[0]), made.silence),),
        tuple(word for word in words if word.time_s >= end_s[-1]),
    )


def _run_up(some: HalfHours) -> Accumulated:
    """Running sums over half hours; what lies between two of them was not counted."""
    between_h = np.diff(some.start_s, prepend=some.start_s[0] - SLOT_S) / 3600.0 - 0.5
    gap = np.maximum(0.0, between_h) + np.maximum(0.0, 0.5 - some.hours)
    return Accumulated(
        np.cumsum(np.full(len(some), 0.5) + gap),
        np.cumsum(some.in_ah - some.out_ah),
        np.cumsum(some.in_ah),
        np.cumsum(some.still_h),
        np.cumsum(gap),
        np.cumsum(some.bent_ah),
        np.zeros(len(some)),
        np.cumsum(some.clamp_ah),
    )


def _begun(some: HalfHours, rate_a: Floats, at: NDArray[np.int64], of: tuple[Bank, Prior, Numbers]) -> Start:
    """What each half hour's count began from: the doubt of the reset it rests on."""
    bank, prior, numbers = of
    chosen = np.unique(at[at >= 0])
    shortfall, uncertainty = np.zeros(len(some)), np.full(len(some), 0.3)
    if len(chosen):
        warm = np.nan_to_num(some.high_c[chosen], nan=20.0)
        shortfall[chosen], uncertainty[chosen] = reset_doubt(
            some.mean_v[chosen],
            rate_a[chosen],
            warm,
            numbers.capacity_ah,
            prior,
            chemistry=bank.chemistry,
            cells=bank.cells,
        )
    place = np.maximum(at, 0)
    return Start(
        np.where(at >= 0, np.minimum(shortfall[place], 0.1), 0.0),
        np.where(at >= 0, np.minimum(uncertainty[place], 0.1), 0.3),
    )
