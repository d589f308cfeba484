"""A drawing brought in line with the bank and the devices on record.

What is gone takes its cables along, what is new is joined.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping
from typing import TypeVar

from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud, block_names, studs_of
from volnik.core.rig.wiring import Bar, Cable, Fuse, Isolator, Wiring
from volnik.core.shelf.presets import Preset

Kept = TypeVar("Kept")
Part = TypeVar("Part", Bar, Isolator)


def link_cables(bank: Bank) -> list[Cable]:
    """The links between the blocks: along each string, and side by side at both ends.

    Args:
        bank: as described.
    """
    rows = block_names(bank)
    links = []
    for row in rows:
        for name, following in zip(row, row[1:], strict=False):
            links.append(_link(f"link_{name}_{following}", (name, "minus"), (following, "plus")))
    for row, next_row in zip(rows, rows[1:], strict=False):
        links.append(_link(f"plus_{row[0]}_{next_row[0]}", (row[0], "plus"), (next_row[0], "plus")))
        links.append(_link(f"minus_{row[-1]}_{next_row[-1]}", (row[-1], "minus"), (next_row[-1], "minus")))
    return links


def _link(cable_id: str, start: tuple[str, str], end: tuple[str, str]) -> Cable:
    return Cable(id=cable_id, a=StudRef.of(*start), b=StudRef.of(*end))


def fitted(
    wiring: Wiring,
    bank: Bank,
    devices: Iterable[Device],
    presets: dict[str, Preset],
    like: Wiring | None = None,
) -> Wiring:
    """The drawing brought in line: cables to studs that are gone fall out, new blocks and devices are joined.

    Args:
        wiring: the drawing as kept.
        bank, devices, presets: what is on record.
        like: the drawing a device's cables are taken from when this one has none of them yet (found, for
            planned).
    """
    devices = list(devices)
    if like is not None:
        wiring = _with_grounds(wiring, like)
    studs = studs_of(bank, devices, wiring, presets)
    # A device or block that is gone takes its cables with it; the revision before it still has them.
    cables = [cable for cable in wiring.cables if cable.a in studs and cable.b in studs]
    cables += _new_links(bank, cables)
    if like is not None:
        cables += _cables_of_new_devices(devices, cables, like, studs)
    rows = _rows(wiring, devices)
    blocks = {name for row in block_names(bank) for name in row}
    # The very same object comes back, so that nothing is judged or kept anew for a drawing that fits.
    if tuple(cables) == wiring.cables and rows == wiring.rows and blocks.issuperset(wiring.places):
        return wiring
    known = {device.id for device in devices}
    return wiring.changed(
        cables=tuple(cables),
        rows=rows,
        studs=_only(wiring.studs, studs),
        places=_only(wiring.places, blocks),
        precharge=tuple(name for name in wiring.precharge if name in known),
    )


def with_found_later(wiring: Wiring, found: Wiring, known: Container[str]) -> Wiring:
    """The plan with the cables that were found after it was last changed, and the bars they end on.

    Args:
        wiring: the plan.
        found: what is there.
        known: ids of the cables that were there when the plan was last changed.
    """
    later = [cable for cable in found.cables if cable.id not in known and wiring.cable(cable.id) is None]
    if not later:
        return wiring
    have = {bar.id for bar in wiring.bars} | {isolator.id for isolator in wiring.isolators}
    wanted = {end.owner for cable in later for end in (cable.a, cable.b)} - have
    return wiring.changed(
        cables=(*wiring.cables, *later),
        bars=(*wiring.bars, *_of_ids(found.bars, wanted)),
        isolators=(*wiring.isolators, *_of_ids(found.isolators, wanted)),
    )


def _of_ids(parts: Iterable[Part], ids: set[str]) -> list[Part]:
    return [part for part in parts if part.id in ids]


def _rows(wiring: Wiring, devices: list[Device]) -> tuple[str, ...]:
    """The order of the devices: as drawn, new ones last."""
    known = {device.id for device in devices}
    rows = [row for row in wiring.rows if row in known]
    return (*rows, *(device.id for device in devices if device.id not in rows))


def _only(given: Mapping[str, Kept], names: Container[str]) -> dict[str, Kept]:
    """What is kept of the names that are still there."""
    return {name: value for name, value in given.items() if name in names}


def _with_grounds(wiring: Wiring, like: Wiring) -> Wiring:
    """The drawing with the chassis or hull of another, where a cable of that one ends on it."""
    taken = {bar.id for bar in wiring.bars}
    used = {end for cable in like.cables for end in (cable.a, cable.b)}
    added = [bar for bar in like.bars if bar.is_ground and bar.id in used and bar.id not in taken]
    return wiring.changed(bars=(*wiring.bars, *added)) if added else wiring


def _new_links(bank: Bank, cables: list[Cable]) -> list[Cable]:
    """Links to posts on which nothing ends yet."""
    ends = {end for cable in cables for end in (cable.a, cable.b)}
    ids = {cable.id for cable in cables}
    return [
        link
        for link in link_cables(bank)
        if link.id not in ids and (link.a not in ends or link.b not in ends)
    ]


def _cables_of_new_devices(
    devices: list[Device], cables: list[Cable], like: Wiring, studs: dict[str, Stud]
) -> list[Cable]:
    """Cables another drawing has for devices of which this one has none."""
    ids = {cable.id for cable in cables}
    owners = {end.owner for cable in cables for end in (cable.a, cable.b)}
    new = {device.id for device in devices} - owners
    return [
        cable for cable in like.cables if cable.a.owner in new and cable.b in studs and cable.id not in ids
    ]


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
    """The cables of a device just entered: its minus, its plus with the fuse, its other plus.

    Args:
        device, preset: the device and its kind.
        minus, plus, far: studs they land on; None makes no such cable.
        size: cross-section as designated, "" where not known.
        length_m: one way [m], None where not known.
        fuse_a: in its plus [A], None for none.
    """
    fuse = None if fuse_a is None else Fuse(amps=fuse_a)
    landings = {"minus": minus, "plus": plus, "far": far if preset.far else None}
    return [
        Cable(
            id=f"{device.id}_{pole}",
            a=StudRef.of(device.id, pole),
            b=StudRef(landing),
            size=size,
            length_m=length_m,
            fuse=fuse if pole == "plus" else None,
        )
        for pole, landing in landings.items()
        if landing is not None
    ]
