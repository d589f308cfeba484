"""From what a quick job tells to what is there, what is planned, and what is still to be said about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from volnik.core.errors import InvalidInput
from volnik.core.path.analysis import WiringAnalysis, analyse, analyse_with
from volnik.core.path.edits import Drawing, apply
from volnik.core.path.judgement import mends
from volnik.core.path.new_cables import size_new_cables
from volnik.core.path.sizing import choose_shunt
from volnik.core.quick.found import usual_van
from volnik.core.quick.label import BatteryLabel, bank_of, read_battery
from volnik.core.quick.questions import Question, questions
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.core.rig.devices import Device
from volnik.core.rig.wiring import Wiring
from volnik.core.shelf.chemistries import Chemistry
from volnik.core.shelf.parts import Catalogue
from volnik.core.survey.lines import enter

# What lines are read with while the label is not: which devices there are does not hang on it.
ONE_BATTERY = Bank("lfp", 4, 1, 1, CapacityLabel("nameplate", ah=100.0))


@dataclass(frozen=True, slots=True)
class Asked:
    """What is typed on the page of a quick job.

    Attributes:
        chemistry: key of it.
        label: as on the battery.
        lines: a device a line.
        minuses: where minus cables land of which no line tells: "post" or "busbar".
        answers: by key of the question.
        is_boat: whether it is a boat.
        awg: whether cables are bought by American sizes.
    """

    chemistry: str
    label: str
    lines: str
    minuses: str = "post"
    answers: Mapping[str, str] = field(default_factory=dict)
    is_boat: bool = False
    awg: bool = False


@dataclass(frozen=True, slots=True)
class QuickPlan:
    """What came of it.

    Attributes:
        battery: the label as read, or None.
        bank: or None where the label cannot be read.
        devices: on the list, those a usual van adds among them.
        questions: asked back, answered.
        found, planned: the drawings, solved; None without a bank or a device.
        problems: by field.
        lines: problems by number of the line.
    """

    battery: BatteryLabel | None
    bank: Bank | None
    devices: tuple[Device, ...]
    questions: tuple[Question, ...]
    found: WiringAnalysis | None
    planned: WiringAnalysis | None
    problems: dict[str, str]
    lines: dict[int, str]


def quick_plan(asked: Asked, chemistry: Chemistry, catalogue: Catalogue) -> QuickPlan:
    """The plan of a quick job: as far as what is typed reaches.

    Args:
        asked: as typed.
        chemistry: of the battery.
        catalogue: the Shelf proposals are taken from.
    """
    presets = catalogue.by_key()
    problems: dict[str, str] = {}
    battery, bank = None, None
    read = enter(asked.lines, ONE_BATTERY, (), Wiring(), presets)
    listed = read.devices
    try:
        battery = read_battery(asked.label)
    except InvalidInput as refused:
        problems.update(refused.problems)
    back = tuple(questions(battery, listed, presets, asked.answers, is_boat=asked.is_boat))
    answers = {question.key: question.answer for question in back}
    try:
        bank = None if battery is None else bank_of(battery, chemistry, answers.get("joined", ""))
    except InvalidInput as refused:
        problems.update(refused.problems)
    if bank is None or not listed:
        return QuickPlan(battery, bank, listed, back, None, None, problems, read.problems)
    there = usual_van(asked.lines, bank, chemistry, presets, answers=answers, minuses=asked.minuses)
    found = analyse(bank, chemistry, there.devices, there.wiring, presets=presets, catalogue=catalogue)
    planned = planned_from(found, catalogue, awg=asked.awg)
    return QuickPlan(battery, bank, there.devices, back, found, planned, problems, there.problems)


def planned_from(found: WiringAnalysis, catalogue: Catalogue, *, awg: bool = False) -> WiringAnalysis:
    """What is there with a shunt in it, every mechanical mend made, and all that is new given its size.

    Args:
        found: what is there, solved.
        catalogue: the Shelf proposals are taken from.
        awg: whether cables are bought by American sizes.
    """
    devices = tuple(device.device for device in found.devices)
    drawing = Drawing(found.bank, devices, found.presets, found.wiring)
    here = _with_shunt(found, drawing, catalogue)
    _, here = mends(here, drawing, catalogue)
    here = size_new_cables(found, here, drawing, catalogue, awg=awg)
    return mends(here, drawing, catalogue)[1]


def _with_shunt(found: WiringAnalysis, drawing: Drawing, catalogue: Catalogue) -> WiringAnalysis:
    part = choose_shunt(found, catalogue)
    if part is None or found.wiring.shunt is not None:
        return found
    ops = [{"op": "set_shunt", "shunt": part.fitted().model_dump()}]
    return analyse_with(found, apply(drawing, ops))
