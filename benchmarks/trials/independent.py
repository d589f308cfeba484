"""Rigs simulated in another way altogether, to try band and check-up on what they were not made with.

Two relaxing voltages over a table, charge
that is lost by charge level, loads of constant power, chargers that end by time, a sun of half sines. Nothing
of core/truth is used. Spans: estimates.
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
TABLES = {
    "lfp": (
        np.array([0, 0.02, 0.05, 0.10, 0.20, 0.35, 0.50, 0.62, 0.70, 0.85, 0.95, 0.98, 0.99, 1.0, 1.01]),
        4
        * np.array(
            [2.55, 2.85, 3.02, 3.16, 3.225, 3.272, 3.292, 3.302, 3.326, 3.334, 3.342, 3.356, 3.385, 3.48, 4.4]
        ),
    ),
    "agm": (
        np.array([0, 0.05, 0.25, 0.5, 0.75, 1.0, 1.01]),
        np.array([11.4, 11.75, 12.15, 12.42, 12.68, 12.95, 13.1]),
    ),
    "flooded": (
        np.array([0, 0.05, 0.25, 0.5, 0.75, 1.0, 1.01]),
        np.array([11.3, 11.6, 12.0, 12.26, 12.5, 12.75, 12.9]),
    ),
}
KEPT = {
    "lfp": (0.998, 0.0),
    "agm": (0.995, 0.35),
    "flooded": (0.99, 0.55),
}  # of charge below nine tenths; what more is lost at full


@dataclass(frozen=True, slots=True)
class Outside:
    """One rig: its log, settings, plan, true charge at each reading."""

    readings: Readings
    numbers: Numbers
    plan: RigFacts
    charge: Floats
    chemistry: str
    cells: int


@njit(cache=True)
def _run(  # type: ignore[no-untyped-def] # noqa: PLR0913, PLR0917 - one loop over a rig's whole time, compiled
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
    rise,
    watts,
    counted_w,
    most,
    set_v,
    float_v,
    hold_s,
    share,
    volts,
    amps,
    soc_out,
    soc,
):
    v1, v2 = 0.0, 0.0
    sources = most.shape[0]
    stage, timer, dark = np.zeros(sources), np.zeros(sources), np.zeros(sources)
    last_v = 12.8
    for i in range(len(watts)):
        k = min(max(np.searchsorted(charge_x, soc) - 1, 0), len(charge_x) - 2)
        rest = charge_v[k] + (soc - charge_x[k]) / (charge_x[k + 1] - charge_x[k]) * (
            charge_v[k + 1] - charge_v[k]
        )
        load, seen_load = watts[i] / last_v, counted_w[i] / last_v
        # The charger with the highest goal sets the volts; each gives up to its most.
        given_sum, seen = 0.0, 0.0
        inner = rest + v1 + v2
        for c in range(sources):
            goal = set_v[c] if stage[c] < 1.0 else float_v[c]
            could = min(most[c, i], max(0.0, (goal - inner) / r0 + load - given_sum))
            given_sum += could
            seen += could * share[c]
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
        hard = (
            1.0 + rise / max(1.004 - soc, 0.004) if i_bank > 0 else 1.0
        )  # the taper: what is nearly full takes little
        v1 += step_s / t1 * (i_bank * r1 * hard - v1)
        v2 += step_s / t2 * (i_bank * r2 * hard - v2)
        last_v = rest + v1 + v2 + i_bank * r0
        good = kept - (lost * min(1.0, max(0.0, (soc - 0.85) / 0.15)) ** 2) if i_bank > 0 else 1.0
        soc = min(1.009, max(0.0, soc + i_bank * good * step_s / 3600.0 / cap))
        volts[i], amps[i], soc_out[i] = last_v, seen - seen_load, soc


def outside(  # noqa: C901 -- one draw after the other from one random stream
    seed: int, chemistry: str, fault: str = "", *, days: int = 21
) -> Outside:
    """Draw one rig; fault "" or one of load_bypass charger_bypass reversed scale zero_offset never_resets
    early_resets capacity efficiency dead_band.
    """
    rng = np.random.default_rng([seed, 77, len(chemistry)])
    cap = float(rng.choice([90, 120, 200, 280, 400]))
    count = int(days * 86400 / STEP_S)
    time_s = 1.78e9 + 86400.0 * rng.integers(0, 200) + STEP_S * np.arange(count)
    hour = time_s / 3600.0 % 24.0
    day = np.floor((time_s - time_s[0]) / 86400.0).astype(int)
    fridge_w = float(rng.uniform(40, 75))
    fridge = _cycles(rng, count, float(rng.uniform(500, 1400)), float(rng.uniform(900, 2400))) * fridge_w
    lamp_w = float(rng.uniform(15, 60))
    lamp = (
        lamp_w
        * ((hour > rng.uniform(17, 19)) & (hour < rng.uniform(21.5, 23.5)))
        * (rng.random(days + 2) < 0.9)[day]
    )
    pump_w = float(rng.uniform(300, 900))
    pump = np.zeros(count)
    for at in rng.choice(count, size=int(days * rng.uniform(2, 5))):
        if 7 < hour[at] < 22:
            pump[at : at + int(rng.uniform(6, 30))] = pump_w
    idle = np.full(count, float(rng.uniform(2, 5)))
    loads = {"fridge": fridge, "lamp": lamp, "pump": pump, "idle": idle}
    watts = np.sum(list(loads.values()), axis=0)
    need = watts.mean() / 12.8 * 24.0
    scale = min(1.0, 0.35 * cap / need)
    cloud = np.clip(
        rng.beta(2.2, 1.2, days + 2)[day]
        * np.repeat(rng.uniform(0.4, 1.0, count // 60 + 1), 60)[:count]
        * 1.25,
        0.0,
        1.0,
    )
    sun = np.clip(np.sin((hour - 6.0) / 12.0 * np.pi), 0, None) ** 1.2 * cloud
    panel = need * scale / max(sun.mean() * 24.0, 0.1) * float(rng.uniform(1.1, 1.9))
    most = [panel * sun]
    names = ["solar"]
    if rng.random() < 0.6:
        most.append(
            float(rng.uniform(0.1, 0.25))
            * cap
            * ((hour > 18) | (hour < 7))
            * (rng.random(days + 2) < 0.35)[day]
        )
        names.append("mains")
    absorb = {
        "lfp": float(rng.uniform(14.0, 14.5)),
        "agm": float(rng.uniform(14.4, 14.7)),
        "flooded": float(rng.uniform(14.4, 14.8)),
    }[chemistry]
    lead = chemistry != "lfp"
    sources = len(most)
    counted = dict.fromkeys(loads, 1.0)
    shares = np.ones(sources)
    if fault == "load_bypass":
        counted["fridge"] = 0.0
    if fault == "charger_bypass":
        shares[0] = 0.0
    seen = np.sum([counted[name] * values for name, values in loads.items()], axis=0)
    volts, amps, charge = np.empty(count), np.empty(count), np.empty(count)
    table = TABLES[chemistry]
    bump = float(rng.normal(0, 0.03 if lead else 0.008))
    _run(
        STEP_S,
        table[0],
        table[1] + bump,
        cap,
        float(rng.uniform(0.4, 0.9)) / cap,
        float(rng.uniform(0.3, 0.7)) / cap,
        40.0,
        float(rng.uniform(0.5, 1.2)) / cap * (1.0 if lead else 0.5),
        5400.0 if lead else 900.0,
        *KEPT[chemistry],
        0.5 if lead else 0.001,
        watts * scale,
        seen * scale,
        np.array(most),
        np.full(sources, absorb),
        np.full(sources, 13.6 if lead else 13.5),
        rng.uniform(1.5, 4.0, sources) * 3600.0,
        shares,
        volts,
        amps,
        charge,
        0.95,
    )
    every = int(rng.choice([1, 3, 6, 30]))
    step_a = float(rng.choice([0.01, 0.1]))
    gain = 1.0 + float(rng.normal(0, 0.004))
    zero = float(rng.normal(0, 0.015))
    if fault == "reversed":
        gain = -gain
    elif fault == "scale":
        gain *= float(rng.choice([0.667, 1.5, 2.0]))
    elif fault == "zero_offset":
        zero = float(rng.choice([-1, 1]) * rng.uniform(0.2, 0.5))
    v = np.round(volts[::every] + rng.normal(0, 0.008, len(volts[::every])), 2)
    a = np.round((amps[::every] * gain + zero + rng.normal(0, 0.03, len(v))) / step_a) * step_a
    values = {
        "capacity_ah": cap,
        "rated_hours": 20.0,
        "peukert_exponent": 1.1 if lead else 1.02,
        "coulombic_efficiency": 0.95 if lead else 0.99,
        "charged_voltage_v": absorb - 0.2,
        "tail_current_pct": 2.5 if lead else 4.0,
        "hold_s": 180.0,
        "dead_band_a": 0.1,
        "reserve_pct": 50.0 if lead else 15.0,
        "initial_soc": None,
        "runtime_window_s": 180.0,
        "tail_floor_pct": -0.25,
    }
    if fault == "never_resets":
        values["charged_voltage_v"] = absorb + 0.2
    elif fault == "early_resets":
        values["charged_voltage_v"], values["tail_current_pct"], values["hold_s"] = (
            (13.1 if lead else 13.3),
            8.0,
            60.0,
        )
    elif fault == "capacity":
        values["capacity_ah"] = cap * float(rng.choice([0.5, 2.0]))
    elif fault == "efficiency":
        values["coulombic_efficiency"] = 0.72 if lead else 0.88
    elif fault == "dead_band":
        values["dead_band_a"] = 0.8
    plan = RigFacts(
        chemistry,
        6 if lead else 4,
        (
            KnownLoad("fridge", fridge_w * scale / 13.0, True),
            KnownLoad("lamp", lamp_w * scale / 13.0),
            KnownLoad("pump", pump_w * scale / 12.6),
        ),
        (round(absorb, 2),),
        tuple((name, 1.0) for name in names),
    )
    return Outside(
        Readings(time_s[::every], v, np.round(a, 2)),
        Numbers(**values),  # type: ignore[arg-type]
        plan,
        charge[::every],
        chemistry,
        6 if lead else 4,
    )


def _cycles(rng: np.random.Generator, count: int, on_s: float, off_s: float) -> Floats:
    """On and off for spans of chance length."""
    made = np.zeros(count)
    at = 0
    while at < count:
        span = max(3, int(rng.gamma(6.0, on_s / 6.0) / STEP_S))
        made[at : at + span] = 1.0
        at += span + max(3, int(rng.gamma(6.0, off_s / 6.0) / STEP_S))
    return made
