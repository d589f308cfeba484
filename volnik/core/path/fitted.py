"""A drawing brought in line with the bank and the devices on record.

What is gone takes its cables along, what is new is joined.
"""

from __future__ import annotations

from collections.abc import Iterable

from volnik.core.path.studs import block_names, studs_of
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.wiring import Cable, Fuse, Wiring
from volnik.core.shelf.presets import Preset


def link_cables(bank: Bank) -> list[Cable]:
    """The links between the blocks: along each string, and side by side at both ends."""
    rows = block_names(bank)
    links = []
    for row in rows:
        for name, following in zip(row, row[1:], strict=False):
            links.append(Cable(id=f"link_{name}_{following}", a=f"{name}.minus", b=f"{following}.plus"))
    for one_row, next_row in zip(rows, rows[1:], strict=False):
        links.append(
            Cable(id=f"plus_{one_row[0]}_{next_row[0]}", a=f"{one_row[0]}.plus", b=f"{next_row[0]}.plus")
        )
        links.append(
            Cable(
                id=f"minus_{one_row[-1]}_{next_row[-1]}", a=f"{one_row[-1]}.minus", b=f"{next_row[-1]}.minus"
            )
        )
    return links


def fitted(
    wiring: Wiring,
    bank: Bank,
    devices: Iterable[Device],
    presets: dict[str, Preset],
    like: Wiring | None = None,
) -> Wiring:
    """The drawing without cables to studs that are gone, with links to blocks and cables of devices that are
    new.

    Args:
        like: the drawing a device's cables are taken from when this one has none of them yet (found, for
            planned).
    """
    devices = list(devices)
    bars, shunt = list(wiring.bars), wiring.shunt
    if like is not None:
        taken = {bar.id for bar in bars}
        used = {end for cable in like.cables for end in (cable.a, cable.b)}
        bars += [bar for bar in like.bars if bar.id not in taken and bar.is_ground and bar.id in used]
    wiring = wiring.changed(bars=tuple(bars), shunt=shunt) if len(bars) != len(wiring.bars) else wiring
    studs = studs_of(bank, devices, wiring, presets)
    kept = [cable for cable in wiring.cables if cable.a in studs and cable.b in studs]
    ends = {end for cable in kept for end in (cable.a, cable.b)}
    ids = {cable.id for cable in kept}
    for link in link_cables(bank):
        if link.id not in ids and (link.a not in ends or link.b not in ends):
            kept.append(link)
    if like is not None:
        for device in devices:
            if not any(end.startswith(f"{device.id}.") for end in ends):
                kept += [
                    cable
                    for cable in like.cables
                    if cable.a.startswith(f"{device.id}.") and cable.b in studs and cable.id not in ids
                ]
    known = {device.id for device in devices}
    rows = [row for row in wiring.rows if row in known]
    rows += [device.id for device in devices if device.id not in rows]
    blocks = {name for row in block_names(bank) for name in row}
    if tuple(kept) == wiring.cables and tuple(rows) == wiring.rows and blocks.issuperset(wiring.places):
        return wiring
    return wiring.changed(
        cables=tuple(kept),
        rows=tuple(rows),
        studs={key: value for key, value in wiring.studs.items() if key in studs},
        places={key: value for key, value in wiring.places.items() if key in blocks},
        precharge=tuple(name for name in wiring.precharge if name in known),
    )


def device_cables(
    device: Device,
    preset: Preset,
    *,
    minus: str | None,
    plus: str | None,
    far: str | None = None,
    size: str = "",
    length_m: float | None = None,
    fuse_a: float | None = None,
) -> list[Cable]:
    """The cables of a device just entered: its minus, its plus with the fuse, its other plus."""
    made = []
    if minus is not None:
        made.append(
            Cable(id=f"{device.id}_minus", a=f"{device.id}.minus", b=minus, size=size, length_m=length_m)
        )
    if plus is not None:
        fuse = None if fuse_a is None else Fuse(amps=fuse_a)
        made.append(
            Cable(
                id=f"{device.id}_plus", a=f"{device.id}.plus", b=plus, size=size, length_m=length_m, fuse=fuse
            )
        )
    if far is not None and preset.far:
        made.append(Cable(id=f"{device.id}_far", a=f"{device.id}.far", b=far, size=size, length_m=length_m))
    return made
