"""What each charger of a rig could give on a mean day of a season, by half hours, into a bank never full."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.simulation.season import BEGINS, OPPOSITE, Days, charger_of, stream
from volnik.core.simulation.vehicle import Source, Vehicle
from volnik.core.simulation.weather import weather

SLOTS, STEP_S = 48, 900.0
TRIED_DAYS = 28  # of whole weeks, so that drives and nights on shore power come as often as they do


def offered(vehicle: Vehicle, season: str, sky: str, *, seed: int = 1) -> list[tuple[Source, Floats]]:
    """The chargers with what each could give in every half hour of a mean day, shape (48,) [Ah].

    Args:
        vehicle: the rig as simulated.
        season: a key of BEGINS.
        sky: a key of `weather.SKIES`.
        seed: of the weather and the habits.
    """
    month, day = BEGINS[season if vehicle.latitude >= 0 else OPPOSITE[season]]
    start = datetime(2025, month, day, tzinfo=UTC).timestamp()
    steps = int(TRIED_DAYS * 86400 / STEP_S)
    time_s: Floats = np.asarray(start + STEP_S * np.arange(steps), dtype=np.float64)
    air = weather(
        stream(seed, "sky"),
        time_s,
        latitude=vehicle.latitude,
        longitude=0.0,
        mean_c=vehicle.use.mean_c(season, vehicle.latitude),
        sky=sky,
    )
    days = Days(season, sky, seed, TRIED_DAYS, STEP_S)
    found = []
    for source in vehicle.sources:
        amps = charger_of(vehicle, source, days, time_s, air).available_a
        by_slot = amps.reshape(TRIED_DAYS, SLOTS, -1).mean(axis=(0, 2))
        found.append((source, np.asarray(0.5 * by_slot)))
    return found
