"""The check-up whole: causes in the order in which one hides another.

What a value can mend is mended and looked at again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from volnik.core.readings import Readings
from volnik.core.settings import Numbers
from volnik.core.watch.checkup import (
    capacity,
    changed_device,
    charger_bypass,
    dead_band,
    early_resets,
    efficiency,
    load_bypass,
    never_resets,
    reversed,
    scale,
    sense_restarts,
    weak_block,
    zero_offset,
)
from volnik.core.watch.checkup.cause import NAMES, Cause, Look, Unsure
from volnik.core.watch.checkup.facts import Facts, RigFacts, gather

READINGS_MENDED = ("reversed", "scale", "zero_offset")
Looks = tuple[tuple[str, Callable[[Facts], Look]], ...]
READINGS: Looks = (("reversed", reversed.look), ("scale", scale.look))
BYPASS: Looks = (("charger_bypass", charger_bypass.look), ("load_bypass", load_bypass.look))
COUNT: Looks = (
    ("never_resets", never_resets.look),
    ("early_resets", early_resets.look),
    ("efficiency", efficiency.look),
    ("capacity", capacity.look),
)
BESIDE: Looks = (
    ("dead_band", dead_band.look),
    ("sense_restarts", sense_restarts.look),
    ("weak_block", weak_block.look),
    ("changed_device", changed_device.look),
)


@dataclass(frozen=True, slots=True)
class Checkup:
    """What a check-up found: causes, most likely first; of what nothing can be told.

    The facts it rests on.
    """

    causes: list[Cause] = field(default_factory=list)
    cannot_tell: list[Unsure] = field(default_factory=list)
    facts: Facts | None = None

    def plain(self) -> dict[str, object]:
        """As `volnik checkup --json` tells it."""
        return {
            "causes": [cause.plain() for cause in self.causes],
            "cannot_tell": [unsure.plain() for unsure in self.cannot_tell],
        }


def checkup(
    readings: Readings,
    *,
    numbers: Numbers | None = None,
    plan: RigFacts | None = None,
    gap_s: float | None = None,
) -> Checkup:
    """Cross-examine a log.

    Args:
        numbers: the settings it is counted under, or None.
        plan: what is known of the rig, or None.
        gap_s: longest interval that counts; by default from the readings [s].
    """
    facts = gather(readings, numbers=numbers, plan=plan, gap_s=gap_s)
    if facts.trouble:
        return Checkup([], [Unsure(name, facts.trouble) for name in NAMES], facts)
    causes: list[Cause] = []
    unsure: dict[str, Unsure] = {}

    def ask(name: str, look: Callable[[Facts], Look], on: Facts) -> Cause | None:
        found = look(on)
        if isinstance(found, Unsure):
            unsure[name] = found
            return None
        if found is not None:
            unsure.pop(name, None)
            causes.append(found)
        return found

    # What the readings themselves are wrong by comes first, and is mended before anything else is judged.
    seen = facts
    for name, look in READINGS:
        found = ask(name, look, seen)
        if found is not None:
            seen = gather(mended(readings, found.corrected), numbers=numbers, plan=plan, gap_s=gap_s)
    bypass = [found for name, look in BYPASS if (found := ask(name, look, seen))]
    if len(bypass) == 2:  # the balance can only lean one way: what it does not show must stand on its own
        causes.remove(min(bypass, key=lambda cause: cause.likelihood))
    if bypass:
        for name in ("zero_offset", *(name for name, _ in COUNT)):
            unsure[name] = Unsure(name, "Current passes the shunt unseen: first mend that, then look again.")
    else:
        found = ask("zero_offset", zero_offset.look, seen)
        if found is not None:
            seen = gather(
                mended(_again(readings, causes[:-1]), found.corrected),
                numbers=numbers,
                plan=plan,
                gap_s=gap_s,
            )
        for name, look in COUNT:
            ask(name, look, seen)
    for name, look in BESIDE:
        ask(name, look, seen)
    _consequences(causes, unsure)
    return Checkup(sorted(causes, key=lambda cause: -cause.likelihood), list(unsure.values()), facts)


def _again(readings: Readings, causes: list[Cause]) -> Readings:
    for cause in causes:
        if cause.cause in READINGS_MENDED:
            readings = mended(readings, cause.corrected)
    return readings


def _consequences(causes: list[Cause], unsure: dict[str, Unsure]) -> None:
    """A zero that is off makes resets and efficiency look wrong.

    The cause is named, not what follows from it.
    """
    names = {cause.cause for cause in causes}
    if "zero_offset" in names and "efficiency" in names:
        causes[:] = [cause for cause in causes if cause.cause != "efficiency"]
        unsure["efficiency"] = Unsure(
            "efficiency", "An offset of the zero makes the same picture: mend that first."
        )
    if "weak_block" in names and names & {"early_resets", "never_resets", "capacity"}:
        causes[:] = [
            cause for cause in causes if cause.cause not in ("early_resets", "never_resets", "capacity")
        ]
        for name in ("early_resets", "never_resets", "capacity"):
            unsure[name] = Unsure(
                name, "A high resistance makes volts rise early and fall early: mend that first."
            )
    if "early_resets" in names and "capacity" in names:
        causes[:] = [cause for cause in causes if cause.cause != "capacity"]
        unsure["capacity"] = Unsure("capacity", "With resets that come early no depth can be trusted.")


def mended(readings: Readings, corrected: dict[str, float]) -> Readings:
    """The readings with their amps put right: times `amps_factor`, plus `amps_offset_a`."""
    amps = readings.amps * corrected.get("amps_factor", 1.0) + corrected.get("amps_offset_a", 0.0)
    return Readings(readings.time_s, readings.volts, np.asarray(amps), readings.extra)
