"""Causes: what can be wrong in a van of Practice, where, how large, what its owner says, how it is put in.

Cases are drawn from here and searches suppose from here, so that one knows of the other's causes. The pages
of faults tell how each looks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from volnik.core.practice.hidden import NOTHING, Hidden
from volnik.core.practice.vans import Order, bank_post, heavy_cables, right_numbers, second_link, shunt_link
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import block_names
from volnik.core.rig.wiring import Cable
from volnik.core.simulation.wired import Faults, Plan

NOBODY = "Nothing was changed that I know of."
LATER = Device(id="later", kind="heater", name="Air heater", current_a=5.0, duty=0.5, hours=((18.0, 8.0),))
SHORT_V = 13.6  # a power supply's or a tired charger's end, 12 V; source: trade practice
FROST_C = -4.0
WEAK_V = 0.12  # a weak block of 6 V rests lower by so much; source: estimate
WORN_OHM = 1.8  # times its own, of a worn battery; source: estimate
SWAPPED = {
    "lfp": Bank("agm", 6, 1, 1, CapacityLabel("nameplate", ah=90.0)),
    "agm": Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=150.0)),
    "flooded": Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=150.0)),
}
"""One battery of what stands there now, by what stood there before."""


class Wrong(NamedTuple):
    """One thing that is wrong: its cause, the part it sits at ("" for none), its size in its own unit."""

    cause: str
    where: str = ""
    size: float = 0.0

    @property
    def named(self) -> str:
        """What is wrong, and where, whatever its size: "cause:where"."""
        return f"{self.cause}:{self.where}"


@dataclass(frozen=True, slots=True)
class Cause:
    """A cause.

    Attributes:
        complaint: what the owner says.
        places: parts of a rig it may sit at, ("",) where it sits at none; none where the rig cannot have it.
        put_in: what is then hidden, from the rig, the part and the size.
        sizes: that are supposed of it.
        drawn: least and most of what it is drawn with, each of them one of two signs where `signed`.
        owner: what the owner answers when asked what was changed.
        wants: whether a van made of this can have it.
    """

    complaint: str
    places: Callable[[Plan], tuple[str, ...]]
    put_in: Callable[[Plan, str, float], Hidden]
    sizes: tuple[float, ...] = (0.0,)
    drawn: tuple[float, ...] = (0.0,)
    owner: str = NOBODY
    wants: Callable[[Order], bool] = lambda order: True

    def wrongs(self, key: str, plan: Plan) -> Iterator[Wrong]:
        """Everything it can be in a rig.

        Args:
            key: of it.
            plan: of the rig.
        """
        for where in self.places(plan):
            for size in self.sizes:
                yield Wrong(key, where, size)


def hidden_of(plan: Plan, wrong: Wrong) -> Hidden:
    """What is hidden where one thing is wrong.

    Args:
        plan: of the rig.
        wrong: in it.

    Raises:
        KeyError: for a cause there is none of.
    """
    return CAUSES[wrong.cause].put_in(plan, wrong.where, wrong.size)


def _nowhere(plan: Plan) -> tuple[str, ...]:
    return ("",)


def _minuses(plan: Plan, *kinds: str, but: tuple[str, ...] = ()) -> tuple[str, ...]:
    """Minus cables of devices of some kinds, or of all but some."""
    cables = {cable.id for cable in plan.drawing.cables}
    chosen = (device for device in plan.devices if not kinds or device.kind in kinds)
    return tuple(
        f"{device.id}_minus" for device in chosen if device.kind not in but and f"{device.id}_minus" in cables
    )


def _loads(plan: Plan) -> tuple[str, ...]:
    # A booster's minus carries what it takes from the starter battery too: on the post it is another fault.
    return _minuses(plan, but=("solar", "mains", "dcdc", "starter"))


def _on_the_post(plan: Plan, where: str, size: float) -> Hidden:
    return Hidden(Faults(moved={(where, "b"): bank_post(plan)}))


def _bond(plan: Plan) -> Cable | None:
    return plan.drawing.cable("chassis_bond")


def _with_bond(plan: Plan) -> tuple[str, ...]:
    """The bond, where anything of the house returns through what it bonds."""
    bond = _bond(plan)
    minuses = (plan.drawing.cable(minus) for minus in _loads(plan))
    by_chassis = any(cable is not None and cable.b == "chassis" for cable in minuses)
    return (bond.id,) if bond is not None and by_chassis else ()


def _on_chassis(order: Order) -> bool:
    return order.has("chassis")


def _bond_moved(plan: Plan, where: str, size: float) -> Hidden:
    bond = _bond(plan)
    end = "b" if bond is None or bond.a == "chassis" else "a"
    return Hidden(Faults(moved={(where, end): bank_post(plan)}))


def _second_bond(plan: Plan, where: str, size: float) -> Hidden:
    cable = Cable(id="second_bond", a=StudRef("chassis"), b=bank_post(plan))
    return Hidden(Faults(added=(cable,)))


def _with_second(plan: Plan) -> tuple[str, ...]:
    link = second_link(plan)
    return () if link is None else (link[0],)


def _second(plan: Plan, where: str, size: float) -> Hidden:
    """The link between two strings' minus posts lands on the rig side instead of the last string's post."""
    link = second_link(plan)
    if link is None:
        raise ValueError("one string alone has no second minus")
    return Hidden(Faults(moved={link: "shunt.rig"}))


def _settings(change: Callable[[Plan, float], dict[str, float]]) -> Callable[[Plan, str, float], Hidden]:
    return lambda plan, where, size: Hidden(settings=change(plan, size))


def _too_soon(plan: Plan, size: float) -> dict[str, float]:
    right = right_numbers(plan)
    per_12v = right.charged_voltage_v / 14.0
    low = 13.3 if plan.bank.chemistry == "lfp" else 13.1
    return {"charged_voltage_v": round(low * round(per_12v), 1), "tail_current_pct": 8.0, "hold_s": 60.0}


def _never(plan: Plan, size: float) -> dict[str, float]:
    return {"charged_voltage_v": round(right_numbers(plan).charged_voltage_v + 0.7, 1)}


def _capacity(plan: Plan, size: float) -> dict[str, float]:
    return {"capacity_ah": round(size * right_numbers(plan).capacity_ah, 1)}


def _efficiency(plan: Plan, size: float) -> dict[str, float]:
    return {"coulombic_efficiency": 0.85 if plan.bank.chemistry == "lfp" else 0.75}


def _worn(plan: Plan, where: str, size: float) -> Hidden:
    """Less capacity, and more resistance, in every block alike."""
    blocks = (name for row in block_names(plan.bank) for name in row)
    return Hidden(Faults(weak=dict.fromkeys(blocks, WORN_OHM)), worn=size)


def _blocks_in_a_row(plan: Plan) -> tuple[str, ...]:
    if plan.bank.series < 2:
        return ()
    return tuple(name for row in block_names(plan.bank) for name in row)


def _one_end(plan: Plan, where: str, size: float) -> Hidden:
    """Plus and minus of the rig both at the first string."""
    link = shunt_link(plan)
    end = "b" if link.a == "shunt.bank" else "a"
    return Hidden(Faults(moved={(link.id, end): StudRef("A1.minus")}))


def _sides(plan: Plan) -> tuple[str, ...]:
    return (shunt_link(plan).id,) if plan.bank.parallel > 1 else ()


def _chargers(plan: Plan) -> tuple[str, ...]:
    return tuple(device.id for device in plan.devices if device.kind in ("solar", "mains", "dcdc"))


def _added(plan: Plan, where: str, size: float) -> Hidden:
    cables = (
        Cable(id="later_minus", a=StudRef("later.minus"), b=bank_post(plan)),
        Cable(id="later_plus", a=StudRef("later.plus"), b=StudRef("A1.plus")),
    )
    return Hidden(Faults(added=cables), later=LATER)


def _swapped(plan: Plan, where: str, size: float) -> Hidden:
    one = SWAPPED[plan.bank.chemistry]
    return Hidden(bank=replace(one, parallel=plan.bank.parallel, series=plan.bank.series))


def _drawing_loads(plan: Plan) -> tuple[str, ...]:
    return tuple(minus.removesuffix("_minus") for minus in _loads(plan))


CAUSES: dict[str, Cause] = {
    "load_bypass": Cause("It says 80 % and the lights go out.", _loads, _on_the_post),
    "charger_bypass": Cause(
        "The sun shines all day, or it is plugged in, and the percentage only falls.",
        lambda plan: _minuses(plan, "solar", "mains"),
        _on_the_post,
        wants=lambda order: order.has("Solar") or order.has("Mains"),
    ),
    "bond": Cause("It says 80 % and the lights go out.", _with_bond, _bond_moved, wants=_on_chassis),
    "partial_return": Cause(
        "It seems right and it is not: after three days it says 60 % and the volts say less.",
        lambda plan: tuple("" for _ in _with_bond(plan)),
        _second_bond,
        wants=_on_chassis,
    ),
    "second_negative": Cause(
        "It goes down half as fast as it used to, and then it is suddenly empty.",
        _with_second,
        _second,
        wants=lambda order: order.has_strings,
    ),
    "reversed": Cause(
        "When I switch something on, it fills.",
        _nowhere,
        lambda plan, where, size: Hidden(Faults(reversed=True)),
    ),
    "scale": Cause(
        "The fridge alone empties it on the screen within a night. It never did.",
        _nowhere,
        lambda plan, where, size: Hidden(Faults(scale=size)),
        (0.5, 1.5, 2.0),
        (0.5, 1.5, 2.0),
    ),
    "zero_offset": Cause(
        "With everything off it still shows something, and after a week away it is at 60 %.",
        _nowhere,
        lambda plan, where, size: Hidden(Faults(offset_a=size)),
        (-0.8, -0.6, -0.4, 0.4, 0.6, 0.8),
        (-0.7, -0.5, 0.5, 0.7),
    ),
    "dead_band": Cause(
        "It shows nothing at night, and after a week away the lights are dim at 96 %.",
        _nowhere,
        _settings(lambda plan, size: {"dead_band_a": size}),
        (0.8,),
        (0.6, 0.8, 1.0),
    ),
    "early_resets": Cause(
        "It is at 100 % by ten in the morning, every day, and by evening it is dark.",
        _nowhere,
        _settings(_too_soon),
    ),
    "never_resets": Cause("It has not said 100 % since spring.", _nowhere, _settings(_never)),
    "short_charger": Cause(
        "Plugged in for days, and it is never full.",
        _chargers,
        lambda plan, where, size: Hidden(ends_v={where: SHORT_V}),
    ),
    "capacity_wrong": Cause(
        "The percentage is nothing like what is left in it.",
        _nowhere,
        _settings(_capacity),
        (0.5, 2.0),
        (0.5, 0.6, 1.6, 2.0),
    ),
    "capacity_low": Cause(
        "It is fine down to 60 %, then it goes dark.",
        _nowhere,
        _worn,
        (0.5, 0.6),
        (0.5, 0.55, 0.6),
    ),
    "efficiency": Cause(
        "It is never at 100 % when the charger says full, a little less each week.",
        _nowhere,
        _settings(_efficiency),
    ),
    "loose_lug": Cause(
        "When the kettle runs on the inverter, the lights go dim. It was not so last year.",
        heavy_cables,
        lambda plan, where, size: Hidden(Faults(loose={where: size})),
        (0.003, 0.005, 0.008),
        (0.003, 0.004, 0.006, 0.008),
    ),
    "sense_fuse": Cause(
        "The screen is black. The lights work.",
        lambda plan: ("sense",),
        lambda plan, where, size: Hidden(Faults(dead=True)),
    ),
    "restarts": Cause(
        "Out of nowhere it says 100 %.", _nowhere, lambda plan, where, size: Hidden(restarts="load")
    ),
    "isolator_first": Cause(
        "Each morning it says 100 %, whatever we used.",
        _nowhere,
        lambda plan, where, size: Hidden(restarts="parked"),
    ),
    "weak_block": Cause(
        "It dies early, and the percentage says it should not.",
        _blocks_in_a_row,
        lambda plan, where, size: Hidden(Faults(weak={where: size}), worn=0.6, low_v={where: WEAK_V}),
        (5.0, 8.0),
        (5.0, 6.0, 8.0),
        wants=lambda order: order.has_blocks,
    ),
    "imbalance": Cause(
        "One battery gets warm and the other does not.",
        _sides,
        _one_end,
        wants=lambda order: order.has_strings,
    ),
    "cold_refusal": Cause(
        "The charger is on, the sun is up, and nothing goes in. The charger must be broken.",
        lambda plan: ("",) if plan.bank.chemistry == "lfp" else (),
        lambda plan, where, size: Hidden(celsius=FROST_C),
        wants=lambda order: order.chemistry == "lfp",
    ),
    "added_later": Cause(
        "It was right for a year. Since the cold came it says more than there is.",
        _nowhere,
        _added,
        owner="A friend put an air heater in, before winter.",
    ),
    "swapped": Cause(
        "Since spring it never agrees with anything.",
        _nowhere,
        _swapped,
        owner="The batteries are new since spring. They look like the old ones.",
    ),
    "opened_full": Cause(
        "It is new, and it says far too much.",
        _nowhere,
        lambda plan, where, size: Hidden(begins=0.5),
        owner="The monitor was fitted last week, straight from the box.",
    ),
    "idle_drain": Cause(
        "After a week away it is at 60 %, and all was off.",
        _drawing_loads,
        lambda plan, where, size: Hidden(standing={where: size}),
        (0.5, 0.8),
        (0.5, 0.6, 0.8),
    ),
    "sound": Cause(
        "The numbers jump about all the time. Can I trust it?", _nowhere, lambda plan, where, size: NOTHING
    ),
}
"""Every cause of which there are cases, by the key of its page."""

PLACED = tuple(key for key, cause in CAUSES.items() if cause.places is not _nowhere)
