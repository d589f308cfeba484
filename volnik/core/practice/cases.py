"""Cases: a rig, a hidden fault or none, and what the owner says; drawn by seed and level, without end.

The same seed and level give the same case for ever, as long as EDITION stands.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from volnik.core.quick.plan import Asked, quick_plan
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.studs import block_names
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.parts import starting_catalogue
from volnik.core.simulation.wired import NO_FAULTS, Faults, Plan

EDITION = 1  # raised when the same seed would draw another case
LOADS = (
    ("Fridge", "Fridge, 4 A"),
    ("Heater", "Diesel heater, 2 A"),
    ("Lights", "Lights, 3 A"),
    ("Pump", "Water pump, 6 A"),
    ("Roof fan", "Roof fan, 2 A"),
    ("Inverter", "Inverter 1500 W"),
)
SOURCES = (
    ("Solar", "Solar 20 A"),
    ("Mains charger", "Mains charger 30 A"),
    ("Booster", "DC-DC charger 30 A"),
)
LABELS = {
    "lfp": ("100 Ah", "2 x 100 Ah", "2 x 160 Ah"),
    "agm": ("2 x 110 Ah", "3 x 110 Ah"),
    "flooded": ("2 x 120 Ah",),
}
MOST_LEVEL = 3

COMPLAINTS = {
    "load_bypass": "It says 80 % and the lights go out.",
    "charger_bypass": "The sun shines all day and the percentage only falls.",
    "second_negative": "It goes down half as fast as it used to, and then it is suddenly empty.",
    "reversed": "When I switch something on, it fills.",
    "scale": "The fridge alone empties it on the screen within a night. It never did.",
    "zero_offset": "With everything off it still shows something, and after a week away it is at 60 %.",
    "loose_lug": "When the kettle runs on the inverter, the lights go dim. It was not so last year.",
    "sense_fuse": "The screen is black. The lights work.",
    "sound": "The numbers jump about all the time. Can I trust it?",
}
AT_LEVEL = {
    1: ("load_bypass", "charger_bypass", "reversed", "sense_fuse"),
    2: ("load_bypass", "charger_bypass", "scale", "zero_offset", "sound", "loose_lug"),
    3: tuple(COMPLAINTS),
}


PLACED = ("load_bypass", "charger_bypass", "second_negative", "loose_lug")
"""Faults that sit at a cable."""


@dataclass(frozen=True, slots=True)
class Case:
    """A case as it is drawn.

    Attributes:
        seed, level: that it was drawn by.
        fault: its key among the pages of faults; "sound" for none.
        where: the cable it sits at, "" where it sits at none.
        plan: the rig as its papers tell it.
        faults: what is wrong, in terms of wires and meter.
        complaint: in the owner's words.
        since_days: for how long it has been so.
    """

    seed: int
    level: int
    fault: str
    where: str
    plan: Plan
    faults: Faults
    complaint: str
    since_days: int

    @property
    def truth(self) -> str:
        """What is wrong and where: "key:cable", "key:" where it sits at none."""
        return f"{self.fault}:{self.where if self.fault in PLACED else ''}"


def drawn(seed: int, level: int) -> Case:
    """Draw a case.

    Args:
        seed: any whole number from 0.
        level: 1 to 3.

    Raises:
        ValueError: for a level there is none of, or a seed below 0.
    """
    if level not in AT_LEVEL or seed < 0:
        raise ValueError(f"cases are drawn by seeds from 0 and levels 1 to {MOST_LEVEL}, got {seed}, {level}")
    rng = np.random.default_rng([EDITION, level, seed])
    plan = _rig(rng)
    fitting = [key for key in AT_LEVEL[level] if _fits(key, plan)]
    fault = str(rng.choice(fitting))
    where, faults = PUT_IN[fault](rng, plan)
    since_days = int(rng.integers(3, 60))
    return Case(seed, level, fault, where, plan, faults, COMPLAINTS[fault], since_days)


def _fits(fault: str, plan: Plan) -> bool:
    """Whether a rig can have a fault."""
    if fault == "second_negative":
        return plan.bank.parallel > 1
    return fault != "charger_bypass" or any(device.kind in ("solar", "mains") for device in plan.devices)


def _rig(rng: np.random.Generator) -> Plan:
    """A van that is sound as planned."""
    chemistry = str(rng.choice(list(LABELS)))
    loads = sorted(rng.choice(len(LOADS) - 1, size=int(rng.integers(2, 5)), replace=False).tolist())
    sources = sorted(rng.choice(len(SOURCES), size=int(rng.integers(1, 3)), replace=False).tolist())
    # The inverter is always there: a load heavy enough to show what a joint does.
    lines = [LOADS[at][1] for at in (*loads, len(LOADS) - 1)] + [SOURCES[at][1] for at in sources]
    asked = Asked(chemistry, str(rng.choice(LABELS[chemistry])), "\n".join(lines), minuses="busbar")
    made = quick_plan(asked, CHEMISTRIES[chemistry], starting_catalogue())
    if made.bank is None or made.planned is None:
        raise RuntimeError(f"no rig came of {asked}: {made.problems or made.lines}")
    return Plan(made.bank, made.devices, made.planned.wiring, Monitor(), Use(), 51.0)


def bank_post(plan: Plan) -> str:
    """The post of the bank its shunt hangs on.

    Args:
        plan: of the rig.
    """
    link = _shunt_link(plan)
    return link.b if link.a == "shunt.bank" else link.a


def _shunt_link(plan: Plan) -> Cable:
    return next(cable for cable in plan.drawing.cables if "shunt.bank" in (cable.a, cable.b))


def second_link(plan: Plan) -> tuple[str, str] | None:
    """The cable that joins another string's minus to the post of the shunt, and its end there; None for one.

    Args:
        plan: of the rig.
    """
    post = bank_post(plan)
    blocks = {name for row in block_names(plan.bank) for name in row}
    links = (cable for cable in plan.drawing.cables if {cable.a.owner, cable.b.owner} <= blocks)
    found = next((cable for cable in links if post in (cable.a, cable.b)), None)
    return None if found is None else (found.id, "a" if found.a == post else "b")


def heavy_cables(plan: Plan) -> tuple[str, ...]:
    """The cables the inverter's current goes through.

    Args:
        plan: of the rig.
    """
    inverters = [device.id for device in plan.devices if device.kind == "inverter"]
    own = [f"{inverter}_{pole}" for inverter in inverters for pole in ("minus", "plus")]
    return (_shunt_link(plan).id, *own)


def _moved_minus(rng: np.random.Generator, plan: Plan, names: tuple[str, ...]) -> tuple[str, Faults]:
    """One of these devices' minus on the battery post."""
    ids = [device.id for device in plan.devices if device.name in names]
    cable = f"{rng.choice(ids)}_minus"
    return cable, Faults(moved={(cable, "b"): bank_post(plan)})


def _load(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    inverter = LOADS[-1][0]
    loads = tuple(device.name for device in plan.devices if device.name not in _source_names(plan))
    return _moved_minus(rng, plan, tuple(name for name in loads if name != inverter))


def _source_names(plan: Plan) -> tuple[str, ...]:
    return tuple(device.name for device in plan.devices if device.kind in ("solar", "mains", "dcdc"))


def _charger(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    # A booster's minus carries what it takes from the starter battery too: on the post it is another fault.
    boosters = {device.name for device in plan.devices if device.kind == "dcdc"}
    return _moved_minus(rng, plan, tuple(name for name in _source_names(plan) if name not in boosters))


def _second(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    """The link between two strings' minus posts lands on the rig side instead of the last string's post."""
    link = second_link(plan)
    if link is None:
        raise ValueError("one string alone has no second minus")
    return link[0], Faults(moved={link: "shunt.rig"})


def _scale(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    return "", Faults(scale=float(rng.choice([0.5, 2.0, 1.5])))


def _zero(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    return "", Faults(offset_a=round(float(rng.choice([-1.0, 1.0]) * rng.uniform(0.2, 0.6)), 2))


def _loose(rng: np.random.Generator, plan: Plan) -> tuple[str, Faults]:
    """A lug in the way of the inverter's current."""
    cable = str(rng.choice(heavy_cables(plan)))
    return cable, Faults(loose={cable: round(float(rng.uniform(0.003, 0.008)), 4)})


PUT_IN: dict[str, Callable[[np.random.Generator, Plan], tuple[str, Faults]]] = {
    "load_bypass": _load,
    "charger_bypass": _charger,
    "second_negative": _second,
    "reversed": lambda rng, plan: ("", Faults(reversed=True)),
    "scale": _scale,
    "zero_offset": _zero,
    "loose_lug": _loose,
    "sense_fuse": lambda rng, plan: ("sense", Faults(dead=True)),
    "sound": lambda rng, plan: ("", NO_FAULTS),
}
"""How each fault is put into a plan: the cable it sits at, and what is wrong."""
