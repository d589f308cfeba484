"""A season of one rig: its days simulated from the Survey, the wiring and the weather.

Seeded: same seed, same days.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass, fields, replace
from datetime import UTC, datetime

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Readings
from volnik.core.simulation.chargers import RESTART_S, SOLAR_RESTART_S, Charger
from volnik.core.simulation.loads import device_load, in_use
from volnik.core.simulation.measurement import Meter, metered
from volnik.core.simulation.simulate import SimulationState, Truth, simulate
from volnik.core.simulation.vehicle import Source, Vehicle
from volnik.core.simulation.weather import Weather, bank_temperature, panel_w, weather

DAYS, STEP_S = 90, 60.0  # a season; a tail is held for minutes, so a coarser step would miss it
BEGINS = {"winter": (12, 15), "spring": (3, 15), "summer": (6, 15), "autumn": (9, 15)}
OPPOSITE = {"winter": "summer", "summer": "winter", "spring": "autumn", "autumn": "spring"}
KEPT_C = 1.0  # a lithium bank that charges in winter is kept from freezing
SHORE_HOURS = ((18.0, 7.0),)  # a night on shore power where the Survey names no hours; source: estimate


@dataclass(frozen=True, slots=True)
class Days:
    """Which days are simulated.

    Attributes:
        season, sky: names of them.
        seed: whole number.
        days, step_s: how many, in steps of [s].
        steady_c: the bank at one temperature throughout [degrees C], or None.
        aged: the bank worn.
        frost: a lithium bank is let to freeze and then refuses charge; otherwise it is kept just above.
        begins: charge on the first day [0..1].
    """

    season: str = "spring"
    sky: str = "mixed"
    seed: int = 1
    days: int = DAYS
    step_s: float = STEP_S
    steady_c: float | None = None
    aged: bool = False
    frost: bool = False
    begins: float = 1.0


@dataclass(frozen=True, slots=True)
class Season:
    """A simulated season.

    Attributes:
        days: which.
        truth: what really happened; time is the rig's own, of no particular year.
        celsius: the bank, shape (n,).
        sun_w_m2: shape (n,).
        capacity_ah: what the bank really holds [Ah].
    """

    days: Days
    truth: Truth
    celsius: Floats
    sun_w_m2: Floats
    capacity_ah: float

    def readings(self, meter: Meter | None = None) -> Readings:
        """What the monitor writes down.

        Args:
            meter: how the shunt reads, or None for a true one.
        """
        return metered(self._rng("meter"), self.truth, self.celsius, meter)

    def _rng(self, name: str) -> np.random.Generator:
        return stream(self.days.seed, name)


def stream(seed: int, name: str) -> np.random.Generator:
    """Chance of its own for each thing, so that one device more does not change the others' days.

    Args:
        seed: of the weather and the habits.
        name: of what the chance is for; each has a stream of its own.
    """
    return np.random.default_rng([seed, zlib.crc32(name.encode())])


def season(vehicle: Vehicle, days: Days) -> Season:
    """Simulate a rig over some days.

    Args:
        vehicle: the rig as simulated.

    Raises:
        ValueError: when the bank holds nothing.
    """
    time_s, sky, celsius = _outside(vehicle, days)
    bank = vehicle.bank_model(aged=days.aged)
    load, counted, chargers = _driven(vehicle, days, time_s, sky)
    truth = simulate(
        time_s,
        bank=bank,
        charge=days.begins,
        celsius=celsius,
        load_a=load,
        load_counted_a=counted,
        chargers=chargers,
    )
    return Season(days, truth, celsius, sky.sun_w_m2, bank.capacity_ah)


def changed_season(
    before: Vehicle, after: Vehicle, days: Days, *, at_day: float, then_c: float | None
) -> Season:
    """Simulate a rig that is changed on one day: what it lives through before carries on after it.

    Args:
        before, after: the rig as simulated, with as many chargers.
        days: which.
        at_day: day of the change, from 0 [d].
        then_c: of the bank from then on [°C], None follows the weather; a lithium bank is let to freeze.

    Raises:
        ValueError: where the two have not as many chargers, or a bank holds nothing.
    """
    if len(before.sources) != len(after.sources):
        raise ValueError("a rig cannot lose a charger half-way")
    time_s, sky, celsius = _outside(before, days)
    first = np.arange(len(time_s)) < at_day * 86400.0 / days.step_s
    if then_c is not None:
        celsius = np.where(first, celsius, then_c)
    stands = SimulationState.begun(len(before.sources))
    truths = []
    for vehicle, part in ((before, first), (after, ~first)):
        if not part.any():
            continue
        load, counted, chargers = _driven(vehicle, days, time_s, sky)
        truths.append(
            simulate(
                time_s[part],
                bank=vehicle.bank_model(aged=days.aged),
                charge=days.begins,
                celsius=celsius[part],
                load_a=load[part],
                load_counted_a=counted[part],
                chargers=[replace(each, available_a=each.available_a[part]) for each in chargers],
                stands=stands,
            )
        )
    capacity_ah = after.bank_model(aged=days.aged).capacity_ah
    return Season(days, _one_after_another(truths), celsius, sky.sun_w_m2, capacity_ah)


def _one_after_another(truths: list[Truth]) -> Truth:
    return Truth(
        *(
            np.concatenate([getattr(truth, field.name) for truth in truths], axis=-1)
            for field in fields(Truth)
        )
    )


def _outside(vehicle: Vehicle, days: Days) -> tuple[Floats, Weather, Floats]:
    """Instants [s], the weather, and the bank's temperature [°C]."""
    month, day = BEGINS[days.season if vehicle.latitude >= 0 else OPPOSITE[days.season]]
    start = datetime(2025, month, day, tzinfo=UTC).timestamp()
    time_s: Floats = np.asarray(
        start + days.step_s * np.arange(int(days.days * 86400 / days.step_s)), dtype=np.float64
    )
    sky = weather(
        stream(days.seed, "sky"),
        time_s,
        latitude=vehicle.latitude,
        longitude=0.0,
        mean_c=vehicle.use.mean_c(days.season, vehicle.latitude),
        sky=days.sky,
    )
    celsius = bank_temperature(sky.air_c + 2.0, days.step_s)
    if not days.frost and not vehicle.chemistry.is_lead:
        celsius = np.maximum(celsius, KEPT_C + (vehicle.bank.charge_cold_c or 0.0))
    if days.steady_c is not None:
        celsius = np.full(len(time_s), days.steady_c)
    return time_s, sky, celsius


def _driven(
    vehicle: Vehicle, days: Days, time_s: Floats, sky: Weather
) -> tuple[Floats, Floats, list[Charger]]:
    """What loads draw, what of it is counted [A], and the chargers."""
    load, counted = np.zeros(len(time_s)), np.zeros(len(time_s))
    for device in vehicle.loads:
        drawn = device_load(stream(days.seed, f"load {device.id}"), time_s, device)
        load += drawn
        counted += vehicle.shares[device.id] * drawn
    return load, counted, [charger_of(vehicle, source, days, time_s, sky) for source in vehicle.sources]


def charger_of(vehicle: Vehicle, source: Source, days: Days, time_s: Floats, sky: Weather) -> Charger:
    """A charger of a rig over some days, with what it could give at each instant.

    Args:
        vehicle: the rig as simulated.
        source: of it.
        days: whose seed its hours are drawn by.
        time_s: evenly spaced instants, shape (n,) [s].
        sky: sun and air at them.
    """
    rng = stream(days.seed, f"source {source.drawn.id}")
    use = vehicle.use
    hours = source.drawn.windows
    if source.kind == "solar":
        watts = panel_w(sky.sun_w_m2, sky.air_c, source.panel_w)
        available = np.minimum(source.most_a, watts / (13.6 * vehicle.per_12v))
    elif source.kind == "engine":
        available = source.most_a * in_use(
            rng, time_s, hours or _drives(use.drive_h), chance=use.drive_days / 7.0
        )
    elif source.kind == "wind":
        available = source.most_a * _wind(rng, len(time_s), days.step_s)
    else:
        available = source.most_a * in_use(
            rng, time_s, hours if _own(source) else SHORE_HOURS, chance=use.shore_nights / 7.0
        )
    restart_s = SOLAR_RESTART_S if source.kind == "solar" else RESTART_S
    return Charger(
        source.name,
        np.asarray(available),
        source.absorption_v,
        source.float_v,
        source.absorption_s,
        source.end_a,
        source.ohm,
        source.share,
        source.slope_v,
        restart_s,
    )


def _own(source: Source) -> bool:
    """Whether the Survey names the hours a charger is connected.

    An inverter-charger's hours are the inverter's.
    """
    return bool(source.drawn.windows) and source.drawn.preset.is_source


def _drives(hours: float) -> tuple[tuple[float, float], ...]:
    """The day's driving in a morning and an afternoon half."""
    return ((8.5, 8.5 + hours / 2.0), (16.0, 16.0 + hours / 2.0)) if hours > 0.0 else ((0.0, 0.0001),)


def _wind(rng: np.random.Generator, steps: int, step_s: float) -> Floats:
    """Share of the rated current a wind generator gives.

    The cube of a wind that wanders over hours (estimate).
    """
    coarse = max(2, int(steps * step_s / 1800.0) + 2)
    keep = np.exp(-0.5 / 6.0)
    level = np.empty(coarse)
    value = 0.0
    for at, chance in enumerate(rng.normal(0.0, np.sqrt(1 - keep**2), coarse)):
        value = keep * value + chance
        level[at] = value
    speed = np.interp(np.arange(steps) * step_s / 1800.0, np.arange(coarse), np.exp(0.5 * level)) * 0.5
    return np.asarray(np.clip(speed, 0.0, 1.0) ** 3)
