"""What is hidden in a vehicle: wires, meter, numbers, bank, chargers; and how several of them add up."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.simulation.wired import NO_FAULTS, Faults

Restart = Literal["", "load", "parked"]


@dataclass(frozen=True, slots=True)
class Hidden:
    """What is hidden.

    Attributes:
        faults: of wires and meter.
        settings: numbers of the monitor that are not the right ones, by their name in `Numbers`.
        worn: what the bank really holds, as a share of its label.
        ends_v: where a charger really ends, by its id [V].
        celsius: of the bank, where it is what matters [°C].
        restarts: whether the monitor begins anew under a heavy load, or each time the vehicle is left.
        bank: that really stands there, or None for the one of the papers.
        later: a device the papers do not have, or None.
        standing: what devices draw while switched off, over what is listed, by id [A].
        low_v: how much lower a block rests, by its name [V].
        begins: true charge on the day the monitor was fitted [0..1].
    """

    faults: Faults = NO_FAULTS
    settings: Mapping[str, float] = field(default_factory=dict)
    worn: float = 1.0
    ends_v: Mapping[str, float] = field(default_factory=dict)
    celsius: float | None = None
    restarts: Restart = ""
    bank: Bank | None = None
    later: Device | None = None
    standing: Mapping[str, float] = field(default_factory=dict)
    low_v: Mapping[str, float] = field(default_factory=dict)
    begins: float = 1.0


NOTHING = Hidden()


def together(some: Iterable[Hidden]) -> Hidden:
    """Several things that are wrong, as one.

    Args:
        some: of them; where two say the same thing, the later one holds.
    """
    whole = NOTHING
    for one in some:
        whole = _both(whole, one)
    return whole


def _both(first: Hidden, then: Hidden) -> Hidden:
    return replace(
        first,
        faults=_both_faults(first.faults, then.faults),
        settings={**first.settings, **then.settings},
        worn=first.worn * then.worn,
        ends_v={**first.ends_v, **then.ends_v},
        celsius=first.celsius if then.celsius is None else then.celsius,
        restarts=then.restarts or first.restarts,
        bank=then.bank or first.bank,
        later=then.later or first.later,
        standing={**first.standing, **then.standing},
        low_v={**first.low_v, **then.low_v},
        begins=min(first.begins, then.begins),
    )


def _both_faults(first: Faults, then: Faults) -> Faults:
    return Faults(
        moved={**first.moved, **then.moved},
        reversed=first.reversed != then.reversed,
        scale=first.scale * then.scale,
        offset_a=first.offset_a + then.offset_a,
        dead=first.dead or then.dead,
        loose={**first.loose, **then.loose},
        added=(*first.added, *then.added),
        weak={**first.weak, **then.weak},
    )
