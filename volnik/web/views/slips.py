"""What the slip beside the path board shows.

A cable, stud, device or block, with what can be changed of it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Literal

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.edits import block_places
from volnik.core.path.findings.cables import right_stack, stud_torque
from volnik.core.path.judgement import judge, mends
from volnik.core.path.shares import Share
from volnik.core.rig.devices import SAG
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud
from volnik.core.rig.wiring import Bar, Cable, Isolator
from volnik.core.units import LENGTH, TORQUE, ShownUnit, System
from volnik.services.path.board import BoardView
from volnik.web.page import number, tidy_number
from volnik.web.views.protects import Protected, protects

Choices = list[tuple[str, str]]
"""Studs to choose from: id and name."""

INSULATIONS: Choices = [
    ("", "as the others here"),
    ("105", "105 °C"),
    ("90", "90 °C"),
    ("70", "70 °C, PVC"),
    ("60", "60 °C"),
]
IN_DOUBT = 0.005  # of a share; less is not worth a range


@dataclass(frozen=True, slots=True)
class Landing:
    """An end of a cable, and the studs it can land on; `now` is the one it lands on, `pole` the cable's."""

    cable: str
    end: str
    label: str
    now: str
    studs: Choices
    pole: str


@dataclass(frozen=True, slots=True)
class LugField:
    """The lug at one end; one that is the device's own is not asked for."""

    end: str
    label: str
    hole: str
    asked: bool


@dataclass(frozen=True, slots=True)
class CableSlip:
    """A cable: where it lands, its size and length as typed, its lugs, its fuse where it can feed.

    What protects it; insulations to choose from.
    """

    title: str
    cable: Cable
    landings: list[Landing]
    length: str
    unit: ShownUnit
    lugs: list[LugField]
    carries: str
    protected: list[Protected]
    insulations: Choices
    all_insulations: Choices
    ends: Choices
    feeds: bool
    kind: Literal["cable"] = "cable"


@dataclass(frozen=True, slots=True)
class StackRow:
    """A lug on a stud; `lowered` is the stack with it one down towards the face, None for the lowest."""

    name: str
    lowered: list[str] | None


@dataclass(frozen=True, slots=True)
class StudSlip:
    """A stud: torque and rating as typed, its lugs, what else can be joined to it, what can be taken out."""

    title: str
    stud: Stud
    torque: str
    unit: ShownUnit
    torque_note: str
    stack: list[StackRow]
    stack_note: str
    others: Choices
    bar: Bar | None
    isolator: str | None
    rating: str
    proof: bool
    shunt: bool
    shunt_carries: str
    kind: Literal["stud"] = "stud"


@dataclass(frozen=True, slots=True)
class DeviceSlip:
    """A device: what of it is counted, where it lands; precharge.

    Whether it is fitted, None where it needs none.
    """

    title: str
    device: Any
    counted: str
    landings: list[Landing]
    precharge: bool | None
    kind: Literal["device"] = "device"


@dataclass(frozen=True, slots=True)
class BlockSlip:
    """A block: its place in the bay, column and row from 1."""

    title: str
    name: str
    column: int
    row: int
    kind: Literal["block"] = "block"


@dataclass(frozen=True, slots=True)
class AddSlip:
    """What can be put in: bars with the change each is, studs a cable can join, shunts that may be found."""

    title: str
    bars: list[tuple[str, dict[str, Any]]]
    studs: Choices
    shunts: list[tuple[str, dict[str, Any]]]
    kind: Literal["add"] = "add"


@dataclass(frozen=True, slots=True)
class PlainSlip:
    """How the shunt is fixed, or the monitor's leads."""

    title: str
    kind: Literal["mount", "monitor"]


@dataclass(frozen=True, slots=True)
class MendRow:
    """One change of "put all right": what it mends, how grave that is, before and after, as it is sent."""

    title: str
    level: str
    work: tuple[str, ...]
    changes: list[dict[str, Any]]


@dataclass(frozen=True, slots=True)
class MendsSlip:
    """All that can be put right at once, each change to be taken or left; what is left after all of them."""

    title: str
    rows: list[MendRow]
    left: str
    kind: Literal["mends"] = "mends"


Slip = CableSlip | StudSlip | DeviceSlip | BlockSlip | AddSlip | PlainSlip | MendsSlip

BARS: tuple[tuple[str, str, str], ...] = (
    ("busbar", "minus", "Negative busbar"),
    ("busbar", "plus", "Positive busbar"),
    ("fuse_block", "plus", "Fuse block"),
    ("post", "minus", "Junction stud"),
    ("chassis", "minus", "Chassis"),
    ("hull", "minus", "Metal hull"),
)


def slip_of(view: BoardView, show: str, system: System) -> Slip | None:
    """The slip asked for, as "cable:heater_minus"; None when what it showed is gone."""
    kind, _, name = show.partition(":")
    of = SLIPS.get(kind)
    return None if of is None else of(view, name, system)


def _cable(view: BoardView, name: str, system: System) -> CableSlip | None:
    analysis = view.analysis
    cable = analysis.wiring.cable(name)
    if cable is None:
        return None
    title = analysis.cable_name(cable)
    own = analysis.studs[cable.a].place in ("device", "battery", "monitor")
    ends = (("b", "lands on"),) if own else (("a", "from"), ("b", "to"))
    carries_a = analysis.carries_a(cable)
    unit = LENGTH[system]
    lugs = [
        LugField("a", f"Lug at the {analysis.studs[cable.a].name}", cable.lug_a, not own),
        LugField("b", f"Lug at the {analysis.studs[cable.b].name}", cable.lug_b, True),
    ]
    return CableSlip(
        title[0].upper() + title[1:],
        cable,
        [_landing(view, cable, end, label) for end, label in ends],
        tidy_number(round(unit.shown(cable.length_m), 2)) if cable.length_m else "",
        unit,
        lugs,
        f"carries {number(carries_a, 0)} A" if carries_a else "",
        [] if analysis.is_thin(cable) else protects(analysis, cable.id),
        INSULATIONS,
        [("", "not known"), *INSULATIONS[1:]],
        [("", "its feeding end"), *((end, analysis.studs[getattr(cable, end)].name) for end in ("a", "b"))],
        "plus" in (analysis.studs[cable.a].pole, analysis.studs[cable.b].pole) or analysis.is_thin(cable),
    )


def _landing(view: BoardView, cable: Cable, end: str, label: str) -> Landing:
    side: Literal["a", "b"] = "a" if end == "a" else "b"
    studs = view.path.drawing(view.which).landings(cable, side)
    return Landing(
        cable.id,
        end,
        label,
        cable.a if end == "a" else cable.b,
        _choices(studs),
        view.analysis.studs[cable.a].pole,
    )


def _choices(studs: Iterable[Stud]) -> Choices:
    return [(stud.id, stud.name) for stud in studs]


def _stud(view: BoardView, name: str, system: System) -> StudSlip | None:
    analysis = view.analysis
    stud = analysis.studs.get(StudRef(name))
    if stud is None:
        return None
    facts = analysis.wiring.studs.get(name)
    stated = facts is not None and bool(facts.torque_nm)
    torque_nm = stud_torque(analysis, name)
    unit = TORQUE[system]
    seen_stack = bool(facts is not None and facts.stack)
    joinable = (other for other in analysis.studs.values() if _may_join(stud, other))
    return StudSlip(
        stud.name.capitalize(),
        stud,
        tidy_number(round(unit.shown(torque_nm), 1)) if torque_nm else "",
        unit,
        "as stated" if stated else "to start from; the maker's sheet comes first",
        _stack(view, name),
        "Lugs from the face up:" if seen_stack else "Lugs from the face up, as they should be:",
        _choices(joinable),
        analysis.bars.get(name),
        stud.owner if stud.place == "isolator" else None,
        tidy_number(_rating_a(analysis, stud.owner)),
        any(one.id == stud.owner and one.ignition_proof for one in analysis.wiring.isolators),
        stud.place == "shunt",
        _shunt_carries(analysis),
    )


def _shunt_carries(analysis: WiringAnalysis) -> str:
    """What the shunt carries for good, in amps and in watts of this bank, "" without one."""
    shunt = analysis.wiring.shunt
    if shunt is None:
        return ""
    watts = shunt.carries_a * analysis.nominal_v
    lowest = SAG * analysis.nominal_v
    return (
        f"Carries {number(shunt.carries_a, 0)} A for good: {number(watts / 1000, 1)} kW at "
        f"{number(analysis.nominal_v, 1)} V, {number(shunt.carries_a * lowest / 1000, 1)} kW when the "
        "battery sags "
        f"to {number(lowest, 1)} V."
    )


def _rating_a(analysis: WiringAnalysis, owner: str) -> float | None:
    """What a bar or an isolator is stated to carry [A], or None."""
    bars: list[Bar | Isolator] = [*analysis.wiring.bars, *analysis.wiring.isolators]
    return next((one.carries_a for one in bars if one.id == owner), None)


def _may_join(stud: Stud, other: Stud) -> bool:
    """Whether one more cable can be drawn between two studs."""
    return other.id != stud.id and other.pole == stud.pole and other.owner != stud.owner


def _stack(view: BoardView, name: str) -> list[StackRow]:
    """The lugs of a stud as they were seen, the others above as they should be.

    None where there is but one.
    """
    analysis = view.analysis
    facts = analysis.wiring.studs.get(name)
    right = right_stack(analysis, analysis.by_stud[name])
    below = [lug for lug in (facts.stack if facts else ()) if lug in right]
    stack = [*below, *(lug for lug in right if lug not in below)]
    names = {cable.id: analysis.cable_name(cable) for cable in analysis.by_stud[name]}
    if len(stack) < 2:
        return []
    rows = [StackRow(names[stack[0]], None)]
    for at in range(1, len(stack)):
        lowered = [*stack[: at - 1], stack[at], stack[at - 1], *stack[at + 1 :]]
        rows.append(StackRow(names[stack[at]], lowered))
    return rows


def _device(view: BoardView, name: str, system: System) -> DeviceSlip | None:
    device = view.analysis.device(name)
    if device is None:
        return None
    landings = [
        _landing(view, cable, "b", label)
        for pole, label in (("minus", "negative on"), ("plus", "positive on"))
        for cable in view.analysis.by_stud.get(f"{name}.{pole}", [])
    ]
    counted = _counted(view.analysis.shares.get(name))
    return DeviceSlip(
        device.device.name,
        device,
        f"{device.preset.name}{f': {counted}' if counted else ''}.",
        landings,
        name in view.analysis.wiring.precharge if device.preset.is_inverter else None,
    )


def _counted(share: Share | None) -> str:
    """What of a device's current crosses the shunt, "" where it is on no bank."""
    if share is None:
        return ""
    if share.missing_reason:
        return share.missing_reason
    said = f"{number(100 * share.value, 1)} % of its current crosses the shunt"
    if share.high - share.low > IN_DOUBT:
        low, high = number(100 * share.low, 0), number(100 * share.high, 0)
        said += f", {low} to {high} % while resistances are only assumed"
    return said


def _block(view: BoardView, name: str, system: System) -> BlockSlip | None:
    if f"{name}.plus" not in view.analysis.studs:
        return None
    column, row = block_places(view.analysis.bank, view.analysis.wiring)[name]
    return BlockSlip(f"Battery {name}", name, column + 1, row + 1)


def _add(view: BoardView, name: str, system: System) -> AddSlip:
    analysis = view.analysis
    minus = analysis.rig_stud if analysis.wiring.shunt else analysis.posts[-1]
    bars: list[tuple[str, dict[str, Any]]] = []
    for kind, pole, word in BARS:
        feed = None if kind in ("chassis", "hull") else minus if pole == "minus" else analysis.top_posts[0]
        bars.append((word, {"op": "add_bar", "kind": kind, "pole": pole, "feed": feed}))
    shunts: list[tuple[str, dict[str, Any]]] = []
    if view.which == "found" and analysis.wiring.shunt is None:
        parts = view.path.catalogue.shunts
        shunts = [(p.name, {"op": "find_shunt", "shunt": p.fitted().model_dump()}) for p in parts]
    return AddSlip("Put in", bars, _choices(analysis.studs.values()), shunts)


def _mends(view: BoardView, name: str, system: System) -> MendsSlip:
    made, after = mends(view.analysis, view.path.drawing(view.which), view.path.catalogue)
    rows = [MendRow(one.finding.message, one.finding.level, one.work, one.changes) for one in made]
    left = [finding for finding in judge(after) if finding.level != "advise"]
    words = "Nothing that must be put right is left then."
    if left:
        things = "one thing stays" if len(left) == 1 else f"{len(left)} things stay"
        words = f"After all of it {things} for you, the first: {left[0].message}"
    return MendsSlip("Put all right", rows, words)


def _mount(view: BoardView, name: str, system: System) -> PlainSlip:
    return PlainSlip("How the shunt is fixed", "mount")


def _monitor(view: BoardView, name: str, system: System) -> PlainSlip:
    return PlainSlip("The monitor's leads", "monitor")


SLIPS: dict[str, Callable[[BoardView, str, System], Slip | None]] = {
    "cable": _cable,
    "stud": _stud,
    "device": _device,
    "block": _block,
    "add": _add,
    "mount": _mount,
    "monitor": _monitor,
    "mends": _mends,
}
