"""Vans of Practice: sound as planned, by the plan a quick job makes, and the numbers right for them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from volnik.core.quick.plan import Asked, quick_plan
from volnik.core.rig.devices import Device
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Cable
from volnik.core.settings import Numbers
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.simulation.wired import Plan, wire

LOADS = (
    "Fridge, 4 A",
    "Diesel heater, 2 A",
    "Lights, 3 A",
    "Water pump, 6 A",
    "Roof fan, 2 A",
    "Rear lights, 3 A, minus on the chassis",
)
INVERTER = "Inverter 1500 W"
SOURCES = ("Solar left 10 A", "Solar right 10 A", "Mains charger 30 A", "DC-DC charger 30 A")
LABELS = {
    "lfp": ("100 Ah", "2 x 100 Ah", "2 x 160 Ah"),
    "agm": ("2 x 110 Ah", "3 x 110 Ah"),
    "flooded": ("2 x 120 Ah", "2 x 6 V 220 Ah"),
}
STANDBY_A = 0.3  # of an inverter switched off, as listed
USE = Use(drive_days=5.0, shore_nights=4.0, sky="sunny")  # so that the bank is often filled
LATITUDE = 51.0
BELOW_V = 0.3  # charged voltage under what chargers hold, at 12 V; source: trade practice
EFFICIENCY = {"lfp": 0.99, "agm": 0.97, "flooded": 0.96}


@dataclass(frozen=True, slots=True)
class Order:
    """What a van is made of: chemistry, label on the battery, a device a line."""

    chemistry: str
    label: str
    lines: tuple[str, ...]

    @property
    def has_strings(self) -> bool:
        """Whether batteries stand side by side."""
        return " x " in self.label and not self.has_blocks

    @property
    def has_blocks(self) -> bool:
        """Whether batteries stand in a row."""
        return "6 V" in self.label

    def has(self, word: str) -> bool:
        """Whether one of the lines holds a word.

        Args:
            word: looked for.
        """
        return any(word in line for line in self.lines)


def drawn_order(rng: np.random.Generator) -> Order:
    """What a van is made of, by chance.

    Args:
        rng: chance.
    """
    chemistry = str(rng.choice(list(LABELS)))
    loads = sorted(rng.choice(len(LOADS), size=int(rng.integers(2, 5)), replace=False).tolist())
    sources = sorted(rng.choice(len(SOURCES), size=int(rng.integers(1, 4)), replace=False).tolist())
    # The inverter is always there: a load heavy enough to show what a joint does.
    lines = [LOADS[at] for at in loads] + [INVERTER] + [SOURCES[at] for at in sources]
    return Order(chemistry, str(rng.choice(LABELS[chemistry])), tuple(lines))


def plan_by(order: Order) -> Plan:
    """A van that is sound as planned.

    Args:
        order: what it is made of.

    Raises:
        RuntimeError: where no rig comes of it.
    """
    asked = Asked(order.chemistry, order.label, "\n".join(order.lines), minuses="busbar")
    made = quick_plan(asked, CHEMISTRIES[order.chemistry], starting_catalogue())
    if made.bank is None or made.planned is None:
        raise RuntimeError(f"no rig came of {asked}: {made.problems or made.lines}")
    devices = tuple(_listed(device) for device in made.devices)
    return Plan(made.bank, devices, made.planned.wiring, Monitor(), USE, LATITUDE)


def _listed(device: Device) -> Device:
    return device.changed(standby_a=STANDBY_A) if device.kind == "inverter" else device


def right_numbers(plan: Plan) -> Numbers:
    """What the monitor of a van is rightly set to.

    Args:
        plan: of the rig.
    """
    vehicle = wire(plan).vehicle
    chemistry = vehicle.chemistry
    ends = min(source.absorption_v for source in vehicle.sources)
    return Numbers(
        capacity_ah=round(vehicle.capacity_ah, 1),
        rated_hours=20.0,
        peukert_exponent=chemistry.peukert,
        coulombic_efficiency=EFFICIENCY[plan.bank.chemistry],
        charged_voltage_v=round(ends - BELOW_V * vehicle.per_12v, 1),
        tail_current_pct=2.0 if chemistry.is_lead else 4.0,
        hold_s=chemistry.hold_s,
        dead_band_a=0.1,
        reserve_pct=chemistry.reserve_pct,
        initial_soc=1.0,
        runtime_window_s=180.0,
        tail_floor_pct=-0.25,
    )


def bank_post(plan: Plan) -> StudRef:
    """The post of the bank its shunt hangs on.

    Args:
        plan: of the rig.
    """
    link = shunt_link(plan)
    return link.b if link.a == "shunt.bank" else link.a


def shunt_link(plan: Plan) -> Cable:
    """The cable between the bank and the shunt.

    Args:
        plan: of the rig.
    """
    return next(cable for cable in plan.drawing.cables if "shunt.bank" in (cable.a, cable.b))


def second_link(plan: Plan) -> tuple[str, str] | None:
    """The cable that joins another string's minus to the post of the shunt, and its end there; None for one.

    Args:
        plan: of the rig.
    """
    post = bank_post(plan)
    blocks = {name for row in block_names(plan.bank) for name in row}
    minuses = (
        cable
        for cable in plan.drawing.cables
        if {cable.a.owner, cable.b.owner} <= blocks and cable.a.pole == cable.b.pole == "minus"
    )
    found = next((cable for cable in minuses if post in (cable.a, cable.b)), None)
    return None if found is None else (found.id, "a" if found.a == post else "b")


def heavy_cables(plan: Plan) -> tuple[str, ...]:
    """The cables the inverter's current goes through.

    Args:
        plan: of the rig.
    """
    inverters = [device.id for device in plan.devices if device.kind == "inverter"]
    own = [f"{inverter}_{pole}" for inverter in inverters for pole in ("minus", "plus")]
    return (shunt_link(plan).id, *own)
