"""On which battery each device hangs, by the drawing: its volts are that battery's."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from volnik.core.path.network import connected
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import BatteryVolts, Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names, preset_of
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.presets import Preset

STARTER_V = 12.0  # of a starter battery nobody read; source: trade practice


def volts_by_device(
    bank: Bank, bank_v: float, devices: Iterable[Device], wiring: Wiring, presets: dict[str, Preset]
) -> dict[str, BatteryVolts]:
    """Nominal volts of the batteries on both sides of each device that does not hang on the bank alone.

    Args:
        bank: as described.
        bank_v: its nominal volts [V].
        devices: of the rig.
        wiring: as drawn.
        presets: kinds of devices by key.
    """
    devices = list(devices)
    batteries = [device for device in devices if preset_of(device, presets).is_battery]
    if not batteries:
        return {}
    others = {device.id: _own_v(device, bank_v, presets) for device in batteries}
    volts = _volts_of_parts(bank, bank_v, others, positive_parts(devices, wiring, presets))
    found = {}
    for device in devices:
        own_v = volts(StudRef.of(device.id, "plus"), bank_v)
        far_v = volts(StudRef.of(device.id, "far"), STARTER_V)
        found[device.id] = BatteryVolts(others.get(device.id, own_v), far_v)
    return found


def _volts_of_parts(
    bank: Bank, bank_v: float, others: dict[str, float], part: dict[str, int]
) -> Callable[[StudRef, float], float]:
    """Nominal volts at a stud, by the battery its part holds; as is usual where it holds none."""
    posts = {StudRef.of(key, "plus"): own_v for key, own_v in others.items()}
    posts |= {StudRef.of(name, "plus"): bank_v for row in block_names(bank) for name in row}
    volts = {part[post]: own_v for post, own_v in posts.items() if post in part}
    return lambda stud, usual: volts.get(part.get(stud, -1), usual)


def _own_v(device: Device, bank_v: float, presets: dict[str, Preset]) -> float:
    if device.nominal_v is not None:
        return device.nominal_v
    return STARTER_V if preset_of(device, presets).is_starter_battery else bank_v


def positive_parts(
    devices: Iterable[Device], wiring: Wiring, presets: dict[str, Preset], *, links: bool = True
) -> dict[str, int]:
    """The connected part of each stud that a cable, switch or relay ends on; leads of the monitor and series
    links apart, so that a positive never meets its negative.

    Args:
        devices: of the rig.
        wiring: as drawn.
        presets: kinds of devices by key.
        links: whether relays, diodes and dividers join their two sides.
    """
    pairs: list[tuple[str, str]] = [
        (cable.a, cable.b) for cable in wiring.cables if not _apart(cable.a, cable.b)
    ]
    pairs += [(StudRef.of(one.id, "a"), StudRef.of(one.id, "b")) for one in wiring.isolators]
    joining = (device for device in devices if links and preset_of(device, presets).joins_positives)
    pairs += [(StudRef.of(device.id, "plus"), StudRef.of(device.id, "far")) for device in joining]
    return connected({stud: None for pair in pairs for stud in pair}, pairs)


def _apart(a: StudRef, b: StudRef) -> bool:
    """Whether a cable is a lead of the monitor, or a series link: plus to minus."""
    return a.of_monitor or b.of_monitor or {a.pole, b.pole} == {"plus", "minus"}
