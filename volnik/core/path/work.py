"""The work between two drawings: what is moved, made, taken out, and the parts and tools it needs."""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass
from typing import Literal

from volnik.core.path.analysis import Seen
from volnik.core.path.findings.cables import stud_torque
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import HOLE_CLASS, LBF_FT_PER_NM
from volnik.core.shelf.parts import Catalogue

Kind = Literal["move", "new", "gone", "size", "fuse", "lug", "shunt", "bar", "isolator", "lead", "precharge"]
SPARE_M = 0.10  # cable cut longer than drawn, for the lugs and one failed crimp; source: estimate


@dataclass(frozen=True, slots=True)
class Work:
    """One piece of work: what kind, on which cable or part, in a sentence, and the studs it touches."""

    kind: Kind
    about: str
    sentence: str
    studs: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Part:
    """Something to take along: what, how much in which unit, what for; `tool` for tools, which come back."""

    what: str
    amount: float
    unit: str
    use: str
    tool: bool = False


def _name(seen: Seen, stud: str) -> str:
    return seen.studs[stud].name if stud in seen.studs else stud


def difference(found: Seen, planned: Seen) -> list[Work]:
    """The work that turns what was found into what is planned; cables are known by their ids."""
    was = {cable.id: cable for cable in found.wiring.cables}
    wanted = {cable.id: cable for cable in planned.wiring.cables}
    work: list[Work] = []
    shunt, other = found.wiring.shunt, planned.wiring.shunt
    if shunt is None and other is not None:
        work.append(
            Work(
                "shunt",
                "shunt",
                f"Fit the shunt {other.product or ''} {other.amps:g} A / {other.mv:g} mV.".replace("  ", " "),
                ("shunt.bank", "shunt.rig"),
            )
        )
    elif shunt is not None and other is None:
        work.append(Work("shunt", "shunt", "Take the shunt out.", ()))
    elif (
        shunt is not None
        and other is not None
        and (shunt.amps, shunt.mv, shunt.product) != (other.amps, other.mv, other.product)
    ):
        work.append(
            Work(
                "shunt",
                "shunt",
                f"Replace the shunt by {other.product} {other.amps:g} A / {other.mv:g} mV.",
                ("shunt.bank", "shunt.rig"),
            )
        )
    pairs: tuple[tuple[Kind, dict[str, str], dict[str, str]], ...] = (
        (
            "bar",
            {bar.id: bar.name for bar in found.wiring.bars},
            {bar.id: bar.name for bar in planned.wiring.bars if not bar.is_ground},
        ),
        (
            "isolator",
            {i.id: i.name for i in found.wiring.isolators},
            {i.id: i.name for i in planned.wiring.isolators},
        ),
    )
    for word, before, after in pairs:
        work += [
            Work(word, key, f"Fit the {name.lower()}.", (key,))
            for key, name in after.items()
            if key not in before
        ]
        grounds = {bar.id for bar in planned.wiring.bars}
        work += [
            Work(word, key, f"Take the {name.lower()} out.", ())
            for key, name in before.items()
            if key not in after and key not in grounds
        ]
    for cable_id, cable in wanted.items():
        work += _cable_work(found, planned, was.get(cable_id), cable)
    work += [
        Work(
            "gone",
            key,
            f"Take out: {found.cable_name(cable)}, {_name(found, cable.a)} to {_name(found, cable.b)}.",
            (cable.a, cable.b),
        )
        for key, cable in was.items()
        if key not in wanted
    ]
    for device in planned.wiring.precharge:
        drawn = planned.device(device)
        if device not in found.wiring.precharge and drawn is not None:
            work.append(Work("precharge", device, f"Fit a pre-charge resistor for {drawn.device.name}.", ()))
    return work


def _cable_work(found: Seen, planned: Seen, old: Cable | None, cable: Cable) -> list[Work]:
    name = planned.cable_name(cable)
    title = name[0].upper() + name[1:]
    sized = f", {cable.size}" if cable.size else ""
    long = f", {cable.length_m:g} m" if cable.length_m else ""
    if old is None:
        kind: Kind = "lead" if planned.is_thin(cable) else "new"
        fuse = f", fuse {cable.fuse.amps:g} A at its source" if cable.fuse else ""
        return [
            Work(
                kind,
                cable.id,
                f"New: {name}, {_name(planned, cable.a)} to {_name(planned, cable.b)}{sized}{long}{fuse}.",
                (cable.a, cable.b),
            )
        ]
    work = []
    for end in ("a", "b"):
        before, after = getattr(old, end), getattr(cable, end)
        if before != after:
            work.append(
                Work(
                    "move",
                    cable.id,
                    f"{title}: from the {_name(found, before)} to the {_name(planned, after)}.",
                    (before, after),
                )
            )
    if old.mm2 != cable.mm2 and cable.size:
        work.append(
            Work(
                "size",
                cable.id,
                f"{title}: renew in {cable.size}{long} (was {old.size or 'not known'}).",
                (cable.a, cable.b),
            )
        )
    if (old.fuse and old.fuse.amps) != (cable.fuse and cable.fuse.amps):
        told = (
            "take its fuse out"
            if cable.fuse is None
            else f"fuse {cable.fuse.amps:g} A" + (f" instead of {old.fuse.amps:g} A" if old.fuse else "")
        )
        work.append(Work("fuse", cable.id, f"{title}: {told}.", (cable.a, cable.b)))
    for end in ("a", "b"):
        lug, before = getattr(cable, f"lug_{end}"), getattr(old, f"lug_{end}")
        if lug and lug != before and old.mm2 == cable.mm2:
            work.append(
                Work(
                    "lug",
                    cable.id,
                    f"{title}: new lug {lug} at the {_name(planned, getattr(cable, end))}.",
                    (getattr(cable, end),),
                )
            )
    return work


def parts_list(found: Seen, planned: Seen, catalogue: Catalogue) -> list[Part]:
    """Parts and tools for the work, like ones added up; cable a little longer than drawn."""
    was = {cable.id: cable for cable in found.wiring.cables}
    amounts: dict[tuple[str, str], float] = defaultdict(float)
    uses: dict[tuple[str, str], list[str]] = defaultdict(list)

    def take(what: str, amount: float, unit: str, use: str) -> None:
        amounts[what, unit] += amount
        if use not in uses[what, unit]:
            uses[what, unit].append(use)

    work = difference(found, planned)
    shunt = planned.wiring.shunt
    for task in work:
        if task.kind == "shunt" and shunt is not None:
            take(
                f"Shunt {shunt.product} {shunt.amps:g} A / {shunt.mv:g} mV".replace("  ", " "),
                1,
                "pc",
                "negative path",
            )
        elif task.kind in ("bar", "isolator") and task.sentence.startswith("Fit"):
            take(task.sentence.removeprefix("Fit the ").rstrip(".").capitalize(), 1, "pc", "as drawn")
        elif task.kind == "precharge":
            volts = planned.nominal_v
            take(
                f"Resistor {10 if volts < 18 else 25 if volts < 36 else 50} Ω, 25 W wire-wound",
                1,
                "pc",
                task.sentence.rstrip(".").removeprefix("Fit a pre-charge resistor for "),
            )
    changed = {task.about for task in work if task.kind in ("new", "size", "lead")}
    for cable in planned.wiring.cables:
        old, name = was.get(cable.id), planned.cable_name(cable)
        if cable.id in changed:
            size = cable.size or "size to be chosen"
            take(
                f"Cable {size}",
                math.ceil(10 * ((cable.length_m or 1.0) + SPARE_M)) / 10,
                "m",
                name + ("" if cable.length_m else " (length assumed)"),
            )
        for end in ("a", "b"):
            moved = old is None or getattr(old, end) != getattr(cable, end) or cable.id in changed
            lug, before = getattr(cable, f"lug_{end}"), "" if old is None else getattr(old, f"lug_{end}")
            stud = planned.studs[getattr(cable, end)]
            hole = lug or stud.thread
            if hole and stud.place != "device" and not planned.is_thin(cable) and (moved or lug != before):
                if before and HOLE_CLASS.get(before) == HOLE_CLASS.get(hole) and cable.id not in changed:
                    continue  # the old lug goes over the new stud
                take(
                    f"Lug {cable.size or 'size to be chosen'}, {hole}", 1, "pc", f"{name} at the {stud.name}"
                )
        if cable.fuse and (old is None or not old.fuse or old.fuse.amps != cable.fuse.amps):
            slow = " slow" if planned.is_thin(cable) else ""
            take(f"Fuse {cable.fuse.amps:g} A{slow} with holder", 1, "pc", name)
    parts = [
        Part(what, round(amount, 2), unit, "; ".join(uses[what, unit]))
        for (what, unit), amount in amounts.items()
    ]
    parts.sort(
        key=lambda part: (
            ["Shunt", "Cable", "Lug", "Fuse"].index(part.what.split()[0])
            if part.what.split()[0] in ("Shunt", "Cable", "Lug", "Fuse")
            else 4,
            part.what,
        )
    )
    return parts + _tools(planned, work, catalogue)


def _tools(planned: Seen, work: list[Work], catalogue: Catalogue) -> list[Part]:
    if not work:
        return []
    touched = {stud for task in work for stud in task.studs if stud in planned.studs}
    torques = sorted({value for stud in touched if (value := stud_torque(planned, stud)) is not None})
    tools = [Part("Insulated spanners; rings and watch off", 1, "set", "every post", True)]
    if torques:
        span = " and ".join(dict.fromkeys((f"{torques[0]:g}", f"{torques[-1]:g}")))
        feet = " and ".join(
            dict.fromkeys(f"{value * LBF_FT_PER_NM:.0f}" for value in (torques[0], torques[-1]))
        )
        tools.append(
            Part(
                f"Torque wrench, {span} N·m ({feet} lbf·ft)",
                1,
                "pc",
                "joints touched",
                True,
            )
        )
    changed = {task.about for task in work if task.kind in ("new", "size", "lug", "move")}
    sizes = sorted(
        {
            cable.size
            for cable in planned.wiring.cables
            if cable.id in changed and cable.size and not planned.is_thin(cable)
        }
    )
    dies = sorted({lug.die for lug in catalogue.lugs if lug.size in sizes and lug.die})
    if sizes:
        tools.append(
            Part(
                "Crimp tool with " + (", ".join(dies) or f"dies for {', '.join(sizes)}"),
                1,
                "pc",
                "one trial crimp of each size, tug test, heat-shrink",
                True,
            )
        )
    tools.append(
        Part(
            "Meter, clamp meter, covers for cut ends and posts, labels",
            1,
            "set",
            "proving dead, covering, naming both ends",
            True,
        )
    )
    return tools
