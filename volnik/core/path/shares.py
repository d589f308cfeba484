"""What share of each device's current crosses the shunt.

By reciprocity the shares of all devices follow from one solution: a unit current pushed through the shunt's
studs sets potentials y, and a device that puts currents b into the studs sends g (b . y) through the shunt.
"""

from __future__ import annotations

import itertools
import math
from collections import defaultdict
from dataclasses import dataclass
from typing import Literal

import numpy as np

from volnik.core.path.network import Edge, Network, connected
from volnik.core.path.reduction import DOUBTS, Floats
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.shelf.assumed import (
    DRIFT,
)

NO_SHUNT = "no shunt is fitted"
PARTIAL = 0.005  # a share this near to 0, 1 or -1 is that


@dataclass(frozen=True, slots=True)
class Share:
    """What of one device's current crosses the shunt.

    Attributes:
        value: shunt current, rig side to bank side, over the device's current: 1 counted, 0 not, -1 reversed;
            NaN without a path.
        low, high: the range while resistances are only assumed; equal to `value` where nothing is in doubt.
        expected: 1 for a device on the bank, 0 for one on another battery.
        missing_reason: why there is no path, or "".
    """

    value: float
    low: float
    high: float
    expected: float
    missing_reason: str = ""

    @property
    def shuntless(self) -> bool:
        """Whether it is only the shunt that is not there."""
        return self.missing_reason == NO_SHUNT

    @property
    def word(self) -> Literal["counted", "uncounted", "partly", "reversed", "apart", "floating"]:
        """The share as one word."""
        if math.isnan(self.value):
            return "floating"
        if abs(self.value) < PARTIAL:
            return "apart" if self.expected == 0.0 else "uncounted"
        if abs(self.value - 1.0) < PARTIAL:
            return "counted"
        return "reversed" if abs(self.value + 1.0) < PARTIAL else "partly"


def injection(device: ResolvedDevice) -> dict[str, float]:
    """Currents one device puts into the studs for one amp of its house current.

    A source's are of the opposite sign.

    A device with a second positive takes there what it gives on the house side (and the other way round),
    less its loss.
    """
    sign = 1.0 if device.takes else -1.0
    if device.preset.joins_positives:
        return {f"{device.id}.plus": -1.0, f"{device.id}.far": 1.0}
    if not device.preset.far:
        return {f"{device.id}.plus": -sign, f"{device.id}.minus": sign}
    beyond = device.draws_per_given if sign < 0 else 1.0
    # A source takes `beyond` amps from the other battery for each it gives; its one minus carries the
    # difference.
    return {
        f"{device.id}.plus": -sign,
        f"{device.id}.far": sign * beyond,
        f"{device.id}.minus": sign * (1.0 - beyond),
    }


def lacking(network: Network, device: ResolvedDevice) -> str:
    """Why a device's current has no way round, or ""; looked into once a network."""
    if device.id not in network.missing_reason:
        network.missing_reason[device.id] = _lacking(network, device)
    return network.missing_reason[device.id]


def _lacking(network: Network, device: ResolvedDevice) -> str:
    put_in = {stud: amps for stud, amps in injection(device).items() if amps}
    for stud in put_in:
        if stud not in network.joined:
            return f"the {network.studs[stud].name} is not joined to anything yet"
    sums: dict[int, float] = defaultdict(float)
    for stud, amps in put_in.items():
        sums[network.parts[stud]] += amps
    if any(abs(total) > 1e-9 for total in sums.values()):
        return "its positive and its negative lead to nothing in common, so no current can flow"
    return ""


def put_in(network: Network, devices: list[ResolvedDevice]) -> Floats:
    """What each device puts into the studs for one amp of its own, (studs, devices).

    A source's sign is turned.

    Args:
        network: of the drawing.
    """
    matrix = np.zeros((len(network.studs), len(devices)))
    for column, device in enumerate(devices):
        unit = 1.0 if device.takes else -1.0
        for stud, amps in injection(device).items():
            matrix[network.at[stud], column] += unit * amps
    return matrix


def shares(network: Network, devices: list[ResolvedDevice]) -> dict[str, Share]:
    """The share of every device that draws or gives, with its range (module docstring).

    Args:
        network: of the drawing.
        devices: of the rig; other batteries have no share.

    Returns:
        A share by device id; all NaN while there is no shunt.
    """
    active = [device for device in devices if not device.preset.is_battery]
    home = _positive_side(network, {stud.owner for stud in network.studs.values() if stud.place == "block"})
    missing_reason = {device.id: lacking(network, device) for device in active}
    shunt = next((edge for edge in network.edges if edge.id == "shunt"), None)
    ranges = {}
    if shunt is not None:
        # A device without a way round would make the equations unsolvable; it has a reason instead.
        ranges = _ranges(network, shunt, [device for device in active if not missing_reason[device.id]])
    found = {}
    for device in active:
        value, low, high = ranges.get(device.id, (math.nan, math.nan, math.nan))
        # What hangs on another battery's positive is not this bank's: it should not be counted here.
        expected = 1.0 if f"{device.id}.plus" in home else 0.0
        lack = missing_reason[device.id] or ("" if shunt is not None else NO_SHUNT)
        found[device.id] = Share(value, low, high, expected, lack)
    return found


def _ranges(
    network: Network, shunt: Edge, devices: list[ResolvedDevice]
) -> dict[str, tuple[float, float, float]]:
    """Share of each device, and its least and greatest over the corners of what is only assumed."""
    g = 1.0 / shunt.ohm()
    given = put_in(network, devices).T
    values = g * (given @ network.core.through_shunt(shunt, [None])[:, 0])
    partial = np.minimum(np.abs(values), np.minimum(np.abs(values - 1.0), np.abs(values + 1.0))) >= PARTIAL
    low, high = values.copy(), values.copy()
    if partial.any():
        ways = [dict(zip(DOUBTS, way, strict=True)) for way in itertools.product(DRIFT, repeat=len(DOUBTS))]
        corners = g * (given[partial] @ network.core.through_shunt(shunt, ways))
        low[partial] = np.minimum(values[partial], corners.min(axis=1))
        high[partial] = np.maximum(values[partial], corners.max(axis=1))
    rows = zip(values.tolist(), low.tolist(), high.tolist(), strict=True)
    return {device.id: row for device, row in zip(devices, rows, strict=True)}


def _positive_side(network: Network, owners: set[str]) -> set[str]:
    """Studs joined to the positives of given batteries.

    By cables, isolators and the batteries' own strings.
    """
    pairs = [(edge.a, edge.b) for edge in network.edges if _on_positive_side(network, edge, owners)]
    parts = connected(network.studs, pairs)
    wanted = {parts[f"{owner}.plus"] for owner in owners}
    return {name for name, part in parts.items() if part in wanted}


def _on_positive_side(network: Network, edge: Edge, owners: set[str]) -> bool:
    """Whether an edge joins two positives by copper, or runs along a string of given batteries."""
    start, end = network.studs[edge.a], network.studs[edge.b]
    if start.pole == end.pole == "plus":
        return not edge.is_battery
    return {start.pole, end.pole} == {"plus", "minus"} and start.owner in owners
