"""A van in the bay: as its papers tell it, and as it really is with what is wrong in it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.practice.causes import Wrong, hidden_of
from volnik.core.practice.hidden import Hidden, together
from volnik.core.practice.scene import Scene, scene_of
from volnik.core.practice.vans import right_numbers, shunt_link
from volnik.core.settings import Numbers
from volnik.core.shelf.cells import rest_v
from volnik.core.simulation.vehicle import Vehicle
from volnik.core.simulation.wired import Faults, Plan, Wired, wire

CHARGE = 0.8  # of the bank in a case
ALL_OUT = "*"  # what "runs" where every fuse is out and the main is open


@dataclass
class Bay:
    """A van in the bay.

    Attributes:
        plan: as its papers tell it.
        wrongs: what is wrong in it.
        shared: what was solved and simulated, shared with the same van under other suppositions.
        kept: what was reckoned for this one alone.
    """

    plan: Plan
    wrongs: frozenset[Wrong]
    shared: dict[Any, Any] = field(default_factory=dict, repr=False)
    kept: dict[Any, Any] = field(default_factory=dict, repr=False)

    def other(self, wrongs: Iterable[Wrong]) -> Bay:
        """The same van with other things wrong in it.

        Args:
            wrongs: in it.
        """
        return Bay(self.plan, frozenset(wrongs), self.shared)

    @cached_property
    def sound(self) -> Bay:
        """The same van as its papers tell it."""
        if not self.wrongs:
            return self
        if "sound" not in self.shared:
            self.shared["sound"] = self.other(())
        found: Bay = self.shared["sound"]
        return found

    @cached_property
    def link(self) -> str:
        """The cable between bank and shunt, by its id."""
        return shunt_link(self.plan).id

    @cached_property
    def physics(self) -> str:
        """All that changes what flows, as one text."""
        vehicle, hidden = self.vehicle, self.hidden
        sources = [(source.share, source.absorption_v) for source in vehicle.sources]
        same = (hidden.worn, hidden.standing, hidden.celsius, hidden.bank, hidden.later, hidden.begins)
        return repr((sorted(vehicle.shares.items()), sources, same))

    @cached_property
    def hidden(self) -> Hidden:
        """What is hidden in it."""
        return together(hidden_of(self.plan, wrong) for wrong in sorted(self.wrongs))

    @cached_property
    def wired(self) -> Wired:
        """As really wired; vans with the same wires share what was solved of them."""
        hidden, faults = self.hidden, self.hidden.faults
        key = ("wired", self.wires)
        if key not in self.shared:
            later = () if hidden.later is None else (hidden.later,)
            bank = hidden.bank or self.plan.bank
            real = replace(self.plan, bank=bank, devices=(*self.plan.devices, *later))
            plain = replace(faults, reversed=False, scale=1.0, offset_a=0.0, dead=False)
            self.shared[key] = wire(real, plain)
        found: Wired = self.shared[key]
        gain = found.meter.gain * faults.scale * (-1.0 if faults.reversed else 1.0)
        return replace(found, faults=faults, meter=replace(found.meter, gain=gain, offset_a=faults.offset_a))

    @cached_property
    def wires(self) -> str:
        """All that changes how it is wired, as one text."""
        faults = self.faults
        return repr(
            (faults.moved, faults.loose, faults.added, faults.weak, self.hidden.bank, self.hidden.later)
        )

    @cached_property
    def vehicle(self) -> Vehicle:
        """As it lives through its days."""
        found, hidden = self.wired.vehicle, self.hidden
        loads = tuple(
            replace(load, figures={**load.figures, "standby_a": load.number("standby_a") + extra})
            if (extra := hidden.standing.get(load.id))
            else load
            for load in found.loads
        )
        sources = tuple(
            replace(source, absorption_v=end, float_v=min(source.float_v, end))
            if (end := hidden.ends_v.get(source.drawn.id))
            else source
            for source in found.sources
        )
        return replace(found, loads=loads, sources=sources, capacity_ah=hidden.worn * found.capacity_ah)

    @cached_property
    def right(self) -> Numbers:
        """What the monitor is rightly set to, by the papers."""
        return right_numbers(self.plan) if not self.wrongs else self.sound.right

    @cached_property
    def numbers(self) -> Numbers:
        """What it is set to."""
        return replace(self.right, **self.hidden.settings)

    @property
    def analysis(self) -> WiringAnalysis:
        """Of the wires as they really are."""
        return self.wired.analysis

    @property
    def faults(self) -> Faults:
        """Of wires and meter."""
        return self.hidden.faults

    @property
    def frozen(self) -> bool:
        """Whether its protection refuses charge."""
        celsius = self.hidden.celsius
        coldest = self.analysis.bank.coldest_charge_c(self.analysis.chemistry)
        return celsius is not None and coldest is not None and celsius < coldest

    def amps(self, running: str, *, pulled: str = "") -> dict[str, float]:
        """What each device does, positive where it charges [A].

        Args:
            running: id of the device that is on, "" for none, ALL_OUT where nothing is connected.
            pulled: id of a device whose fuse is out.
        """
        if running == ALL_OUT:
            return {}
        found = {load.id: -load.number("standby_a") for load in self.vehicle.loads}
        for device in self.analysis.devices:
            if device.id == running:
                gives = 0.0 if self.frozen else device.gives_a
                found[device.id] = -device.running_a if device.takes else gives
        found.pop(pulled, None)
        return found

    def scene(self, running: str = "", *, pulled: str = "") -> Scene:
        """The network solved while one device runs.

        Args:
            running: as of `amps`.
            pulled: id of a device whose fuse is out.
        """
        key = ("scene", self.wires, repr(self.hidden.standing), self.hidden.celsius, running, pulled)
        if key not in self.shared:
            bank = self.analysis.bank
            open_v = float(rest_v(bank.chemistry, CHARGE, bank.cells))
            scene = scene_of(self.wired, self.amps(running, pulled=pulled), open_v=open_v)
            low = {name: scene.block_v - lower for name, lower in self.hidden.low_v.items()}
            self.shared[key] = replace(scene, other_v={**scene.other_v, **low})
        found: Scene = self.shared[key]
        return found

    def shown_a(self, running: str = "", *, pulled: str = "") -> float:
        """What the monitor makes of what crosses the shunt: scale, sign, zero, dead band [A].

        Args:
            running: as of `amps`.
            pulled: id of a device whose fuse is out.
        """
        crossing = -self.scene(running, pulled=pulled).clamped_a(("shunt",), toward="shunt.bank")
        shown = self.wired.meter.gain * crossing + self.wired.meter.offset_a
        return 0.0 if abs(shown) < self.numbers.dead_band_a else shown
