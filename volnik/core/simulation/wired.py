"""How a vehicle is really wired: as a drawing says, but for the faults put in.

The bench rig, Practice and the trials share it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis, analyse
from volnik.core.path.fitted import fitted
from volnik.core.path.network import Edge, Network
from volnik.core.rig.bank import Bank
from volnik.core.rig.devices import Device
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import may_join
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Cable, Wiring
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.simulation.measurement import Meter
from volnik.core.simulation.vehicle import Vehicle, vehicle_of


@dataclass(frozen=True, slots=True)
class Faults:
    """What is wrong in a vehicle, unknown to its drawing.

    Attributes:
        moved: (cable, end "a" or "b") to the stud it really sits on.
        reversed: the shunt turned round.
        scale: every current times this, a wrong rating told to the monitor.
        offset_a: shown with nothing flowing [A].
        dead: the monitor has no supply.
        loose: what a loose or oxidised lug adds to its cable, by the cable's id [ohm].
        added: cables that stand in no drawing.
        weak: how many times its own resistance a block has, by its name.
    """

    moved: dict[tuple[str, str], str] = field(default_factory=dict)
    reversed: bool = False
    scale: float = 1.0
    offset_a: float = 0.0
    dead: bool = False
    loose: dict[str, float] = field(default_factory=dict)
    added: tuple[Cable, ...] = ()
    weak: dict[str, float] = field(default_factory=dict)


NO_FAULTS = Faults()


@dataclass(frozen=True, slots=True)
class Plan:
    """A rig as it is said to be.

    Attributes:
        bank, devices, drawing, monitor: as described and drawn.
        use: how it is used.
        latitude: where [°], or None.
    """

    bank: Bank
    devices: tuple[Device, ...]
    drawing: Wiring
    monitor: Monitor
    use: Use
    latitude: float | None = None


@dataclass(frozen=True, slots=True)
class Wired:
    """A rig as really wired.

    Attributes:
        drawn: the drawing it is said to be wired by.
        analysis: the same with the moved ends.
        vehicle: as simulated.
        faults: what is wrong.
        meter: what the monitor adds to what crosses the shunt.
    """

    drawn: Wiring
    analysis: WiringAnalysis
    vehicle: Vehicle
    faults: Faults
    meter: Meter

    def network(self, *, engine: bool = False) -> Network:
        """What is solved: the wires as they are, loose lugs among them.

        Args:
            engine: whether it runs, and closes what closes with it.
        """
        network = self.analysis.closed if engine else self.analysis.network
        loose, weak = self.faults.loose, self.faults.weak
        if not loose and not weak:
            return network
        batteries = {
            name: (plus, minus, weak.get(name, 1.0) * ohm)
            for name, (plus, minus, ohm) in network.batteries.items()
        }
        return Network(network.studs, [self._worse(edge) for edge in network.edges], batteries)

    def _worse(self, edge: Edge) -> Edge:
        """A conductor with what is wrong in it."""
        if edge.id in self.faults.loose:
            return replace(edge, parts=(*edge.parts, (self.faults.loose[edge.id], None)))
        factor = self.faults.weak.get(edge.id.removeprefix("block:"), 1.0) if edge.is_battery else 1.0
        return replace(edge, parts=tuple((factor * ohm, doubt) for ohm, doubt in edge.parts))


def wire(plan: Plan, faults: Faults = NO_FAULTS) -> Wired:
    """Wire a rig as its plan says, with faults.

    Args:
        plan: as it is said to be.
        faults: what is wired or measured wrongly.

    Raises:
        InvalidInput: where a fault names no cable or stud of the drawing.
    """
    bank, devices, monitor = plan.bank, plan.devices, plan.monitor
    chemistry = CHEMISTRIES[bank.chemistry]
    drawn = fitted(plan.drawing, bank, devices, PRESETS)
    sound = analyse(bank, chemistry, devices, drawn, monitor=monitor, presets=PRESETS)
    wiring = drawn
    for (cable_id, end), stud in faults.moved.items():
        wiring = _moved(wiring, sound, cable_id, end, stud)
    for cable in faults.added:
        wiring = wiring.with_cable(cable)
    strangers = faults.loose.keys() - {cable.id for cable in wiring.cables}
    if strangers:
        raise InvalidInput({"fault": f"The drawing has no cable {min(strangers)}."})
    analysis = analyse(bank, chemistry, devices, wiring, monitor=monitor, presets=PRESETS)
    gain = faults.scale * (-1.0 if faults.reversed else 1.0) * _told_gain(analysis)
    return Wired(
        drawn,
        analysis,
        vehicle_of(analysis, use=plan.use, latitude=plan.latitude),
        faults,
        Meter(gain=gain, offset_a=faults.offset_a, step_a=monitor.step_a or 0.01),
    )


def _moved(wiring: Wiring, sound: WiringAnalysis, cable_id: str, end: str, stud: str) -> Wiring:
    """The wiring with one end of a cable on another stud; raises InvalidInput where it cannot end there."""
    cable = wiring.cable(cable_id)
    if cable is None:
        raise InvalidInput({"fault": f"The drawing has no cable {cable_id}."})
    if stud not in sound.studs:
        raise InvalidInput({"fault": f"The drawing has no stud {stud}."})
    if getattr(cable, end) == stud:
        return wiring
    other = cable.b if end == "a" else cable.a
    onto = sound.studs[StudRef(stud)]
    if other == stud or not may_join(sound.studs[other], onto):
        raise InvalidInput({"fault": f"The cable {cable_id} cannot end on {onto.name}."})
    return wiring.with_cable(cable.changed(**{end: stud}))


def _told_gain(analysis: WiringAnalysis) -> float:
    """What the monitor makes of an amp when it was told another shunt than is fitted: I = V / R as told."""
    shunt, message = analysis.wiring.shunt, analysis.monitor
    if shunt is None or message.shunt_a is None or message.shunt_mv is None:
        return 1.0
    return shunt.ohm / (message.shunt_mv / 1000.0 / message.shunt_a)
