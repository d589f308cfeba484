"""The band about a rig's count: of every reading where the log is short enough, of every half hour where it
is not.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.count.log import Counted
from volnik.core.count.state import CountState, FullReset
from volnik.core.count.uncertainty import (
    CAUSES,
    PRIORS,
    WITHIN,
    Accumulated,
    Band,
    Start,
    band,
    reset_doubt,
    spread,
)
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.half_hours import SLOT_S
from volnik.services.context import AppContext
from volnik.services.log.counted_log import CountedLog
from volnik.services.log.half_hours import QUICK_PIECES, half_hours, waiting
from volnik.store import rigs as store

EXACT_READINGS = 1_500_000  # a longer log is banded by half hours: nobody waits for each reading of a year
HAND_SET, HAND_FULL = (
    0.05,
    0.02,
)  # doubt of a count set by hand, of a full said by hand [0..1]; source: estimate


@dataclass(frozen=True, slots=True)
class Width:
    """The band of a rig's whole log.

    Attributes:
        time_s: shape (n,) [s].
        centre, low, high: charge 0..1, centre NaN while unknown.
        parts: by cause, deviation in charge, shape (n,).
        exact: whether of every reading.
    """

    time_s: Floats
    centre: Floats
    low: Floats
    high: Floats
    parts: dict[str, NDArray[np.float32]]
    exact: bool

    def at(self, at_s: float) -> int:
        """Place of the last value at or before an instant, -1 for none."""
        return int(np.searchsorted(self.time_s, at_s + 1e-6, side="right")) - 1

    def causes(self, place: int) -> list[tuple[str, float]]:
        """Causes at a place, largest first, each with its half width in charge; small ones left out."""
        found = [(name, WITHIN * float(self.parts[name][place])) for name in CAUSES]
        return sorted((finding for finding in found if finding[1] >= 0.001), key=lambda pair: -pair[1])


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
        made = _exact(session, context, counted_log, bank.chemistry, bank.cells)
    elif wait or waiting(context, counted_log) <= QUICK_PIECES:
        made = _coarse(session, context, counted_log, bank.chemistry, bank.cells)
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


def _carried_on(time_s: float, half: float) -> list[tuple[float, float]]:
    """The half width [share] a stretch begins with [s]; none where nothing went before."""
    return [] if math.isnan(half) else [(time_s, half)]


def _exact(
    session: Session, context: AppContext, counted_log: CountedLog, chemistry: str, cells: int
) -> Width:
    """Stretch by stretch of like numbers, each beginning where the one before it ended."""
    found: list[tuple[Floats, Band]] = []
    carried = math.nan
    before: _CountedSpan | None = None
    for stretch in _stretches(session, context, counted_log):
        time_s = stretch.readings.time_s
        # The time between two stretches belongs to the later one: nobody read it, and it widens the band.
        kept = stretch if before is None else _after(before, stretch)
        set_at = _carried_on(float(kept.readings.time_s[0]), carried)
        set_at += _set_by_hand(counted_log, float(time_s[0]), float(time_s[-1]))
        made = band(
            kept.readings,
            kept.counted,
            kept.counted.numbers,
            chemistry=chemistry,
            cells=cells,
            gap_s=kept.gap_s,
            set_at=set_at,
        )
        made = made if before is None else made.part(1, len(kept.readings))
        found.append((time_s, made))
        carried = float(np.sqrt(sum(float(part[-1]) ** 2 for part in made.parts.values())))
        before = stretch
    parts = {
        name: np.concatenate([made.parts[name].astype(np.float32) for _, made in found]) for name in CAUSES
    }
    centre, low, high = (
        np.concatenate([getattr(made, name) for _, made in found]) for name in ("centre", "low", "high")
    )
    return Width(np.concatenate([time_s for time_s, _ in found]), centre, low, high, parts, True)


def _set_by_hand(counted_log: CountedLog, start_s: float, end_s: float) -> list[tuple[float, float]]:
    """When the count was set by hand in a span, and how wide it is from then on (instant [s], 0..1)."""
    return [
        (event.time_s, HAND_SET if event.kind == "set" else HAND_FULL)
        for event in counted_log.events
        if start_s <= event.time_s <= end_s and event.kind in ("set", "full")
    ]


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


def _coarse(
    session: Session, context: AppContext, counted_log: CountedLog, chemistry: str, cells: int
) -> Width:
    """By half hours: what ran up since the last one in which the count stood at full after a reset."""
    some = half_hours(session, context, counted_log)
    numbers = counted_log.on.opening.numbers
    for entry in counted_log.on.entries:
        numbers = entry.numbers or numbers
    prior = PRIORS[chemistry]
    end_s = some.start_s + SLOT_S
    first_reset = min(
        (event.time_s for event in counted_log.events if event.kind in ("reset", "full")), default=math.inf
    )
    at_full = (some.full_h > 0.25) & (end_s > first_reset)
    at = np.maximum.accumulate(np.where(at_full, np.arange(len(some)), -1))
    gap = np.maximum(
        0.0, np.diff(some.start_s, prepend=some.start_s[0] - SLOT_S) / 3600.0 - 0.5
    ) + np.maximum(0.0, 0.5 - some.hours)
    sums = Accumulated(
        np.cumsum(np.full(len(some), 0.5) + gap),
        np.cumsum(some.in_ah - some.out_ah),
        np.cumsum(some.in_ah),
        np.cumsum(some.still_h),
        np.cumsum(gap),
        np.cumsum(some.bent_ah),
        np.zeros(len(some)),
        np.cumsum(some.clamp_ah),
    ).since(at)
    rate = np.where(some.hours > 0, (some.in_ah - some.out_ah) / np.maximum(some.hours, 1e-9), 0.0)
    chosen = np.unique(at[at >= 0])
    shortfall, uncertainty = np.zeros(len(some)), np.full(len(some), 0.3)
    if len(chosen):
        warm = np.nan_to_num(some.high_c[chosen], nan=20.0)
        shortfall[chosen], uncertainty[chosen] = reset_doubt(
            some.mean_v[chosen],
            rate[chosen],
            warm,
            numbers.capacity_ah,
            prior,
            chemistry=chemistry,
            cells=cells,
        )
    place = np.maximum(at, 0)
    start = Start(
        np.where(at >= 0, np.minimum(shortfall[place], 0.1), 0.0),
        np.where(at >= 0, np.minimum(uncertainty[place], 0.1), 0.3),
    )
    flow = float(np.sqrt(np.mean((some.in_ah - some.out_ah) ** 2))) * 2.0
    made = spread(some.end_soc, sums, start, numbers, prior, flow_a=flow, step_h=1.0 / 3600.0)
    return Width(
        end_s,
        made.centre,
        made.low,
        made.high,
        {name: part.astype(np.float32) for name, part in made.parts.items()},
        False,
    )
