"""What a short drives at each place: battery volts over the resistance to there.

Law (Ohm). The return is taken as nothing, so that the current is rather too high; what rests on assumed
resistances lies between half and twice.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import Edge
from volnik.core.path.protection.circuit import Volts
from volnik.core.path.reduction import Floats
from volnik.core.shelf.assumed import DRIFT
from volnik.core.shelf.fuses import fuse_ohm

SLIGHT_S = 1e-3  # joins every stud to nothing, so that what hangs on no battery can be solved too [S]
OWN_A = 10.0  # a fuse up to here bounds its own short


@dataclass(frozen=True, slots=True)
class Short:
    """The current a short drives through a fuse [kA].

    Attributes:
        ka: with resistances as known or assumed.
        bare_ka: the same without the fuse's own resistance.
        is_assumed: whether it rests on resistances nobody stated; it then lies between half and twice.
    """

    ka: float
    bare_ka: float
    is_assumed: bool

    @property
    def low_ka(self) -> float:
        """The least it may be [kA]."""
        return self.ka * (DRIFT[0] if self.is_assumed else 1.0)

    @property
    def high_ka(self) -> float:
        """The most it may be [kA]."""
        return self.ka * (DRIFT[1] if self.is_assumed else 1.0)


class Shorts:
    """Resistances from the batteries to every positive stud."""

    def __init__(self, analysis: WiringAnalysis, volts: Mapping[str, Volts]) -> None:
        """Take in a drawing, and the volts of the battery behind each positive stud."""
        self._volts, self._analysis = volts, analysis
        names = [name for name, stud in analysis.studs.items() if stud.pole == "plus"]
        self._at = {name: row for row, name in enumerate(names)}
        self._edges = {
            edge.id: edge for edge in analysis.network.edges if edge.a in self._at and edge.b in self._at
        }
        admittance = np.eye(len(names)) * SLIGHT_S
        for edge in self._edges.values():
            a, b, siemens = self._at[edge.a], self._at[edge.b], 1.0 / edge.ohm()
            admittance[a, a] += siemens
            admittance[b, b] += siemens
            admittance[a, b] -= siemens
            admittance[b, a] -= siemens
        for plus, ohm in self._batteries():
            admittance[self._at[plus], self._at[plus]] += 1.0 / ohm
        self._z: Floats = np.linalg.inv(admittance).astype(np.float64)
        self._assumed = analysis.stated_ohm is None and self._stated_ka is None

    @property
    def _stated_ka(self) -> float | None:
        """Short-circuit current of one string as its maker states it [kA], in the rig before on the Shelf."""
        own = self._analysis.bank.short_ka
        return self._analysis.short_ka if own is None else own

    def _batteries(self) -> list[tuple[str, float]]:
        """Where each string or other battery ends, and what it resists inside [Ω]."""
        analysis = self._analysis
        found = []
        for post in analysis.top_posts:
            row = [name for name in analysis.network.batteries if name[0] == post[0] and name[1:].isdigit()]
            inside = sum(analysis.network.batteries[name][2] for name in row)
            if self._stated_ka is not None:
                inside = analysis.nominal_v / (1000.0 * self._stated_ka)
            found.append((str(post), inside))
        for device in analysis.devices:
            if device.preset.is_battery:
                plus, _, inside = analysis.network.batteries[device.id]
                if device.device.short_ka is not None:
                    inside = self._nominal(plus) / (1000.0 * device.device.short_ka)
                found.append((plus, inside))
        return found

    def through(self, cable_id: str, end: str, amps: float) -> Short | None:
        """What a short drives through a fuse at an end of a cable; None for no positive cable.

        Args:
            cable_id: of the cable.
            end: "a" or "b", where the fuse stands.
            amps: rating of the fuse [A].
        """
        edge = self._edges.get(cable_id)
        if edge is None:
            return None
        here, there = (edge.a, edge.b) if end == "a" else (edge.b, edge.a)
        ohms = self._to_end(edge, here), self._to_end(edge, there) + edge.ohm()
        volts = self._nominal(here)
        bare = volts / max(1e-6, min(ohms))
        own = volts / (min(ohms) + fuse_ohm(amps)) if amps <= OWN_A else bare
        return Short(own / 1000.0, bare / 1000.0, self._assumed)

    def _nominal(self, stud: str) -> float:
        return self._volts[stud].nominal_v if stud in self._volts else 0.0

    def _to_end(self, edge: Edge, stud: str) -> float:
        """Resistance from the batteries to one end of a cable with the cable taken away [Ω]."""
        a, b, at = self._at[edge.a], self._at[edge.b], self._at[stud]
        across = self._z[:, a] - self._z[:, b]
        siemens = 1.0 / edge.ohm()
        left = 1.0 - siemens * float(across[a] - across[b])
        if abs(left) < 1e-12:  # a bridge, and nothing beyond it
            return 1.0 / SLIGHT_S
        return float(self._z[at, at] + siemens * across[at] ** 2 / left)
