"""The recommended point: the setting that goes least wrong over weathers, meters, temperatures and age.
docs/domain/resetmap.md.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from volnik.core.arrays import Bools, Floats
from volnik.core.numbers.advice import numbers_findings
from volnik.core.numbers.defaults import default_numbers
from volnik.core.numbers.feasibility import feasibility
from volnik.core.numbers.recommended import GASSING_FROM, Recommended, Weathered
from volnik.core.numbers.reset_map import (
    HOLDS_S,
    ZONES,
    Grid,
    ResetMap,
    Sampled,
    grid_for,
    reset_map,
    sampled,
)
from volnik.core.simulation.measurement import Meter
from volnik.core.simulation.season import Days, Season, season
from volnik.core.simulation.vehicle import Vehicle

TRIED_DAYS = 45  # of each circumstance: half a season tells the same point in half the time
NEAR_V, NEAR_PCT = 0.05, 0.5  # a 12 V bank; how far a setting may slip and must still do
BASIN_LEAST, BASIN_TIMES = (
    0.010,
    1.5,
)  # settings whose error is as small as the best one's, for all it matters
WELL_V = 0.1  # of a 12 V bank, and a third of the tail: so far inside the good region nothing slips out of it
SPEAKABLE = 3.0  # times the least error, up to which a setting the findings leave in peace is preferred
FULL_FIELDS = frozenset({"numbers.charged_voltage_v", "numbers.tail_current_pct", "numbers.hold_s"})
BESIDE = frozenset({"numbers.N24"})  # a charger that alone does not reach it, beside others that do
TAILS = (1.0, 6.0)  # outside these the tail itself is a finding
HOLD_WORTH = 0.003  # expected error another hold must save before the customary one is left


@dataclass(frozen=True, slots=True)
class Scenario:
    """One set of circumstances a setting must do in. weather.

    One of the plain weathers, meter and bank as they should be.
    """

    name: str
    days: Days
    meter: Meter = Meter()
    weather: bool = False


def scenarios(vehicle: Vehicle, seed: int) -> list[Scenario]:
    """Weathers, a meter a little off, cold, heat, age. Source of the spans: docs/domain/resetmap.md.

    Args:
        vehicle: the rig as simulated.
        seed: of the weather and the habits.
    """
    plain = Days("spring", vehicle.use.sky, seed, TRIED_DAYS)
    off_v = 0.05 * vehicle.per_12v
    return [
        Scenario("spring", plain, weather=True),
        Scenario("summer", replace(plain, season="summer", sky="sunny"), weather=True),
        Scenario("cloudy winter", replace(plain, season="winter", sky="cloudy"), weather=True),
        Scenario("meter reads high", plain, Meter(offset_v=off_v)),
        Scenario("meter reads low", plain, Meter(offset_v=-off_v)),
        Scenario("0.1 A too much", plain, Meter(offset_a=0.1)),
        Scenario("0.1 A too little", plain, Meter(offset_a=-0.1)),
        Scenario("battery at 5 °C", replace(plain, steady_c=5.0)),
        Scenario("battery at 35 °C", replace(plain, steady_c=35.0)),
        Scenario("aged battery", replace(plain, aged=True)),
    ]


def kept_share(made: Season) -> float:
    """Ah stored for each Ah put in while the simulated bank is below 85 % charge, 0..1.

    NaN where it never charges there.

    Between two full resets this is the efficiency a count needs: what is lost near full the reset takes away
    anyhow.

    Args:
        made: the simulated season.
    """
    below = made.truth.charge[:-1] < GASSING_FROM
    step_h = made.days.step_s / 3600.0
    amps = made.truth.bank_a[1:]
    into = float(np.maximum(amps, 0.0)[below].sum()) * step_h
    out = float(np.maximum(-amps, 0.0)[below].sum()) * step_h
    gained = float(np.diff(made.truth.charge)[below].sum()) * made.capacity_ah
    return min(1.0, (gained + out) / into) if into > 0.2 * made.capacity_ah else float("nan")


def recommend(
    vehicle: Vehicle,
    *,
    seed: int = 1,
    floor_pct: float = 0.0,
    dead_band_a: float = 0.1,
    capacity_ah: float | None = None,
    holds: tuple[float, ...] = HOLDS_S,
    on_progress: Callable[[float], None] = lambda done: None,
) -> Recommended:
    """Try every setting of the map at every hold, and take the one deepest in the good region.

    Args:
        vehicle: the rig as simulated.
        seed: of the weather and the habits.
        floor_pct: what the fitted monitor allows [% of C].
        dead_band_a: as set [A].
        capacity_ah: as set [Ah]; the bank's by default.
        holds: the stops that are tried [s].
        on_progress: told the share done, 0..1; may raise to stop.
    """
    grid = grid_for(vehicle.chemistry, vehicle.bank.cells)
    capacity = vehicle.capacity_ah if capacity_ah is None else capacity_ah
    tried = scenarios(vehicle, seed)
    run: dict[Days, Season] = {}
    samples = _samples(vehicle, tried, capacity, dead_band_a, run, on_progress=on_progress)
    made = partial(reset_map, grid=grid, floor_pct=floor_pct, dead_band_a=dead_band_a)
    maps = _maps(samples, holds, made, on_progress)
    # By the worst of all circumstances: a point that only wins on average fails someone.
    worst = {hold: _slipped(_regret(maps[hold]), grid, vehicle.per_12v) for hold in holds}
    allowed = _allowed(vehicle, grid)
    least = {hold: float(worst[hold][allowed].min()) for hold in holds}
    # The customary hold time stays unless another is clearly better: monitors come with it.
    hold = _hold(least, vehicle.chemistry.hold_s)
    basin = (worst[hold] <= max(BASIN_LEAST, BASIN_TIMES * least[hold])) & allowed
    basin = _unspoken(basin, worst[hold], allowed, _Judge(vehicle, grid, capacity, hold))
    # Well inside the basin rather than least error: meters drift and banks age.
    row, column = _deepest(basin, grid, vehicle.per_12v, _customary(vehicle))
    weathered = zip(tried, samples, maps[hold], strict=True)
    weathers = [_weathered(*each, row, column) for each in weathered if each[0].weather]
    filled = any(weather.full_legs for weather in weathers)
    nothing = Recommended(
        charged_voltage_v=None,
        tail_current_pct=None,
        hold_s=None,
        basin=np.zeros_like(basin),
        regret=least[hold],
        weathers=weathers,
        sentence=_hopeless(vehicle, filled, weathers),
        hold_regret=least,
        filled=filled,
        kept=kept_share(run[tried[0].days]),
    )
    # A bank that is never filled has no setting that resets it rightly: to name one would be a confident lie.
    if not filled or all(weather.zone in ("never", "early_lasts") for weather in weathers):
        return nothing
    regret = float(worst[hold][row, column])
    chosen = replace(nothing, hold_s=hold, basin=basin, regret=regret, sentence=_sentence(weathers))
    return _placed(chosen, grid, row, column)


def _placed(chosen: Recommended, grid: Grid, row: int, column: int) -> Recommended:
    """The recommendation with its point on the map, and the room around it."""
    up, down, wider, narrower = _margins(chosen.basin, row, column, grid)
    return replace(
        chosen,
        charged_voltage_v=float(grid.charged_v[row]),
        tail_current_pct=float(grid.tail_pct[column]),
        up_v=up,
        down_v=down,
        wider_pct=wider,
        narrower_pct=narrower,
    )


def _allowed(vehicle: Vehicle, grid: Grid) -> Bools:
    """Settings that may be recommended at all: not below the chemistry's early volts, tails within usual."""
    tails = (grid.tail_pct >= TAILS[0] - 1e-9) & (grid.tail_pct <= TAILS[1] + 1e-9)
    volts = grid.charged_v >= vehicle.chemistry.early_v * vehicle.bank.cells - 1e-9
    return np.asarray(volts[:, None] & tails[None, :])


def _samples(
    vehicle: Vehicle,
    tried: list[Scenario],
    capacity: float,
    dead_band_a: float,
    run: dict[Days, Season],
    *,
    on_progress: Callable[[float], None],
) -> list[Sampled]:
    """Every scenario made ready for the map; seasons are simulated once and left in `run`."""
    found = []
    for at, scenario in enumerate(tried):
        if scenario.days not in run:
            run[scenario.days] = season(vehicle, scenario.days)
        found.append(
            sampled(
                run[scenario.days],
                run[scenario.days].readings(scenario.meter),
                is_lead=vehicle.chemistry.is_lead,
                capacity_ah=capacity,
                dead_band_a=dead_band_a,
            )
        )
        on_progress(0.4 * (at + 1) / len(tried))
    return found


def _regret(maps: list[ResetMap]) -> Floats:
    """Worst over the scenarios of what a cell errs beyond the best cell of that scenario, shape (50, 50)."""
    return np.asarray(np.max([at_map.error - at_map.error.min() for at_map in maps], axis=0))


def _slipped(worst: Floats, grid: Grid, per_12v: float) -> Floats:
    """The worst within reach of a slip of volts and tail: a running maximum both ways."""
    rows = max(1, round(NEAR_V * per_12v / float(grid.charged_v[1] - grid.charged_v[0])))
    columns = max(1, round(NEAR_PCT / float(grid.tail_pct[1] - grid.tail_pct[0])))
    spread = worst
    for axis, reach in ((0, rows), (1, columns)):
        edge = [(reach, reach) if axis == at else (0, 0) for at in (0, 1)]
        padded = np.pad(spread, edge, mode="edge")
        spread = np.max(np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1, axis=axis), axis=-1)
    return spread


def _maps(
    samples: list[Sampled],
    holds: tuple[float, ...],
    make: Callable[..., ResetMap],
    on_progress: Callable[[float], None],
) -> dict[float, list[ResetMap]]:
    """The map of each circumstance by hold time."""
    maps: dict[float, list[ResetMap]] = {}
    for at, hold in enumerate(holds, 1):
        maps[hold] = [make(days, hold_s=hold) for days in samples]
        on_progress(0.4 + 0.6 * at / len(holds))
    return maps


def _hold(least: dict[float, float], customary_s: float) -> float:
    """The hold nearest to the customary one among those nearly as good as the best."""
    good = [hold for hold in least if least[hold] <= min(least.values()) + HOLD_WORTH]
    return min(good, key=lambda hold: abs(math.log(hold / customary_s)))


@dataclass(frozen=True, slots=True)
class _Judge:
    """Says whether Volnik's own findings speak against a setting of the map."""

    vehicle: Vehicle
    grid: Grid
    capacity_ah: float
    hold_s: float

    def speaks_against(self, row: int, column: int) -> bool:
        """Whether a finding speaks against the charged voltage, tail or hold of a cell.

        Args:
            row, column: of the cell.
        """
        bank, chemistry = self.vehicle.bank, self.vehicle.chemistry
        numbers = replace(
            default_numbers(bank, chemistry),
            capacity_ah=self.capacity_ah,
            charged_voltage_v=float(self.grid.charged_v[row]),
            tail_current_pct=float(self.grid.tail_pct[column]),
            hold_s=self.hold_s,
        )
        found = (*feasibility(self.vehicle, numbers), *numbers_findings(numbers, bank, chemistry, "blank"))
        return any(finding.at in FULL_FIELDS and finding.id not in BESIDE for finding in found)


def _unspoken(basin: Any, worst: Floats, allowed: Bools, judge: _Judge) -> Any:
    """The good region without what the findings speak against; where that leaves nothing, the best elsewhere.

    A rig on which they speak against everything keeps its region: then they say what is wrong with it.
    """
    kept = _clear_of(basin, judge)
    if kept.any():
        return kept
    rest = _clear_of(allowed & (worst <= SPEAKABLE * float(worst[allowed].min()) + BASIN_LEAST), judge)
    if not rest.any():
        return basin
    return rest & (worst <= max(BASIN_LEAST, BASIN_TIMES * float(worst[rest].min())))


def _clear_of(cells: Any, judge: _Judge) -> Any:
    clear = np.zeros_like(cells)
    for row, column in zip(*np.nonzero(cells), strict=True):
        clear[row, column] = not judge.speaks_against(int(row), int(column))
    return clear


def _customary(vehicle: Vehicle) -> tuple[float, float]:
    """What is customary for the chemistry: charged volts [V], tail [% of C]."""
    start = default_numbers(vehicle.bank, vehicle.chemistry)
    return start.charged_voltage_v, start.tail_current_pct


def _deepest(basin: Any, grid: Grid, per_12v: float, customary: tuple[float, float]) -> tuple[int, int]:
    """The cell nearest to custom among those well inside the basin, else the one farthest from its edge.

    Well inside is 0.1 V of a 12 V bank and a third of the tail from any edge, the map's own included.
    """
    rows, columns = np.nonzero(basin)
    step_v = float(grid.charged_v[1] - grid.charged_v[0])
    step_pct = float(grid.tail_pct[1] - grid.tail_pct[0])
    volts = np.arange(-1, len(grid.charged_v) + 1) * step_v / (WELL_V * per_12v)
    tails = np.arange(-1, len(grid.tail_pct) + 1) * step_pct
    edge_rows, edge_columns = np.nonzero(~np.pad(basin, 1))
    best, chosen = (-1.0, -math.inf), (0, 0)
    for row, column in zip(rows, columns, strict=True):
        third = float(grid.tail_pct[column]) / 3.0
        away = np.maximum(
            np.abs(volts[edge_rows] - volts[row + 1]),
            np.abs(tails[edge_columns] - tails[column + 1]) / max(third, 1e-9),
        ).min()
        off_v = abs(float(grid.charged_v[row]) - customary[0]) / (WELL_V * per_12v)
        off_pct = abs(float(grid.tail_pct[column]) - customary[1]) / max(customary[1] / 3.0, 1e-9)
        depth = (min(1.0, round(float(away), 6)), -(off_v + off_pct))
        if depth > best:
            best, chosen = depth, (int(row), int(column))
    return chosen


def _margins(basin: Any, row: int, column: int, grid: Grid) -> tuple[float, float, float, float]:
    def run(line: Any, start: int, step: int) -> int:
        count = 0
        while 0 <= start + step * (count + 1) < len(line) and line[start + step * (count + 1)]:
            count += 1
        return count

    step_v, step_pct = (
        float(grid.charged_v[1] - grid.charged_v[0]),
        float(grid.tail_pct[1] - grid.tail_pct[0]),
    )
    return (
        run(basin[:, column], row, 1) * step_v,
        run(basin[:, column], row, -1) * step_v,
        run(basin[row], column, 1) * step_pct,
        run(basin[row], column, -1) * step_pct,
    )


def _weathered(scenario: Scenario, days: Sampled, found: ResetMap, row: int, column: int) -> Weathered:
    return Weathered(
        scenario.name,
        ZONES[int(found.zone[row, column])],
        found.describe(row, column),
        int(found.legs[row, column]),
        days.full_legs,
        days.months,
        days.peak,
    )


def _hopeless(vehicle: Vehicle, filled: bool, weathers: list[Weathered]) -> str:
    if not vehicle.sources:
        return (
            "Nothing charges this battery, so no setting can ever reset the count: add a charger at Survey."
        )
    if not filled:
        best = max(weather.peak for weather in weathers)
        return (
            f"This battery is never filled (at best {100 * best:.0f} % in the simulated seasons), so no "
            "setting can reset it rightly: "
            "add charging, or reset by hand after a shore night."
        )
    return (
        "The battery gets full, but no setting tells full from nearly full here: reset by hand after a "
        "long charge, or let a charger absorb longer."
    )


def _sentence(weathers: list[Weathered]) -> str:
    parts = []
    for weather in weathers:
        rate = weather.resets / weather.months
        parts.append(
            f"{weather.name}: never filled"
            if not weather.full_legs
            else f"{weather.name}: {rate:.0f} a month"
            if rate >= 1.5
            else f"{weather.name}: {weather.resets} in {weather.months * 30:.0f} days"
        )
    return "Resets " + ", ".join(parts) + "."
