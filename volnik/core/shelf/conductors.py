"""Copper: cross-sections, what they carry, what they lose. Studs, lug holes and torque.

Sources: resistivity and ampacity: trade practice (docs/domain/path.md); the local code comes before them.
Area of an AWG size: the definition of the gauge. Torque: trade practice; the maker's sheet comes before it.
"""

from __future__ import annotations

import math
import re
from bisect import bisect_right
from dataclasses import dataclass

RHO_OHM_MM2_M = 0.0175  # copper at 20 °C [ohm mm²/m]
RHO_PER_K = 0.00393  # [1/K]

# Single conductor in air, 105 °C insulation, outside an engine space [A].
AMPACITY_MM2: dict[float, float] = {
    1: 20,
    1.5: 25,
    2.5: 35,
    4: 45,
    6: 60,
    10: 90,
    16: 130,
    25: 170,
    35: 210,
    50: 270,
    70: 330,
    95: 390,
    120: 450,
    150: 475,
}
AMPACITY_AWG: dict[str, float] = {
    "16": 25,
    "14": 35,
    "12": 45,
    "10": 60,
    "8": 80,
    "6": 120,
    "4": 160,
    "2": 210,
    "1": 245,
    "1/0": 285,
    "2/0": 330,
    "3/0": 385,
    "4/0": 445,
}
TABLE_C, AIR_C = 105, 30.0  # what the tables hold for [°C]
ENGINE_C = 50.0  # of the air in an engine space [°C]; source: trade practice
BUNDLES = ((24, 0.4), (6, 0.5), (3, 0.6), (2, 0.7))  # more loaded cables than: factor; source: trade practice
SOFT_60 = 0.45  # of the mm² table for 60 °C insulation, never in engine spaces; source: trade practice
_SIZES = sorted(AMPACITY_MM2)

# Studs and lug holes that go together, by class; nominal diameter [mm]; torque to start from [N·m].
HOLES_MM: dict[str, float] = {
    "M4": 4.0,
    "M5": 5.0,
    "M6": 6.0,
    "M8": 8.0,
    "M10": 10.0,
    "M12": 12.0,
    "1/4 in": 6.35,
    "5/16 in": 7.94,
    "3/8 in": 9.53,
    "1/2 in": 12.7,
}
HOLE_CLASS: dict[str, str] = {
    "M4": "M4",
    "M5": "M5",
    "M6": "M6",
    "M8": "M8",
    "M10": "M10",
    "M12": "M12",
    "1/4 in": "M6",
    "5/16 in": "M8",
    "3/8 in": "M10",
    "1/2 in": "M12",
}
TORQUE_NM: dict[str, float] = {"M6": 5.0, "M8": 10.0, "M10": 19.0, "M12": 28.0}
LBF_FT_PER_NM = 0.738  # 1 / 1.3558

_MM2 = re.compile(r"(\d+(?:[.,]\d+)?)\s*(?:mm2|mm²|mm\^2|sq\s*mm|qmm|mm)", re.I)  # an electrician says "6 mm"
_AWG = re.compile(r"(?:awg\s*#?\s*(\d/0|\d{1,2})|#?(\d/0|\d{1,2})\s*(?:awg|ga(?:uge)?))", re.I)


def awg_mm2(name: str) -> float:
    """Area of an AWG size [mm²]: d = 0.127 mm x 92^((36 - n)/39), with n = 1 - k for k/0.

    Args:
        name: of the size, such as 2/0.

    Raises:
        ValueError: for a size outside 4/0 to 30.
    """
    n = 1 - int(name[0]) if name.endswith("/0") else int(name)
    if not -3 <= n <= 30:
        raise ValueError(f"{name} AWG is no size from 4/0 to 30.")
    diameter = 0.127 * 92.0 ** ((36 - n) / 39)
    return float(math.pi / 4.0 * diameter**2)


def read_size(text: str) -> tuple[float, str] | None:
    """A cross-section as designated, "35 mm²" or "2/0 AWG".

    (area [mm²], tidy designation), or None if it is none.

    Args:
        text: a size as written.

    Raises:
        ValueError: for an area that is not above zero, or an AWG size that is none.
    """
    if found := _AWG.fullmatch(text.strip()):
        name = found[1] or found[2]
        return awg_mm2(name), f"{name} AWG"
    if found := _MM2.fullmatch(text.strip()):
        area = float(found[1].replace(",", "."))
        if not 0.05 <= area <= 500.0:
            raise ValueError(f"A cross-section has 0.05 to 500 mm², got {area:g}.")
        return area, f"{area:g} mm²"
    return None


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a cable stands and lies in.

    Attributes:
        insulation_c: what its insulation stands [°C].
        engine_space: whether it runs where it is hot.
        ambient_c: of the air about it [°C]; None follows the space.
        bundle: loaded cables that run together, itself among them.
    """

    insulation_c: int = TABLE_C
    engine_space: bool = False
    ambient_c: float | None = None
    bundle: int = 1

    def factor(self, *, metric: bool = True) -> float:
        """Of the table's amps, 0..1 and a little more in the cold.

        sqrt((insulation - air) / 75): what heats goes with the square of the current, what cools with the
        difference of temperatures (law); bundles by trade practice.

        Args:
            metric: whether the size is of the mm² table.
        """
        usual = ENGINE_C if self.engine_space else AIR_C
        air_c = usual if self.ambient_c is None else self.ambient_c
        together = next((factor for most, factor in BUNDLES if self.bundle > most), 1.0)
        if self.insulation_c <= 60 and (self.engine_space or metric):
            return 0.0 if self.engine_space else SOFT_60 * together
        return together * math.sqrt(max(0.0, self.insulation_c - air_c) / (TABLE_C - AIR_C))


USUAL = Surroundings()


def ampacity(mm2: float, size: str = "", around: Surroundings = USUAL) -> float:
    """Amps a single conductor carries continuously [A].

    A size of the tables has the table's figure; one between takes the next smaller size's; thinner than the
    thinnest is scaled by area. Source: trade practice.

    Args:
        mm2: cross-section [mm²].
        size: as designated, such as 2/0 AWG.
        around: what it stands and lies in.
    """
    if size.endswith("AWG") and (name := size.removesuffix(" AWG")) in AMPACITY_AWG:
        amps = AMPACITY_AWG[name]
    else:
        at = bisect_right(_SIZES, mm2 * 1.001) - 1
        amps = AMPACITY_MM2[_SIZES[at]] if at >= 0 else AMPACITY_MM2[1] * mm2
    return amps * around.factor(metric=not size.endswith("AWG"))


def copper_ohm(length_m: float, mm2: float, *, celsius: float = 20.0) -> float:
    """Resistance of one conductor, one way: R = rho L / A [ohm].

    Args:
        length_m: one way [m].
        mm2: cross-section [mm²].
        celsius: of the copper [°C].
    """
    return RHO_OHM_MM2_M * (1.0 + RHO_PER_K * (celsius - 20.0)) * length_m / mm2


def hole_fits(hole: str, stud: str) -> str:
    """How a lug's hole goes with a stud: "" well, "small" does not go over it, "large" loses contact."""
    hole_mm, stud_mm = HOLES_MM[HOLE_CLASS[hole]], HOLES_MM[HOLE_CLASS[stud]]
    if hole_mm == stud_mm:
        return ""
    return "small" if hole_mm < stud_mm else "large"


def torque(stud: str) -> float | None:
    """Torque to start from [N·m], or None where no figure is known.

    Args:
        stud: thread, such as M8.
    """
    return TORQUE_NM.get(HOLE_CLASS.get(stud, ""))


def check_hole(value: str) -> str:
    """The hole as designated; raises ValueError for one no stud or lug has.

    Args:
        value: a hole as written.
    """
    if value and value not in HOLES_MM:
        raise ValueError(f"is no stud or lug hole known here; one of {', '.join(HOLES_MM)}")
    return value
