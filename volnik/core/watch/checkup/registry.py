"""The check-up whole: causes in the order in which one hides another.

What a value can mend is mended and looked at again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Literal

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
from volnik.core.watch.checkup.cause import Cause, Outcome, Unsure
from volnik.core.watch.checkup.facts import Facts, RigFacts, gather
from volnik.core.watch.checkup.measures import Measure, measures
from volnik.core.watch.checkup.off_steps import HALF, followed
from volnik.core.watch.checkup.since import SHOWN_BY, steps_in

Group = Literal["readings", "silences", "bypass", "zero", "count", "beside"]


@dataclass(frozen=True, slots=True)
class CauseSpec:
    """One cause the check-up looks for: a row of the registry.

    Attributes:
        key: as kept and sent; the file's own name.
        title: as shown.
        group: when it is looked for: "readings" are put right before all else; after "silences" no balance
            stands; "bypass" comes next, "zero" and "count" only where nothing bypasses, "beside" always.
        check: looks at the facts.
        in_wiring: whether hands mend it and not a value; it is then marked mended from a date.
        hides_charge: whether charge comes in unseen, which is then estimated.
        spoils_count: whether the percentage cannot be believed until it is mended.
        follows_from: causes beside which it is only what follows, with the sentence that says so.
    """

    key: str
    title: str
    group: Group
    check: Callable[[Facts], Outcome]
    in_wiring: bool = False
    hides_charge: bool = False
    spoils_count: bool = False
    follows_from: dict[str, str] = field(default_factory=dict)


OFFSET_FIRST = "An offset of the zero makes the same picture: put that right first."
RESISTANCE_FIRST = "A high resistance makes volts rise early and fall early: put that right first."
RESETS_FIRST = "With resets that come early no depth can be trusted."
CAPACITY_FIRST = "The tail is a share of the capacity as set: put that right first."
RESTARTS_FIRST = (
    "What flows while the monitor restarts is not counted: no balance stands until that is mended."
)
BYPASS_FIRST = "Current passes the shunt unseen: first put that right, then look again."

CAUSES: tuple[CauseSpec, ...] = (
    CauseSpec("reversed", "Shunt reversed", "readings", reversed.check, in_wiring=True, spoils_count=True),
    CauseSpec("scale", "Scale of the amps", "readings", scale.check, spoils_count=True),
    CauseSpec("sense_restarts", "The monitor restarts", "silences", sense_restarts.check, in_wiring=True),
    CauseSpec(
        "charger_bypass",
        "A charger bypasses the shunt",
        "bypass",
        charger_bypass.check,
        in_wiring=True,
        hides_charge=True,
        spoils_count=True,
    ),
    CauseSpec(
        "load_bypass",
        "A load bypasses the shunt",
        "bypass",
        load_bypass.check,
        in_wiring=True,
        spoils_count=True,
    ),
    CauseSpec("zero_offset", "Zero of the shunt", "zero", zero_offset.check),
    CauseSpec(
        "never_resets",
        "The count is never reset",
        "count",
        never_resets.check,
        follows_from={"weak_block": RESISTANCE_FIRST, "capacity": CAPACITY_FIRST},
    ),
    CauseSpec(
        "early_resets",
        "Resets come early",
        "count",
        early_resets.check,
        follows_from={"weak_block": RESISTANCE_FIRST},
    ),
    CauseSpec(
        "efficiency",
        "Efficiency as set",
        "count",
        efficiency.check,
        follows_from={"zero_offset": OFFSET_FIRST},
    ),
    CauseSpec(
        "capacity",
        "Capacity as set",
        "count",
        capacity.check,
        follows_from={"weak_block": RESISTANCE_FIRST, "early_resets": RESETS_FIRST},
    ),
    CauseSpec("dead_band", "Dead band hides a draw", "beside", dead_band.check),
    CauseSpec("weak_block", "Weak battery or high resistance", "beside", weak_block.check, in_wiring=True),
    CauseSpec("changed_device", "A device changed its draw", "beside", changed_device.check),
)


def names() -> dict[str, str]:
    """Title of every cause by its key, in the order they are told."""
    return {spec.key: spec.title for spec in CAUSES}


def spec_of(key: str) -> CauseSpec:
    """The row of a cause; raises KeyError for one that is not there.

    Args:
        key: of the cause.
    """
    return next(spec for spec in CAUSES if spec.key == key) if key in names() else _no_cause(key)


def _no_cause(key: str) -> CauseSpec:
    raise KeyError(f"no cause is called {key}")


@dataclass(frozen=True, slots=True)
class Checkup:
    """What a check-up found.

    Attributes:
        causes: most likely first.
        cannot_tell: of what nothing can be told.
        facts: what the whole log gave to look at.
        judged: the same of the part that was judged, where a cause began within it.
    """

    causes: list[Cause] = field(default_factory=list)
    cannot_tell: list[Unsure] = field(default_factory=list)
    facts: Facts | None = None
    judged: Facts | None = None

    @property
    def at_fault(self) -> Facts | None:
        """What the part in which the causes stand gave to look at."""
        return self.facts if self.judged is None else self.judged

    @property
    def measures(self) -> list[Measure]:
        """Figures the log gives whatever is wrong; none that a cause found would falsify."""
        groups = {spec_of(cause.cause).group for cause in self.causes}
        if self.at_fault is None or "readings" in groups:
            return []
        found = measures(self.at_fault)
        if groups & {"bypass", "silences"}:
            return [measure for measure in found if measure.key == "resistance"]
        return found

    def to_dict(self) -> dict[str, object]:
        """As `volnik checkup --json` tells it."""
        return {
            "causes": [cause.to_dict() for cause in self.causes],
            "cannot_tell": [unsure.to_dict() for unsure in self.cannot_tell],
            "measures": [measure.to_dict() for measure in self.measures],
        }


def checkup(
    readings: Readings,
    *,
    numbers: Numbers | None = None,
    plan: RigFacts | None = None,
    gap_s: float | None = None,
) -> Checkup:
    """Cross-examine a log: as a whole, and in two parts wherever something in it stepped.

    Args:
        readings: the log.
        numbers: the settings it is counted under, or None.
        plan: what is known of the rig, or None.
        gap_s: longest interval that counts; by default from the readings [s].
    """
    gathered = partial(gather, numbers=numbers, plan=plan, gap_s=gap_s)
    whole = _judge(readings, gathered)
    if whole.facts is None or whole.facts.trouble:
        return whole
    told = {*(cause.cause for cause in whole.causes), *(unsure.cause for unsure in whole.cannot_tell)}
    all_amps = "changed_device" in told
    for step in steps_in(whole.facts, all_amps=all_amps):
        head, tail = _parted(whole.facts.readings, step.at_s)
        later = _judge(tail, gathered)
        began = [cause for cause in later.causes if step.figure in SHOWN_BY.get(cause.cause, ())]
        if not began:
            continue
        earlier = _judge(head, gathered)
        before = {cause.cause for cause in earlier.causes}
        if _stood_before(began[0].cause, before) or not _like_scale(began[0], whole.facts):
            continue
        causes = [
            cause if cause.cause in before else replace(cause, since_s=step.at_s) for cause in later.causes
        ]
        return Checkup(causes, later.cannot_tell, whole.facts, later.facts)
    return whole


def _stood_before(cause: str, before: set[str]) -> bool:
    """Whether a cause was there already, or another bypass was.

    What passes unseen makes the signs of the other kind too, and a part of the log is too short to part them.
    """
    if cause in before:
        return True
    return spec_of(cause).group == "bypass" and any(spec_of(key).group == "bypass" for key in before)


def _like_scale(cause: Cause, facts: Facts) -> bool:
    """Whether a scale that changed left the volts alone: a device that changed moves them too."""
    if cause.cause != "scale":
        return True
    load_a = cause.sums["load_a"]
    volts = followed(facts, load_a, cause.sums["factor"] * load_a)
    return volts is not None and volts.share < HALF


def _parted(readings: Readings, at_s: float) -> tuple[Readings, Readings]:
    """The readings before an instant, and from it on."""
    at = int(np.searchsorted(readings.time_s, at_s))
    return readings.part(0, at), readings.part(at, len(readings))


def _judge(readings: Readings, gathered: Callable[[Readings], Facts]) -> Checkup:
    """The causes that one stretch of a log shows."""
    facts = gathered(readings)
    if facts.trouble:
        return Checkup([], [Unsure(spec.key, facts.trouble) for spec in CAUSES], facts)
    hearing = _Hearing()
    # What the readings themselves are wrong by comes first, and is mended before anything else is judged.
    seen = facts
    for spec in _group("readings"):
        if (found := hearing.ask(spec, seen)) is not None:
            readings = mended(readings, found.corrected)
            seen = gathered(readings)
    restarts = [found for spec in _group("silences") if (found := hearing.ask(spec, seen))]
    if restarts:
        hearing.set_aside([*_group("bypass"), *_group("zero"), *_group("count")], RESTARTS_FIRST)
    else:
        seen = _balances(hearing, seen, readings, gathered)
    for spec in _group("beside"):
        hearing.ask(spec, seen)
    hearing.drop_consequences()
    causes = sorted(hearing.causes, key=lambda cause: -cause.likelihood)
    return Checkup(causes, list(hearing.unsure.values()), facts)


def _balances(
    hearing: _Hearing, seen: Facts, readings: Readings, gathered: Callable[[Readings], Facts]
) -> Facts:
    """Ask of what passes unseen, then of the zero, then of the numbers; returns what is looked at then."""
    bypasses = [found for spec in _group("bypass") if (found := hearing.ask(spec, seen))]
    if len(bypasses) == 2:  # the balance can only lean one way: what it does not show must stand on its own
        hearing.causes.remove(min(bypasses, key=lambda cause: cause.likelihood))
    if bypasses:
        hearing.set_aside([*_group("zero"), *_group("count")], BYPASS_FIRST)
        return seen
    for spec in _group("zero"):
        if (found := hearing.ask(spec, seen)) is not None:
            seen = gathered(mended(readings, found.corrected))
    for spec in _group("count"):
        hearing.ask(spec, seen)
    return seen


def _group(name: Group) -> list[CauseSpec]:
    return [spec for spec in CAUSES if spec.group == name]


@dataclass(slots=True)
class _Hearing:
    """The causes found so far, and those of which nothing can be told."""

    causes: list[Cause] = field(default_factory=list)
    unsure: dict[str, Unsure] = field(default_factory=dict)

    def ask(self, spec: CauseSpec, facts: Facts) -> Cause | None:
        """Look for one cause.

        Args:
            spec: the row of the cause.
            facts: what the log gives to look at.
        """
        found = spec.check(facts)
        if isinstance(found, Unsure):
            self.unsure[spec.key] = found
            return None
        if found is not None:
            self.unsure.pop(spec.key, None)
            self.causes.append(found)
        return found

    def set_aside(self, specs: Iterable[CauseSpec], why: str) -> None:
        """Say of causes that nothing can be told, and why.

        Args:
            specs: rows of causes.
        """
        self.unsure |= {spec.key: Unsure(spec.key, why) for spec in specs}

    def drop_consequences(self) -> None:
        """The cause is named, not what follows from it."""
        found = {cause.cause for cause in self.causes}
        for cause in reversed_order():
            followers = {
                spec.key: spec.follows_from[cause.key] for spec in CAUSES if cause.key in spec.follows_from
            }
            if cause.key not in found or not found & set(followers):
                continue
            gone = tuple(each.cause for each in self.causes if each.cause in followers)
            self.causes = [
                replace(each, consequences=(*each.consequences, *gone)) if each.cause == cause.key else each
                for each in self.causes
                if each.cause not in followers
            ]
            self.unsure |= {key: Unsure(key, why) for key, why in followers.items()}


def reversed_order() -> list[CauseSpec]:
    """The causes from the last to the first: what hides most stands last and is heard first."""
    return list(CAUSES[::-1])


def mended(readings: Readings, corrected: dict[str, float]) -> Readings:
    """The readings with their amps put right: times `amps_factor`, plus `amps_offset_a`.

    Args:
        corrected: what mends it, by the settings' key.
    """
    amps = readings.amps * corrected.get("amps_factor", 1.0) + corrected.get("amps_offset_a", 0.0)
    return Readings(readings.time_s, readings.volts, np.asarray(amps), readings.extra)
