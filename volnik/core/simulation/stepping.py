"""A bank, its chargers and its loads stepped through time. Equations: docs/domain/truth.md, section 1.

Everything compiled stands in this one file: the compiler's cache does not see a change in another. Inside,
volts and ohms are those of a 12 V bank; they are brought up to the bank's own on the way out.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from volnik.core.arrays import Floats
from volnik.core.compiled import compiled

OHMS_FLOOR = 1e-4  # a charger without wires would swing from step to step
GAS_CONSTANT = 8.314  # [J/(mol K)]
GRID_LOW, GRID_STEP, GRID_POINTS = -0.02, 0.001, 1061  # as in `cells`; compiled in
BACK_CHARGE = 0.02  # of charge above its cut-out, at which a battery gives again; source: estimate
REBULK_V, ABSORBED_V = 0.2, 0.1  # below float, and within absorption [V, 12 V bank]


@compiled()
def _open_v(open_v: Floats, near: float) -> float:
    place = (near - GRID_LOW) / GRID_STEP
    k = min(max(int(place), 0), GRID_POINTS - 2)
    return float(open_v[k] + (place - k) * (open_v[k + 1] - open_v[k]))


class BankFigures(NamedTuple):
    """A bank as it is stepped.

    Attributes:
        p: constants of its cells, as `CellModel.constants`, shape (27,).
        open_v: open-circuit volts over the grid, 12 V bank [V].
        capacity: [Ah].
        per_12v: its volts over those of a 12 V bank.
        charge: where it begins, 0..1.
    """

    p: Floats
    open_v: Floats
    capacity: float
    per_12v: float
    charge: float


class Given(NamedTuple):
    """What is given to a bank: series of shape (n,), and figures of each charger, shape (chargers,).

    Attributes:
        celsius, load_a, load_counted: temperature [°C], load [A, positive], the part that crosses the shunt
            [A].
        available: what each charger can give, shape (chargers, n) [A].
        absorption_v, float_v, absorption_s, end_a, slope_v, restart_s, ohms, counted: of each charger.
    """

    celsius: Floats
    load_a: Floats
    load_counted: Floats
    available: Any
    absorption_v: Floats
    float_v: Floats
    absorption_s: Floats
    end_a: Floats
    slope_v: Floats
    restart_s: Floats
    ohms: Floats
    counted: Floats


class Results(NamedTuple):
    """Arrays that are filled: volts [V], bank and shunt amps [A], charge 0..1, each charger's amps [A]."""

    volts: Floats
    bank_a: Floats
    shunt_a: Floats
    charge: Floats
    chargers: Any


class _Was(NamedTuple):
    """Where a step begins: the slow pair's volts, near and far well, hysteresis."""

    x: float
    near: float
    far: float
    lag: float


class _Step(NamedTuple):
    """One step's figures: the slow pair's resistances either way, its farads, size, temperature, length."""

    r_up: float
    r_down: float
    farad: float
    capacity: float
    celsius: float
    step_s: float


@compiled()
def _amps(x: float, was: _Was, step: _Step, p: Floats, open_v: Floats) -> tuple[float, float, float, float]:
    """What flows when the slow pair ends the step at `x`.

    (bank amps, open-circuit volts at the end, main amps, near well).
    """
    main = x / (step.r_up if x > 0.0 else step.r_down)
    hours = step.step_s / 3600.0
    well = p[10] * p[12] * step.capacity  # near well [Ah]
    # Charge is booked at the terminals, not behind the slow pair: booked there, what relaxes out of the pair
    # after the current stops would drive the steep end of lithium's curve up by itself.
    through = main + step.farad * (x - was.x) / step.step_s
    kept = through * p[13] if through > 0.0 else through
    near = (
        was.near
        + (kept * hours - p[11] * p[12] * step.capacity * (was.near - was.far) * hours) / well
        - p[20] * step.step_s / (p[10] * p[12])
    )
    rest = _open_v(open_v, near) + p[19] * (step.celsius - 25.0) + p[17] * was.lag
    gas = 0.0
    if p[14] > 0.0:
        warmth = p[15] * ((rest + x) / 6.0 - 2.23) + p[16] * (step.celsius - 20.0)
        gas = step.capacity / 100.0 * p[14] * np.exp(min(warmth, 50.0))
    return through + gas, rest, main, near


@compiled()
def _offer(volts: float, goal: Floats, ohms: Floats, available: Any, i: int) -> float:
    total = 0.0
    for c in range(goal.shape[0]):
        total += min(max((goal[c] - volts) / ohms[c], 0.0), available[c, i])
    return total


@compiled()
def run_bank(  # noqa: C901 -- one loop over time, compiled whole
    step_s: float, bank: BankFigures, given_to: Given, out: Results, stands: tuple[Floats, Any]
) -> None:
    """Step a bank through time into the output arrays; see `simulate.simulate` for every argument's meaning.

    Kept as one long function on purpose: it is stepped millions of times a study, and its state stays in
    registers only while the compiler sees the whole of it.

    Args:
        step_s: length of a step [s].
        bank: the cells and their size.
        given_to: load, weather and chargers.
        out: filled in place.
        stands: `kept` (6,) and `stages` (5, chargers): where it stood, and left where it stands; kept[2] NaN
            begins at the bank's charge.
    """
    p, open_v, capacity, per_12v = bank.p, bank.open_v, bank.capacity, bank.per_12v
    celsius, load_a, load_counted, available = (
        given_to.celsius,
        given_to.load_a,
        given_to.load_counted,
        given_to.available,
    )
    absorption_v, float_v, absorption_s = given_to.absorption_v, given_to.float_v, given_to.absorption_s
    end_a, slope_v, restart_s = given_to.end_a, given_to.slope_v, given_to.restart_s
    kept, stages = stands
    chargers = available.shape[0]
    x, lag, near, far = kept[0], kept[1], kept[2], kept[3]
    if np.isnan(near):
        x, lag = 0.0, 0.0
        near = 1.0 - (1.0 - bank.charge) / p[12]
        far = near
    stage = stages[0]  # 0 bulk, 1 absorption, 2 float
    timer, tapered, low, dark = stages[1], stages[2], stages[3], stages[4]
    given, goal = np.zeros(chargers), np.zeros(chargers)
    ohms = np.empty(chargers)
    for c in range(chargers):
        ohms[c] = max(given_to.ohms[c] / per_12v, OHMS_FLOOR)
    charge_ok = kept[4] == 0.0
    load_ok = kept[5] == 0.0
    farad = p[8] * capacity
    for i in range(load_a.shape[0]):
        warm = celsius[i]
        drawn = load_a[i] if load_ok else 0.0
        most = 0.0
        for c in range(chargers):
            most += available[c, i]
            goal[c] = (
                (float_v[c] if stage[c] == 2.0 else absorption_v[c]) + slope_v[c] * (warm - 25.0)
            ) / per_12v
        cold = np.exp(p[9] / GAS_CONSTANT * (1.0 / (warm + 273.15) - 1.0 / 298.15))
        ohmic = (p[0] + p[1] * cold) / capacity
        h = min(near, p[4] - 1e-4)
        d = min(max(1.0 - near, 0.0), p[7] - 1e-4)
        r_up = p[2] * cold * (1.0 + p[3] * max(h, 0.0) / (p[4] - h)) / capacity
        r_down = p[5] * cold * (1.0 + p[6] * d / (p[7] - d)) / capacity
        was = _Was(x, near, far, lag)
        step = _Step(r_up, r_down, farad, capacity, warm, step_s)
        for _attempt in range(2):  # once more without loads where the battery's own protection opens
            # The slow pair's volts at which bank, chargers and loads agree; bank amps rise with it, chargers'
            # fall.
            ease = farad / step_s
            pull = ease * x - drawn
            left = pull / (ease + 1.0 / (r_up if pull > 0.0 else r_down))
            pull = ease * x - drawn + most
            right = pull / (ease + 1.0 / (r_up if pull > 0.0 else r_down))
            amps, rest, main, after = _amps(left, was, step, p, open_v)
            miss_left = amps + drawn - _offer(rest + left + ohmic * amps, goal, ohms, available, i)
            reach = 0.01
            while miss_left > 0.0 and reach < 50.0:  # gassing pulls the lower end up: step below it
                left -= reach
                reach *= 2.0
                amps, rest, main, after = _amps(left, was, step, p, open_v)
                miss_left = amps + drawn - _offer(rest + left + ohmic * amps, goal, ohms, available, i)
            amps, rest, main, after = _amps(right, was, step, p, open_v)
            miss_right = amps + drawn - _offer(rest + right + ohmic * amps, goal, ohms, available, i)
            found = right
            side = 0
            for _ in range(60):  # regula falsi, the stale end halved (Illinois)
                if abs(miss_right - miss_left) < 1e-14:
                    break
                found = (left * miss_right - right * miss_left) / (miss_right - miss_left)
                if not left <= found <= right:
                    found = 0.5 * (left + right)
                amps, rest, main, after = _amps(found, was, step, p, open_v)
                miss = amps + drawn - _offer(rest + found + ohmic * amps, goal, ohms, available, i)
                if abs(miss) < 1e-7 * capacity or right - left < 1e-12:
                    break
                if miss > 0.0:
                    right, miss_right = found, miss
                    if side == 1:
                        miss_left *= 0.5
                    side = 1
                else:
                    left, miss_left = found, miss
                    if side == -1:
                        miss_right *= 0.5
                    side = -1
            refused = (not charge_ok or warm < p[25]) and amps > 0.0
            if refused:
                # protection holds the charge path open: nothing flows, the terminals stand at the chargers'
                # volts
                found = ease * x / (ease + 1.0 / (r_up if x > 0.0 else r_down))
                amps, rest, main, after = _amps(found, was, step, p, open_v)
                amps = 0.0
            volts = rest + found + ohmic * amps
            if refused:
                top = volts
                for c in range(chargers):
                    if available[c, i] > 0.0:
                        top = max(top, goal[c])
                bottom = volts
                for _ in range(40):
                    volts = 0.5 * (bottom + top)
                    if _offer(volts, goal, ohms, available, i) > drawn:
                        bottom = volts
                    else:
                        top = volts
            if not load_ok or drawn <= 0.0 or volts >= p[23]:
                break
            load_ok, drawn = False, 0.0
        if p[11] > 0.0:
            hours = step_s / 3600.0
            far += p[11] * (near - far) * hours / (1.0 - p[10])
        near, x = after, found
        if p[17] > 0.0 and main != 0.0:
            lag += min(1.0, p[18] * abs(main) * step_s / 3600.0 / capacity) * (
                (1.0 if main > 0.0 else -1.0) - lag
            )
        total = 0.0
        for c in range(chargers):
            given[c] = min(max((goal[c] - volts) / ohms[c], 0.0), available[c, i])
            total += given[c]
        # What the search left over goes to the chargers, so that currents add up exactly.
        wanted = amps + drawn
        seen = 0.0
        for c in range(chargers):
            if total > 1e-9:
                given[c] *= max(wanted, 0.0) / total
            out.chargers[c, i] = given[c]
            seen += given_to.counted[c] * given[c]
        if total <= 1e-9:
            amps = -drawn
        out.volts[i], out.bank_a[i] = volts * per_12v, amps
        out.charge[i] = 1.0 - p[12] * (1.0 - (p[10] * near + (1.0 - p[10]) * far))
        out.shunt_a[i] = seen - (load_counted[i] if load_ok else 0.0)
        for c in range(chargers):
            if available[c, i] <= 0.05:
                dark[c] += step_s
                if dark[c] >= restart_s[c]:
                    stage[c], timer[c], tapered[c] = 0.0, 0.0, 0.0
                continue
            dark[c] = 0.0
            at_charger = volts + given[c] * ohms[c]
            if stage[c] < 2.0:
                if at_charger >= goal[c] - ABSORBED_V:
                    stage[c] = 1.0
                    timer[c] += step_s
                    tapered[c] = (
                        tapered[c] + step_s if given[c] < end_a[c] and available[c, i] > end_a[c] else 0.0
                    )
                    if timer[c] >= absorption_s[c] or tapered[c] >= 120.0:
                        stage[c], low[c] = 2.0, 0.0
            else:
                low[c] = low[c] + step_s if at_charger < goal[c] - REBULK_V else 0.0
                if low[c] >= 60.0:
                    stage[c], timer[c], tapered[c] = 0.0, 0.0, 0.0
        if volts > p[21]:
            charge_ok = False
        elif volts < p[22]:
            charge_ok = True
        if load_ok:
            load_ok = out.charge[i] > p[26]
        elif volts > p[24] and out.charge[i] > p[26] + BACK_CHARGE:
            load_ok = True
    kept[0], kept[1], kept[2], kept[3] = x, lag, near, far
    kept[4], kept[5] = 0.0 if charge_ok else 1.0, 0.0 if load_ok else 1.0
