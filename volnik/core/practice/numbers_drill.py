"""A rig and a school's values: predict the reset, then see the map."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.numbers.reset_map import ZONES, ResetMap, grid_for, reset_map, sampled
from volnik.core.numbers.schools import SchoolPoint, school_points
from volnik.core.practice.cases import EDITION
from volnik.core.practice.vans import drawn_order, plan_by
from volnik.core.shelf.schools import SCHOOLS
from volnik.core.simulation.season import Days, season
from volnik.core.simulation.vehicle import Vehicle
from volnik.core.simulation.wired import Plan, wire

LEVEL = 10  # of their draws: none of the levels of cases
DAYS = 60
ANSWERS = {
    "rightly": "100 % comes at the end of a charge, and means it",
    "too_soon": "100 % comes too soon",
    "seldom": "100 % comes seldom, or never",
}
OF_ZONE = dict(zip(ZONES, ("rightly", "too_soon", "too_soon", "seldom", "seldom"), strict=True))


@dataclass(frozen=True, slots=True)
class Sum:
    """A rig and the values of a school.

    Attributes:
        seed: it was drawn by.
        plan, vehicle: the rig.
        point: the school's values on it.
        days: which are simulated.
    """

    seed: int
    plan: Plan
    vehicle: Vehicle
    point: SchoolPoint
    days: Days


@dataclass(frozen=True, slots=True)
class Solved:
    """What comes of the values.

    Attributes:
        map: at the school's hold.
        right: key of the right answer.
        sentence: of what happens.
        points: of all schools on this rig.
    """

    map: ResetMap
    right: str
    sentence: str
    points: list[SchoolPoint]


def drawn_sum(seed: int) -> Sum:
    """Draw a rig, a season and a school.

    Args:
        seed: any whole number from 0.
    """
    rng = np.random.default_rng([EDITION, LEVEL, seed])
    plan = plan_by(drawn_order(rng))
    vehicle = wire(plan).vehicle
    point = school_points(vehicle, SCHOOLS)
    chosen = point[int(rng.integers(0, len(point)))]
    which = str(rng.choice(("spring", "summer", "winter")))
    return Sum(
        seed, plan, vehicle, chosen, Days(which, str(rng.choice(("sunny", "mixed", "cloudy"))), seed, DAYS)
    )


def solved(drawn: Sum) -> Solved:
    """What comes of a school's values on its rig.

    Args:
        drawn: of the two.
    """
    lived = season(drawn.vehicle, drawn.days)
    days = sampled(
        lived,
        lived.readings(),
        is_lead=drawn.vehicle.chemistry.is_lead,
        capacity_ah=drawn.vehicle.capacity_ah,
        dead_band_a=0.1,
    )
    grid = grid_for(drawn.vehicle.chemistry, drawn.plan.bank.cells)
    found = reset_map(days, grid, hold_s=drawn.point.hold_s, with_error=False)
    cell = grid.nearest(drawn.point.charged_voltage_v, drawn.point.tail_current_pct)
    right = OF_ZONE[ZONES[int(found.zone[cell])]]
    return Solved(found, right, found.describe(*cell), school_points(drawn.vehicle, SCHOOLS))
