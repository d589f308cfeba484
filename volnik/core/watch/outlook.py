"""Where the level will stand if what flows now goes on."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.count.runtime import Runtime
from volnik.core.settings import Numbers


@dataclass(frozen=True, slots=True)
class Outlook:
    """A level to come: its name on the clock, hours from now [h], deficit then [Ah]."""

    name: str
    in_h: float
    deficit_ah: float


def outlook(
    runtime: Runtime, deficit_ah: float, numbers: Numbers, clock: list[tuple[str, float]]
) -> list[Outlook]:
    """The level at each named hour at the present mean rate, from full to empty [Ah].

    None while nothing flows.

    Args:
        clock: (name, hours from now).
        runtime: where the count stands and what flows.
        deficit_ah: Ah below full [Ah].
        numbers: the settings it is counted by.
    """
    if runtime.flow in ("unknown", "idle"):
        return []
    found = []
    for name, in_h in clock:
        then_ah = min(numbers.capacity_ah, max(0.0, deficit_ah + runtime.rate_a * in_h))
        found.append(Outlook(name, in_h, then_ah))
    return found
