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
        if device.takes:
            power = device.watts
            stated = {"power_w", "current_a"} - set(device.assumed)
            amps = device.number("current_a")
            if power is not None:
                amps = power / (USUAL_OVER_NOMINAL * nominal * (device.number("efficiency") or 1.0))
            if amps > 0.0 and (
                ("power_w" in stated and power is not None)
                or ("current_a" in stated and device.figures["current_a"] is not None)
            ):
                loads.append(
                    KnownLoad(
                        device.device.name,
                        float(amps),
                        bool(0.05 <= device.number("duty") <= 0.95 and device.round_the_clock),
                    )
                )
        if device.gives:
            sources.append((device.device.name, device.gives_a))
            if device.figures["absorption_v"] is not None and "absorption_v" not in device.assumed:
                ends.append(device.number("absorption_v"))
    return RigFacts(
        bank.chemistry, bank.cells, tuple(loads), tuple(sorted(set(ends), reverse=True)), tuple(sources)
    )
