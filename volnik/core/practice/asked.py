"""What somebody at the vehicle would answer to Volnik's questions, read off the vehicle as it really is."""

from __future__ import annotations

from collections.abc import Callable

from volnik.core.practice.bay import ALL_OUT, Bay
from volnik.core.practice.log import log_of
from volnik.core.watch.complaints.asking import ask

CLEARLY = 0.8  # of what a charger gives: less on the screen is clearly less
NOTHING_OF_IT = 0.1
FEW_AH = 0.8  # of the labels: fewer are clearly fewer
COLD_C = 5.0
Asked = Callable[[Bay], bool]

COMPLAINTS: dict[str, str] = {
    "load_bypass": "low_high",
    "charger_bypass": "high_low",
    "bond": "low_high",
    "partial_return": "too_slow",
    "second_negative": "too_slow",
    "reversed": "backwards",
    "scale": "too_fast",
    "zero_offset": "idle",
    "early_resets": "full_too_soon",
    "never_resets": "never_full",
    "short_charger": "plugged_not_full",
    "capacity_wrong": "too_fast",
    "capacity_low": "emptier",
    "efficiency": "never_full",
    "loose_lug": "warm_joint",
    "sense_fuse": "dead",
    "restarts": "resets_itself",
    "isolator_first": "resets_itself",
    "weak_block": "emptier",
    "cold_refusal": "refused",
    "added_later": "low_high",
    "opened_full": "full_at_start",
    "idle_drain": "idle",
    "sound": "hours",
}
"""What an owner of it says, as the complaint it comes nearest to; of the rest there is no complaint."""
SLOW = {"scale": "too_slow", "capacity_wrong": "too_slow"}
"""The same where the percentage runs too slowly by it."""

NAMED: dict[str, tuple[str, ...]] = {
    "load_bypass": ("load_bypass",),
    "charger_bypass": ("charger_bypass",),
    "bond": ("half_bypass", "load_bypass"),
    "partial_return": ("half_bypass",),
    "second_negative": ("half_bypass",),
    "reversed": ("turned",),
    "scale": ("scale",),
    "zero_offset": ("zero",),
    "early_resets": ("early_reset",),
    "never_resets": ("never_reset",),
    "short_charger": ("charger_low",),
    "capacity_wrong": ("capacity_low", "capacity_high"),
    "capacity_low": ("aged",),
    "efficiency": ("numbers_creep",),
    "loose_lug": ("loose_lug",),
    "sense_fuse": ("sense_fuse",),
    "restarts": ("supply_cut", "claims_full"),
    "isolator_first": ("supply_cut", "claims_full"),
    "weak_block": ("weak_string",),
    "cold_refusal": ("cold",),
    "added_later": ("load_bypass",),
    "opened_full": ("first_start",),
    "idle_drain": ("idle_devices",),
    "sound": ("switching_load", "charging"),
}
"""What the questions may come to where a cause is true."""


def complaint_of(cause: str, size: float) -> str:
    """The complaint an owner of a cause has, "" where there is none.

    Args:
        cause: its key.
        size: of it, in its own unit.
    """
    slow = SLOW.get(cause, "") if (size < 1.0) == (cause == "scale") else ""
    return slow or COMPLAINTS.get(cause, "")


def _moved(bay: Bay, device: str) -> float:
    """What the screen moves by when a device is switched on [A]."""
    return bay.shown_a(device) - bay.shown_a("")


def _chargers(bay: Bay) -> list[float]:
    """What of each charger's amps the screen shows [1]; none gives anything in frost."""
    given = ((device.id, device.gives_a) for device in bay.analysis.devices if device.gives_a)
    return [] if bay.frozen else [_moved(bay, name) / amps for name, amps in given]


def _loads(bay: Bay) -> dict[str, float]:
    """What of each load's amps the screen shows [1]."""
    plain = (device for device in bay.analysis.devices if device.takes and not device.gives)
    return {device.id: _moved(bay, device.id) / -device.running_a for device in plain if device.running_a}


def _other_minus(bay: Bay) -> bool:
    """Whether another cable lies on a post of the bank than on paper."""
    found = (
        {cable.id for post in each.analysis.posts for cable in each.analysis.by_stud.get(post, [])}
        for each in (bay, bay.sound)
    )
    real, papers = found
    return bool(real - papers)


def _low_efficiency(bay: Bay) -> float:
    return 0.80 if bay.analysis.chemistry.is_lead else 0.95


def _resets(bay: Bay) -> int:
    return len(log_of(bay).resets_s)


def _brings(bay: Bay) -> bool:
    """Whether one device's fuse brings most of what is drawn with all off."""
    whole = abs(bay.shown_a(""))
    least = min(abs(bay.shown_a("", pulled=load.id)) for load in bay.vehicle.loads)
    return whole - least > 0.6 * whole and whole > 0.4


ANSWERS: dict[str, Asked] = {
    "charger_reads_more": lambda bay: any(part < CLEARLY for part in _chargers(bay)),
    "charger_shows_nothing": lambda bay: any(abs(part) < NOTHING_OF_IT for part in _chargers(bay)),
    "load_unseen": lambda bay: any(abs(part) < NOTHING_OF_IT for part in _loads(bay).values()),
    "half_of_each": lambda bay: 0.2 < _loads(bay)["inverter"] < CLEARLY,
    "other_minus": _other_minus,
    "clamp_at_shunt": lambda bay: not CLEARLY < bay.faults.scale < 1.0 / CLEARLY,
    "stamped": lambda bay: bay.faults.scale != 1.0,
    "load_shows_plus": lambda bay: bay.shown_a("inverter") > 0.0,
    "never_hundred": lambda bay: not _resets(bay) and _resets(bay.sound) > 0,
    "charger_done": lambda bay: not bay.frozen,
    "volts_reach_set": lambda bay: all(
        source.at_bank_v(18.0) >= bay.numbers.charged_voltage_v for source in bay.vehicle.sources
    ),
    "charger_under_maker": lambda bay: bool(bay.hidden.ends_v),
    "amps_at_hundred": lambda bay: bay.numbers.charged_voltage_v < bay.right.charged_voltage_v,
    "numbers_typed": lambda bay: bay.numbers.coulombic_efficiency < _low_efficiency(bay),
    "set_over_labels": lambda bay: bay.numbers.capacity_ah > 1.1 * bay.right.capacity_ah,
    "set_under_labels": lambda bay: bay.numbers.capacity_ah < 0.9 * bay.right.capacity_ah,
    "from_full_to_cut": lambda bay: bay.vehicle.capacity_ah < FEW_AH * bay.right.capacity_ah,
    "restarted": lambda bay: bool(bay.hidden.restarts),
    "jumps_by_itself": lambda bay: bool(bay.hidden.restarts),
    "new_monitor": lambda bay: bay.hidden.begins < 1.0,
    "going_in": lambda bay: False,
    "self_switching": lambda bay: any(load.number("duty") < 0.95 for load in bay.vehicle.loads),
    "hours_too_long": lambda bay: bay.numbers.capacity_ah > 1.1 * bay.right.capacity_ah,
    "agrees_loads_off": lambda bay: all(abs(part - 1.0) < 0.05 for part in _chargers(bay)),
    "just_floated": lambda bay: False,
    "load_just_gone": lambda bay: False,
    "percent_high": lambda bay: False,
    "freezing": lambda bay: bay.hidden.celsius is not None and bay.hidden.celsius < COLD_C,
    "strings_unlike": lambda bay: bool(bay.hidden.low_v),
    "main_open": lambda bay: abs(bay.shown_a(ALL_OUT)) > 0.15,
    "one_fuse_brings_it": _brings,
    "warm": lambda bay: bool(bay.faults.loose),
    "agrees_at_rest": lambda bay: True,
    "fuse_changed": lambda bay: bay.faults.dead,
    "other_socket": lambda bay: False,
    "volts_at_socket": lambda bay: not bay.faults.dead,
    "plug_seated": lambda bay: False,
    "little_charge": lambda bay: False,
}
"""Yes or no by what is there, by key of the question; what is not here is not known."""


def came_to(bay: Bay, complaint: str) -> tuple[str, bool]:
    """What the questions come to where each is answered by what is there: the cause, and whether surely.

    Args:
        bay: as it really is.
        complaint: what the owner says.

    Raises:
        KeyError: for a complaint there is none of.
    """
    answers = ""
    standing = ask(complaint, answers)
    while standing.next_key:
        answer = ANSWERS.get(standing.next_key)
        answers += "u" if answer is None else "y" if answer(bay) else "n"
        standing = ask(complaint, answers)
    return standing.cause, standing.sure
