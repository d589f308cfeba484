"""The monitor fitted, or to be fitted: what it is told of its shunt, and how often it speaks."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from volnik.core.values import Plain


class Monitor(Plain):
    """The monitor section of the rig document; None is not known.

    Attributes: shunt_a [A] and shunt_mv [mV] as set in it; step_a, one count of it [A]; smallest_a, the
    smallest draw the owner cares about [A]; reporting_s, interval of its reports [s]; lamps_v, volts at which
    the old gauge's lamps light, lowest first.
    """

    kind: Annotated[str, Field(max_length=60)] = ""
    dialect: Annotated[str, Field(max_length=40)] = ""
    shunt_a: Annotated[float, Field(gt=0, le=5000)] | None = None
    shunt_mv: Annotated[float, Field(gt=0, le=500)] | None = None
    step_a: Annotated[float, Field(gt=0, le=10)] | None = None
    smallest_a: Annotated[float, Field(gt=0, le=50)] | None = None
    reporting_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    lamps_v: Annotated[tuple[Annotated[float, Field(gt=0, le=200)], ...], Field(max_length=8)] = ()
