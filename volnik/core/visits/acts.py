"""What can be done on a visit: a row each, with what is asked, what it ends and what must be proven again.

Docs: docs/domain/visits.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Literal

from volnik.core.errors import InvalidInput
from volnik.core.readings import PLAUSIBLE_BY_UNIT
from volnik.core.visits.joints import Joint, read_joints

FieldKind = Literal["text", "number", "date", "devices", "choice", "joints"]
MOST_TEXT = 300


@dataclass(frozen=True, slots=True)
class ActField:
    """One thing asked of an act.

    Attributes:
        key, words: of it.
        kind: how it is typed.
        unit: of a number.
        needed: whether the act cannot be kept without it.
        choices: of a choice, (key, words).
        label: before its value in a line of what was done; "" where the value says enough.
    """

    key: str
    words: str
    kind: FieldKind = "text"
    unit: str = ""
    needed: bool = False
    choices: tuple[tuple[str, str], ...] = ()
    label: str = ""


@dataclass(frozen=True, slots=True)
class Act:
    """Something done on a visit.

    Attributes:
        key, words: of it.
        event: of `epochs.EVENT_KINDS` that it leaves, "" for none.
        fields: what is asked.
        opens: proofs that it opens again, by check, as at Prove; "rollcall" is of the devices it names, or of
            all where it names none.
        caution: the usual one at this step, "" for none.
        chemistry: the only one it is for, "" for every.
    """

    key: str
    words: str
    event: str
    fields: tuple[ActField, ...]
    opens: tuple[str, ...] = ()
    caution: str = ""
    chemistry: str = ""


WHAT = ActField("what", "what was done", needed=True)
ALONE = (
    "Each battery charged full alone and rested, within 0.1 V of the others, before they are joined: "
    "hundreds of amps flow otherwise."
)
POWER_DOWN = "Power down first, as at Wire-up: sources off, then loads, plus before minus at the panel."

ACTS: tuple[Act, ...] = (
    Act(
        "swapped",
        "A battery swapped",
        "block_swapped",
        (
            ActField("which", "which, as drawn at Survey (A2)", needed=True),
            ActField("old", "what the old one's label said, and its state", label="old:"),
            ActField("new", "what is printed on the new one", needed=True, label="new:"),
            ActField("ah", "its Ah at 20 hours", "number", "Ah"),
        ),
        opens=("full",),
        caution=ALONE,
    ),
    Act(
        "replaced",
        "All batteries replaced",
        "battery_replaced",
        (
            ActField("old", "what the old ones' label said", label="old:"),
            ActField("new", "what is printed on the new ones", needed=True, label="new:"),
        ),
        opens=("full", "readback"),
        caution=ALONE,
    ),
    Act(
        "torqued",
        "Joints torqued",
        "torqued",
        (ActField("joints", "a line a joint: where, N·m, mV under load", "joints", needed=True),),
        caution=f"{POWER_DOWN} The maker's torque comes before any table.",
    ),
    Act(
        "equalised",
        "Equalised",
        "equalised",
        (
            ActField("volts", "held at", "number", "V", needed=True, label="held at"),
            ActField("hours", "for", "number", "h", needed=True, label="for"),
            ActField("density", "densities of the cells before and after", label="densities"),
        ),
        caution="Flooded only, the maker permitting: sensitive loads off, ventilated, no flame.",
        chemistry="flooded",
    ),
    Act(
        "wiring",
        "Wiring changed",
        "wiring_changed",
        (WHAT, ActField("devices", "devices whose cables were touched", "devices")),
        opens=("rollcall",),
        caution=POWER_DOWN,
    ),
    Act(
        "added",
        "A device added",
        "device_added",
        (ActField("what", "which, and where its minus went", needed=True),),
        opens=("idle",),
        caution="Enter it at Survey and plan its path: on the battery's post it is never counted.",
    ),
    Act(
        "charger",
        "A charger changed or set anew",
        "charger_changed",
        (WHAT, ActField("devices", "which", "devices")),
        opens=("rollcall", "reach", "net", "full"),
    ),
    Act(
        "lost",
        "The monitor had lost its supply",
        "supply_lost",
        (
            ActField(
                "claimed",
                "and then claimed",
                "choice",
                choices=(
                    ("last", "its last value"),
                    ("blank", "nothing"),
                    ("full", "100 %"),
                    ("half", "50 %"),
                ),
            ),
            ActField("why", "why it lost it"),
        ),
    ),
    Act(
        "monitor",
        "The monitor changed",
        "monitor_changed",
        (WHAT, ActField("firmware", "its firmware", label="firmware")),
        opens=("zero", "gain", "main", "volts", "rollcall", "readback", "full"),
        caution=POWER_DOWN,
    ),
    Act(
        "firmware",
        "The monitor's firmware changed",
        "firmware",
        (ActField("what", "which it runs now", needed=True),),
        opens=("readback",),
    ),
    Act(
        "zero",
        "The zero was set",
        "zero_corrected",
        (
            ActField("before", "it showed before", "number", "A", label="before"),
            ActField("after", "and after", "number", "A", label="after"),
        ),
        opens=("zero",),
    ),
    Act(
        "scale",
        "The scale was put right",
        "scale_corrected",
        (WHAT,),
        opens=("gain", "rollcall"),
    ),
    Act(
        "capacity",
        "The capacity was tested",
        "capacity_tested",
        (
            ActField("ah", "taken out from full to the cut-off", "number", "Ah", needed=True),
            ActField("hours", "in", "number", "h", label="in"),
            ActField("until", "down to", "number", "V", label="down to"),
        ),
    ),
    Act(
        "fuse",
        "The supply lead's fuse changed",
        "",
        (
            ActField("amps", "for one of", "number", "A", needed=True),
            ActField("spare", "a spare left at", label="spare at"),
        ),
    ),
    Act(
        "laid_up",
        "Laid up",
        "laid_up",
        (
            ActField("until", "until about", "date", label="until"),
            ActField("how", "what stays on, what charges it"),
        ),
    ),
    Act(
        "temporary",
        "Left as it is for now",
        "",
        (
            ActField("what", "what is not as it should be", needed=True),
            ActField("due", "to be put right by", "date", needed=True, label="by"),
        ),
    ),
)
"""Every act, in the order in which a visit goes through them."""

BY_KEY = {act.key: act for act in ACTS}


@dataclass(frozen=True, slots=True)
class Done:
    """An act as it was done.

    Attributes:
        act: which.
        values: what was typed, by field; numbers as numbers.
        devices: ids it names.
        joints: what was torqued.
    """

    act: Act
    values: Mapping[str, str | float]
    devices: tuple[str, ...] = ()
    joints: tuple[Joint, ...] = field(default=())

    @property
    def words(self) -> str:
        """What was done, in a line."""
        parts = []
        for asked in self.act.fields:
            value = self.values.get(asked.key, "")
            if value == "" or asked.kind in ("devices", "joints"):
                continue
            shown = f"{value:g}" if isinstance(value, float) else _chosen(asked, value)
            label = f"{asked.label} " if asked.label else ""
            parts.append(f"{label}{shown}{' ' if asked.unit else ''}{asked.unit}")
        if self.joints:
            parts.append("; ".join(joint.words for joint in self.joints))
        return ", ".join(parts)

    @property
    def opens(self) -> tuple[str, ...]:
        """Which proofs it opens again; a roll call as "rollcall:id" for each device it names."""
        opened: list[str] = []
        for check in self.act.opens:
            if check == "rollcall" and self.devices:
                opened += [f"rollcall:{device}" for device in self.devices]
            else:
                opened.append(check)
        return tuple(opened)


def _chosen(asked: ActField, value: str) -> str:
    return dict(asked.choices).get(value, value)


def done_from(key: str, typed: Mapping[str, str], numbers: Mapping[str, float | None]) -> Done:
    """An act from what was typed.

    Args:
        key: of the act.
        typed: text by field.
        numbers: those of its fields that are numbers, None where nothing was typed.

    Raises:
        InvalidInput: with a sentence for each field, named "act.field".
        KeyError: for an act there is none of.
    """
    act = BY_KEY[key]
    problems: dict[str, str] = {}
    values: dict[str, str | float] = {}
    joints: tuple[Joint, ...] = ()
    for asked in act.fields:
        text = typed.get(asked.key, "")
        try:
            value: str | float | None = " ".join(text.split())[:MOST_TEXT] or None
            if asked.kind == "number":
                value = _plausible(numbers.get(asked.key), asked.unit)
            elif asked.kind == "date" and value is not None:
                value = _day(str(value))
            elif asked.kind == "joints":
                joints = read_joints(text)
            if value is None and asked.needed:
                raise InvalidInput({"": "This is needed to know what was done."})
        except InvalidInput as wrong:
            problems[f"{key}.{asked.key}"] = " ".join(wrong.problems.values())
            continue
        if value is not None:
            values[asked.key] = value
    if problems:
        raise InvalidInput(problems)
    return Done(act, values, tuple(typed.get("devices", "").split()), joints)


def _day(text: str) -> str:
    """A day as typed, 2026-12-24; raises InvalidInput for what is none."""
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise InvalidInput({"": "Give the day, such as 2026-12-24."}) from None


def _plausible(number: float | None, unit: str) -> float | None:
    """A number as typed; raises InvalidInput for one that cannot be."""
    limits = PLAUSIBLE_BY_UNIT.get(unit)
    if number is not None and limits is not None and (refusal := limits.refusal(number)):
        raise InvalidInput({"": f"It {refusal}"})
    return number
