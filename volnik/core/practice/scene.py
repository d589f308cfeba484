"""A vehicle at an instant, as instruments find it: volts between studs, amps in a cable, warmth of a joint.

Nothing is scripted: the network as really wired is solved under what its devices take and give, every battery
with its own volts behind its own resistance (superposition; Norton's equivalent of each battery).
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from volnik.core.path.network import Flow, Network, solve
from volnik.core.path.shares import injection, lacking
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.simulation.season import stream
from volnik.core.simulation.wired import Wired

WARM_K_W = 4.0  # a joint warms for each watt in it [K/W]; source: estimate, a lug in still air
WARM_K = 8.0  # from which a hand feels it; source: trade practice
STARTER_V = 12.7  # of a 12 V battery at rest beside the bank; source: rest tables


@dataclass(frozen=True, slots=True)
class Instrument:
    """How far an instrument may be off: a share of what it reads, and a step it counts in, in its own unit.

    Source: common hand instruments' sheets, as an estimate.
    """

    share: float
    step: float

    def reads(self, value: float, seed: int, what: str) -> float:
        """What it shows; the same look at the same thing shows the same.

        Args:
            value: true.
            seed: of the case.
            what: is looked at, in words.
        """
        if math.isnan(value):
            return value
        off = stream(seed, f"look {what}").normal() / 2.0
        return round(round(value * (1.0 + self.share * off) / self.step) * self.step, 6) + 0.0


METER = Instrument(0.005, 0.01)
MILLIVOLTS = Instrument(0.01, 0.0001)
CLAMP = Instrument(0.02, 0.1)


@dataclass(frozen=True)
class Scene:
    """A vehicle at an instant.

    Attributes:
        network: as really wired.
        devices: of the rig.
        amps: of each device by its id, positive where it charges the bank [A].
        block_v: open-circuit volts of each block of the bank [V].
        other_v: the same of other batteries, by the device's id [V].
    """

    network: Network
    devices: tuple[ResolvedDevice, ...]
    amps: Mapping[str, float]
    block_v: float
    other_v: Mapping[str, float]

    @cached_property
    def flow(self) -> Flow:
        """The network solved: potentials against one stud of each part [V], amps in each conductor [A]."""
        put_in: dict[str, float] = defaultdict(float)
        for device in self.devices:
            amps = self.amps.get(device.id, 0.0)
            if not amps or lacking(self.network, device):
                continue
            # `injection` is of an amp drawn by a load, and of an amp given by a source.
            drawn = -amps if device.takes else amps
            for stud, share in injection(device).items():
                put_in[stud] += share * drawn
        for name, (plus, minus, ohm) in self.network.batteries.items():
            volts = self.other_v.get(name, self.block_v)
            put_in[plus] += volts / ohm
            put_in[minus] -= volts / ohm
        return solve(self.network, dict(put_in))

    def volts(self, red: str, black: str) -> float:
        """Volts between two studs, NaN where nothing joins them [V].

        Args:
            red, black: studs the two tips are on.
        """
        parts = self.network.parts
        if red not in parts or black not in parts or parts[red] != parts[black]:
            return math.nan
        return self.flow.potential_v[red] - self.flow.potential_v[black]

    def clamped_a(self, conductors: tuple[str, ...], *, toward: str) -> float:
        """Amps in cables held together in a clamp, positive toward a stud they end on [A].

        Args:
            conductors: ids of cables, or "shunt".
            toward: a stud that each of them ends on.

        Raises:
            ValueError: for a conductor that is not there, or does not end on that stud.
        """
        found = {edge.id: edge for edge in self.network.edges}
        total = 0.0
        for conductor in conductors:
            edge = found.get(conductor)
            if edge is None or toward not in (edge.a, edge.b):
                raise ValueError(f"no conductor {conductor} ends on {toward}")
            total += self.flow.amps[conductor] * (1.0 if toward == edge.b else -1.0)
        return total

    def warmth_k(self, conductor: str) -> float:
        """How much warmer than its surroundings a conductor's worst joint is after some minutes [K].

        Args:
            conductor: id of the cable.
        """
        edge = next((edge for edge in self.network.edges if edge.id == conductor), None)
        if edge is None or not edge.parts:
            return math.nan
        worst = max(ohm for ohm, doubt in edge.parts if doubt in ("joint", None))
        return WARM_K_W * worst * self.flow.amps[conductor] ** 2


def scene_of(wired: Wired, amps: Mapping[str, float], *, open_v: float, engine: bool = False) -> Scene:
    """The scene of a vehicle whose devices do this.

    Args:
        wired: as really wired.
        amps: of each device by its id, positive where it charges [A].
        open_v: open-circuit volts of the whole bank [V].
        engine: whether it runs.
    """
    series = max(1, wired.analysis.bank.series)
    others = {
        device.id: device.device.nominal_v or STARTER_V
        for device in wired.analysis.devices
        if device.preset.is_battery
    }
    return Scene(wired.network(engine=engine), tuple(wired.analysis.devices), amps, open_v / series, others)
