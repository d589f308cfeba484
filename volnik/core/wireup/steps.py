"""A step of Wire-up, the phases it belongs to, and where every step stands from what was ticked."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, Literal

from volnik.core.readings import PLAUSIBLE_BY_UNIT

Ask = Literal["torque", "amps", "volts", "text", "yes_no", "percent"]
TickKind = Literal["done", "undone", "skipped", "note", "photo", "choice"]
StepState = Literal["open", "done", "skipped", "changed"]


@dataclass(frozen=True, slots=True)
class Phase:
    """A part of the work. `strict`: its steps are done one after the other.

    No phase begins before the one before is settled.
    """

    key: str
    name: str
    strict: bool


PHASES = (
    Phase("ready", "Make ready", False),
    Phase("dead", "Power down", True),
    Phase("strip", "Take out and fit", False),
    Phase("rig", "Rig side", False),
    Phase("link", "Link and thin leads", True),
    Phase("close", "Last connection", True),
    Phase("restore", "Restore", True),
    Phase("monitor", "The monitor", True),
)
ODD_TORQUE = 3.0  # times more or less than wanted is a slip of the pen, or a sheared stud; source: estimate
_AT = {phase.key: at for at, phase in enumerate(PHASES)}


Verb = Literal["out", "in", "open", "close", "lift", "land", "off", "on", "note"]


@dataclass(frozen=True, slots=True)
class Act:
    """What a step does to one thing: a fuse, switch, post, cable or source, by its id."""

    verb: Verb
    of: str


@dataclass(frozen=True, slots=True)
class Step:
    """One step.

    Attributes:
        key: stays the same while the step is about the same thing.
        phase: key of its phase.
        title: what to do.
        lines: how, exactly.
        cautions: what stands above the tick.
        why: its reason, or "".
        facts: what a tick holds for; when it changes the tick was made for something else.
        ask, asked: what is recorded with the tick, and in which words; None for nothing.
        torque_nm: wanted [N·m], or None.
        timer_s: a count-down that belongs to it [s]; 0 for none.
        must: it cannot be skipped.
        most: the largest figure it is done with.
        wants_yes: it is only done with yes.
        about: cable, device or stud.
        goes: address in the rig's pages where it is done, or "".
        brief: what a short list says beside the title, or "".
        pole: of the cable it is about, where that matters, or "".
        acts: what it does to which fuse, switch, post or source.
    """

    key: str
    phase: str
    title: str
    lines: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    why: str = ""
    facts: str = ""
    ask: Ask | None = None
    asked: str = ""
    torque_nm: float | None = None
    timer_s: float = 0.0
    must: bool = False
    most: float | None = None
    wants_yes: bool = False
    about: str = ""
    goes: str = ""
    brief: str = ""
    pole: str = ""
    acts: tuple[Act, ...] = ()

    @property
    def mark(self) -> str:
        """What a tick was made for, in short."""
        return hashlib.blake2b((self.facts or self.title).encode(), digest_size=6).hexdigest()


@dataclass(frozen=True, slots=True)
class Tick:
    """What was done at a step, as kept.

    Kind, when [s since 1970], by whom, and what was measured, written or chosen.
    """

    step: str
    kind: str
    time_s: float
    who: str
    body: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StepStatus:
    """Where a step stands.

    Attributes:
        state: "changed" was ticked, but for something else.
        tick: what settled it, or None.
        notes, photos: written and taken at it.
        before: title of the step that must be settled first, or "".
        before_key: its key.
    """

    step: Step
    number: int
    state: StepState
    tick: Tick | None
    notes: tuple[Tick, ...]
    photos: tuple[Tick, ...]
    before: str = ""
    before_key: str = ""

    @property
    def settled(self) -> bool:
        """Whether nothing more is to be done."""
        return self.state in ("done", "skipped")


@dataclass(frozen=True, slots=True)
class JobStatus:
    """A whole job: every step, ticks of steps that no longer hold, and how far it is."""

    steps: list[StepStatus]
    dropped: list[Tick]

    @property
    def settled(self) -> int:
        """Steps done or skipped."""
        return sum(step.settled for step in self.steps)

    @property
    def begun(self) -> bool:
        """Whether anything was ticked."""
        return any(step.tick is not None for step in self.steps) or bool(self.dropped)

    @property
    def next(self) -> StepStatus | None:
        """The first step to be done, or None."""
        return next((step for step in self.steps if not step.settled), None)

    def step(self, key: str) -> StepStatus | None:
        """A step by its key."""
        return next((step for step in self.steps if step.step.key == key), None)


def ordered(steps: Iterable[Step]) -> list[Step]:
    """Steps by phase, otherwise in the order given.

    Args:
        steps: in any order.
    """
    return sorted(steps, key=lambda step: _AT[step.phase])


def stand(steps: list[Step], ticks: list[Tick]) -> JobStatus:
    """Where every step stands.

    Args:
        steps: of the job, in any order.
        ticks: of this job, in the order they were kept.
    """
    last: dict[str, Tick] = {}
    beside: dict[tuple[str, str], list[Tick]] = defaultdict(list)
    for tick in ticks:
        if tick.kind in ("done", "skipped"):
            last[tick.step] = tick
        elif tick.kind == "undone":
            last.pop(tick.step, None)
        else:
            beside[tick.step, tick.kind].append(tick)
    found: list[StepStatus] = []
    order = _Order()
    for number, step in enumerate(ordered(steps), 1):
        held = last.get(step.key)
        notes, photos = tuple(beside[step.key, "note"]), tuple(beside[step.key, "photo"])
        status = StepStatus(step, number, _state(step, held), held, notes, photos, *order.before(step))
        found.append(status)
        order.passed(status)
    known = {step.key for step in steps}
    return JobStatus(found, [tick for key, tick in last.items() if key not in known])


def _state(step: Step, held: Tick | None) -> StepState:
    if held is None:
        return "open"
    if held.body.get("mark") not in (None, step.mark):
        return "changed"
    return "skipped" if held.kind == "skipped" else "done"


class _Order:
    """What is still open before a step: anything of an earlier phase, or earlier in a strict one."""

    def __init__(self) -> None:
        self._earlier: tuple[str, str] = ("", "")
        self._here: tuple[str, str] = ("", "")
        self._phase = ""

    def before(self, step: Step) -> tuple[str, str]:
        """Title and key of the first open step that must come first, or ("", "")."""
        if step.phase != self._phase:
            self._earlier = self._earlier if self._earlier[0] else self._here
            self._here, self._phase = ("", ""), step.phase
        if self._earlier[0] or not PHASES[_AT[step.phase]].strict:
            return self._earlier
        return self._here

    def passed(self, status: StepStatus) -> None:
        """Take note of a step that was just placed.

        Args:
            status: where the step stands.
        """
        if not status.settled and not self._here[0]:
            self._here = (status.step.title, status.step.key)


def refusal(step: StepStatus, kind: str, body: dict[str, Any]) -> str:
    """Why a tick cannot be taken, or "". The order is kept here, whoever sends it.

    Args:
        step: where the step stands.
        kind: of the tick.
        body: what was typed.
    """
    if kind in ("note", "photo", "undone"):
        return ""
    if step.before:
        return f"First: {step.before}. {step.step.title} would come out of order."
    return _skip_refused(step.step, body) if kind == "skipped" else _value_refused(step.step, body)


def _skip_refused(step: Step, body: dict[str, Any]) -> str:
    if step.must:
        return f"{step.title}: this step cannot be skipped."
    if len(str(body.get("reason", "")).strip()) < 3:
        return "Say why it is skipped, in a few words."
    return ""


ASK_UNITS = {"volts": "V", "amps": "A", "torque": "N·m"}


def _implausible(step: Step, number: float) -> str:
    limits = PLAUSIBLE_BY_UNIT.get(ASK_UNITS.get(step.ask or "", ""))
    refusal = "" if limits is None else limits.refusal(number)
    return refusal and f"What is read here {refusal}"


def _odd_torque(step: Step, number: float) -> str:
    """Why a torque is none: nothing, or far from what is wanted, with which a stud shears or works loose."""
    wanted = step.torque_nm
    if step.ask != "torque":
        return ""
    if number <= 0.0:
        return "A joint is tightened with more than 0 N·m."
    if wanted is None or wanted / ODD_TORQUE <= number <= wanted * ODD_TORQUE:
        return ""
    return f"{number:g} N·m where {wanted:g} are wanted: read the wrench again, and the stud's own figure."


def _too_much(step: Step, number: float, most: float) -> str:
    unit = "V" if step.ask == "volts" else "A"
    return (
        f"{number:g} {unit} is too much: at most {most:g} are left when this step is done. "
        "Find what still feeds it."
    )


def _value_refused(step: Step, body: dict[str, Any]) -> str:
    """Why what was read at a step does not settle it, or ""."""
    value = body.get("value")
    if step.ask == "yes_no" and value not in ("yes", "no"):
        return "Answer yes or no."
    if step.wants_yes and value != "yes":
        return f"{step.title}: put it right first; the work goes on once it does."
    if isinstance(value, int | float):
        return _number_refused(step, value)
    if step.must and step.ask in ("amps", "volts"):
        return f"Type {step.asked}; this step rests on it."
    return ""


def _number_refused(step: Step, number: float) -> str:
    """Why a figure that was read does not settle a step, or ""."""
    if refusal := _implausible(step, number) or _odd_torque(step, number):
        return refusal
    return "" if step.most is None or abs(number) <= step.most else _too_much(step, number, step.most)
