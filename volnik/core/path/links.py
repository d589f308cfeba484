"""What a charger's volts lose in the links that join two batteries while an engine runs."""

from __future__ import annotations

import networkx as nx

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sides import positive_parts
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
    ways = nx.DiGraph()
    for link in links:
        house, other = (parts.get(StudRef.of(link.id, side)) for side in ("plus", "far"))
        if house is None or other is None:
            continue
        ways.add_edge(house, other, drop=link.number("drop_v"))  # against the current, from the bank outwards
        if "one_way" not in link.preset.traits:
            ways.add_edge(other, house, drop=link.number("drop_v"))
    posts = {parts.get(StudRef.of(name, "plus")) for row in block_names(analysis.bank) for name in row}
    starts = posts & set(ways)
    if not starts:
        return {}
    lost = nx.multi_source_dijkstra_path_length(ways, starts, weight="drop")
    behind = {device.id: lost.get(parts.get(StudRef.of(device.id, "plus"))) for device in analysis.devices}
    return {ident: volts for ident, volts in behind.items() if volts}
