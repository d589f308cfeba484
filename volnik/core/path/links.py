"""What a charger's volts lose in the links that join two batteries while an engine runs."""

from __future__ import annotations

import networkx as nx

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sides import positive_parts
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names


def link_drops(analysis: WiringAnalysis) -> dict[str, float]:
    """Volts lost in diodes and dividers between each charger and the bank, by the way that loses least [V].

    Chargers that hang on the bank itself, and those with no way to it, have no entry.

    Args:
        analysis: the drawing.
    """
    links = [device for device in analysis.devices if device.preset.closes_with_engine]
    if not links:
        return {}
    devices = [device.device for device in analysis.devices]
    parts = positive_parts(devices, analysis.wiring, analysis.presets, links=False)
    ways = _ways(links, parts)
    starts = _bank_parts(analysis, parts) & set(ways)
    lost = nx.multi_source_dijkstra_path_length(ways, starts, weight="drop") if starts else {}
    behind = ((device.id, parts.get(StudRef.of(device.id, "plus"))) for device in analysis.devices)
    return {ident: lost[part] for ident, part in behind if lost.get(part)}


def _bank_parts(analysis: WiringAnalysis, parts: dict[str, int]) -> set[int | None]:
    """The parts that hold a plus post of the bank."""
    return {parts.get(StudRef.of(name, "plus")) for row in block_names(analysis.bank) for name in row}


def _ways(links: list[ResolvedDevice], parts: dict[str, int]) -> nx.DiGraph:
    """The positives as parts and the links between them, against the current: from the bank outwards."""
    ways = nx.DiGraph()
    for link in links:
        house, other = (parts.get(StudRef.of(link.id, side)) for side in ("plus", "far"))
        if house is None or other is None:
            continue
        ways.add_edge(house, other, drop=link.number("drop_v"))
        if "one_way" not in link.preset.traits:
            ways.add_edge(other, house, drop=link.number("drop_v"))
    return ways
