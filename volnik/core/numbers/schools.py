"""The schools of the Shelf as points on one rig's map."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.numbers.ladder import Rung
from volnik.core.shelf.schools import School
from volnik.core.simulation.vehicle import Source, Vehicle

WARNED = frozenset({"rest"})  # by the Shelf's own words: a full battery rests nearly there, it backs no value


@dataclass(frozen=True, slots=True)
class SchoolPoint:
    """One school on one rig: what it would set [V, % of C, s]."""

    school: School
    charged_voltage_v: float
    tail_current_pct: float
    hold_s: float


def main_source(vehicle: Vehicle) -> Source | None:
    """The charger a school means by "the charger".

    The mains charger where there is one, else the strongest.

    Args:
        vehicle: the rig as simulated.
    """
    shore = [source for source in vehicle.sources if source.kind == "shore"]
    return max(shore or list(vehicle.sources), key=lambda source: source.most_a, default=None)


def school_points(vehicle: Vehicle, schools: tuple[School, ...]) -> list[SchoolPoint]:
    """Every school that is used on this chemistry, as a point.

    Args:
        vehicle: the rig as simulated.
        schools: of the Shelf.
    """
    chemistry, cells = vehicle.chemistry, vehicle.bank.cells
    main = main_source(vehicle)
    absorption = (
        0.5 * (chemistry.absorption_low_v + chemistry.absorption_high_v) * cells
        if main is None
        else main.absorption_v
    )
    floating = (
        0.5 * (chemistry.float_low_v + chemistry.float_high_v) * cells if main is None else main.float_v
    )
    highest = max((source.absorption_v for source in vehicle.sources), default=absorption)
    return [
        SchoolPoint(
            school,
            school.charged_v(
                absorption_v=absorption,
                float_v=floating,
                highest_v=highest,
                cells=cells,
                per_12v=vehicle.per_12v,
            ),
            school.tail_pct,
            school.hold_s,
        )
        for school in schools
        if not school.chemistries or chemistry.key in school.chemistries
    ]


def charged_range(points: list[SchoolPoint], cells: int) -> Rung | None:
    """What practitioners set the charged voltage to, least to greatest, those the Shelf warns of left out;
    None without a school.

    Args:
        points: the schools on this rig.
        cells: of the bank in series.
    """
    volts = [point.charged_voltage_v / cells for point in points if point.school.key not in WARNED]
    if not volts:
        return None
    return Rung("schools", "set by practitioners", min(volts), max(volts), None, "the schools of the Shelf")


def school_of(points: list[SchoolPoint], key: str, value: float) -> str:
    """Names of the schools that would set one parameter just so and the Shelf does not warn of, or "".

    Args:
        points: of the schools.
        key: of the school.
        value: charged voltage [V].
    """
    slack = {"charged_voltage_v": 0.03, "tail_current_pct": 0.11, "hold_s": 1.0}.get(key)
    if slack is None:
        return ""
    names = [
        point.school.name
        for point in points
        if abs(getattr(point, key) - value) <= slack and point.school.key not in WARNED
    ]
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more" if names else ""
