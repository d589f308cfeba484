"""Shunts: what is known of one, on the Shelf or in a drawing."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, field_validator

from volnik.core.shelf.conductors import check_hole
from volnik.core.values import Plain


class ShuntFigures(Plain):
    """What is known of a shunt, on the Shelf or in a drawing.

    Attributes:
        amps, mv: rated [A], [mV].
        continuous_a: maker's continuous rating [A]; None takes two thirds.
        peak_a: for seconds [A].
        step_a: one count of the monitor [A].
        stud: thread of its studs.
        torque_nm: the maker's.
        mark_bank, mark_rig: what is printed at its studs.
    """

    amps: Annotated[float, Field(gt=0, le=5000)]
    mv: Annotated[float, Field(gt=0, le=500)]
    continuous_a: Annotated[float, Field(gt=0, le=5000)] | None = None
    peak_a: Annotated[float, Field(gt=0, le=20_000)] | None = None
    step_a: Annotated[float, Field(gt=0, le=10)] | None = None
    stud: str = "M10"
    torque_nm: Annotated[float, Field(gt=0, le=200)] | None = None
    mark_bank: Annotated[str, Field(max_length=30)] = ""
    mark_rig: Annotated[str, Field(max_length=30)] = ""
    source: Annotated[str, Field(max_length=80)] = ""

    _stud = field_validator("stud")(check_hole)


class Shunt(ShuntFigures):
    """The shunt of a drawing: studs `shunt.bank` and `shunt.rig`; `product` as on the Shelf."""

    product: Annotated[str, Field(max_length=60)] = ""

    @property
    def ohm(self) -> float:
        """R = mV / A [ohm]."""
        return self.mv / 1000.0 / self.amps

    @property
    def carries_a(self) -> float:
        """Continuous rating [A]: the maker's, else two thirds of the name."""
        return self.continuous_a if self.continuous_a is not None else self.amps * 2.0 / 3.0
