"""The record of a proof: one measurement as kept, and a row of the roll call with the proof in force."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from volnik.core.rig.devices import ResolvedDevice


@dataclass(frozen=True, slots=True)
class Proof:
    """One measurement as kept.

    Attributes:
        check: key of what was checked.
        about: device or stud, or "".
        verdict: word of its verdict.
        body: what was measured, expected and said.
        source: "live" or "typed".
        who: whose it is.
        time_s: of the measurement, on the rig's clock [s since 1970].
        saved_s: when it was kept.
        corrects: the entry it corrects, or None.
    """

    id: int
    check: str
    about: str
    verdict: str
    body: dict[str, Any]
    source: str
    who: str
    time_s: float
    saved_s: float
    corrects: int | None


@dataclass(frozen=True, slots=True)
class Occasion:
    """When, by whom and from what something was measured.

    Attributes:
        source: "live" or "typed".
        who: whose entry it is.
        time_s: of the measurement, on the rig's clock [s since 1970].
        idempotency_key: known again when it is sent twice.
        corrects: number of the entry it corrects, or None.
    """

    source: str
    who: str
    time_s: float
    idempotency_key: str
    corrects: int | None = None


@dataclass(frozen=True, slots=True)
class SeenStep:
    """What a device switched on and off moved the shunt by.

    Attributes:
        seen_a, noise_a: the step and the noise of the readings [A].
        expected_a: what it should be, as of `judge_step`; None takes the Survey's, for a load [A].
        clamp_a: what a clamp meter showed beside it [A], or None.
        agrees: whether on and off tell the same.
        beside: further figures to be kept with it.
    """

    seen_a: float
    noise_a: float
    expected_a: tuple[float, ...] | None = None
    clamp_a: float | None = None
    agrees: bool = True
    beside: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RollCallRow:
    """One device of the roll call: what it should move the shunt by, and what it did.

    Attributes:
        expected_a: + charges [A]; a source's is what its own display said, 0 before it was asked.
        proof: the entry in force, or None.
        reopened: whether a proof is there but its wires were touched since.
    """

    device: ResolvedDevice
    expected_a: float
    proof: Proof | None
    reopened: bool

    @property
    def proven(self) -> bool:
        """Whether it is shown that the shunt counts it."""
        return self.proof is not None and not self.reopened and bool(self.proof.body.get("proven"))
