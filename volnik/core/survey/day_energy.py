"""A day's energy before there is any log: what each load takes and each charger could give, half hour by half
hour, what of the bank may be used, and for how many days without sun it lasts.

Source: docs/domain/day.md. Figures that nobody read are the usual ones of their kind and are told as guesses.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.simulation.offered import SLOTS, offered
from volnik.core.simulation.vehicle import Vehicle, ah_a_day, in_use_h

Origin = Literal["guess", "said", "measured"]
USE_FIGURES = frozenset({"power_w", "current_a", "duty", "hours"})
BIG = 0.1  # of a day's use, from which a guess is asked about
COLD_FROM_C = 25.0
COLD_PER_C = {
    "lithium": 0.004,
    "lead": 0.008,
}  # of capacity lost for each degree below; source: makers' curves
MOST_COLD = 0.5
SEASONS = ("summer", "spring", "winter")
SKIES = (("sunny", "mostly sunny"), ("mixed", "mixed"), ("cloudy", "mostly grey"))
EVEN_AH = 1.0
FREE = ("solar", "wind")  # what gives while parked without a plug


@dataclass(frozen=True, slots=True)
class LoadDay:
    """One load over a usual day: Ah, by half hours, shape (48,) [Ah], where its figures come from, the hours
    it runs and the amps it then takes.
    """

    id: str
    name: str
    ah: float
    by_slot: Floats
    origin: Origin
    hours: float
    amps: float


@dataclass(frozen=True, slots=True)
class Usable:
    """What of the bank may be used [Ah]: what it holds, what the reserve keeps back, what its own cut-out
    would leave to start again with, what the cold takes away, and what is left to use.
    """

    holds: float
    reserve: float
    after_cut_out: float
    cold: float

    @property
    def left(self) -> float:
        """What may be used [Ah]."""
        return max(0.0, self.holds - self.cold - max(self.reserve, self.after_cut_out))


@dataclass(frozen=True, slots=True)
class SeasonDay:
    """What sun and wind could give in a day of a season under a sky: by half hours, shape (48,), and in all
    [Ah].
    """

    season: str
    sky: str
    by_slot: Floats
    given_ah: float


@dataclass(frozen=True, slots=True)
class DayEnergy:
    """A rig's usual day.

    Attributes:
        loads: as listed, most first.
        usable: of the bank.
        seasons: by season, then by sky.
        efficiency: of what goes in, what stays, 0..1.
        on_call: chargers that an engine or the mains drives: (name, kind, Ah an hour).
        own_ah: what the rig's own log says that a day takes [Ah]; it comes before the list. None without.
    """

    loads: tuple[LoadDay, ...]
    usable: Usable
    seasons: tuple[SeasonDay, ...]
    efficiency: float
    on_call: tuple[tuple[str, str, float], ...] = ()
    own_ah: float | None = None

    @property
    def listed_ah(self) -> float:
        """What all loads take in a day by the list [Ah]."""
        return sum(load.ah for load in self.loads)

    @property
    def use_ah(self) -> float:
        """What a day takes: by the log where it tells, else by the list [Ah]."""
        return self.listed_ah if self.own_ah is None else self.own_ah

    @property
    def days(self) -> float:
        """Days from full to the reserve without any charging; infinite where nothing is used."""
        return self.usable.left / self.use_ah if self.use_ah > 0.0 else math.inf

    @property
    def big_guesses(self) -> tuple[LoadDay, ...]:
        """Loads whose use is guessed and weighs."""
        return tuple(load for load in self.loads if load.origin == "guess" and load.ah > BIG * self.listed_ah)

    @property
    def guessed_share(self) -> float:
        """Of the listed use, what rests on guesses, 0..1."""
        guessed = sum(load.ah for load in self.loads if load.origin == "guess")
        return guessed / self.listed_ah if self.listed_ah > 0.0 else 0.0

    def one(self, season: str, sky: str) -> SeasonDay:
        """A season under a sky.

        Args:
            season: of SEASONS.
            sky: a key of SKIES.
        """
        return next(each for each in self.seasons if (each.season, each.sky) == (season, sky))

    def over_ah(self, one: SeasonDay) -> float:
        """What sun and wind leave over in a day, minus what they lack, parked and without a plug [Ah].

        Args:
            one: of its seasons.
        """
        return self.efficiency * one.given_ah - self.use_ah

    def lasts_days(self, one: SeasonDay) -> float:
        """Days from full to the reserve, parked and without a plug; infinite where nothing lacks.

        Args:
            one: of its seasons.
        """
        over = self.over_ah(one)
        return self.usable.left / -over if over < -EVEN_AH else math.inf


def usable(
    capacity_ah: float, *, reserve_pct: float, cut_out_pct: float | None, is_lead: bool, celsius: float = 25.0
) -> Usable:
    """What of a bank may be used.

    Args:
        capacity_ah: what it holds at 25 °C [Ah].
        reserve_pct: kept back [%].
        cut_out_pct: charge at which its own protection opens [%], or None.
        is_lead: whether it is of lead.
        celsius: of the bank [°C].
    """
    per_c = COLD_PER_C["lead" if is_lead else "lithium"]
    cold = min(MOST_COLD, per_c * max(0.0, COLD_FROM_C - celsius))
    return Usable(
        capacity_ah,
        capacity_ah * reserve_pct / 100.0,
        capacity_ah * (cut_out_pct or 0.0) / 100.0,
        capacity_ah * cold,
    )


def slots_of(device: ResolvedDevice) -> Floats:
    """What a device draws in each half hour of the day, shape (48,) [Ah].

    Args:
        device: with its figures filled in.
    """
    at = (np.arange(SLOTS) + 0.5) / 2.0
    on = np.zeros(SLOTS, dtype=bool)
    for begin, end in device.windows or ((0.0, 24.0),):
        on |= (at >= begin) & (at < end) if begin <= end else (at >= begin) | (at < end)
    amps = np.where(
        on,
        device.number("duty") * device.usual_a + (1.0 - device.number("duty")) * device.number("standby_a"),
        device.number("standby_a"),
    )
    return np.asarray(amps / 2.0, dtype=np.float64)


def origin_of(device: ResolvedDevice) -> Origin:
    """Where a device's use comes from: its log, someone who said it, or what is usual.

    Args:
        device: with its figures filled in.
    """
    learned = device.device.learned
    if learned is not None and learned.amps is not None and learned.duty is not None:
        return "measured"
    told = {name for name in USE_FIGURES - device.assumed if getattr(device.device, name) is not None}
    if not told & {"power_w", "current_a"}:
        return "guess"
    return "said" if told & {"duty", "hours"} or _runs_always(device) else "guess"


def _runs_always(device: ResolvedDevice) -> bool:
    """Whether its kind runs round the clock at its amps, so that nothing is guessed of its hours."""
    preset = device.preset
    return preset.duty >= 1.0 and not preset.hours and not preset.is_inverter


def day_energy(
    vehicle: Vehicle, *, reserve_pct: float, efficiency: float, celsius: float = 25.0, seed: int = 1
) -> DayEnergy:
    """A rig's usual day.

    Args:
        vehicle: the rig as simulated.
        reserve_pct: kept back [%].
        efficiency: of what goes in, what stays, 0..1.
        celsius: of the bank [°C].
        seed: of the weather.
    """
    loads = tuple(sorted(map(_load, vehicle.loads), key=lambda load: -load.ah))
    held = usable(
        vehicle.capacity_ah,
        reserve_pct=reserve_pct,
        cut_out_pct=vehicle.bank.cut_out_pct,
        is_lead=vehicle.chemistry.is_lead,
        celsius=celsius,
    )
    seasons = tuple(_season(vehicle, season, sky, seed) for season in SEASONS for sky, _ in SKIES)
    others = [source for source in vehicle.sources if source.kind not in FREE]
    on_call = tuple((source.name, source.kind, source.most_a) for source in others)
    return DayEnergy(loads, held, seasons, efficiency, on_call)


def _load(device: ResolvedDevice) -> LoadDay:
    hours = in_use_h(device) * device.number("duty")
    slots = slots_of(device)
    return LoadDay(device.id, device.name, ah_a_day(device), slots, origin_of(device), hours, device.usual_a)


def _season(vehicle: Vehicle, season: str, sky: str, seed: int) -> SeasonDay:
    given = [slots for source, slots in offered(vehicle, season, sky, seed=seed) if source.kind in FREE]
    by_slot = np.asarray(np.sum(given, axis=0) if given else np.zeros(SLOTS))
    return SeasonDay(season, sky, by_slot, float(by_slot.sum()))
