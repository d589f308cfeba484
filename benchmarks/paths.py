"""A large rig for the bench: 60 devices, 120 of their own studs, a chassis that carries part of it."""

from __future__ import annotations

from volnik.core.path.fitted import fitted
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Bar, Cable, Fuse, Wiring
from volnik.core.shelf.presets import PRESETS
from volnik.core.shelf.shunts import Shunt

COUNT = 60


def large_rig(*, partial: bool) -> tuple[Bank, tuple[Device, ...], Wiring]:
    """Bank, devices and wiring.

    Args:
        partial: whether the chassis is bonded on both sides, so that many shares are partial and ranges must
            be solved.
    """
    bank = Bank("agm", 6, 1, 2, CapacityLabel("nameplate", ah=110.0))
    kinds = ("load", "lights", "fridge", "solar", "pump", "socket")
    devices = tuple(
        Device(
            id=f"d{at}",
            kind=kinds[at % len(kinds)],
            name=f"Device {at}",
            most_a=2.0 if at % 6 == 3 else None,
            current_a=None if at % 6 == 3 else 1.0,
        )
        for at in range(COUNT)
    )
    bars = (
        Bar(id="nb", kind="busbar", name="Negative busbar"),
        Bar(id="pb", kind="busbar", pole="plus", name="Positive busbar"),
        Bar(id="chassis", kind="chassis", name="Chassis"),
    )
    cables = [
        Cable(id="shunt_link", a=StudRef("B1.minus"), b=StudRef("shunt.bank"), length_m=0.3, size="50 mm²"),
        Cable(id="rig_link", a=StudRef("shunt.rig"), b=StudRef("nb"), length_m=0.3, size="50 mm²"),
        Cable(
            id="main",
            a=StudRef("A1.plus"),
            b=StudRef("pb"),
            length_m=0.3,
            size="50 mm²",
            fuse=Fuse(amps=200, volts=58, breaks_ka=10, from_post_mm=100),
        ),
        Cable(
            id="sense",
            a=StudRef("monitor.sense"),
            b=StudRef("A1.plus"),
            size="0.75 mm²",
            length_m=1,
            fuse=Fuse(amps=1),
        ),
        Cable(id="earth", a=StudRef("chassis"), b=StudRef("nb"), length_m=1, size="16 mm²"),
    ]
    if partial:
        cables.append(
            Cable(id="bond", a=StudRef("chassis"), b=StudRef("A1.minus"), length_m=1, size="16 mm²")
        )
    for at, device in enumerate(devices):
        cables.append(
            Cable(
                id=f"{device.id}_minus",
                a=StudRef(f"{device.id}.minus"),
                b=StudRef("chassis" if at % 3 == 0 else "nb"),
                length_m=2,
                size="6 mm²",
            )
        )
        cables.append(
            Cable(
                id=f"{device.id}_plus",
                a=StudRef(f"{device.id}.plus"),
                b=StudRef("pb"),
                length_m=2,
                size="6 mm²",
                fuse=Fuse(amps=10, volts=58),
            )
        )
    return (
        bank,
        devices,
        fitted(Wiring(shunt=Shunt(amps=300, mv=50), bars=bars, cables=tuple(cables)), bank, devices, PRESETS),
    )
