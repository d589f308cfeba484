"""A vehicle run second by second, its switches in someone's hand.

Seeded: same seed and switches, same readings.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.readings import Row
from volnik.core.rig.devices import ResolvedDevice, Windows
from volnik.core.simulation.chargers import RESTART_S, SOLAR_RESTART_S, Charger
from volnik.core.simulation.loads import BURST_S, CYCLE_S, SELDOM
from volnik.core.simulation.season import SHORE_HOURS, stream
from volnik.core.simulation.simulate import SimulationState, simulate
from volnik.core.simulation.vehicle import Source
from volnik.core.simulation.weather import panel_w, weather
from volnik.core.simulation.wired import Wired

Switch = Literal["off", "on", "auto"]
STEP_S, SPAN_S = 1.0, 60.0
SURGE_S = 2.0  # a motor's start-up
BLOCK_S = 3600
STARTER_REST_V, STARTER_CHARGED_V = (
    12.7,
    14.2,
)  # a 12 V starter battery at rest and with the engine on; source: estimate
SUN_FULL = 1000.0  # irradiance that panels are rated at [W/m²]


@dataclass(frozen=True, slots=True)
class Switches:
    """All that someone at the vehicle sets.

    Attributes:
        devices: off, on or auto (by the Survey's hours) by device id; a charger's is its own switch.
        shore, engine: off, on or auto.
        sun: 0..1 of full sun, or None for the weather.
        celsius: of the bank, or None for the weather.
        factor: simulated seconds a second.
    """

    devices: dict[str, Switch] = field(default_factory=dict)
    shore: Switch = "off"
    engine: Switch = "off"
    sun: float | None = 0.0
    celsius: float | None = 20.0
    factor: float = 1.0

    @classmethod
    def living(cls, wired: Wired) -> Switches:
        """A rig in use: everything by itself.

        Args:
            wired: as really wired.
        """
        return cls(
            {device.id: "auto" for device in wired.analysis.devices if device.takes or device.gives},
            "auto",
            "auto",
            None,
            None,
        )

    @classmethod
    def in_the_bay(cls, wired: Wired) -> Switches:
        """A rig being proved: loads off but for what must not go dead, chargers' own switches on, nothing
        feeding them.

        Args:
            wired: as really wired.
        """
        return cls(
            {
                device.id: "auto" if device.safety else "on" if device.gives and not device.takes else "off"
                for device in wired.analysis.devices
                if device.takes or device.gives
            }
        )


@dataclass(frozen=True, slots=True)
class Shown:
    """What is shown of a vehicle.

    The truth, the monitor's word, and each device's real amps, + charges.
    """

    time_s: float
    volts: float
    charge: float
    bank_a: float
    seen_a: float
    celsius: float
    amps: dict[str, float]


class SwitchedVehicle:
    """A vehicle at an instant of its own clock."""

    def __init__(
        self, wired: Wired, *, start_s: float, charge: float, seed: int, switches: Switches | None = None
    ) -> None:
        self.wired, self.seed = wired, seed
        self.switches = switches or Switches.in_the_bay(wired)
        self.time_s = float(math.floor(start_s))
        vehicle = wired.vehicle
        self.bank = vehicle.bank_model()
        self._stands = SimulationState.begun(len(vehicle.sources))
        self._charge = charge
        self._volts = vehicle.bank.nominal_v(vehicle.chemistry)
        self._block_v = self._volts
        self._on_since = dict.fromkeys(self.switches.devices, -math.inf)
        self._day: tuple[int, Floats, Floats] | None = None
        self.shown = Shown(self.time_s, self._volts, charge, 0.0, 0.0, self.switches.celsius or 20.0, {})

    def set(self, **changes: Any) -> None:
        """Change switches; a device switched on begins its start phase."""
        devices = changes.pop("devices", {})
        for device, switch in devices.items():
            if switch == "on" and self.switches.devices.get(device) != "on":
                self._on_since[device] = self.time_s
        self.switches = replace(self.switches, devices={**self.switches.devices, **devices}, **changes)

    def rewire(self, wired: Wired) -> None:
        """Go on with other wires.

        Args:
            wired: as really wired from now on.
        """
        self.wired = wired

    def run(self, until_s: float, *, every_s: float = 1.0) -> list[Row]:
        """Run on; returns the readings at whole multiples of `every_s`, none while the monitor is dead.

        Args:
            until_s: the instant run to [s since 1970].
            every_s: between readings [s].
        """
        rows: list[Row] = []
        until_s = math.floor(until_s)
        while self.time_s < until_s:
            # Watts turn into amps by the volts at the last whole minute, so that how the seconds are cut
            # changes nothing.
            if self.time_s % SPAN_S == 0.0:
                self._block_v = self._volts
            rows += self._span(min(until_s, (self.time_s // SPAN_S + 1.0) * SPAN_S), every_s)
        return rows

    def _bay_celsius(self, air: Floats) -> Floats:
        """The bank's temperature: as set, else a little above the air's [°C]."""
        return air + 2.0 if self.switches.celsius is None else np.full(len(air), self.switches.celsius)

    def _span(self, until_s: float, every_s: float) -> list[Row]:
        time_s = np.arange(self.time_s + STEP_S, until_s + STEP_S / 2, STEP_S)
        vehicle = self.wired.vehicle
        sun, air = self._sky(time_s)
        celsius = self._bay_celsius(air)
        load, counted, each = np.zeros(len(time_s)), np.zeros(len(time_s)), {}
        for item in vehicle.loads:
            drawn = self._drawn(item, time_s)
            each[item.id] = -drawn
            load += drawn
            counted += vehicle.shares[item.id] * drawn
        chargers = [self._charger(source, time_s, sun, air) for source in vehicle.sources]
        truth = simulate(
            time_s,
            bank=self.bank,
            charge=self._charge,
            celsius=celsius,
            load_a=load,
            load_counted_a=counted,
            chargers=chargers,
            stands=self._stands,
            step_s=STEP_S,
        )
        for source, given in zip(vehicle.sources, truth.charger_a, strict=True):
            each[source.drawn.id] = each.get(source.drawn.id, 0.0) + given
        self.time_s, self._volts = float(time_s[-1]), float(truth.volts[-1])
        volts, amps = self._metered(time_s, truth.volts, truth.shunt_a)
        last = {device: float(values[-1]) for device, values in each.items() if not np.isscalar(values)}
        self.shown = Shown(
            self.time_s,
            self._volts,
            float(truth.charge[-1]),
            float(truth.bank_a[-1]),
            float(amps[-1]),
            float(celsius[-1]),
            last,
        )
        if self.wired.faults.dead:
            return []
        aux = self._auxiliary(time_s, celsius, truth.volts)
        wanted = np.flatnonzero(np.isclose(time_s % every_s, 0.0) | (every_s < STEP_S))
        return [
            (
                round(time_s[at] * 1000.0),
                float(volts[at]),
                float(amps[at]),
                *(None if column is None else float(column[at]) for column in aux),
                None,
            )
            for at in wanted
        ]

    def _drawn(self, device: ResolvedDevice, time_s: Floats) -> Floats:
        """What a load really draws [A, positive].

        Watts over the volts of the moment, a surge, a start phase, cycles of its own.
        """
        switch = self.switches.devices.get(device.id, "off")
        amps = device.running_a
        if device.watts is not None:
            amps = device.watts / ((device.number("efficiency") or 1.0) * self._block_v)
        standby = device.number("standby_a")
        if switch == "off":
            return np.full(len(time_s), standby)
        duty = device.number("duty")
        if switch == "on":
            since = self._on_since.get(device.id, -math.inf)
            used, begun = np.ones(len(time_s)), time_s - since
            on = (
                used
                if duty >= 0.98 or duty < SELDOM or not _by_itself(device)
                else _cycles(self.seed, device.id, time_s, CYCLE_S, duty, since_s=since)
            )
        else:
            used = _hours(device.windows, time_s)
            begun = np.full(len(time_s), np.inf)
            period = CYCLE_S if duty >= SELDOM else BURST_S / max(duty, 1e-3)
            on = (
                used
                if duty >= 0.98
                else used * _cycles(self.seed, device.id, time_s, period, duty, since_s=None)
            )
        drawn = np.maximum(amps * on, standby)
        if device.number("start_a") > amps:
            glowing = (begun < device.number("start_s")) & (used > 0)
            drawn = np.where(glowing, device.number("start_a"), drawn)
        elif device.surge_a > amps:
            drawn = np.where((begun < SURGE_S) & (on > 0), device.surge_a, drawn)
        return np.asarray(drawn, dtype=float)

    def _charger(self, source: Source, time_s: Floats, sun: Floats, air: Floats) -> Charger:
        own = self.switches.devices.get(source.drawn.id, "on")
        if source.kind == "solar":
            available = np.minimum(source.most_a, panel_w(sun, air, source.panel_w) / max(self._block_v, 1.0))
        elif source.kind == "engine":
            hours = source.drawn.windows or _driving(self.wired.vehicle.use.drive_h)
            available = source.most_a * self._fed(
                self.switches.engine, time_s, hours, self.wired.vehicle.use.drive_days / 7.0, "engine"
            )
        elif source.kind == "wind":
            available = np.full(len(time_s), 0.3 * source.most_a if self.switches.sun is None else 0.0)
        else:
            hours = (source.drawn.windows if source.drawn.preset.is_source else ()) or SHORE_HOURS
            available = source.most_a * self._fed(
                self.switches.shore, time_s, hours, self.wired.vehicle.use.shore_nights / 7.0, "shore"
            )
        if own == "off":
            available = np.zeros(len(time_s))
        restart_s = SOLAR_RESTART_S if source.kind == "solar" else RESTART_S
        return Charger(
            source.name,
            np.asarray(available, dtype=float),
            source.absorption_v,
            source.float_v,
            source.absorption_s,
            source.end_a,
            source.ohm,
            self.wired.vehicle.shares[source.drawn.id],
            source.slope_v,
            restart_s,
        )

    def _fed(self, switch: Switch, time_s: Floats, hours: Windows, chance: float, name: str) -> Floats:
        """1 while shore power or the engine is on.

        As switched, or by the hours of its use on the days chance picks.
        """
        if switch != "auto":
            return np.full(len(time_s), 1.0 if switch == "on" else 0.0)
        # A night belongs to the day it began on.
        days = np.floor((time_s - 43_200.0) / 86_400.0).astype(int)
        picked = {int(day): stream(self.seed, f"{name} {day}").random() < chance for day in np.unique(days)}
        return np.asarray(_hours(hours, time_s) * np.array([picked[int(day)] for day in days], dtype=float))

    def _sky(self, time_s: Floats) -> tuple[Floats, Floats]:
        """Sun on the panel [W/m2] and air [degrees C]."""
        day = int(time_s[0] // 86_400)
        if self._day is None or self._day[0] != day:
            minutes = day * 86_400.0 + 60.0 * np.arange(1441, dtype=np.float64)
            use = self.wired.vehicle.use
            sky = weather(
                stream(self.seed, f"sky {day}"),
                minutes,
                latitude=self.wired.vehicle.latitude,
                longitude=0.0,
                mean_c=use.mean_c(use.season, self.wired.vehicle.latitude),
                sky=use.sky,
            )
            self._day = day, sky.sun_w_m2, sky.air_c
        _, sun, air = self._day
        at = np.clip((time_s - day * 86_400.0) / 60.0, 0, 1440)
        shine = (
            np.interp(at, np.arange(1441), sun)
            if self.switches.sun is None
            else np.full(len(time_s), self.switches.sun * SUN_FULL)
        )
        return np.asarray(shine), np.interp(at, np.arange(1441), air)

    def _metered(self, time_s: Floats, volts: Floats, shunt_a: Floats) -> tuple[Floats, Floats]:
        """What the monitor shows; its noise hangs on the second alone, however the seconds are cut
        into runs.
        """
        meter = self.wired.meter
        noise = np.empty((len(time_s), 2))
        blocks = (time_s // BLOCK_S).astype(int)
        for block in np.unique(blocks):
            drawn = stream(self.seed, f"meter {block}").normal(size=(BLOCK_S, 2))
            chosen = blocks == block
            noise[chosen] = drawn[(time_s[chosen] % BLOCK_S).astype(int)]
        shown_v = volts + meter.offset_v + meter.noise_v * noise[:, 0]
        shown_a = shunt_a * meter.gain + meter.offset_a + meter.noise_a * noise[:, 1]
        return (
            np.round(np.round(shown_v / meter.step_v) * meter.step_v, 3),
            np.round(np.round(shown_a / meter.step_a) * meter.step_a, 3) + 0.0,
        )

    def _auxiliary(
        self, time_s: Floats, celsius: Floats, volts: Floats
    ) -> tuple[Floats | None, Floats | None, Floats | None]:
        """Temperature, starter volts and midpoint volts, as far as the spare input brings them."""
        use = self.wired.drawn.auxiliary
        engine = self._fed(
            self.switches.engine,
            time_s,
            _driving(self.wired.vehicle.use.drive_h),
            self.wired.vehicle.use.drive_days / 7.0,
            "engine",
        )
        starter_v = np.full(len(engine), STARTER_REST_V)
        starter_v[engine > 0] = STARTER_CHARGED_V
        return (
            np.round(celsius * 2) / 2 if use == "temperature" else None,
            starter_v if use == "starter" else None,
            np.round(volts / 2, 2) if use == "midpoint" else None,
        )


def _by_itself(device: ResolvedDevice) -> bool:
    """Whether a device, switched on, goes on and off by itself: compressors do."""
    return "cycles" in device.preset.traits


def _driving(hours: float) -> tuple[tuple[float, float], ...]:
    return ((8.5, 8.5 + hours / 2.0), (16.0, 16.0 + hours / 2.0)) if hours > 0.0 else ((0.0, 0.0001),)


def _hours(windows: Windows, time_s: Floats) -> Floats:
    """1 within (from, to) hours of the day, else 0; none is always."""
    if not windows:
        return np.ones(len(time_s))
    hour = (time_s / 3600.0) % 24.0
    used = np.zeros(len(time_s), dtype=bool)
    for start, end in windows:
        used |= (hour >= start) & (hour < end) if end > start else (hour >= start) | (hour < end)
    return used.astype(float)


def _cycles(
    seed: int, name: str, time_s: Floats, period_s: float, duty: float, *, since_s: float | None
) -> Floats:
    """On for about `duty` of each period, 1 and 0; each cycle's share is its own.

    Begins on at `since_s` where given.
    """
    phase = stream(seed, f"phase {name}").uniform(0.0, period_s) if since_s is None else -since_s
    if not math.isfinite(phase):
        phase = 0.0
    turn = np.floor((time_s + phase) / period_s).astype(np.int64)
    share = np.empty(len(time_s))
    for item in np.unique(turn):
        share[turn == item] = duty * stream(seed, f"cycle {name} {item}").uniform(0.8, 1.2)
    return (((time_s + phase) / period_s - turn) < share).astype(float)
