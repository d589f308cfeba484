"""Rigs simulated in another way altogether, to try band and check-up on what they were not made with.

A table of open volts with both plateaus of lithium and its hysteresis, two relaxing voltages, charge lost
near full by charge and by gassing at high volts, cut-outs, worn banks, a bank's warmth, loads of constant
power, chargers that end by time, a sun of half sines, readings every 10 to 300 s with silences in them. A
fault is there from the start or begins part-way. Nothing of core/simulation or of `rigs.py` is used. Spans:
estimates.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from volnik.core.arrays import Floats
from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts

STEP_S = 10.0
CHARGE = {
    "lfp": [0, 0.02, 0.05, 0.10, 0.16, 0.20, 0.35, 0.50, 0.62, 0.70, 0.85, 0.95, 0.98, 0.99, 1.0, 1.01],
    "lead": [0, 0.05, 0.25, 0.5, 0.75, 1.0, 1.01],
}
OPEN_V = {
    "lfp": [
        2.55,
        2.85,
        3.02,
        3.15,
        3.19,
        3.22,
        3.268,
        3.29,
        3.3,
        3.325,
        3.333,
        3.341,
        3.355,
        3.385,
        3.48,
        4.4,
    ],
    "agm": [11.4, 11.75, 12.15, 12.42, 12.68, 12.95, 13.1],
    "gel": [11.5, 11.8, 12.2, 12.48, 12.72, 12.95, 13.1],
    "flooded": [11.3, 11.6, 12.0, 12.26, 12.5, 12.75, 12.9],
}
"""Open volts by charge: of a lithium cell, of a 12 V lead battery."""

LOST = {"lfp": (0.998, 0.0), "agm": (0.997, 0.2), "gel": (0.997, 0.15), "flooded": (0.993, 0.3)}
"""Of charge what stays below 85 %, and what more is lost at full."""

PARTLY = ("load_bypass", "charger_bypass", "reversed", "scale", "zero_offset", "sense_restarts")
"""Faults that can begin part-way; a setting is as it is from the day it was saved."""

FAULTS = (
    *PARTLY,
    "never_resets",
    "early_resets",
    "capacity",
    "efficiency",
    "dead_band",
)


@dataclass(frozen=True, slots=True)
class Outside:
    """One rig: its log, settings, plan, true charge at each reading, when its fault began [s] or NaN."""

    readings: Readings
    numbers: Numbers
    plan: RigFacts
    charge: Floats
    chemistry: str
    cells: int
    begun_s: float


@njit(cache=True)
def _run(  # type: ignore[no-untyped-def] # noqa: C901, PLR0913, PLR0917 - one loop over a rig's time, compiled
    step_s,
    charge_x,
    charge_v,
    cap,
    r0,
    *,
    r1,
    t1,
    r2,
    t2,
    kept,
    lost,
    gas,
    rise,
    hysteresis,
    cut_v,
    watts,
    counted_w,
    most,
    set_v,
    float_v,
    hold_s,
    share,
    warm,
    volts,
    amps,
    soc_out,
    soc,
):
    v1, v2, lag, dead = 0.0, 0.0, 0.0, False
    sources = most.shape[0]
    stage, timer, dark = np.zeros(sources), np.zeros(sources), np.zeros(sources)
    last_v = 12.8
    for i in range(len(watts)):
        k = min(max(np.searchsorted(charge_x, soc) - 1, 0), len(charge_x) - 2)
        rest = charge_v[k] + (soc - charge_x[k]) / (charge_x[k + 1] - charge_x[k]) * (
            charge_v[k + 1] - charge_v[k]
        )
        cold = 1.0 + 0.02 * max(0.0, 20.0 - warm[i])
        ohm = r0 * cold
        load, seen_load = watts[i] / last_v, counted_w[i] / last_v
        if dead:
            load, seen_load = 0.0, 0.0
        # The charger with the highest goal sets the volts at the end of the step; each gives up to its most.
        given_sum, seen = 0.0, 0.0
        hard = 1.0 + rise / max(1.004 - soc, 0.004)
        quick, slow = step_s / t1, step_s / t2
        inner = rest + v1 * (1.0 - quick) + v2 * (1.0 - slow) + lag
        stiff = ohm + (quick * r1 + slow * r2) * cold * hard
        for c in range(sources):
            goal = set_v[c] if stage[c] < 1.0 else float_v[c]
            could = min(most[c, i], max(0.0, (goal - inner) / stiff + load - given_sum))
            given_sum += could
            seen += could * share[c, i]
            if most[c, i] < 0.05:
                dark[c] += step_s
                if dark[c] > 7200.0:
                    stage[c], timer[c] = 0.0, 0.0
            else:
                dark[c] = 0.0
                if last_v >= goal - 0.08 and stage[c] < 1.0:
                    timer[c] += step_s
                    if timer[c] > hold_s[c]:
                        stage[c] = 1.0
        i_bank = given_sum - load
        if i_bank <= 0.0:
            hard = 1.0
        v1 += step_s / t1 * (i_bank * r1 * cold * hard - v1)
        v2 += step_s / t2 * (i_bank * r2 * cold * hard - v2)
        towards = hysteresis if i_bank > 0.0 else -hysteresis
        lag += min(1.0, abs(i_bank) * step_s / 3600.0 / cap * 25.0) * (towards - lag)
        last_v = rest + v1 + v2 + lag + i_bank * ohm
        if last_v < cut_v or soc <= 0.001:
            dead = True
        elif i_bank > 0.0 or last_v > cut_v + 1.3:
            dead = False
        good = kept - (lost * min(1.0, max(0.0, (soc - 0.85) / 0.15)) ** 2) if i_bank > 0 else 1.0
        boiling = gas * cap / 100.0 * np.exp(9.0 * (last_v - 14.0) / 6.0 * 2.0 + 0.05 * (warm[i] - 20.0))
        soc += (i_bank * good - min(boiling, max(i_bank, 0.0))) * step_s / 3600.0 / cap
        soc = min(1.009, max(0.0, soc))
        volts[i], amps[i], soc_out[i] = last_v, seen - seen_load, soc


def outside(seed: int, chemistry: str, fault: str = "", *, days: int = 21, partly: bool = False) -> Outside:
    """Draw one rig; fault "" or one of FAULTS; `partly` begins it somewhere in the middle.

    Args:
        days: how long its log is.
    """
    made = Draft.drawn(seed, chemistry, days)
    rng = made.rng
    begun = int(made.count * rng.uniform(0.4, 0.65)) if partly else 0
    after = np.arange(made.count) >= begun
    shares = np.ones((len(made.most), made.count))
    counted = dict.fromkeys(made.loads, np.ones(made.count))
    if fault == "load_bypass":
        counted["fridge"] = np.where(after, 0.0, 1.0)
    if fault == "charger_bypass":
        shares[0] = np.where(after, 0.0, 1.0)
    seen = np.sum([counted[name] * values for name, values in made.loads.items()], axis=0) * made.scale
    true_ah = made.cap * made.worn
    volts, amps, charge = made.run(seen, shares, true_ah)
    every = int(rng.choice([1, 1, 3, 6, 12, 30]))
    step_a = float(rng.choice([0.01, 0.01, 0.1]))
    gain, zero = 1.0 + float(rng.normal(0, 0.004)), float(rng.normal(0, 0.015))
    gains, zeros = np.full(made.count, gain), np.full(made.count, zero)
    if fault == "reversed":
        gains = np.where(after, -gain, gain)
    elif fault == "scale":
        gains = np.where(after, gain * float(rng.choice([0.5, 0.667, 1.5, 2.0])), gain)
    elif fault == "zero_offset":
        zeros = np.where(after, float(rng.choice([-1, 1]) * rng.uniform(0.2, 0.5)), zero)
    keep = made.kept(every)
    if fault == "sense_restarts":
        keep &= ~(_silent_at(rng, made.loads["pump"] > 0) & after)
    v = np.round(volts[keep] * made.blocks + rng.normal(0, 0.008, keep.sum()) * made.blocks, 2)
    a = (amps * gains + zeros)[keep] + rng.normal(0, 0.03, keep.sum())
    a = np.round(np.round(a / step_a) * step_a, 2)
    extra = {"celsius": np.round(made.warm[keep], 1)} if rng.random() < 0.5 else {}
    return Outside(
        Readings(made.time_s[keep], v, a, extra),
        made.numbers(rng, fault),
        made.plan(),
        charge[keep],
        chemistry,
        made.cells,
        float(made.time_s[begun]) if fault else float("nan"),
    )


class Draft:
    """A rig as it is drawn: its bank, loads and chargers, before anything is wrong with it."""

    def __init__(self, rng: np.random.Generator, chemistry: str, days: int) -> None:
        self.rng, self.chemistry, self.days = rng, chemistry, days
        self.lead = chemistry != "lfp"
        self.blocks = int(rng.choice([1, 1, 1, 2, 2, 4]))
        self.cells = self.blocks * (6 if self.lead else 4)
        self.cap = float(rng.choice([100, 120, 200, 280, 400, 440]))
        self.worn = float(rng.uniform(0.9, 1.03))
        self.count = int(days * 86400 / STEP_S)
        self.time_s = 1.78e9 + 86400.0 * rng.integers(0, 200) + STEP_S * np.arange(self.count)
        self.hour = self.time_s / 3600.0 % 24.0
        self.day = np.floor((self.time_s - self.time_s[0]) / 86400.0).astype(int)
        self.loads = self._loads()
        self.use = np.sum(list(self.loads.values()), axis=0)
        self.need = self.use.mean() / 12.8 * 24.0
        self.scale = min(1.0, float(rng.uniform(0.2, 0.7)) * self.cap / self.need)
        self.most, self.names = self._sources()
        mean, swing = float(rng.uniform(6, 26)), float(rng.uniform(1, 5))
        self.warm = mean + swing * np.sin((self.hour - 15.0) / 24.0 * 2.0 * np.pi + np.pi / 2.0)
        spans = {"lfp": (14.0, 14.5), "agm": (14.4, 14.7), "gel": (14.1, 14.3), "flooded": (14.4, 14.8)}
        self.absorb = float(rng.uniform(*spans[chemistry]))

    @classmethod
    def drawn(cls, seed: int, chemistry: str, days: int) -> Draft:
        """The rig of a seed, as `outside` begins it.

        Args:
            seed: of the rig.
            chemistry: a key of OPEN_V.
            days: how long its log will be.
        """
        return cls(np.random.default_rng([seed, 77, len(chemistry)]), chemistry, days)

    def _loads(self) -> dict[str, Floats]:
        """Watts of each load at every step, of a 12 V bank."""
        rng, count, hour = self.rng, self.count, self.hour
        self.fridge_w = float(rng.uniform(40, 75))
        self.lamp_w = float(rng.uniform(15, 60))
        self.pump_w = float(rng.uniform(500, 1200))
        fridge = _cycles(rng, count, float(rng.uniform(500, 1400)), float(rng.uniform(900, 2400)))
        evening = (hour > rng.uniform(17, 19)) & (hour < rng.uniform(21.5, 23.5))
        lamp = self.lamp_w * evening * (rng.random(self.days + 2) < 0.9)[self.day]
        pump = np.zeros(count)
        for at in rng.choice(count, size=int(self.days * rng.uniform(3, 7))):
            if 7 < hour[at] < 22:
                pump[at : at + int(rng.uniform(6, 40))] = self.pump_w
        idle = np.full(count, float(rng.uniform(4, 10)))
        return {"fridge": fridge * self.fridge_w, "lamp": lamp, "pump": pump, "idle": idle}

    def _sources(self) -> tuple[Floats, list[str]]:
        """The most that each source can give at every step [A of the bank], and their names."""
        rng, count = self.rng, self.count
        some = np.repeat(rng.uniform(0.4, 1.0, count // 60 + 1), 60)[:count]
        spells = np.convolve(rng.beta(1.6, 1.0, self.days + 4), [0.3, 0.4, 0.3], mode="valid")
        cloud = np.clip(spells[self.day] * some * 1.3, 0.0, 1.0)
        sun = np.clip(np.sin((self.hour - 6.0) / 12.0 * np.pi), 0, None) ** 1.2 * cloud
        panel = self.need * self.scale / max(sun.mean() * 24.0, 0.1) * float(rng.uniform(1.0, 1.9))
        most, names = [panel * sun], ["solar"]
        if rng.random() < 0.6:
            night = ((self.hour > 18) | (self.hour < 7)) * (rng.random(self.days + 2) < 0.4)[self.day]
            most.append(float(rng.uniform(0.1, 0.25)) * self.cap * night)
            names.append("mains")
        if rng.random() < 0.4:
            begin = rng.uniform(7, 17, self.days + 2)[self.day]
            drive = (self.hour > begin) & (self.hour < begin + rng.uniform(0.5, 2.5, self.days + 2)[self.day])
            most.append(
                float(rng.uniform(0.1, 0.3)) * self.cap * drive * (rng.random(self.days + 2) < 0.4)[self.day]
            )
            names.append("engine")
        return np.array(most), names

    def run(self, seen: Floats, shares: Floats, true_ah: float) -> tuple[Floats, Floats, Floats]:
        """Volts of a 12 V bank, amps as counted and true charge at every step."""
        rng, lead = self.rng, self.lead
        sources = len(self.most)
        table = np.array(OPEN_V[self.chemistry]) * (1.0 if lead else 4.0)
        table += float(rng.normal(0, 0.03 if lead else 0.012))
        old = float(rng.uniform(1.0, 1.5))
        volts, amps, charge = np.empty(self.count), np.empty(self.count), np.empty(self.count)
        kept, lost = LOST[self.chemistry]
        _run(
            STEP_S,
            np.array(CHARGE["lead" if lead else "lfp"], dtype=float),
            table,
            true_ah,
            old * float(rng.uniform(0.4, 0.9)) / self.cap,
            r1=old * float(rng.uniform(0.3, 0.7)) / self.cap,
            t1=40.0,
            r2=old * float(rng.uniform(0.5, 1.2)) / self.cap * (1.0 if lead else 0.5),
            t2=5400.0 if lead else 900.0,
            kept=kept,
            lost=lost * float(rng.uniform(0.4, 1.1)),
            gas=float(rng.uniform(0.0, 0.02)) if lead else 0.0,
            rise=0.5 if lead else 0.001,
            hysteresis=0.0 if lead else float(rng.uniform(0.01, 0.05)),
            cut_v=10.6 if lead else 10.8,
            watts=self.use * self.scale,
            counted_w=seen,
            most=self.most,
            set_v=np.full(sources, self.absorb),
            float_v=np.full(sources, 13.6 if lead else 13.5),
            hold_s=rng.uniform(1.5, 4.0, sources) * 3600.0,
            share=shares,
            warm=self.warm,
            volts=volts,
            amps=amps,
            soc_out=charge,
            soc=0.95,
        )
        return volts, amps, charge

    def kept(self, every: int) -> np.ndarray:
        """Which steps are read: one of so many, silences left out."""
        keep: np.ndarray = np.arange(self.count) % every == 0
        for _ in range(int(self.rng.integers(0, 4)) if self.rng.random() < 0.4 else 0):
            at = int(self.rng.integers(self.count))
            keep[at : at + int(self.rng.uniform(0.5, 10.0) * 3600.0 / STEP_S)] = False
        return keep

    def numbers(self, rng: np.random.Generator, fault: str) -> Numbers:
        """As set: rightly, but for what the fault is."""
        lead = self.lead
        values = {
            "capacity_ah": self.cap,
            "rated_hours": 20.0,
            "peukert_exponent": 1.1 if lead else 1.02,
            "coulombic_efficiency": 0.95 if lead else 0.99,
            "charged_voltage_v": (self.absorb - 0.2) * self.blocks,
            "tail_current_pct": 2.5 if lead else 4.0,
            "hold_s": 180.0,
            "dead_band_a": 0.1,
            "reserve_pct": 50.0 if lead else 15.0,
            "initial_soc": None,
            "runtime_window_s": 180.0,
            "tail_floor_pct": -0.25,
        }
        wrong = {
            "never_resets": {"charged_voltage_v": (self.absorb + 0.2) * self.blocks},
            "early_resets": {
                "charged_voltage_v": (13.1 if lead else 13.3) * self.blocks,
                "tail_current_pct": 8.0,
                "hold_s": 60.0,
            },
            "capacity": {"capacity_ah": self.cap * float(rng.choice([0.5, 2.0]))},
            "efficiency": {"coulombic_efficiency": 0.72 if lead else 0.88},
            "dead_band": {"dead_band_a": 1.2},
        }
        return Numbers(**{**values, **wrong.get(fault, {})})  # type: ignore[arg-type]

    def plan(self) -> RigFacts:
        """What the Survey would tell."""
        usual = 13.0
        return RigFacts(
            self.chemistry,
            self.cells,
            (
                KnownLoad("fridge", self.fridge_w * self.scale / usual, True),
                KnownLoad("lamp", self.lamp_w * self.scale / usual),
                KnownLoad("pump", self.pump_w * self.scale / 12.6),
            ),
            (round(self.absorb * self.blocks, 2),),
            tuple((name, 1.0) for name in self.names),
        )


def _silent_at(rng: np.random.Generator, heavy: np.ndarray) -> np.ndarray:
    """Steps lost while the monitor starts anew: most starts of a heavy load, for some minutes."""
    lost = np.zeros(len(heavy), dtype=bool)
    for at in np.flatnonzero(heavy[1:] & ~heavy[:-1]) + 1:
        if rng.random() < 0.85:
            lost[at + 1 : at + 1 + int(rng.uniform(60, 400) / STEP_S)] = True
    return lost


def _cycles(rng: np.random.Generator, count: int, on_s: float, off_s: float) -> Floats:
    """On and off for spans of chance length."""
    made = np.zeros(count)
    at = 0
    while at < count:
        span = max(3, int(rng.gamma(6.0, on_s / 6.0) / STEP_S))
        made[at : at + span] = 1.0
        at += span + max(3, int(rng.gamma(6.0, off_s / 6.0) / STEP_S))
    return made
