"""A log in half hours: what flowed, between which volts; days, weeks and the forecast are made from these."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from volnik.core.arrays import Floats
from volnik.core.count.log import Counted
from volnik.core.readings import Readings
from volnik.core.settings import Numbers

SLOT_S = 1800.0  # half an hour: a day's habit shows, and a year is 17,520 of them


@dataclass(frozen=True, slots=True)
class HalfHours:
    """Half hours of a log, in order of time; shape (n,) each.

    Attributes:
        start_s: of the half hour [s].
        hours: of it that were counted [h].
        in_ah, out_ah, in_wh, out_wh: as read, dead band and gaps left out [Ah, Wh].
        booked_ah: what the count booked, losses and Peukert included, before it is held at full [Ah],
            positive in.
        low_v, high_v, mean_v: volts [V].
        low_c, high_c: temperature [°C], NaN without.
        low_soc, end_soc: charge 0..1, NaN while unknown.
        full_h: spent at full [h].
        still_h: inside the dead band [h].
        bent_ah, clamp_ah: as of `band.Sums` [Ah].
        most_in_a, most_out_a: greatest amps in and out [A].
    """

    start_s: Floats
    hours: Floats
    in_ah: Floats
    out_ah: Floats
    in_wh: Floats
    out_wh: Floats
    booked_ah: Floats
    low_v: Floats
    high_v: Floats
    mean_v: Floats
    low_c: Floats
    high_c: Floats
    low_soc: Floats
    end_soc: Floats
    full_h: Floats
    still_h: Floats
    bent_ah: Floats
    clamp_ah: Floats
    most_in_a: Floats
    most_out_a: Floats

    def __len__(self) -> int:
        return len(self.start_s)

    def part(self, chosen: NDArray[np.bool_] | slice) -> HalfHours:
        """Some of them.

        Args:
            chosen: which of them.
        """
        return HalfHours(*(getattr(self, column.name)[chosen] for column in fields(self)))


SUMMED = (
    "hours",
    "in_ah",
    "out_ah",
    "in_wh",
    "out_wh",
    "booked_ah",
    "full_h",
    "still_h",
    "bent_ah",
    "clamp_ah",
)
LEAST = ("low_v", "low_c", "low_soc")
GREATEST = ("high_v", "high_c", "most_in_a", "most_out_a")


def none() -> HalfHours:
    """No half hour at all."""
    return HalfHours(*(np.empty(0) for _ in fields(HalfHours)))


def sum_half_hours(
    readings: Readings, counted: Counted, numbers: Numbers, *, gap_s: float, before_s: float = float("nan")
) -> HalfHours:
    """The half hours of a span of readings.

    Args:
        counted: the same span, deficits kept.
        before_s: the last reading before the span [s], NaN at the start of a log.
        numbers: the settings it is counted by.
        gap_s: longest interval that is counted [s].
    """
    if not len(readings):
        return none()
    time_s = readings.time_s
    interval = np.diff(time_s, prepend=time_s[0] if np.isnan(before_s) else before_s)
    hours = np.where(interval <= gap_s, interval, 0.0) / 3600.0
    amps = np.where(np.abs(readings.amps) < numbers.dead_band_a, 0.0, readings.amps)
    place = np.floor(time_s / SLOT_S)
    starts = np.concatenate(([0], np.flatnonzero(np.diff(place)) + 1))
    ends = np.append(starts[1:], len(time_s)) - 1
    soc = np.maximum(0.0, 1.0 - counted.deficit_ah / numbers.capacity_ah)
    celsius = readings.extra.get("celsius", np.full(len(time_s), np.nan))

    def add(values: Floats) -> Floats:
        return np.asarray(np.add.reduceat(values, starts))

    def least(values: Floats) -> Floats:
        return np.asarray(np.fmin.reduceat(values, starts))

    def greatest(values: Floats) -> Floats:
        return np.asarray(np.fmax.reduceat(values, starts))

    count = np.diff(np.append(starts, len(time_s)))
    over = -amps > numbers.rated_a
    ratio = np.where(over, -amps / numbers.rated_a, 1.0)
    bent = np.where(over, -amps * ratio ** (numbers.peukert_exponent - 1.0) * np.log(ratio), 0.0) * hours
    full = counted.deficit_ah == 0.0
    went_in, went_out = np.maximum(amps, 0.0) * hours, np.maximum(-amps, 0.0) * hours
    return HalfHours(
        np.asarray(place[starts] * SLOT_S),
        add(hours),
        add(went_in),
        add(went_out),
        add(went_in * readings.volts),
        add(went_out * readings.volts),
        add(counted.effective_a * hours),
        least(readings.volts),
        greatest(readings.volts),
        add(readings.volts) / count,
        least(celsius),
        greatest(celsius),
        least(soc),
        soc[ends],
        add(np.where(full, hours, 0.0)),
        add(np.where(amps == 0.0, hours, 0.0)),
        add(bent),
        add(np.where(full, went_in, 0.0)),
        greatest(readings.amps),
        greatest(-readings.amps),
    )


def joined(parts: list[HalfHours]) -> HalfHours:
    """Spans in order of time as one; a half hour that lies in two of them becomes one again.

    Args:
        parts: in order of time.
    """
    parts = [half_hours for half_hours in parts if len(half_hours)]
    if not parts:
        return none()
    whole = HalfHours(
        *(
            np.concatenate([getattr(half_hours, each.name) for half_hours in parts])
            for each in fields(HalfHours)
        )
    )
    return grouped(whole, whole.start_s)


def grouped(some: HalfHours, key: Floats) -> HalfHours:
    """Half hours put together where `key`, in order, is the same: into days, weeks, months.

    The key becomes their start.

    Args:
        some: half hours to be grouped.
    """
    if not len(some):
        return some
    starts = np.concatenate(([0], np.flatnonzero(np.diff(key)) + 1))
    ends = np.append(starts[1:], len(some)) - 1
    made: dict[str, Floats] = {"start_s": key[starts], "end_soc": some.end_soc[ends]}
    for name in SUMMED:
        made[name] = np.add.reduceat(getattr(some, name), starts)
    for name in LEAST:
        made[name] = np.fmin.reduceat(getattr(some, name), starts)
    for name in GREATEST:
        made[name] = np.fmax.reduceat(getattr(some, name), starts)
    weight = np.maximum(some.hours, 1e-9)
    made["mean_v"] = np.add.reduceat(some.mean_v * weight, starts) / np.add.reduceat(weight, starts)
    return HalfHours(**made)
