"""What is opened before the work and closed after it: every fuse and switch by its own name, once."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.protection.circuit import Conductor
from volnik.core.path.protection.cut import MainCut, PlacedFuse, cut_around, main_cut_of, placed_fuse
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import protection_of
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import Isolator


@dataclass(frozen=True, slots=True)
class Gate:
    """Where an inverter's capacitors are cut off and charged: its nearest fuse, or else switch.

    Attributes:
        device: the inverter.
        fuse: or None.
        isolator: or None; both None where nothing can be opened on its way.
    """

    device: ResolvedDevice
    fuse: PlacedFuse | None = None
    isolator: Isolator | None = None


@dataclass(frozen=True, slots=True)
class OtherBattery:
    """Another battery, and the fuses that part it from everything; none where it has none."""

    device: ResolvedDevice
    fuses: tuple[PlacedFuse, ...]
    is_open: bool


class Switches:
    """The fuses and switches of one drawing that Wire-up opens and closes."""

    def __init__(self, analysis: WiringAnalysis) -> None:
        """Take in a drawing, solved."""
        self.analysis = analysis

    @cached_property
    def main(self) -> MainCut:
        """The main fuses: the cut between the bank and everything."""
        return main_cut_of(self.analysis)

    @cached_property
    def every(self) -> dict[str, PlacedFuse]:
        """All fuses of positives, thin leads apart, by id."""
        analysis = self.analysis
        found = [
            placed_fuse(cable, fuse)
            for cable in analysis.wiring.cables
            if not analysis.is_thin(cable) and analysis.studs[cable.a].pole == "plus"
            for fuse in cable.fuses
        ]
        return {one.id: one for one in found}

    @cached_property
    def others(self) -> list[OtherBattery]:
        """Every other battery that a cable hangs on."""
        protection = protection_of(self.analysis)
        found = []
        for device in self.analysis.devices:
            plus = StudRef.of(device.id, "plus")
            if device.preset.is_battery and (self.analysis.by_stud[plus] or self._earthed(device)):
                cut = cut_around(protection, {protection.circuit.root[plus]})
                found.append(OtherBattery(device, cut.fuses, bool(cut.open)))
        return found

    def _earthed(self, device: ResolvedDevice) -> bool:
        return bool(self.analysis.by_stud[StudRef.of(device.id, "minus")])

    @cached_property
    def gates(self) -> list[Gate]:
        """The gate of each inverter that is joined to anything."""
        analysis = self.analysis
        return [
            self._gate(device)
            for device in analysis.devices
            if (device.preset.is_inverter or device.id in analysis.wiring.precharge)
            and analysis.by_stud.get(StudRef.of(device.id, "plus"))
        ]

    def _gate(self, device: ResolvedDevice) -> Gate:
        """The first fuse or switch on the way from an inverter to the bank."""
        start = protection_of(self.analysis).circuit.root[StudRef.of(device.id, "plus")]
        seen, waiting = {start}, [start]
        for stud in waiting:  # grows as it goes
            for conductor, onward in self._towards_batteries(stud, seen):
                if found := self._opens(device, conductor):
                    return found
                seen |= onward
                waiting += sorted(onward)
        return Gate(device)

    def _towards_batteries(self, stud: str, seen: set[str]) -> list[tuple[Conductor, set[str]]]:
        """The conductors at a stud that batteries feed it by, each with the studs it leads to."""
        found = []
        for judged in protection_of(self.analysis).positives:
            ends = {end.stud for end in judged.ends}
            onward = {end.stud for end in judged.ends if end.stud not in seen and end.batteries_a > 0.0}
            if stud in ends and onward:
                found.append((judged.conductor, onward))
        return found

    def _opens(self, device: ResolvedDevice, conductor: Conductor) -> Gate | None:
        if conductor.fuse_least < ENDLESS:
            cable = conductor.cables[0]
            return Gate(device, placed_fuse(cable, cable.fuses[0]))
        isolators = (one for one in self.analysis.wiring.isolators if one.id == conductor.switch)
        isolator = next(isolators, None)
        return None if isolator is None else Gate(device, isolator=isolator)

    def name(self, one: PlacedFuse) -> str:
        """A fuse in a list: "150 A, cable from the plus post of A1 to the positive busbar".

        Args:
            one: the fuse.
        """
        return f"{one.fuse.amps:g} A, {lower(self.analysis.cable_name(one.cable))}"


@dataclass
class Switching:
    """What is taken out of what stands, and what of the plan is put in again.

    Attributes:
        stands, planned: both drawings' switches.
    """

    stands: Switches
    planned: Switches

    @cached_property
    def out_gates(self) -> list[PlacedFuse]:
        """Fuses of inverters that are no main fuse themselves."""
        main = {one.id for one in self.stands.main.fuses}
        fuses = [gate.fuse for gate in self.stands.gates if gate.fuse is not None]
        return _once([one for one in fuses if one.id not in main])

    @cached_property
    def out(self) -> set[str]:
        """Ids of all fuses that are taken out."""
        found = {one.id for one in (*self.stands.main.fuses, *self.out_gates)}
        return found | {one.id for other in self.stands.others for one in other.fuses}

    @cached_property
    def gates(self) -> list[PlacedFuse]:
        """Fuses of the plan that are closed after a pre-charge across them."""
        return _once([gate.fuse for gate in self.planned.gates if gate.fuse is not None])

    @cached_property
    def engine_side(self) -> list[PlacedFuse]:
        """Fuses of the plan at other batteries."""
        before = {one.id for one in (*self.gates, *self.main)}
        fuses = [one for other in self.planned.others for one in other.fuses]
        return _once([one for one in fuses if one.id not in before])

    @cached_property
    def main(self) -> list[PlacedFuse]:
        """Main fuses of the plan that are no inverter's gate."""
        gates = {one.id for one in self.gates}
        return [one for one in self.planned.main.fuses if one.id not in gates]

    @cached_property
    def branches(self) -> list[PlacedFuse]:
        """What else of the plan is out: newly fitted, changed, or taken out for another reason."""
        told = {one.id for one in (*self.main, *self.gates, *self.engine_side)}
        return [one for one in self.planned.every.values() if one.id not in told and self._is_out(one)]

    def _is_out(self, one: PlacedFuse) -> bool:
        before = self.stands.every.get(one.id)
        return before is None or before.fuse.amps != one.fuse.amps or one.id in self.out


def _once(fuses: list[PlacedFuse]) -> list[PlacedFuse]:
    return list({one.id: one for one in fuses}.values())
