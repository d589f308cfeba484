"""The work between two drawings: what is moved, made, taken out, and the parts and tools it needs."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.cables import stud_torque
from volnik.core.rig.wiring import Bar, Cable, Fuse, Isolator
from volnik.core.shelf.conductors import HOLE_CLASS, LBF_FT_PER_NM
from volnik.core.shelf.fuses import holder_thread
from volnik.core.shelf.parts import Catalogue
from volnik.core.shelf.shunts import Shunt

Kind = Literal["move", "new", "gone", "size", "fuse", "lug", "shunt", "bar", "isolator", "lead", "precharge"]
Action = Literal["fit", "take_out", "replace", "alter"]
ENDS = ("a", "b")
SHUNT_STUDS = ("shunt.bank", "shunt.rig")
LISTED_FIRST = ("Shunt", "Cable", "Lug", "Fuse")
SPARE_M = 0.10  # cable cut longer than drawn, for the lugs and one failed crimp; source: estimate


@dataclass(frozen=True, slots=True)
class Work:
    """One piece of work.

    Attributes:
        kind: what kind of thing it is done to, or what is done to a cable.
        about: the cable or part.
        sentence: the same in words, for people alone.
        studs: what it touches.
        action: whether a part is fitted, taken out, exchanged, or a cable altered.
        thing: what the part is called, "" for a cable.
    """

    kind: Kind
    about: str
    sentence: str
    studs: tuple[str, ...]
    action: Action = "alter"
    thing: str = ""

    @property
    def takes_out(self) -> bool:
        """Whether something is taken out for good."""
        return self.action == "take_out"


@dataclass(frozen=True, slots=True)
class MaterialLine:
    """Something to take along: what, how much in which unit, what for; `tool` for tools, which come back."""

    what: str
    amount: float
    unit: str
    use: str
    tool: bool = False


def _name(analysis: WiringAnalysis, stud: str) -> str:
    return analysis.studs[stud].name if stud in analysis.studs else stud


def _names(parts: Iterable[Bar | Isolator]) -> dict[str, str]:
    return {part.id: part.name for part in parts}


def _gone(found: WiringAnalysis, cable: Cable) -> Work:
    """A cable that is taken out."""
    way = f"{_name(found, cable.a)} to {_name(found, cable.b)}"
    sentence = f"Take out: {found.cable_name(cable)}, {way}."
    return Work("gone", cable.id, sentence, (cable.a, cable.b), "take_out")


def difference(found: WiringAnalysis, planned: WiringAnalysis) -> list[Work]:
    """The work that turns what was found into what is planned; cables are known by their ids.

    Args:
        found, planned: the two drawings of one rig.
    """
    was = {cable.id: cable for cable in found.wiring.cables}
    wanted = {cable.id: cable for cable in planned.wiring.cables}
    work = _shunt_work(found.wiring.shunt, planned.wiring.shunt)
    grounds = {bar.id for bar in planned.wiring.bars}
    fitted = [bar for bar in planned.wiring.bars if not bar.is_ground]
    work += _part_work("bar", _names(found.wiring.bars), _names(fitted), stays=grounds)
    isolators = planned.wiring.isolators
    work += _part_work("isolator", _names(found.wiring.isolators), _names(isolators), stays=set())
    for cable_id, cable in wanted.items():
        work += _cable_work(found, planned, was.get(cable_id), cable)
    work += [_gone(found, cable) for cable_id, cable in was.items() if cable_id not in wanted]
    return work + _precharge_work(found, planned)


def _shunt_work(old: Shunt | None, new: Shunt | None) -> list[Work]:
    if new is None:
        return [] if old is None else [Work("shunt", "shunt", "Take the shunt out.", (), "take_out")]
    title = shunt_title(new)
    if old is None:
        return [Work("shunt", "shunt", f"Fit the shunt {title}.", SHUNT_STUDS, "fit", title)]
    if (old.amps, old.mv, old.product) == (new.amps, new.mv, new.product):
        return []
    return [Work("shunt", "shunt", f"Replace the shunt by {title}.", SHUNT_STUDS, "replace", title)]


def shunt_title(shunt: Shunt) -> str:
    """A shunt's product and ratings, "Causeway 500 (500 A / 50 mV)"."""
    rating = f"{shunt.amps:g} A / {shunt.mv:g} mV"
    return f"{shunt.product} ({rating})" if shunt.product else rating


def _part_work(kind: Kind, before: dict[str, str], after: dict[str, str], *, stays: set[str]) -> list[Work]:
    """Bars or isolators fitted and taken out; `stays` names what is never taken out."""
    fitted = [
        Work(kind, key, f"Fit the {name.lower()}.", (key,), "fit", name)
        for key, name in after.items()
        if key not in before
    ]
    gone = [
        Work(kind, key, f"Take the {name.lower()} out.", (), "take_out", name)
        for key, name in before.items()
        if key not in after and key not in stays
    ]
    return fitted + gone


def _precharge_work(found: WiringAnalysis, planned: WiringAnalysis) -> list[Work]:
    new = [name for name in planned.wiring.precharge if name not in found.wiring.precharge]
    devices = [device for name in new if (device := planned.device(name)) is not None]
    return [
        Work(
            "precharge",
            device.id,
            f"Fit a pre-charge resistor for {device.name}.",
            (),
            "fit",
            device.name,
        )
        for device in devices
    ]


def _cable_work(
    found: WiringAnalysis, planned: WiringAnalysis, old: Cable | None, cable: Cable
) -> list[Work]:
    """What is done to one cable: made, moved, renewed, fused anew, given another lug."""
    if old is None:
        return [_new_cable(planned, cable)]
    name = planned.cable_name(cable)
    title = name[0].upper() + name[1:]
    both = (cable.a, cable.b)
    work = []
    for end in ENDS:
        before, after = getattr(old, end), getattr(cable, end)
        if before != after:
            way = f"from the {_name(found, before)} to the {_name(planned, after)}"
            work.append(Work("move", cable.id, f"{title}: {way}.", (before, after)))
    if old.mm2 != cable.mm2 and cable.size:
        renewed = f"renew in {cable.size}{_length(cable)} (was {old.size or 'not known'})"
        work.append(Work("size", cable.id, f"{title}: {renewed}.", both))
    if _fuse_amps(old) != _fuse_amps(cable):
        work.append(Work("fuse", cable.id, f"{title}: {_fuse_words(old.fuse, cable.fuse)}.", both))
    if old.mm2 == cable.mm2:
        work += _lug_work(planned, old, cable, title)
    return work


def _new_cable(planned: WiringAnalysis, cable: Cable) -> Work:
    kind: Kind = "lead" if planned.is_thin(cable) else "new"
    size = f", {cable.size}" if cable.size else ""
    fuse = f", fuse {cable.fuse.amps:g} A at its source" if cable.fuse else ""
    way = f"{_name(planned, cable.a)} to {_name(planned, cable.b)}"
    sentence = f"New: {planned.cable_name(cable)}, {way}{size}{_length(cable)}{fuse}."
    return Work(kind, cable.id, sentence, (cable.a, cable.b), "fit")


def _length(cable: Cable) -> str:
    return f", {cable.length_m:g} m" if cable.length_m else ""


def _fuse_amps(cable: Cable) -> float | None:
    return cable.fuse.amps if cable.fuse else None


def _fuse_words(old: Fuse | None, new: Fuse | None) -> str:
    if new is None:
        return "take its fuse out"
    return f"fuse {new.amps:g} A" + (f" instead of {old.amps:g} A" if old else "")


def _lug_work(planned: WiringAnalysis, old: Cable, cable: Cable, title: str) -> list[Work]:
    work = []
    for end in ENDS:
        lug, stud = getattr(cable, f"lug_{end}"), getattr(cable, end)
        if lug and lug != getattr(old, f"lug_{end}"):
            sentence = f"{title}: new lug {lug} at the {_name(planned, stud)}."
            work.append(Work("lug", cable.id, sentence, (stud,)))
    return work


class _Shopping:
    """Materials added up: like ones once, with all they are for."""

    def __init__(self) -> None:
        self._amounts: dict[tuple[str, str], float] = defaultdict(float)
        self._uses: dict[tuple[str, str], list[str]] = defaultdict(list)

    def take(self, what: str, amount: float, unit: str, use: str) -> None:
        """Add so much of something for a use.

        Args:
            what: the part or material.
            amount: how much of it.
            unit: of the amount.
        """
        self._amounts[what, unit] += amount
        if use not in self._uses[what, unit]:
            self._uses[what, unit].append(use)

    def lines(self) -> list[MaterialLine]:
        """All of it, shunt, cable, lugs, fuses first."""
        lines = [
            MaterialLine(what, round(amount, 2), unit, "; ".join(self._uses[what, unit]))
            for (what, unit), amount in self._amounts.items()
        ]
        return sorted(lines, key=_place_in_list)


def _place_in_list(line: MaterialLine) -> tuple[int, str]:
    word = line.what.split()[0]
    return (LISTED_FIRST.index(word) if word in LISTED_FIRST else len(LISTED_FIRST), line.what)


def parts_list(found: WiringAnalysis, planned: WiringAnalysis, catalogue: Catalogue) -> list[MaterialLine]:
    """Parts and tools for the work, like ones added up; cable a little longer than drawn.

    Args:
        found, planned: the two drawings of one rig.
        catalogue: the Shelf, for the dies of lugs.
    """
    work = difference(found, planned)
    shopping = _Shopping()
    for task in work:
        _take_part(shopping, task, planned.nominal_v)
    was = {cable.id: cable for cable in found.wiring.cables}
    renewed = {task.about for task in work if task.kind in ("new", "size", "lead")}
    for cable in planned.wiring.cables:
        _take_cable(shopping, planned, was.get(cable.id), cable, renewed=cable.id in renewed)
    if work:
        _take_beside(shopping, found, planned)
    return shopping.lines() + _tools(planned, work, catalogue)


def _take_beside(shopping: _Shopping, found: WiringAnalysis, planned: WiringAnalysis) -> None:
    """What no line of the drawing names: monitor, sensor, fixings, spares."""
    if planned.wiring.shunt is not None and found.wiring.shunt is None:
        shopping.take("Monitor with its display, its cable and fixings", 1, "set", "the shunt")
    auxiliary = planned.wiring.auxiliary
    if auxiliary == "temperature" and found.wiring.auxiliary != auxiliary:
        shopping.take("Temperature sensor", 1, "pc", "the monitor's second input")
    was = {cable.id for cable in found.wiring.cables}
    if any(cable.id not in was for cable in planned.wiring.cables):
        shopping.take("Clips, grommets, heat-shrink, cable labels", 1, "set", "every new cable")
    _take_spares(shopping, planned)


def _take_spares(shopping: _Shopping, planned: WiringAnalysis) -> None:
    sizes = sorted({fuse.amps for cable in planned.wiring.cables for fuse in cable.fuses})
    if sizes:
        listed = ", ".join(f"{amps:g}" for amps in sizes)
        shopping.take(f"Spare fuses, one of each: {listed} A", 1, "set", "left with the rig")


def _take_part(shopping: _Shopping, task: Work, nominal_v: float) -> None:
    if task.takes_out or not task.thing:
        return
    if task.kind == "shunt":
        shopping.take(f"Shunt {task.thing}", 1, "pc", "negative path")
    elif task.kind in ("bar", "isolator"):
        shopping.take(task.thing.capitalize(), 1, "pc", "as drawn")
    elif task.kind == "precharge":
        shopping.take(f"Resistor {precharge_ohm(nominal_v)} Ω, 25 W wire-wound", 1, "pc", task.thing)


def precharge_ohm(nominal_v: float) -> int:
    """The resistor capacitors are charged through first [ohm]; source: trade practice.

    Args:
        nominal_v: of the bank [V].
    """
    if nominal_v < 18.0:
        return 10
    return 25 if nominal_v < 36.0 else 50


def _take_cable(
    shopping: _Shopping, planned: WiringAnalysis, old: Cable | None, cable: Cable, *, renewed: bool
) -> None:
    name = planned.cable_name(cable)
    size = cable.size or "to suit the cable"
    if renewed:
        _take_length(shopping, cable, size, name)
    for end in ENDS:
        hole = _new_lug(planned, old, cable, end, renewed=renewed)
        if hole:
            stud = planned.studs[getattr(cable, end)]
            shopping.take(f"Lug {size}, {hole}", 1, "pc", f"{name} at the {stud.name}")
    if cable.fuse and (old is None or _fuse_amps(old) != cable.fuse.amps):
        slow = " slow" if planned.is_thin(cable) else ""
        shopping.take(f"Fuse {cable.fuse.amps:g} A{slow} with holder", 1, "pc", name)
        _take_holder_lugs(shopping, cable.fuse, size, name)


def _take_holder_lugs(shopping: _Shopping, fuse: Fuse, size: str, name: str) -> None:
    """Both sides of a bolted fuse: its holder takes two lugs of the cable it stands in."""
    thread = fuse.thread or holder_thread(fuse.amps)
    if thread:
        shopping.take(
            f"Lug {size}, {thread}", 2, "pc", f"{name}, its fuse's holder{'' if fuse.thread else ' ≈'}"
        )


def _take_length(shopping: _Shopping, cable: Cable, size: str, name: str) -> None:
    metres = math.ceil(10 * ((cable.length_m or 1.0) + SPARE_M)) / 10
    assumed = "" if cable.length_m else " (length assumed)"
    shopping.take(f"Cable {size}", metres, "m", name + assumed)


def _new_lug(planned: WiringAnalysis, old: Cable | None, cable: Cable, end: str, *, renewed: bool) -> str:
    """The hole of the lug one end of a cable needs anew, "" where it needs none."""
    stud = planned.studs[getattr(cable, end)]
    lug = getattr(cable, f"lug_{end}")
    before = "" if old is None else getattr(old, f"lug_{end}")
    hole: str = lug or stud.thread
    if not hole or stud.place == "device" or planned.is_thin(cable):
        return ""
    moved = old is None or renewed or getattr(old, end) != getattr(cable, end)
    if not moved and lug == before:
        return ""
    goes_over = before and not renewed and HOLE_CLASS.get(before) == HOLE_CLASS.get(hole)
    return "" if goes_over else hole


def _tools(planned: WiringAnalysis, work: list[Work], catalogue: Catalogue) -> list[MaterialLine]:
    if not work:
        return []
    tools = [MaterialLine("Insulated spanners; rings and watch off", 1, "set", "every post", True)]
    tools += _torque_wrench(planned, work)
    tools += _crimp_tool(planned, work, catalogue)
    meters = "Meter, clamp meter, covers for cut ends and posts, labels"
    tools.append(MaterialLine(meters, 1, "set", "proving dead, covering, naming both ends", True))
    return tools


def _torque_wrench(planned: WiringAnalysis, work: list[Work]) -> list[MaterialLine]:
    touched = {stud for task in work for stud in task.studs if stud in planned.studs}
    torques = sorted({value for stud in touched if (value := stud_torque(planned, stud)) is not None})
    if not torques:
        return []
    ends = (torques[0], torques[-1])
    newtons = " and ".join(dict.fromkeys(f"{value:g}" for value in ends))
    feet = " and ".join(dict.fromkeys(f"{value * LBF_FT_PER_NM:.0f}" for value in ends))
    what = f"Torque wrench, {newtons} N·m ({feet} lbf·ft)"
    return [MaterialLine(what, 1, "pc", "joints touched", True)]


def _sizes_crimped(planned: WiringAnalysis, work: list[Work]) -> list[str]:
    """Sizes of the cables that get a lug anew."""
    changed = {task.about for task in work if task.kind in ("new", "size", "lug", "move")}
    thick = (cable for cable in planned.wiring.cables if not planned.is_thin(cable))
    return sorted({cable.size for cable in thick if cable.id in changed} - {""})


def _crimp_tool(planned: WiringAnalysis, work: list[Work], catalogue: Catalogue) -> list[MaterialLine]:
    sizes = _sizes_crimped(planned, work)
    if not sizes:
        return []
    dies = sorted({lug.die for lug in catalogue.lugs if lug.size in sizes} - {""})
    what = "Crimp tool with " + (", ".join(dies) or f"dies for {', '.join(sizes)}")
    return [MaterialLine(what, 1, "pc", "one trial crimp of each size, tug test, heat-shrink", True)]
