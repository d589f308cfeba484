"""What the path board says, at Path and at Survey: verdict, buttons, conductors, shares, sizing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from volnik.core.path.cases import CASES
from volnik.core.path.findings.bank import TakeOffShares
from volnik.core.path.sizing import AuxiliaryUse, Choice
from volnik.core.rig.devices import ResolvedDevice
from volnik.services.path.board import BoardView, Conductor
from volnik.web.page import number, when
from volnik.web.plural import count_of

MOST_CONDUCTORS = 14


@dataclass(frozen=True, slots=True)
class StepButton:
    """Undo or redo: what it would do, and whether there is anything to do."""

    title: str
    enabled: bool


@dataclass(frozen=True, slots=True)
class ConductorRow:
    """A conductor under the load case, as its row of the table; `over` where it carries more than it may."""

    name: str
    size: str
    amps: str
    carried: str
    lost_mv: str
    heat_w: str
    over: bool


@dataclass(frozen=True, slots=True)
class ChoiceCard:
    """A choice of the sizing.

    Attributes:
        choice: itself.
        drawn: what is drawn, and whether that will do.
        offered: whether it can be put into the plan.
        may_keep: whether what is drawn can be kept in its place, for a reason.
    """

    choice: Choice
    drawn: str
    offered: bool
    may_keep: bool


@dataclass(frozen=True, slots=True)
class UseRow:
    """A use of the spare input: whether it is planned, whether it can be chosen, and why."""

    use: AuxiliaryUse
    planned: bool
    offered: bool
    reason: str


@dataclass(frozen=True, slots=True)
class BoardPage:
    """The board's words.

    Attributes:
        heading: what follows the count of devices; "" where there are none yet.
        standing: which drawing it is, and what stands.
        undo, redo: the buttons.
        editable: whether the drawing can be changed here.
        picked: name of the picked device, "" for none;
        key: what stands below the drawing.
        cases: the load cases to choose from, by key.
        conductors: the rows shown;
        more: how many are not, in a sentence, "" for none.
        shares: how strings share, a line each;
        no_better: that no other take-off would be better, else "".
        choices, uses: the sizing.
        mend_all: whether there is anything to mend at once.
        work: the heading over the work.
    """

    heading: str
    standing: str
    undo: StepButton
    redo: StepButton
    editable: bool
    picked: str
    key: str
    cases: dict[str, str]
    conductors: list[ConductorRow]
    more: str
    shares: list[tuple[str, str]]
    no_better: str
    choices: list[ChoiceCard]
    uses: list[UseRow]
    mend_all: bool
    work: str


def board_page_view(view: BoardView, zone: str) -> BoardPage:
    """The words of Path's board."""
    planned = view.which == "planned"
    steps = view.path.planned_steps if planned else view.path.found_steps
    picked = "" if view.pick is None else _name(view, view.pick)
    return BoardPage(
        _heading(view),
        _standing(view, zone),
        _step_button("Undo", steps.undo),
        _step_button("Redo", steps.redo),
        planned,
        picked,
        _key(view, picked),
        _cases(picked),
        [_conductor(row, view.analysis.nominal_v) for row in view.conductors[:MOST_CONDUCTORS]],
        _more(len(view.conductors) - MOST_CONDUCTORS),
        _shares(view, view.takeoff),
        _no_better(view.takeoff),
        [_choice(choice) for choice in view.choices],
        [_use(use, view.analysis.wiring.auxiliary) for use in view.uses],
        planned and _can_mend(view),
        f"{count_of(len(view.work), 'piece')} of work from found to planned",
    )


def _cases(picked: str) -> dict[str, str]:
    """The load cases to choose from; one device alone only where one is picked."""
    return {key: picked if key == "one" else word for key, word in CASES.items() if key != "one" or picked}


def _more(hidden: int) -> str:
    return f"{hidden} more lose less than these." if hidden > 0 else ""


def _no_better(takeoff: TakeOffShares | None) -> str:
    return "" if takeoff is None or takeoff.better else "No other post for the main leads shares better."


def _can_mend(view: BoardView) -> bool:
    return any(mendable and finding.level != "advise" for finding, mendable in view.findings)


def _step_button(word: str, what: str) -> StepButton:
    return StepButton(f"{word}: {what}" if what else f"Nothing to {word.lower()}", bool(what))


def _name(view: BoardView, device_id: str) -> str:
    device = view.analysis.device(device_id)
    return "" if device is None else device.device.name


def _heading(view: BoardView) -> str:
    """What follows the count of devices."""
    if not view.whole:
        return ""
    stops = sum(finding.level == "stop" for finding, _ in view.findings)
    if view.counted == view.whole and not stops:
        to_know = f"{count_of(len(view.findings), 'thing')} to know." if view.findings else NOTHING_AGAINST
        return f"devices counted: every amp crosses the shunt. {to_know}"
    by = "as found" if view.which == "found" else "by this plan"
    not_begun = view.which == "planned" and not view.path.begun
    still = ": the plan still is what was found" if not_begun else ""
    return f"devices counted {by}. {count_of(stops, 'thing')} to stop for{still}."


NOTHING_AGAINST = "No problems found."


def _standing(view: BoardView, zone: str) -> str:
    """Which drawing it is, and what stands."""
    built_s = view.path.stood_from_s
    if view.which == "found":
        return "As found at Survey." if built_s else "As found at Survey; what is there today."
    stands = f"the plan of {when(built_s, zone, 'short')}" if built_s else "still what was found"
    return f"As planned. Path, Numbers and the sheet reckon with this; what is built is {stands}."


def _key(view: BoardView, picked: str) -> str:
    """What stands below the drawing."""
    if view.loop is None:
        return "Press a device to see its loop; drag a cable's end to another stud."
    amps = sum(view.loop.amps.values())
    return f"{picked}: {number(amps, 1)} A lose {number(view.drop_v, 2)} V out and back."


def _conductor(row: Conductor, nominal_v: float) -> ConductorRow:
    carried, over = "–", False
    if row.carries_a:
        carried = f"{number(100 * row.amps / row.carries_a, 0)} % of {number(row.carries_a, 0)} A"
        over = row.amps > row.carries_a
    size = row.size or "not known"
    share = number(100 * row.lost_v / nominal_v, 1)
    lost_mv = f"{number(1000 * row.lost_v, 0)} ({share} %)"
    return ConductorRow(row.name, size, number(row.amps, 1), carried, lost_mv, number(row.heat_w, 2), over)


def _shares(view: BoardView, takeoff: TakeOffShares | None) -> list[tuple[str, str]]:
    """How strings share in discharge and in charge, each with what the better take-off would give."""
    found: list[tuple[str, str]] = []
    if takeoff is None:
        return found
    for name, drawn, better in (
        ("Discharge", takeoff.discharge, takeoff.better_discharge),
        ("Charge", takeoff.charge, takeoff.better_charge),
    ):
        if not drawn:
            continue
        said = _percents(drawn)
        if takeoff.better:
            post = view.analysis.studs[takeoff.better].name
            said += f"; taken from the {post}: {_percents(better)}"
        found.append((name, f"{said}."))
    return found


def _percents(shares: list[float]) -> str:
    return " / ".join(f"{number(100 * share, 1)} %" for share in shares)


def _choice(choice: Choice) -> ChoiceCard:
    is_drawn = choice.proposal in choice.drawn or choice.drawn in choice.proposal
    return ChoiceCard(
        choice,
        f"drawn: {choice.drawn}{', which will do' if choice.fits else ''}",
        bool(choice.key) and not (choice.fits and is_drawn),
        not choice.fits and choice.drawn != "none",
    )


def _use(use: AuxiliaryUse, planned: str) -> UseRow:
    is_planned = use.use == planned
    lost = f" Else {use.lost}." if use.possible and not is_planned else ""
    return UseRow(use, is_planned, bool(use.possible) and not is_planned, f"{use.reason}{lost}")


@dataclass(frozen=True, slots=True)
class LandingRow:
    """A device at Survey, and where its negative lands.

    Attributes:
        id, name: of the device.
        what: its kind and its usual current.
        cable: of its negative, "" while none is drawn.
        landing: the stud it lands on now;
        studs: those it can land on, id and name; empty where it has no
            negative of its own.
    """

    id: str
    name: str
    what: str
    cable: str
    landing: str
    studs: Sequence[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class FoundPage:
    """The board's words at Survey.

    Attributes:
        count, devices: how many, and their noun.
        heading: what was found, or what to do.
        undo, redo: the buttons.
        lines_high: lines of the field for quick lines.
        landings: where each negative lands.
    """

    count: int
    devices: str
    heading: str
    undo: StepButton
    redo: StepButton
    lines_high: int
    landings: list[LandingRow]


MOST_LINES_HIGH = 10


def found_page_view(view: BoardView, typed: str) -> FoundPage:
    """The words of Survey's board.

    Args:
        typed: quick lines that could not be read.
    """
    count = len(view.path.devices)
    return FoundPage(
        count,
        "device" if count == 1 else "devices",
        _found(view),
        _step_button("Undo", view.path.found_steps.undo),
        _step_button("Redo", view.path.found_steps.redo),
        min(MOST_LINES_HIGH, typed.count("\n") + 1),
        _landings(view),
    )


def _found(view: BoardView) -> str:
    strays = len(view.analysis.strays)
    if not view.path.devices:
        return "What is connected, and where does each minus cable go today? One line a device."
    if not strays:
        return "found, none beside the shunt."
    if view.analysis.wiring.shunt is None:
        posts = "post" if strays == 1 else "posts"
        return f"found; {count_of(strays, 'negative')} on the battery {posts}, no shunt yet."
    return f"found; {count_of(strays, 'negative')} {'passes' if strays == 1 else 'pass'} beside the shunt."


def _landings(view: BoardView) -> list[LandingRow]:
    rows = []
    for device in view.analysis.devices:
        cable = view.analysis.negative_of(device.id)
        landing = "" if cable is None else cable.b
        studs = _landing_studs(view, device.id, landing)
        what = _device_words(device)
        named = device.device.name
        rows.append(LandingRow(device.id, named, what, "" if cable is None else cable.id, landing, studs))
    return rows


def _landing_studs(view: BoardView, device_id: str, landing: str) -> list[tuple[str, str]]:
    """Where a device's negative can land; nowhere where it has none of its own."""
    if f"{device_id}.minus" not in view.analysis.studs:
        return []
    others = [
        stud for stud in view.analysis.studs.values() if stud.pole == "minus" and stud.owner != device_id
    ]
    return [(stud.id, stud.name) for stud in others if stud.place != "device" or stud.id == landing]


def _device_words(device: ResolvedDevice) -> str:
    """A device's kind and usual currents."""
    what = device.preset.name.lower()
    if device.running_a and device.takes:
        what += f", {_about(device.assumed, 'current_a', 'power_w')}{number(device.running_a, 1)} A"
    if device.gives:
        what += f", {_about(device.assumed, 'most_a')}+{number(device.gives_a, 0)} A"
    return what


def _about(assumed: frozenset[str], *figures: str) -> str:
    """The mark before a usual figure that stands in for an unknown one."""
    return "≈ " if any(figure in assumed for figure in figures) else ""
