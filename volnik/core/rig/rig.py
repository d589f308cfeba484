"""A rig: one vehicle's or boat's battery system."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

from volnik.core.instants import known_zone
from volnik.core.rig.bank import Bank
from volnik.core.rig.languages import LANGUAGES
from volnik.core.rig.use import Use
from volnik.core.settings import Numbers
from volnik.core.stages import HandoverFacts, PlanFacts, ProveFacts, RecordFacts, WireUpFacts


class NotFound(LookupError):
    """Nothing on record has that number.

    Attributes:
        kind: what was looked for, "rig" or "photo".
        number: under which number.
    """

    def __init__(self, kind: str, number: int) -> None:
        super().__init__(f"There is no {kind} {number} any more; nothing was changed.")
        self.kind = kind
        self.number = number


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
        low, high: between what it lies, nine cases of ten [0..1]; NaN while not reckoned.
        deficit_ah, volts, amps: at that instant; NaN when unknown.
        last_full_s: last full reset; NaN when none was ever seen.
        first_s: first reading; NaN without a log.
        resets: full resets in the log.
        reserve_pct: the reserve as set [%]; NaN without numbers.
        sentence: what flows and what it means.
        attention: gravest first, "level: sentence".
        has_devices: whether the survey lists any device.
        promise: how the latest promise made on leaving stands, "" for none.
        believed: "unknown", "plain", "doubt" or "not": whether the percentage may be believed.
        reason: why not, in a sentence.
        known_since: since when each finding is known, by its key [s].
        checkup: what the last check-up of the log found, and what it rested on.
        numbers_stops: stops that stand against the numbers.
        plan, wireup, prove, handover: what those stages rest on.
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
    promise: str = ""
    believed: str = "unknown"
    reason: str = ""
    known_since: dict[str, float] = field(default_factory=dict)
    low: float = float("nan")
    high: float = float("nan")
    checkup: dict[str, Any] = field(default_factory=dict)
    numbers_stops: int = 0
    plan: PlanFacts = field(default_factory=PlanFacts)
    wireup: WireUpFacts = field(default_factory=WireUpFacts)
    prove: ProveFacts = field(default_factory=ProveFacts)
    handover: HandoverFacts = field(default_factory=HandoverFacts)

    def facts(self, *, has_bank: bool, has_numbers: bool) -> RecordFacts:
        """What the stages rest on.

        Args:
            has_bank: whether a bank is described.
            has_numbers: whether numbers were saved.
        """
        return RecordFacts(
            has_bank,
            self.has_devices,
            has_numbers,
            not math.isnan(self.at_s),
            not math.isnan(self.soc),
            self.plan,
            self.wireup,
            self.prove,
            self.numbers_stops,
            self.believed,
            self.handover,
        )


def spoilt_since(summary: RigSummary) -> float:
    """From when on a rig's percentage cannot be believed [s]; inf where it can.

    Args:
        summary: of the rig.
    """
    if summary.believed != "not":
        return math.inf
    return float(summary.checkup.get("since_s", -math.inf)) if "cause" in summary.checkup else -math.inf


@dataclass(frozen=True, slots=True)
class Rig:
    """A rig with what hangs on it.

    Attributes:
        id, name, silhouette, what, zone: as named; `what` is what kind of vehicle, `zone` its time zone.
        created_s, archived_s: [s since 1970].
        latitude, climate: where it mostly is [degrees north], and in words.
        bank: the bank on record, or None.
        summary: what the Yard shows.
        count_revision: rises whenever the count of record changes.
        demo_key, demo_version, modified_by_user: of a demo rig.
        use: how it is used, what a simulated season needs.
        language: its owner's, a key of LANGUAGES.
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
    summary: RigSummary = field(default_factory=RigSummary)
    count_revision: int = 0
    demo_key: str | None = None
    demo_version: int | None = None
    modified_by_user: bool = False
    use: Use = field(default_factory=Use)
    language: str = "en"


def rig_problems(
    name: str, silhouette: str, zone: str, latitude: float | None = None, language: str = "en"
) -> dict[str, str]:
    """What keeps a rig from being named so, by field.

    Args:
        silhouette: what kind of rig it is.
        zone: the rig's time zone.
        latitude: degrees north, or None.
        language: its owner's.
    """
    problems: dict[str, Any] = {}
    if not name.strip():
        problems["name"] = "Give the rig a name you would call it by."
    elif len(name) > 80:
        problems["name"] = "A name has at most 80 letters."
    if silhouette not in SILHOUETTES:
        problems["silhouette"] = "Choose what kind of rig it is."
    if latitude is not None and not -90.0 <= latitude <= 90.0:
        problems["latitude"] = f"A latitude lies from -90 to 90 degrees, got {latitude:g}."
    if language not in LANGUAGES:
        problems["language"] = f"There are no papers in “{language[:40]}”: choose one of the list."
    if not known_zone(zone):
        problems["zone"] = f"“{zone[:40]}” is not a time zone this machine knows."
    return problems
