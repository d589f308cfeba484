"""What a quick job asks back: at most five things, each with its usual answer, only those that change it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from volnik.core.quick.label import BatteryLabel
from volnik.core.rig.devices import Device
from volnik.core.rig.studs import preset_of
from volnik.core.shelf.presets import Preset

MOST_QUESTIONS = 5
MAIN_FUSES_A = (40, 60, 80, 100, 125, 150, 200, 250, 300)
INVERTER_HOURS = ("0.25", "0.5", "1", "2", "4", "8")


@dataclass(frozen=True, slots=True)
class Question:
    """One question with its answers.

    Attributes:
        key: of the answer.
        text: as asked.
        answers: key and words of each, the usual one first.
        why: what the answer changes.
        answer: key of the chosen one; the usual one until it is chosen.
    """

    key: str
    text: str
    answers: tuple[tuple[str, str], ...]
    why: str
    answer: str = ""

    @property
    def usual(self) -> str:
        """The key of the usual answer."""
        return self.answers[0][0]

    def answered(self, given: Mapping[str, str]) -> Question:
        """The question with the answer given, or the usual one where it is none of these.

        Args:
            given: answers by key of the question.
        """
        known = {key for key, _ in self.answers}
        wanted = given.get(self.key, "")
        return replace(self, answer=wanted if wanted in known else self.usual)


def questions(
    battery: BatteryLabel | None,
    devices: Sequence[Device],
    presets: dict[str, Preset],
    given: Mapping[str, str],
    *,
    is_boat: bool = False,
) -> list[Question]:
    """The questions that change the answer for these devices, at most five, each answered.

    Args:
        battery: as on its label, or None while it cannot be read.
        devices: as read from the lines.
        presets: kinds of devices by key.
        given: answers by key of the question.
        is_boat: whether it is a boat.
    """
    kinds = [preset_of(device, presets) for device in devices]
    found = [
        *_joined(battery),
        *_engine(kinds, given, is_boat=is_boat),
        _FUSES,
        *_main(given),
        *_inverter(devices, kinds),
    ]
    return [question.answered(given) for question in found[:MOST_QUESTIONS]]


def _joined(battery: BatteryLabel | None) -> list[Question]:
    if battery is None or len(battery.joins) < 2:
        return []
    volts = battery.volts * battery.count
    ways = {
        "parallel": f"in parallel, {battery.volts} V",
        "series": f"in a row, {volts} V",
    }
    return [
        Question(
            "joined",
            f"How are the {battery.count} batteries joined?",
            tuple((way, ways[way]) for way in battery.joins),
            "Volts of everything, and the Ah that are counted.",
        )
    ]


def _engine(kinds: list[Preset], given: Mapping[str, str], *, is_boat: bool) -> list[Question]:
    charges = any(kind.far or kind.is_alternator for kind in kinds)
    asked = [] if charges else [_ENGINE]
    if charges or given.get("engine", "no") != "no":
        asked.append(
            _bond("hull or engine" if is_boat else "vehicle's metal", usual="no" if is_boat else "yes")
        )
    return asked


_ENGINE = Question(
    "engine",
    "Does the engine charge this battery?",
    (("no", "No"), ("relay", "Yes, by a split charge relay"), ("dcdc", "Yes, by a DC-DC charger")),
    "An engine's amps come back by the vehicle's metal, past the shunt if it is in the wrong place.",
)


def _bond(metal: str, *, usual: str) -> Question:
    answers = [("yes", "Yes, one cable to it"), ("no", "No")]
    return Question(
        "bond",
        f"Is the battery's minus joined to the {metal}?",
        tuple(sorted(answers, key=lambda answer: answer[0] != usual)),
        "That cable has to move behind the shunt, or what it carries is not counted.",
    )


_FUSES = Question(
    "fuses",
    "How are the devices' plus cables fused?",
    (
        ("box", "Each its own, in a fuse box"),
        ("none", "Not at all"),
    ),
    "A plus cable without a fuse gets one in the plan.",
)


def _main(given: Mapping[str, str]) -> list[Question]:
    if given.get("fuses") == "none":
        return []
    sizes = tuple((f"{amps}", f"Yes, {amps} A") for amps in MAIN_FUSES_A)
    return [
        Question(
            "main",
            "Is there a main fuse right by the battery?",
            (("no", "No, or not known"), *sizes),
            "Without one the fuse box gets its fuse by the battery in the plan.",
        )
    ]


def _inverter(devices: Sequence[Device], kinds: list[Preset]) -> list[Question]:
    asked = any(
        kind.is_inverter and device.hours is None for device, kind in zip(devices, kinds, strict=True)
    )
    if not asked:
        return []
    usual = INVERTER_HOURS[1]
    order = (usual, *(hours for hours in INVERTER_HOURS if hours != usual))
    return [
        Question(
            "inverter",
            "How long does the inverter work hard each day?",
            tuple((hours, f"{hours} h") for hours in order),
            "How many evenings the battery lasts.",
        )
    ]
