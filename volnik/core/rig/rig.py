"""A rig: one vehicle's or boat's battery system."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from volnik.core.instants import known_zone
from volnik.core.rig.bank import Bank
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers
from volnik.core.stages import NO_PLAN, NO_STEPS


class NotFound(LookupError):
    """Nothing on record has that number."""


SILHOUETTES = {
    "van": "Van",
    "motorhome": "Motorhome",
    "lorry": "Lorry",
    "trailer": "Trailer",
    "narrowboat": "Canal boat",
    "sailboat": "Sailing boat",
}


@dataclass(frozen=True, slots=True)
class NumbersVersion:
    """One saved version of the numbers.

    Attributes:
        id: stable name.
        saved_s: when it was saved [s since 1970].
        holds_from_s: from when it holds; None is the start of the log.
        reason: why it was saved.
        numbers: the values.
        power_up: what the monitor claims after a loss of supply.
    """

    id: int
    saved_s: float
    holds_from_s: float | None
    reason: str
    numbers: Numbers
    power_up: str


def timeline(versions: list[NumbersVersion]) -> list[NumbersVersion]:
    """The versions that hold, in order of time: a later saving takes over everything from its own date on."""
    held: list[NumbersVersion] = []
    for version in sorted(versions, key=lambda item: (item.saved_s, item.id)):
        start = -float("inf") if version.holds_from_s is None else version.holds_from_s
        held = [version for version in held if version.holds_from_s is None or version.holds_from_s < start]
        if version.holds_from_s is None:
            held = []
        held.append(version)
    return held


@dataclass(frozen=True, slots=True)
class RigSummary:
    """What the Yard shows of a rig, reckoned when its record last changed.

    Attributes:
        at_s: the rig's now, its last reading; NaN without a log.
        soc: charge 0..1; NaN while unknown.
        deficit_ah, volts, amps: at that instant; NaN when unknown.
        last_full_s: last full reset; NaN when none was ever seen.
        first_s: first reading; NaN without a log.
        resets: full resets in the log.
        reserve_pct: the reserve as set [%]; NaN without numbers.
        sentence: what flows and what it means.
        attention: gravest first, "level: sentence".
        has_devices: whether the survey lists any device.
        path_lacks: what the plan lacks, "" when nothing that stops.
        wireup_lacks, prove_lacks: what those stages lack, "" when nothing.
        need: weight by which the Yard is ordered, larger first.
    """

    at_s: float = float("nan")
    soc: float = float("nan")
    deficit_ah: float = float("nan")
    volts: float = float("nan")
    amps: float = float("nan")
    last_full_s: float = float("nan")
    first_s: float = float("nan")
    resets: int = 0
    reserve_pct: float = float("nan")
    sentence: str = ""
    attention: list[list[str]] = field(default_factory=list)
    need: float = 0.0
    has_devices: bool = False
    path_lacks: str = NO_PLAN
    wireup_lacks: str = NO_STEPS
    prove_lacks: str = NO_STEPS


@dataclass(frozen=True, slots=True)
class Rig:
    """A rig with what hangs on it.

    Attributes:
        id, name, silhouette, what, zone: as named; `what` is what kind of vehicle, `zone` its time zone.
        created_s, archived_s: [s since 1970].
        latitude, climate: where it mostly is [degrees north], and in words.
        bank: the bank on record, or None.
        standing: what the Yard shows.
        count_revision: rises whenever the count of record changes.
        demo_key, demo_version, touched: of a demo rig.
        use: how it is used, what a simulated season needs.
    """

    id: int
    name: str
    silhouette: str
    what: str
    zone: str
    created_s: float
    archived_s: float | None = None
    latitude: float | None = None
    climate: str = ""
    bank: Bank | None = None
    standing: RigSummary = field(default_factory=RigSummary)
    count_revision: int = 0
    demo_key: str | None = None
    demo_version: int | None = None
    touched: bool = False
    use: Use = field(default_factory=Use)


def rig_problems(name: str, silhouette: str, zone: str, latitude: float | None = None) -> dict[str, str]:
    """What keeps a rig from being named so, by field."""
    problems: dict[str, Any] = {}
    if not name.strip():
        problems["name"] = "Give the rig a name you would call it by."
    elif len(name) > 80:
        problems["name"] = "A name has at most 80 letters."
    if silhouette not in SILHOUETTES:
        problems["silhouette"] = "Choose what kind of rig it is."
    if latitude is not None and not -90.0 <= latitude <= 90.0:
        problems["latitude"] = f"A latitude lies from -90 to 90 degrees, got {latitude:g}."
    if not known_zone(zone):
        problems["zone"] = f"“{zone[:40]}” is not a time zone this machine knows."
    return problems
