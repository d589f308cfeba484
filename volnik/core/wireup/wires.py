"""Taking out, fitting, and every lug: made from the difference between what is there and what is planned."""

from __future__ import annotations

from collections import defaultdict

from volnik.core.path.analysis import Seen
from volnik.core.path.findings.cables import right_stack, stud_torque
from volnik.core.path.work import Work
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import LBF_FT_PER_NM
from volnik.core.wireup import cautions
from volnik.core.wireup.steps import Step


def shunt_marks(seen: Seen) -> str:
    """What the maker prints at the shunt's studs, or ""."""
    shunt = seen.wiring.shunt
    if shunt is None or not (shunt.mark_bank or shunt.mark_rig):
        return ""
    return f"On this shunt the bank side is marked “{shunt.mark_bank}”, the rig side “{shunt.mark_rig}”."


def lug_lines(seen: Seen, cable: Cable, end: str) -> list[str]:
    """How one end of a cable is made and landed: lug, die, torque, place in the stack."""
    stud_id = getattr(cable, end)
    stud = seen.studs[stud_id]
    lines = []
    hole = getattr(cable, f"lug_{end}") or stud.thread
    if cable.size and hole and stud.place not in ("device", "ground"):
        die = next(
            (
                lug.die
                for lug in seen.catalogue.lugs
                if lug.size == cable.size and lug.hole == hole and lug.die
            ),
            "",
        )
        lines.append(
            f"Lug {cable.size}, {hole}{f', {die}' if die else ''}: one trial crimp, tug test, "
            "heat-shrink. Clean contact faces."
        )
    turn = stud_torque(seen, stud_id)
    if turn is not None and stud.place != "device":
        lines.append(f"{turn:g} N·m ({turn * LBF_FT_PER_NM:.0f} lbf·ft) on the {stud.name}.")
    cables = seen.by_stud[stud_id]
    if len(cables) > 1 and stud.place in ("block", "shunt", "bar"):
        known = {cable.id: cable for cable in cables}
        order = [seen.cable_name(known[name]) for name in right_stack(seen, cables) if name in known]
        if stud.place != "bar" and len(order) > 1:
            lines.append("Stack from the face up: " + ", ".join(order) + ".")
        elif stud.place == "bar":
            lines.append("A lug place of its own on the bar.")
    return lines


def take_out_and_fit(found: Seen, planned: Seen, work: list[Work]) -> list[Step]:
    """What is stripped and what is mounted."""
    steps = []
    for task in work:
        if task.kind == "gone" or (
            task.kind in ("shunt", "bar", "isolator") and task.sentence.startswith("Take")
        ):
            gone = found.wiring.cable(task.about)
            bond = gone is not None and any(
                end in found.bars and found.bars[end].is_ground for end in (gone.a, gone.b)
            )
            steps.append(
                Step(
                    f"out:{task.about}",
                    "strip",
                    task.sentence.rstrip("."),
                    ("Cover and label what stays.",),
                    (cautions.BONDED,) if bond else (),
                    facts=task.sentence,
                    about=task.about,
                )
            )
        elif task.kind == "shunt":
            mount = planned.wiring.mount
            lines = [
                "Near the bank, dry, not in a gassing battery box, never hanging from its cables; "
                "light and cover in reach.",
                "Support stiff bars in one plane before torquing, so that nothing bends the shunt.",
            ]
            if mount.screw_mm is not None:
                lines.append(f"Screw {mount.screw_mm:g} mm: see what is behind before drilling.")
            if told := shunt_marks(planned):
                lines.append(told)
            steps.append(
                Step(
                    "fit:shunt",
                    "strip",
                    task.sentence.rstrip("."),
                    tuple(lines),
                    facts=task.sentence,
                    about="shunt",
                )
            )
        elif task.kind in ("bar", "isolator"):
            steps.append(
                Step(
                    f"fit:{task.about}",
                    "strip",
                    task.sentence.rstrip("."),
                    ("Fixed, covered, labelled.",),
                    facts=task.sentence,
                    about=task.about,
                )
            )
    return steps


def _phase(planned: Seen, cable: Cable) -> str:
    if planned.is_thin(cable) or planned.cable_name(cable) == "shunt's link to the bank":
        return "link"
    return "rig"


def lugs(found: Seen, planned: Seen, work: list[Work]) -> list[Step]:
    """A step a cable that is moved, made, renewed or fused anew.

    Thin leads and the shunt's link come after the rig side.
    """
    by_cable: dict[str, list[Work]] = defaultdict(list)
    for task in work:
        if task.kind in ("move", "new", "size", "fuse", "lug", "lead"):
            by_cable[task.about].append(task)
    steps: list[Step] = []
    for cable_id, pieces in by_cable.items():
        cable = planned.wiring.cable(cable_id)
        if cable is None:
            continue
        phase = _phase(planned, cable)
        if planned.is_thin(cable):
            steps.append(_thin(planned, cable, pieces))
            continue
        ends = [
            end for end in ("a", "b") if planned.studs[getattr(cable, end)].place not in ("device", "battery")
        ]
        at_battery = [
            end for end in ends if getattr(cable, end) in planned.block_studs and not planned.is_link(cable)
        ]
        here = [end for end in ends if end not in at_battery]  # the battery's end is the last joint
        lines = [work.sentence for work in pieces]
        for end in here:
            lines += lug_lines(planned, cable, end)
        if at_battery:
            lines.append("Its battery end stays off and covered until the last connection.")
        told = [cautions.LIFTED] if any(work.kind == "move" for work in pieces) else []
        if planned.is_link(cable):
            told.append(cautions.ALIKE)
        if any(end in planned.bars and planned.bars[end].is_ground for work in pieces for end in work.studs):
            told.append(cautions.BONDED)
        if any(work.kind == "fuse" for work in pieces) or (
            cable.fuse and any(work.kind == "new" for work in pieces)
        ):
            lines.append("The fuse stays out until Restore.")
        turn = next(
            (value for end in here if (value := stud_torque(planned, getattr(cable, end))) is not None), None
        )
        name = planned.cable_name(cable)
        steps.append(
            Step(
                f"lug:{cable_id}",
                phase,
                name[0].upper() + name[1:],
                tuple(lines),
                tuple(told),
                facts="; ".join(lines),
                about=cable_id,
                ask="torque" if turn is not None and here else None,
                asked="torque really used",
                torque_nm=turn,
                why="Only what lands on the rig side is counted."
                if phase == "rig" and cable.a.endswith(".minus")
                else "",
            )
        )
    return [
        *[step for step in steps if step.phase == "rig"],
        *_audit(planned),
        *sorted(
            (step for step in steps if step.phase == "link"), key=lambda step: step.key.startswith("thin:")
        ),
    ]


def _audit(planned: Seen) -> list[Step]:
    """The count of conductors before the link is made."""
    shunt = planned.wiring.shunt
    if shunt is None:
        return []
    rig = planned.by_stud.get(planned.rig_stud, [])
    return [
        Step(
            "one_conductor",
            "rig",
            "Count the conductors: every negative found on a post now sits on the rig side",
            (
                "On the rig side of the shunt: "
                f"{', '.join(planned.cable_name(cable) for cable in rig) or 'nothing yet'}.",
                "On the bank side nothing but the link, thin sensor rings excepted.",
            ),
            must=True,
            facts=",".join(sorted(cable.id for cable in rig)),
            why="A second conductor on the bank side carries current that is never counted.",
        )
    ]


def _thin(planned: Seen, cable: Cable, pieces: list[Work]) -> Step:
    name = planned.cable_name(cable)
    far = cable.b if cable.a.startswith("monitor.") else cable.a
    lines = [work.sentence for work in pieces]
    if cable.a == "monitor.sense" or cable.b == "monitor.sense":
        lines.append("Into the socket meant for battery volts; press, insert, tug.")
        lines.append(f"It lands on the {planned.studs[far].name}; its fuse stays out.")
    else:
        use = {
            "temperature": "temperature sensor",
            "starter": "starter battery's positive",
            "midpoint": "middle of the string",
        }.get(planned.wiring.auxiliary, "spare input")
        lines.append(f"The spare input serves the {use}: set the monitor to it later.")
    fuse = (cautions.THIN,) if cable.fuse or planned.studs[far].pole == "plus" else ()
    return Step(
        f"thin:{cable.id}",
        "link",
        name[0].upper() + name[1:],
        tuple(lines),
        fuse,
        facts="; ".join(lines),
        about=cable.id,
    )
