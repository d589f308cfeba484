"""Rigs drawn at random, each with what really happened in it and what its monitor wrote.

On these the band and the check-up are tried.

Two families, so that nothing is tested on what it was set by: "set" keeps near the constants of `cells`;
"apart" has other curves, wider resistances, gassing and hysteresis, other sampling, other meters, other
habits. Spans: estimates.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from benchmarks.trials.banks import TrialBank, drawn_bank
from volnik.core.arrays import Floats
from volnik.core.count.log import gap_limit_s
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.simulation.chargers import RESTART_S, Charger
from volnik.core.simulation.loads import bursts, hours, switched
from volnik.core.simulation.measurement import Meter, metered
from volnik.core.simulation.simulate import Truth, simulate
from volnik.core.simulation.weather import bank_temperature, panel_w, weather

Family = Literal["set", "apart"]
TRIED = ("lfp", "flooded", "agm", "gel")  # in this order the draws of a seed are made
FAULTS = (
    "load_bypass",
    "charger_bypass",
    "reversed",
    "scale",
    "zero_offset",
    "capacity",
    "efficiency",
    "never_resets",
    "early_resets",
    "dead_band",
    "sense_restarts",
    "weak_block",
    "changed_device",
)


@dataclass(frozen=True, slots=True)
class TrialLoad:
    """A load of a trial rig: name, amps it draws, and how it runs.

    "cycling", "hours", "bursts" or "standing".
    """

    name: str
    amps: float
    way: str


@dataclass(frozen=True, slots=True)
class Trial:
    """One rig over some weeks.

    Attributes:
        family, seed, chemistry, fault: which.
        cells: in series.
        readings: what the monitor wrote.
        numbers: what it was set to.
        charge: true charge of the real capacity at each reading, shape (n,).
        capacity_ah: the real one [Ah].
        absorption_v: of its main charger [V].
        loads: as the Survey would list them.
        sources: names of its chargers with most amps.
        told: what the fault is, for people.
    """

    family: Family
    seed: int
    chemistry: str
    fault: str
    cells: int
    readings: Readings
    numbers: Numbers
    charge: Floats
    capacity_ah: float
    absorption_v: float
    loads: tuple[TrialLoad, ...]
    sources: tuple[tuple[str, float], ...]
    message: str = ""

    @property
    def gap_s(self) -> float:
        """The longest interval that counts [s]."""
        return gap_limit_s(self.readings.time_s)


def trial(family: Family, seed: int, chemistry: str, fault: str = "", *, days: int = 28) -> Trial:
    """Draw a rig and run it.

    Args:
        fault: "" for a healthy one, else one of FAULTS.

    Raises:
        ValueError: for a fault there is none of.
    """
    if fault and fault not in FAULTS:
        raise ValueError(f"there is no fault {fault!r}")
    rng = np.random.default_rng([seed, {"set": 1, "apart": 2}[family], TRIED.index(chemistry)])
    return _Draw(rng, family, seed, chemistry, fault, days=days).made()


class _Draw:
    """The drawing of one trial, step by step; every step takes its chance from the same stream."""

    def __init__(
        self, rng: np.random.Generator, family: Family, seed: int, chemistry: str, fault: str, *, days: int
    ) -> None:
        self.rng, self.family, self.seed, self.chemistry, self.fault = rng, family, seed, chemistry, fault
        self.apart = family == "apart"
        self.lead = chemistry != "lfp"
        self.twice = 2 if rng.random() < 0.3 else 1
        self.cells = (6 if self.lead else 4) * self.twice
        self.capacity = float(np.round(rng.uniform(100.0, 460.0), -1))
        step = float(rng.choice([20.0, 30.0, 60.0, 120.0])) if self.apart else 60.0
        begin = 1.76e9 + 86400.0 * rng.integers(0, 300)
        self.sample = step
        self.step_s = min(step, 60.0)
        self.time_s: Floats = np.asarray(
            begin + self.step_s * np.arange(int(days * 86400 / self.step_s)), dtype=np.float64
        )
        self.message = ""

    def bank(self) -> TrialBank:
        """Constants and a curve near or apart from those of the table."""
        worse = float(self.rng.uniform(4.5, 7.0)) if self.fault == "weak_block" else 1.0
        if worse > 1.0:
            self.message = f"resistance × {worse:.1f}"
        return drawn_bank(
            self.rng,
            self.chemistry,
            capacity_ah=self.capacity,
            cells=self.cells,
            apart=self.apart,
            worse=worse,
        )

    def listed(self) -> list[TrialLoad]:
        """The loads: a standing draw, a fridge, something in the evening, something heavy, perhaps more."""
        rng, size = self.rng, self.capacity * self.twice / 200.0
        size = float(np.clip(size, 0.5, 2.0))
        found = [
            TrialLoad("standing", round(float(rng.uniform(0.15, 0.45)), 2), "standing"),
            TrialLoad("fridge", round(float(rng.uniform(3.0, 5.0)) * max(0.8, size / 1.5), 1), "cycling"),
            TrialLoad("lights", round(float(rng.uniform(2.0, 6.0)) * size, 1), "hours"),
            TrialLoad("inverter", round(float(rng.uniform(25.0, 70.0)) * size, 0), "bursts"),
        ]
        if rng.random() < 0.6:
            found.append(TrialLoad("heater", round(float(rng.uniform(2.0, 9.0)) * size, 1), "hours"))
        return found

    def drawn(self, load: TrialLoad) -> Floats:
        """Amps of one load over time."""
        rng, time_s = self.rng, self.time_s
        if load.way == "standing":
            return np.full(len(time_s), load.amps)
        if load.way == "cycling":
            return np.asarray(
                load.amps
                * switched(
                    rng, time_s, duty=float(rng.uniform(0.22, 0.5)), period_s=float(rng.uniform(1500, 4200))
                )
            )
        if load.way == "hours":
            start = float(rng.uniform(17.0, 20.0)) if load.name == "lights" else float(rng.uniform(5.5, 7.5))
            return hours(
                rng,
                time_s,
                amps=load.amps,
                start_h=start,
                end_h=start + float(rng.uniform(1.5, 4.0)),
                zone_h=0.0,
                chance=0.85,
            )
        awake = ((time_s / 3600.0) % 24.0 > 7.0) & ((time_s / 3600.0) % 24.0 < 22.0)
        return bursts(
            rng,
            time_s,
            amps=load.amps,
            length_s=float(rng.uniform(120, 500)),
            a_day=float(rng.uniform(1.5, 4.0)),
            when=np.asarray(awake, dtype=np.float64),
        )

    def chargers(self, needed_a_day: float) -> tuple[list[Charger], Floats]:
        """Solar mostly, engine and shore perhaps; sized so that the bank is often filled.

        Returns them and the bank's temperature.
        """
        rng, time_s = self.rng, self.time_s
        mood = str(rng.choice(["sunny", "mixed", "mixed", "cloudy"]))
        sky = weather(
            rng,
            time_s,
            latitude=float(rng.uniform(38, 52)),
            longitude=0.0,
            mean_c=float(rng.uniform(8, 20)),
            sky=mood,
        )
        celsius = bank_temperature(sky.air_c + 3.0, self.step_s)
        if not self.lead:
            celsius = np.maximum(celsius, 2.0)
        ends = self._ends()
        found = []
        peak = panel_w(sky.sun_w_m2, sky.air_c, 1.0)
        a_day = float(peak.mean()) * 24.0  # Wh a day and watt of panel
        solar = rng.random() < 0.85
        if solar:
            watts = min(
                1400.0, needed_a_day * 13.5 * self.twice / max(a_day, 1.0) * float(rng.uniform(1.1, 2.2))
            )
            available = panel_w(sky.sun_w_m2, sky.air_c, watts) / (13.6 * self.twice)
            found.append(Charger("solar", np.asarray(available), *ends[:3], 0.01 * self.capacity, *ends[3:]))
        if not solar or rng.random() < 0.5:
            most = float(rng.uniform(0.12, 0.25)) * self.capacity
            plugged = hours(
                rng, time_s, amps=1.0, start_h=17.5, end_h=31.0, zone_h=0.0, chance=0.25 if solar else 0.6
            )
            found.append(
                Charger(
                    "shore",
                    most * np.minimum(plugged, 1.0),
                    *ends[:3],
                    0.02 * self.capacity,
                    *ends[3:],
                    RESTART_S,
                )
            )
        if rng.random() < 0.5:
            most = float(rng.uniform(0.10, 0.20)) * self.capacity
            drives = hours(rng, time_s, amps=1.0, start_h=8.5, end_h=9.5, zone_h=0.0, chance=0.6)
            drives = drives + hours(rng, time_s, amps=1.0, start_h=16.0, end_h=17.0, zone_h=0.0, chance=0.5)
            engine = (ends[0], ends[1], 3600.0)
            found.append(
                Charger(
                    "engine",
                    most * np.minimum(drives, 1.0),
                    *engine,
                    0.02 * self.capacity,
                    *ends[3:],
                    RESTART_S,
                )
            )
        return found, celsius

    def _ends(self) -> tuple[float, float, float, float, float, float]:
        """Where chargers end: absorption, float [V], its length [s], cable [ohm], share counted,
        slope [V/K].
        """
        rng = self.rng
        low, high = {"lfp": (14.0, 14.5), "flooded": (14.4, 14.8), "agm": (14.4, 14.7), "gel": (14.0, 14.2)}[
            self.chemistry
        ]
        self.absorption = round(float(rng.uniform(low, high)), 1) * self.twice
        floats = (float(rng.uniform(13.4, 13.7)) if self.lead else 13.5) * self.twice
        slope = -0.024 * self.twice if self.lead and rng.random() < 0.6 else 0.0
        ohm = float(rng.uniform(0.002, 0.006)) * self.twice
        hold_s = float(rng.uniform(2.0, 5.0)) * 3600.0 if self.lead else 7200.0
        return self.absorption, floats, hold_s, ohm, 1.0, slope

    def made(self) -> Trial:
        """The whole trial."""
        rng = self.rng
        bank, listed = self.bank(), self.listed()
        drawn = {load.name: self.drawn(load) for load in listed}
        self._change(listed, drawn)
        total = np.sum(list(drawn.values()), axis=0)
        wanted = float(rng.uniform(0.10, 0.32)) * self.capacity / max(float(total.mean()) * 24.0, 1e-9)
        if wanted < 1.0:  # lighter use, so that the bank is not worn empty: the long loads run more seldom
            for name in ("lights", "heater", "inverter"):
                if name in drawn:
                    kept = np.repeat(rng.random(len(total) // 400 + 1) < max(0.25, wanted), 400)[: len(total)]
                    drawn[name] = drawn[name] * kept
            total = np.sum(list(drawn.values()), axis=0)
        chargers, celsius = self.chargers(float(total.mean()) * 24.0)
        shares = {load.name: 1.0 for load in listed}
        if self.fault == "load_bypass":
            day = {name: float(values.mean()) for name, values in drawn.items() if name != "standing"}
            name = max(day, key=lambda item: day[item])
            shares[name] = 0.0
            self.message = f"{name} bypasses"
        if self.fault == "charger_bypass":
            chargers[0] = replace(chargers[0], counted=0.0)
            self.message = f"{chargers[0].name} bypasses"
        counted = np.sum([shares[name] * values for name, values in drawn.items()], axis=0)
        truth = simulate(
            self.time_s,
            bank=bank,
            charge=float(rng.uniform(0.85, 0.999)),
            celsius=celsius,
            load_a=total,
            load_counted_a=counted,
            chargers=chargers,
        )
        readings, charge = self._written(truth, celsius)
        numbers = self._numbers(bank)
        readings, charge = self._restarts(readings, charge, numbers)
        return Trial(
            self.family,
            self.seed,
            self.chemistry,
            self.fault,
            self.cells,
            readings,
            numbers,
            charge,
            bank.capacity_ah,
            self.absorption,
            tuple(listed),
            tuple((charger.name, float(charger.available_a.max())) for charger in chargers),
            self.message,
        )

    def _change(self, listed: list[TrialLoad], drawn: dict[str, Floats]) -> None:
        if self.fault != "changed_device":
            return
        factor = float(self.rng.choice([0.65, 1.35, 1.6]))
        half = int(len(self.time_s) * self.rng.uniform(0.4, 0.6))
        drawn["fridge"][half:] *= factor
        self.message = f"fridge × {factor:.2f} after {half / len(self.time_s):.0%}"

    def _written(self, truth: Truth, celsius: Floats) -> tuple[Readings, Floats]:
        rng = self.rng
        meter = Meter(offset_a=float(rng.normal(0.0, 0.015)), gain=1.0 + float(rng.normal(0.0, 0.004)))
        if self.apart:
            meter = replace(
                meter,
                noise_v=float(rng.uniform(0.003, 0.012)),
                noise_a=float(rng.uniform(0.01, 0.06)),
                step_a=float(rng.choice([0.01, 0.1])),
                offset_v=float(rng.normal(0.0, 0.02)) * self.twice,
            )
        if self.fault == "reversed":
            meter = replace(meter, gain=-meter.gain)
        elif self.fault == "scale":
            factor = float(rng.choice([0.5, 2.0 / 3.0, 1.25, 1.5, 2.0]))
            meter, self.message = replace(meter, gain=meter.gain * factor), f"amps × {factor:.2f}"
        elif self.fault == "zero_offset":
            offset = float(rng.choice([-1.0, 1.0]) * rng.uniform(0.15, 0.5))
            meter, self.message = replace(meter, offset_a=offset), f"{offset:+.2f} A"
        readings = metered(rng, truth, celsius, meter)
        every = max(1, round(self.sample / self.step_s))
        if every == 1:
            return readings, truth.charge
        kept = slice(None, None, every)
        return Readings(
            readings.time_s[kept],
            readings.volts[kept],
            readings.amps[kept],
            {"celsius": readings.extra["celsius"][kept]},
        ), truth.charge[kept]

    def _numbers(self, bank: TrialBank) -> Numbers:
        rng, chemistry = self.rng, CHEMISTRIES[self.chemistry]
        eta = {"lfp": 0.99, "flooded": 0.96, "agm": 0.97, "gel": 0.97}[self.chemistry]
        values: dict[str, float | None] = {
            "capacity_ah": self.capacity,
            "rated_hours": 20.0,
            "peukert_exponent": float(rng.uniform(1.0, 1.04))
            if not self.lead
            else float(rng.uniform(1.0, 1.12)),
            "coulombic_efficiency": eta,
            "charged_voltage_v": self.absorption - 0.3 * self.twice,
            "tail_current_pct": 4.0 if not self.lead else 2.0,
            "hold_s": chemistry.hold_s,
            "dead_band_a": 0.1,
            "reserve_pct": chemistry.reserve_pct,
            "initial_soc": None,
            "runtime_window_s": 180.0,
            "tail_floor_pct": -0.25,
        }
        if self.fault == "capacity":
            factor = float(rng.choice([0.5, 0.6, 1.6, 2.0]))
            values["capacity_ah"], self.message = self.capacity * factor, f"capacity × {factor:g}"
            values["tail_current_pct"] = (2.0 if self.lead else 4.0) / factor
            values["tail_floor_pct"] = -0.25 / factor
        elif self.fault == "efficiency":
            values["coulombic_efficiency"] = (
                float(rng.uniform(0.85, 0.92)) if not self.lead else float(rng.uniform(0.70, 0.78))
            )
            self.message = f"efficiency {values['coulombic_efficiency']:.2f}"
        elif self.fault == "never_resets":
            if rng.random() < 0.6:
                values["charged_voltage_v"] = self.absorption + 0.15 * self.twice
            else:
                values["tail_current_pct"], values["tail_floor_pct"] = 0.05, 0.0
            self.message = f"{values['charged_voltage_v']:.2f} V, {values['tail_current_pct']:g} %"
        elif self.fault == "early_resets":
            values["charged_voltage_v"] = (13.25 if not self.lead else 13.1) * self.twice
            values["tail_current_pct"], values["hold_s"] = 6.0, 60.0
            self.message = f"{values['charged_voltage_v']:.2f} V, 6 %"
        elif self.fault == "dead_band":
            values["dead_band_a"] = float(rng.uniform(0.5, 1.0))
            self.message = f"dead band {values['dead_band_a']:.2f} A"
        return Numbers(**values)  # type: ignore[arg-type]

    def _restarts(self, readings: Readings, charge: Floats, numbers: Numbers) -> tuple[Readings, Floats]:
        if self.fault != "sense_restarts":
            return readings, charge
        heavy = np.flatnonzero(np.diff(readings.amps) < -0.05 * numbers.capacity_ah)
        if len(heavy) < 3:
            heavy = np.argsort(np.diff(readings.amps))[:40]
        out = np.ones(len(readings), dtype=bool)
        for at in self.rng.choice(heavy, size=min(len(heavy), 12), replace=False):
            out[at + 2 : at + 2 + max(2, round(float(self.rng.uniform(360, 1500)) / self.sample))] = False
        self.message = "the supply drops out as the inverter starts"
        extra = {name: values[out] for name, values in readings.extra.items()}
        return Readings(readings.time_s[out], readings.volts[out], readings.amps[out], extra), charge[out]
