"""What the quick job says while it is typed, and on its card."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.numbers.meanings import MEANINGS
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.work import MaterialLine
from volnik.core.quick.questions import Question
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.settings import Numbers
from volnik.core.wireup.cards import Card
from volnik.services.numbers.versions import NumbersView
from volnik.services.path.board import BoardView, PartsView
from volnik.services.quick.job import Draft
from volnik.web.page import tidy_number
from volnik.web.plural import count_of

ON_CARD = (
    "capacity_ah",
    "charged_voltage_v",
    "tail_current_pct",
    "hold_s",
    "peukert_exponent",
    "coulombic_efficiency",
    "reserve_pct",
)
"""The numbers every monitor asks for."""


@dataclass(frozen=True, slots=True)
class ReadDevice:
    """One device as it was read.

    Attributes:
        name, kind: as typed, and what it was taken for.
        draws: amps or watts, with whether they are only the usual ones.
    """

    name: str
    kind: str
    draws: str


@dataclass(frozen=True, slots=True)
class NumberRow:
    """One number to set."""

    label: str
    value: str


@dataclass(frozen=True, slots=True)
class QuickPage:
    """The page beside what is typed.

    Attributes:
        heading, detail: the verdict.
        battery: the bank in short, "" while its label cannot be read.
        devices: as read.
        questions: asked back.
        findings: of the plan.
        cards: the work, by its turns.
        parts, tools: to buy or take along, and to bring.
        numbers: to set.
        ready: whether it can be kept.
    """

    heading: str
    detail: str
    battery: str
    devices: list[ReadDevice]
    questions: tuple[Question, ...]
    findings: list[Finding]
    cards: list[Card]
    parts: list[MaterialLine]
    tools: list[MaterialLine]
    numbers: list[NumberRow]
    ready: bool


def quick_page(draft: Draft) -> QuickPage:
    """A quick job as far as it is typed."""
    plan = draft.plan
    heading, detail = _verdict(draft)
    return QuickPage(
        heading,
        detail,
        "" if plan.bank is None else plan.bank.in_short(draft.chemistry),
        [] if plan.planned is None else [_read(device) for device in plan.planned.devices],
        plan.questions,
        draft.findings,
        draft.cards,
        [line for line in draft.parts if not line.tool],
        [line for line in draft.parts if line.tool],
        number_rows(draft.numbers),
        plan.planned is not None and not plan.problems and not plan.lines,
    )


def _verdict(draft: Draft) -> tuple[str, str]:
    planned = draft.plan.planned
    if planned is None:
        wanted = "the battery's label" if draft.plan.battery is None else "the devices, one a line"
        return f"Type {wanted}", "The drawing grows here while you type."
    counted, whole = counted_of(planned)
    today = 0 if draft.plan.found is None else counted_of(draft.plan.found)[0]
    all_of = "Every device is counted" if counted == whole else f"{counted} of {whole} devices are counted"
    work = count_of(len(draft.cards), "card")
    return f"{all_of} after {work} of work", f"Counted today: {today} of {whole}."


def counted_of(analysis: WiringAnalysis) -> tuple[int, int]:
    """Devices on the bank that are counted, and all of them.

    Args:
        analysis: a drawing, solved.
    """
    on_bank = [share for share in analysis.shares.values() if share.expected == 1.0]
    counted = 0 if analysis.wiring.shunt is None else sum(share.word == "counted" for share in on_bank)
    return counted, len(on_bank)


def _read(device: ResolvedDevice) -> ReadDevice:
    amps = max(device.running_a, device.gives_a)
    usual = "" if any(device.states(name) for name in ("power_w", "current_a", "most_a", "panel_w")) else "≈ "
    draws = f"{usual}{tidy_number(round(amps, 1))} A" if amps else ""
    return ReadDevice(device.name, device.preset.name, draws)


def number_rows(numbers: Numbers | None) -> list[NumberRow]:
    """The numbers every monitor asks for, as typed.

    Args:
        numbers: or None while there are none.
    """
    if numbers is None:
        return []
    values = numbers.as_dict()
    rows = []
    for key in ON_CARD:
        value, meaning = values.get(key), MEANINGS[key]
        if value is not None:
            typed = tidy_number(round(value * meaning.per_stored, 3))
            rows.append(NumberRow(meaning.label, f"{typed} {meaning.unit}".strip()))
    return rows


def draft_problems(draft: Draft, typed: Mapping[str, str]) -> dict[str, str]:
    """What cannot be read of what is typed; what is merely not typed yet is no fault.

    Args:
        draft: a quick job as far as it is typed.
        typed: the fields.
    """
    found = {name: said for name, said in draft.plan.problems.items() if typed.get(name, "").strip()}
    if draft.plan.lines:
        found["lines"] = " ".join(f"Line {number}: {said}" for number, said in draft.plan.lines.items())
    return found


@dataclass(frozen=True, slots=True)
class CardPage:
    """The job card beside the work itself.

    Attributes:
        counted: how many devices the plan counts, in a sentence.
        findings: of the plan, gravest first.
        parts, tools: to buy or take along, and to bring.
        numbers: to set; [] while none are saved.
    """

    counted: str
    findings: list[Finding]
    parts: list[MaterialLine]
    tools: list[MaterialLine]
    numbers: list[NumberRow]


def card_page(board: BoardView, parts: PartsView, numbers: NumbersView) -> CardPage:
    """The printed card of a job."""
    counted, whole = counted_of(board.analysis)
    return CardPage(
        f"{counted} of {count_of(whole, 'device')} counted",
        [finding for finding, _ in board.findings],
        [line for line in parts.parts if not line.tool],
        [line for line in parts.parts if line.tool],
        number_rows(None if numbers.held is None else numbers.held.numbers),
    )
