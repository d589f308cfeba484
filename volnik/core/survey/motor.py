"""Hours under motor by how far it is opened, the same on the day page and on the owner's sheet."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.count.runtime import lasts_h
from volnik.core.settings import Numbers

THROTTLES = (1.0, 0.75, 0.5, 0.25)  # of the motor's most watts


@dataclass(frozen=True, slots=True)
class Throttle:
    """A motor at a share of its most watts, 0..1: the amps [A], and hours from full to the reserve [h]."""

    share: float
    amps: float
    hours: float


def throttles(most_w: float, nominal_v: float, numbers: Numbers, usable_ah: float) -> tuple[Throttle, ...]:
    """Hours under motor, counted as the monitor counts them.

    Args:
        most_w: of the motor fully opened [W].
        nominal_v: of the bank [V].
        numbers: the settings it is counted by.
        usable_ah: from full to the reserve [Ah].
    """
    found = []
    for share in THROTTLES:
        amps = share * most_w / nominal_v
        hours = lasts_h(amps, usable_ah, rated_a=numbers.rated_a, exponent=numbers.peukert_exponent)
        found.append(Throttle(share, amps, hours))
    return tuple(found)


def turn_at_pct(reserve_pct: float) -> float:
    """The charge at which to turn for a way out and back on one charge [%].

    Args:
        reserve_pct: kept back [%].
    """
    return (100.0 + reserve_pct) / 2.0
