"""The study of a rig: its season simulated, the reset map at every hold, the recommended point.

Kept by the hash of all that went in.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from sqlalchemy.orm import Session

from volnik.core.arrays import Floats
from volnik.core.numbers.defaults import default_numbers
from volnik.core.numbers.reasons import Reason, noise_of, reasons
from volnik.core.numbers.recommend import recommend
from volnik.core.numbers.recommended import Recommended
from volnik.core.numbers.reset_map import HOLDS_S, Grid, ResetMap, Sampled, grid_for, reset_map, sampled
from volnik.core.numbers.sag import sag_ohm
from volnik.core.numbers.schools import SchoolPoint, school_points
from volnik.core.rig.rig import NumbersVersion, Rig, timeline
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers
from volnik.core.shelf.dialects import Dialect
from volnik.core.simulation.season import Days, season
from volnik.core.simulation.vehicle import Vehicle, vehicle_of
from volnik.services.context import AppContext
from volnik.services.log.counted_log import open_counted_log
from volnik.services.path.read import RigPath, read_path
from volnik.store import rigs as store

SEED = 1  # the same days for everyone: two settings are compared on them
MODEL = 2  # rises whenever the simulation or the map would answer differently
Made = TypeVar("Made")


@dataclass(frozen=True, slots=True)
class Inputs:
    """All a study is made from, and what the pages around it need.

    Attributes:
        held: the numbers that hold, or None;
        numbers: them, or the defaults.
        dialect: of the fitted monitor, or None.
        floor_pct: what that monitor allows [% of C].
        points: the schools on this rig.
        key: hash of everything simulated.
    """

    rig: Rig
    path: RigPath
    vehicle: Vehicle
    held: NumbersVersion | None
    versions: list[NumbersVersion]
    numbers: Numbers
    power_up: str
    dialect: Dialect | None
    floor_pct: float
    points: list[SchoolPoint]
    key: str

    @property
    def power_ups(self) -> tuple[str, ...]:
        """States the fitted monitor offers after a loss of supply."""
        return ("blank", "last", "full") if self.dialect is None else tuple(self.dialect.power_up)


@dataclass(frozen=True, slots=True)
class Study:
    """A study: the instants of its season [s], what the map read of it, a map at each hold stop, the
    recommended point.

    The season itself is not kept: its many series are twice the rest.
    """

    time_s: Floats
    sampled: Sampled
    grid: Grid
    maps: dict[float, ResetMap]
    recommended: Recommended


def inputs(context: AppContext, rig_id: int) -> Inputs:
    """What a study of a rig is made from.

    Raises:
        NoBank: without a bank.
        InvalidInput: where a charger cannot be as the Survey says.
    """
    with context.db.reading() as session:
        return read_inputs(session, context, rig_id)


def read_inputs(session: Session, context: AppContext, rig_id: int) -> Inputs:
    """As `inputs`, inside a reading that is open already."""
    path = read_path(session, context, rig_id)
    versions = timeline(store.numbers_versions(session, rig_id))
    rig = path.rig
    vehicle = vehicle_of(
        path.analysis("planned" if path.begun else "found"), use=rig.use, latitude=rig.latitude
    )
    held = versions[-1] if versions else None
    numbers = held.numbers if held is not None else default_numbers(path.bank, path.chemistry)
    dialect = path.dialect
    floor = numbers.tail_floor_pct if dialect is None else min(dialect.floor_pct, numbers.tail_floor_pct)
    points = school_points(vehicle, path.catalogue.schools)
    return Inputs(
        rig,
        path,
        vehicle,
        held,
        versions,
        numbers,
        held.power_up if held is not None else "blank",
        dialect,
        floor,
        points,
        digest(vehicle, numbers, floor),
    )


def digest(vehicle: Vehicle, numbers: Numbers, floor_pct: float) -> str:
    """Hash of everything a study depends on."""
    body = [
        MODEL,
        SEED,
        vehicle.bank.as_dict(),
        vehicle.chemistry.key,
        vehicle.chemistry.early_v,
        vehicle.chemistry.hold_s,
        vehicle.chemistry.tail_pct,
        vehicle.capacity_ah,
        vehicle.use.model_dump(),
        vehicle.latitude,
        sorted(vehicle.shares.items()),
        numbers.capacity_ah,
        numbers.dead_band_a,
        floor_pct,
        [(device.id, device.usual_a, device.figures) for device in vehicle.loads],
        [
            (
                source.drawn.id,
                source.kind,
                source.absorption_v,
                source.float_v,
                source.absorption_s,
                source.end_a,
                source.most_a,
                source.panel_w,
                source.slope_v,
                source.ohm,
                source.share,
                source.drawn.windows,
            )
            for source in vehicle.sources
        ],
    ]
    return hashlib.sha256(json.dumps(body, sort_keys=True, default=str).encode()).hexdigest()


def kept(context: AppContext, key: str) -> Any:
    """What was reckoned from just these inputs, or None."""
    with context.lock:
        return context.works.get(key)


def _keep(context: AppContext, key: str, made: Made) -> Made:
    with context.lock:
        context.works[key] = made
    return made


def study_of(context: AppContext, given: Inputs) -> Study | None:
    """The study of a rig as it is now, or None while it is not made."""
    found: Study | None = kept(context, given.key)
    return found


def make_study(
    context: AppContext, given: Inputs, on_progress: Callable[[float], None] = lambda done: None
) -> Study:
    """Simulate, map and recommend; kept under the hash of the inputs.

    Args:
        on_progress: told the share done, 0..1; may raise to stop.
    """
    found = study_of(context, given)
    if found is not None:
        return found
    vehicle, use = given.vehicle, given.vehicle.use
    days = season(vehicle, Days(use.season, use.sky, SEED))
    on_progress(0.1)
    seen = sampled(
        days,
        days.readings(),
        is_lead=vehicle.chemistry.is_lead,
        capacity_ah=given.numbers.capacity_ah,
        dead_band_a=given.numbers.dead_band_a,
    )
    grid = grid_for(vehicle.chemistry, vehicle.bank.cells)
    maps = {}
    for at, hold in enumerate(HOLDS_S):
        maps[hold] = reset_map(
            seen, grid, hold_s=hold, floor_pct=given.floor_pct, dead_band_a=given.numbers.dead_band_a
        )
        on_progress(0.1 + 0.25 * (at + 1) / len(HOLDS_S))
    point = recommend(
        vehicle,
        seed=SEED,
        floor_pct=given.floor_pct,
        dead_band_a=given.numbers.dead_band_a,
        capacity_ah=given.numbers.capacity_ah,
        on_progress=lambda done: on_progress(0.35 + 0.64 * done),
    )
    return _keep(context, given.key, Study(days.truth.time_s, seen, grid, maps, point))


def nearest_hold(hold_s: float) -> float:
    """The hold stop nearest to a hold time [s]."""
    return min(HOLDS_S, key=lambda stop: abs(stop - hold_s))


def reasons_of(context: AppContext, given: Inputs, *, with_log: bool = True) -> dict[str, Reason]:
    """A value for every parameter with its reasons; those of the reset rest on the study where it is made."""
    study = study_of(context, given)
    noise = None
    if with_log:
        with context.db.reading() as session:
            noise = log_noise(session, context, given.rig)
    return reasons(
        given.vehicle,
        None if study is None else study.recommended,
        given.points,
        noise_a=noise,
        step_a=given.path.monitor.step_a,
        power_ups=given.power_ups,
    )


def log_noise(session: Session, context: AppContext, rig: Rig) -> float | None:
    """The noise of the rig's own log over its last stretch [A], or None without one.

    Kept by count revision.
    """
    key = f"noise {rig.id} {rig.count_revision}"
    found = kept(context, key)
    if found is None:
        counted_log = open_counted_log(session, context, rig.id)
        value = None
        if counted_log is not None:
            value = noise_of(counted_log.readings(session, context, counted_log.segments[-1]).amps)
        found = _keep(context, key, (value,))
    return found[0] if isinstance(found, tuple) else None


def log_sag(session: Session, context: AppContext, rig: Rig, capacity_ah: float) -> float | None:
    """Volts that an amp of a lasting draw takes off by the rig's own log over its last stretch [Ω], or None.

    Kept by count revision.
    """
    key = f"sag {rig.id} {rig.count_revision} {capacity_ah:g}"
    found = kept(context, key)
    if found is None:
        counted_log = open_counted_log(session, context, rig.id)
        value = None
        if counted_log is not None:
            read = counted_log.readings(session, context, counted_log.segments[-1])
            value = sag_ohm(read.time_s, read.volts, read.amps, capacity_ah)
        found = _keep(context, key, (value,))
    return found[0] if isinstance(found, tuple) else None


def set_use(context: AppContext, rig_id: int, use: Use) -> None:
    """Keep how a rig is used; a study of it is then made anew."""
    with context.change(rig_id) as work:
        before = store.rig(work.session, rig_id).use
        store.set_use(work.session, rig_id, use)
        work.record(
            "use", "how it is used", before=before.model_dump(mode="json"), after=use.model_dump(mode="json")
        )


def set_cut_offs(context: AppContext, rig_id: int, figures: Mapping[str, float | None]) -> None:
    """Keep where the battery's own protection opens.

    Args:
        figures: cell_low_v, cell_high_v [V a cell], charge_cold_c, charge_hot_c [°C]; None where not known.

    Raises:
        BankRefused: naming the figure that cannot stand.
    """
    with context.change(rig_id) as work:
        session = work.session
        rig = store.rig(session, rig_id)
        if rig.bank is not None:
            changes: dict[str, Any] = dict(figures)
            bank = replace(rig.bank, **changes)
            store.set_bank(session, rig_id, bank)
            work.record("bank", "cut-offs said", before=rig.bank.as_flat(), after=bank.as_flat())
