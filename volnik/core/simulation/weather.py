"""Sun and air over a span of days, seeded. Source: docs/domain/truth.md, section 2."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.arrays import Floats

# Chance of a clear, part-cloudy and overcast day, by season's mood, and how strongly a day follows the one
# before.
SKIES = {
    "sunny": np.array([0.65, 0.30, 0.05]),
    "mixed": np.array([0.35, 0.45, 0.20]),
    "cloudy": np.array([0.15, 0.50, 0.35]),
}
PERSISTENCE = 0.35  # chance that tomorrow is like today beside the season's own mix; source: estimate


@dataclass(frozen=True, slots=True)
class Weather:
    """Sun on a flat panel [W/m2] and air [degrees C], shape (n,) each."""

    sun_w_m2: Floats
    air_c: Floats


def weather(
    rng: np.random.Generator,
    time_s: Floats,
    *,
    latitude: float,
    longitude: float,
    mean_c: float,
    sky: str = "mixed",
) -> Weather:
    """Weather at the given instants.

    Args:
        time_s: evenly spaced instants [s since 1970].
        latitude, longitude: degrees, north and east positive.
        mean_c: mean air temperature of the season [degrees C].
        sky: a key of SKIES.
        rng: where chance comes from.
    """
    step_s = float(time_s[1] - time_s[0])
    up = _cos_zenith(time_s, latitude, longitude)
    clear = np.where(up > 0.02, 1098.0 * up * np.exp(-0.057 / np.maximum(up, 0.02)), 0.0)
    day = np.floor((time_s + longitude * 240.0) / 86400.0).astype(int)
    day -= day[0]
    kinds = [int(rng.choice(3, p=SKIES[sky]))]
    for _ in range(day[-1]):
        kinds.append(kinds[-1] if rng.random() < PERSISTENCE else int(rng.choice(3, p=SKIES[sky])))
    kind = np.array(kinds)[day]
    through = np.where(
        kind == 0,
        1.0,
        np.where(kind == 1, _passages(rng, len(time_s), step_s), _overcast(rng, len(time_s), step_s)),
    )
    hour = (time_s / 3600.0 + longitude / 15.0) % 24.0
    daily = rng.normal(0.0, 1.6, day[-1] + 1).cumsum() * 0.5
    air = mean_c + daily[day] + 4.0 * np.cos((hour - 15.0) / 24.0 * 2 * np.pi)
    return Weather(clear * through, air)


def _cos_zenith(time_s: Floats, latitude: float, longitude: float) -> Floats:
    days = time_s / 86400.0
    declination = np.radians(-23.44 * np.cos(2 * np.pi * ((days % 365.2422) + 10.0) / 365.2422))
    hour_angle = np.radians(((time_s / 3600.0 + longitude / 15.0) % 24.0 - 12.0) * 15.0)
    phi = np.radians(latitude)
    return np.asarray(
        np.sin(phi) * np.sin(declination) + np.cos(phi) * np.cos(declination) * np.cos(hour_angle)
    )


def _passages(rng: np.random.Generator, steps: int, step_s: float) -> Floats:
    """Sun about 7 minutes, cloud about 6, as gamma-distributed passages."""
    through = np.ones(steps)
    at, sunny = 0, True
    while at < steps:
        length = max(1, round(rng.gamma(1.3, (420.0 if sunny else 360.0) / 1.3) / step_s))
        if not sunny:
            through[at : at + length] = rng.uniform(0.15, 0.5)
        at, sunny = at + length, not sunny
    return through


def _overcast(rng: np.random.Generator, steps: int, step_s: float) -> Floats:
    """A slow wander between 0.14 and 0.30, half an hour long."""
    keep = np.exp(-step_s / 1800.0)
    noise = rng.normal(0.0, np.sqrt(1 - keep**2), steps)
    level = np.empty(steps)
    value = 0.0
    for at in range(steps):
        value = keep * value + noise[at]
        level[at] = value
    return np.asarray(np.clip(0.22 + 0.04 * level, 0.14, 0.30))


def panel_w(sun_w_m2: Floats, air_c: Floats, peak_w: float) -> Floats:
    """Power of a panel [W]: Wp G/1000 x 0.78 x (1 - 0.004 (Tcell - 25)).

    Args:
        sun_w_m2: on the panel, shape (n,) [W/m²].
        air_c: of the air, shape (n,) [°C].
        peak_w: rated power of the panel [W].
    """
    cell_c = air_c + 0.03 * sun_w_m2
    return peak_w * sun_w_m2 / 1000.0 * 0.78 * (1.0 - 0.004 * (cell_c - 25.0))


def bank_temperature(air_c: Floats, step_s: float) -> Floats:
    """The bank follows the air with a lag of six hours [degrees C].

    Args:
        air_c: of the air, shape (n,) [°C].
        step_s: between samples [s].
    """
    share = 1.0 - np.exp(-step_s / (6 * 3600.0))
    followed = np.empty(len(air_c))
    value = float(air_c[: max(1, int(86400 / step_s))].mean())
    for at in range(len(air_c)):
        value += share * (air_c[at] - value)
        followed[at] = value
    return followed
