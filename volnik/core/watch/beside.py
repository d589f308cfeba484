"""A charger's own log beside the bank's: what it gave and did not arrive, loads drew unseen by the shunt.

hidden load = charger's amps - amps into the bank, while the charger works. Source: docs/domain/loads.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Readings

BIN_S = 600.0
WORKS_A = 0.5  # from which a charger works
LEAST_BINS = 18  # three hours of both, under which nothing is said
MOST_LAG = 18  # bins its clock may be off, three hours
BETTER = 0.03  # of the correlation, by which another clock must fit before it is taken
BACKWARDS = 0.15  # share of the time in which less than nothing is hidden: another source gives too
UNDER_A, UNDER_SHARE = 0.5, 0.05  # by which less than nothing counts


@dataclass(frozen=True, slots=True)
class BesideDay:
    """A day of the rig.

    Attributes:
        start_s: its beginning [s since 1970].
        gave_ah: by the charger [Ah].
        hidden_ah: of that straight to loads [Ah].
        drawn_ah: by all loads: given less what the battery gained [Ah].
    """

    start_s: float
    gave_ah: float
    hidden_ah: float
    drawn_ah: float = 0.0


@dataclass(frozen=True, slots=True)
class Beside:
    """What a charger's own log adds.

    Attributes:
        name: of the log.
        hours: both were read while the charger worked.
        load_a: drawn beside it, on average while it works [A].
        days: in order of time.
        lag_s: by which its clock runs ahead of the bank's, taken off [s].
        more_sources: whether something else gives too at those hours, so that the load is at least this.
    """

    name: str
    hours: float
    load_a: float
    days: tuple[BesideDay, ...]
    lag_s: float
    more_sources: bool

    @property
    def gave_ah_day(self) -> float:
        """Given by the charger on a day, on average [Ah]."""
        return float(np.mean([day.gave_ah for day in self.days]))

    @property
    def hidden_ah_day(self) -> float:
        """Straight to loads on a day, on average [Ah]."""
        return float(np.mean([day.hidden_ah for day in self.days]))

    @property
    def drawn_ah_day(self) -> float:
        """By all loads on a day, on average: given less gained, at least where something else gives [Ah]."""
        return float(np.mean([day.drawn_ah for day in self.days]))


def beside(name: str, time_s: Floats, amps: Floats, readings: Readings, zone: str) -> Beside | None:
    """Hold a charger's own log against the bank's; None where too little of both is there.

    Args:
        name: of the charger's log.
        time_s: instants of its readings, rising, shape (k,) [s].
        amps: it gave, shape (k,) [A].
        readings: of the bank.
        zone: the rig's time zone.
    """
    if not len(time_s) or not len(readings):
        return None
    first = max(float(time_s[0]), float(readings.time_s[0]))
    last = min(float(time_s[-1]), float(readings.time_s[-1]))
    count = int((last - first) // BIN_S)
    if count < LEAST_BINS:
        return None
    gave, net = (_bins(first, count, *log) for log in ((time_s, amps), (readings.time_s, readings.amps)))
    lag = _lag(gave, net)
    gave = np.asarray(np.roll(gave, -lag), dtype=np.float64)
    works = np.isfinite(gave) & np.isfinite(net) & (gave > WORKS_A)
    if works.sum() < LEAST_BINS:
        return None
    hidden = np.asarray(np.where(works, gave - net, 0.0), dtype=np.float64)
    under = works & (hidden < -np.maximum(UNDER_A, UNDER_SHARE * np.nan_to_num(gave)))
    starts = np.asarray(first + BIN_S * np.arange(count), dtype=np.float64)
    given = np.asarray(np.where(works, gave, 0.0), dtype=np.float64)
    straight = np.asarray(np.maximum(hidden, 0.0), dtype=np.float64)
    known = np.isfinite(net) & (np.isfinite(gave) | (np.nan_to_num(net) < 0.0))
    drawn = np.asarray(np.where(known, given - np.nan_to_num(net), 0.0), dtype=np.float64)
    days = _days(starts, given, straight, drawn, zone)
    return Beside(
        name,
        float(works.sum()) * BIN_S / 3600.0,
        float(np.maximum(hidden[works], 0.0).mean()),
        days,
        lag * BIN_S,
        float(under.sum()) > BACKWARDS * float(works.sum()),
    )


def _bins(first_s: float, count: int, time_s: Floats, values: Floats) -> Floats:
    """Means over bins, NaN where nothing was read, shape (count,)."""
    place = np.floor((time_s - first_s) / BIN_S).astype(np.int64)
    inside = (place >= 0) & (place < count) & np.isfinite(values)
    sums = np.bincount(place[inside], weights=values[inside], minlength=count)
    each = np.bincount(place[inside], minlength=count)
    return np.asarray(np.where(each > 0, sums / np.maximum(each, 1), math.nan), dtype=np.float64)


def _lag(gave: Floats, net: Floats) -> int:
    """Bins by which the charger's clock runs ahead; 0 unless another fits clearly better."""
    fits = {lag: _fit(np.roll(gave, -lag), net) for lag in range(-MOST_LAG, MOST_LAG + 1)}
    best = max(fits, key=lambda lag: fits[lag])
    return best if fits[best] > fits[0] + BETTER else 0


def _fit(gave: Floats, net: Floats) -> float:
    both = np.isfinite(gave) & np.isfinite(net)
    if both.sum() < LEAST_BINS or gave[both].std() == 0.0 or net[both].std() == 0.0:
        return 0.0
    return float(np.corrcoef(gave[both], net[both])[0, 1])


def _days(starts: Floats, gave: Floats, hidden: Floats, drawn: Floats, zone: str) -> tuple[BesideDay, ...]:
    """By day of the rig's clock; the first and the last only as far as both were read."""
    tz = ZoneInfo(zone)
    local = [datetime.fromtimestamp(float(at), tz).date() for at in starts]
    found = []
    for day in sorted(set(local)):
        here = np.array([each == day for each in local])
        begin = datetime(day.year, day.month, day.day, tzinfo=tz).timestamp()
        hours = BIN_S / 3600.0
        sums = [float(values[here].sum()) * hours for values in (gave, hidden, drawn)]
        found.append(BesideDay(begin, *sums))
    return tuple(found)
