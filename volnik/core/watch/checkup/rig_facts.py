"""What the Survey and the bank tell the check-up: loads whose amps are stated, where chargers end."""

from __future__ import annotations

from collections.abc import Iterable

from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.watch.checkup.facts import KnownLoad, RigFacts

USUAL_OVER_NOMINAL = 1.02  # volts a device mostly runs at, over nominal; source: estimate


def plan_of(bank: Bank, chemistry: Chemistry, devices: Iterable[ResolvedDevice]) -> RigFacts:
    """The plan of a rig. A figure that is only a preset's is no evidence and stays out.

    Args:
        bank: as described.
        chemistry: of the bank.
        devices: of the rig.
    """
    nominal = bank.nominal_v(chemistry)
    loads, sources, ends = [], [], []
    for device in devices:
        if device.takes and (load := _stated_load(device, nominal)) is not None:
            loads.append(load)
        if device.gives:
            sources.append((device.device.name, device.gives_a))
            if device.states("absorption_v"):
                ends.append(device.number("absorption_v"))
    return RigFacts(
        bank.chemistry, bank.cells, tuple(loads), tuple(sorted(set(ends), reverse=True)), tuple(sources)
    )


def _stated_load(device: ResolvedDevice, nominal_v: float) -> KnownLoad | None:
    """A load with the amps somebody stated for it, or None."""
    if not device.states("power_w") and not device.states("current_a"):
        return None
    amps = device.number("current_a")
    if device.watts is not None:
        amps = device.watts / (USUAL_OVER_NOMINAL * nominal_v * (device.number("efficiency") or 1.0))
    if amps <= 0.0:
        return None
    return KnownLoad(device.device.name, amps, _switches_itself(device), device.device.id)


def _switches_itself(device: ResolvedDevice) -> bool:
    """Whether a load is listed to switch itself at any hour; what its log showed is no evidence of it."""
    own, usual = device.device, device.preset
    duty = usual.duty if own.duty is None else own.duty
    hours = own.hours or usual.hours
    return 0.05 <= duty <= 0.95 and tuple(hours) in ((), ((0.0, 24.0),))
