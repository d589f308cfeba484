"""Taking out, fitting, and every lug: made from the difference between what is there and what is planned."""

from __future__ import annotations

from collections import defaultdict

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.cables import right_stack, stud_torque, torque_words
from volnik.core.path.work import Work
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import Stud
from volnik.core.rig.wiring import Cable, Fuse
from volnik.core.shelf.conductors import LBF_FT_PER_NM, torque
from volnik.core.shelf.fuses import holder_thread
from volnik.core.wireup import cautions
from volnik.core.wireup.steps import Step

AUXILIARY_USES = {
    "temperature": "temperature sensor",
    "starter": "starter battery's positive",
    "midpoint": "middle of the string",
}


def shunt_marks(analysis: WiringAnalysis) -> str:
    """What the maker prints at the shunt's studs, or "".

    Args:
        analysis: the drawing, solved and judged as one.
    """
    shunt = analysis.wiring.shunt
    if shunt is None or not (shunt.mark_bank or shunt.mark_rig):
        return ""
    return f"On this shunt the battery side is marked “{shunt.mark_bank}”, the rig side “{shunt.mark_rig}”."


def lug_lines(analysis: WiringAnalysis, cable: Cable, end: str) -> list[str]:
    """How one end of a cable is made and landed: lug, die, torque, place in the stack.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    stud_id = getattr(cable, end)
    stud = analysis.studs[stud_id]
    hole = getattr(cable, f"lug_{end}") or stud.thread
    lines = []
    if cable.size and hole and stud.place not in ("device", "ground"):
        die = _die(analysis, cable.size, hole)
        lines.append(
            f"Lug {cable.size}, {hole}{die}, one conductor alone in it: trial crimp, tug test, heat-shrink. "
            "Clean contact faces."
        )
    turn = torque_words(analysis, stud_id)
    if turn and stud.place != "device":
        lines.append(f"On the {stud.name}: {turn}.")
    return lines + _stack_lines(analysis, stud)


def _die(analysis: WiringAnalysis, size: str, hole: str) -> str:
    """The Shelf's die for a lug as it stands behind the lug, "" where none is known."""
    fitting = [lug.die for lug in analysis.catalogue.lugs if lug.die and (lug.size, lug.hole) == (size, hole)]
    return f", {fitting[0]}" if fitting else ""


def _stack_lines(analysis: WiringAnalysis, stud: Stud) -> list[str]:
    cables = analysis.by_stud[stud.id]
    if len(cables) < 2:
        return []
    if stud.place == "bar":
        return ["A lug place of its own on the bar."]
    if stud.place not in ("block", "shunt"):
        return []
    known = {cable.id: cable for cable in cables}
    order = [analysis.cable_name(known[name]) for name in right_stack(analysis, cables) if name in known]
    return ["Stack from the face up: " + ", ".join(order) + "."] if len(order) > 1 else []


def take_out_and_fit(found: WiringAnalysis, planned: WiringAnalysis, work: list[Work]) -> list[Step]:
    """What is stripped and what is mounted.

    Args:
        found: what stands today.
        planned: the plan, solved.
        work: what is to be done between the drawings.
    """
    steps = []
    for task in work:
        if task.takes_out:
            steps.append(_take_out(found, task))
        elif task.kind == "shunt":
            steps.append(_fit("shunt", task, _mounting_lines(planned)))
        elif task.kind in ("bar", "isolator"):
            steps.append(_fit(task.about, task, ["Fixed, covered, labelled."]))
    return steps


def _take_out(found: WiringAnalysis, task: Work) -> Step:
    gone = found.wiring.cable(task.about)
    bond = gone is not None and any(found.is_ground(end) for end in (gone.a, gone.b))
    return Step(
        f"out:{task.about}",
        "strip",
        task.sentence.rstrip("."),
        ("Cover and label what stays.",),
        (cautions.BONDED,) if bond else (),
        facts=task.sentence,
        about=task.about,
    )


def _fit(key: str, task: Work, lines: list[str]) -> Step:
    title = task.sentence.rstrip(".")
    return Step(f"fit:{key}", "strip", title, tuple(lines), facts=task.sentence, about=key)


def _mounting_lines(planned: WiringAnalysis) -> list[str]:
    lines = [
        "Near the battery, dry, not in a gassing battery box, never hanging from its cables; "
        "light and cover in reach.",
        "Support stiff bars in one plane before torquing, so that nothing bends the shunt.",
        "Its own bolts in their own holes: where one side is threaded and one plain, the short and the long "
        "one are not alike; plain washer against the lug, spring washer under the head, nothing bottoms.",
        "Within reach of radio: metal walls between it and the seat swallow it. Cover live metal when done.",
        "Its light and button stay in view; a bridge sits on hook-and-loop tape, not on glue. Clean, "
        "degreased "
        "faces; aluminium protected; stainless fixings.",
        "Nothing chafes or rattles: clamps near each lug, sleeves at every edge, spare lead coiled and tied.",
        "A display: its hole is cut only once the readings are trusted. Measure hole, panel and cable "
        "run (4 to "
        "9 m is usual) first; its ring goes on the cable before the plug.",
    ]
    if not planned.chemistry.is_lead:
        lines.append(
            "It goes after every protection of the cells, where their outputs have joined: never on a cell's "
            "own minus. A pack of several parts follows its maker's drawing, nothing else."
        )
    screw_mm = planned.wiring.mount.screw_mm
    if screw_mm is not None:
        lines.append(f"Screw {screw_mm:g} mm: see what is behind before drilling.")
    if marks := shunt_marks(planned):
        lines.append(marks)
    return lines


def _phase(planned: WiringAnalysis, cable: Cable) -> str:
    return "link" if planned.is_thin(cable) or planned.is_shunt_link(cable) else "rig"


SMALL_SCREWS = Step(
    "small_screws",
    "link",
    "Small wires of a bare shunt",
    (
        "A shunt with its electronics on it has none: skip this.",
        "On the shunt's own small screws, never under the lugs: a lug's drop would be read as amps. One "
        "sense wire to the battery side; the other, and the display's minus, to the rig side; its plus "
        "by its own small fuse, which stays out.",
        "An add-on of a solar controller: its signal wire on the auxiliary plus meant for it, and that input "
        "set to shunt, else nothing is shown.",
        "The maker's drawing goes before this.",
    ),
    (cautions.THIN,),
    facts="small screws",
    why="Its volts are amps times the shunt's ohms: the two sense wires exchanged turn every sign.",
)


def lugs(planned: WiringAnalysis, work: list[Work]) -> list[Step]:
    """A step a cable that is moved, made, renewed or fused anew.

    Thin leads and the shunt's link come after the rig side.

    Args:
        planned: the plan, solved.
        work: what is to be done between the drawings.
    """
    by_cable: dict[str, list[Work]] = defaultdict(list)
    for task in work:
        if task.kind in ("move", "new", "size", "fuse", "lug", "lead"):
            by_cable[task.about].append(task)
    rig: list[Step] = []
    link: list[Step] = []
    thin: list[Step] = []
    for cable_id, tasks in by_cable.items():
        cable = planned.wiring.cable(cable_id)
        if cable is None:
            continue
        if planned.is_thin(cable):
            thin.append(_thin(planned, cable, tasks))
        elif planned.is_shunt_link(cable):
            link += [_lug(planned, cable, tasks), *_second_end(planned, cable)]
        else:
            rig += [_lug(planned, cable, tasks), *_second_end(planned, cable)]
    rig.sort(key=lambda step: step.pole != "plus")
    screws = [SMALL_SCREWS] if any(task.kind == "shunt" for task in work) else []
    return [*rig, *_audit(planned), *link, *screws, *thin]


def _lug(planned: WiringAnalysis, cable: Cable, tasks: list[Work]) -> Step:
    """The step of one cable: what is done, how its ends are landed, what to beware of."""
    lines = _lug_step_lines(planned, cable, tasks)
    torques = _torques(planned, cable, _ends_by_place(planned, cable)[0])
    turn = torques[0][1] if torques else None
    phase = _phase(planned, cable)
    name = planned.cable_name(cable)
    counted = phase == "rig" and cable.a.pole == "minus"
    return Step(
        f"lug:{cable.id}",
        phase,
        name[0].upper() + name[1:],
        tuple(lines),
        tuple(_lug_cautions(planned, cable, tasks)),
        facts="; ".join(lines),
        about=cable.id,
        ask=None if turn is None else "torque",
        asked=f"torque really used on the {torques[0][0]}" if len(torques) > 1 else "torque really used",
        torque_nm=turn,
        why="Only what lands on the rig side is counted." if counted else "",
        brief=_lug_brief(planned, cable, tasks),
        pole=planned.studs[cable.a].pole if phase == "rig" else "",
    )


def _lug_brief(planned: WiringAnalysis, cable: Cable, tasks: list[Work]) -> str:
    """Where a cable goes, its size, fuse and torque, as a short list says it."""
    here, _ = _ends_by_place(planned, cable)
    kinds = {task.kind for task in tasks}
    words = {
        "move": [f"to the {planned.studs[getattr(cable, end)].name}" for end in here[-1:]],
        "size": [f"{cable.size}, {cable.length_m:g} m" if cable.length_m else cable.size],
        "fuse": [f"fuse {fuse.amps:g} A" for fuse in cable.fuses],
    }
    told = [word for kind, said in words.items() if kinds & {kind, "new"} for word in said]
    turns = dict.fromkeys(turn for _, turn in _torques(planned, cable, here))
    return ", ".join([*filter(None, told), *(f"{turn:g} N·m" for turn in turns)])


def _lug_step_lines(planned: WiringAnalysis, cable: Cable, tasks: list[Work]) -> list[str]:
    """What is done to a cable, and how each end that is landed now is made."""
    here, at_battery = _ends_by_place(planned, cable)
    lines = [task.sentence for task in tasks]
    for end in here:
        lines += lug_lines(planned, cable, end)
    if planned.is_shunt_link(cable):
        lines.append(
            "Mark both its ends: black, “battery”. Under 0.5 m where it can be; clear of what moves."
        )
    if at_battery:
        lines.append("Its battery end stays off and covered until the last connection.")
    return lines + _fuse_lines(cable, {task.kind for task in tasks})


def _fuse_lines(cable: Cable, kinds: set[str]) -> list[str]:
    """How the holders of its fuses are made fast; put in with the cable, a fuse would make its end live."""
    if not cable.fuse or not kinds & {"fuse", "new"}:
        return ["The fuse stays out until Restore."] if "fuse" in kinds else []
    holders = [_holder_line(fuse) for fuse in cable.fuses if fuse.thread or holder_thread(fuse.amps)]
    return [*holders, "The fuse stays out until Restore."]


def _holder_line(fuse: Fuse) -> str:
    """How the two lugs on a fuse's holder are made fast; ≈ where its thread is only the usual one."""
    thread = fuse.thread or holder_thread(fuse.amps)
    turn = torque(thread)
    said = f"Holder of the {fuse.amps:g} A fuse: two lugs, {thread}"
    if turn is None:
        return f"{said}."
    known = "" if fuse.thread else "≈ "
    unread = "" if fuse.thread else "; read its studs"
    return f"{said}, {known}{turn:g} N·m ({turn * LBF_FT_PER_NM:.0f} lbf·ft){unread}."


def _torques(planned: WiringAnalysis, cable: Cable, ends: list[str]) -> list[tuple[str, float]]:
    """Name of the stud and torque [N·m] of each end that has one."""
    studs = [getattr(cable, end) for end in ends]
    found = [(planned.studs[stud].name, stud_torque(planned, stud)) for stud in studs]
    return [(name, turn) for name, turn in found if turn is not None]


def _second_end(planned: WiringAnalysis, cable: Cable) -> list[Step]:
    """The torque of a cable's other end, where it is landed now too."""
    torques = _torques(planned, cable, _ends_by_place(planned, cable)[0])
    if len(torques) < 2:
        return []
    name, turn = torques[1]
    return [
        Step(
            f"lug:{cable.id}:b",
            _phase(planned, cable),
            f"The same cable's end on the {name}",
            facts=f"{name} {turn:g}",
            about=cable.id,
            ask="torque",
            asked=f"torque really used on the {name}",
            torque_nm=turn,
            brief=f"{turn:g} N·m",
            pole=planned.studs[cable.a].pole if _phase(planned, cable) == "rig" else "",
        )
    ]


def _ends_by_place(planned: WiringAnalysis, cable: Cable) -> tuple[list[str], list[str]]:
    """The ends of a cable that are landed now, and those at a battery, which are the last joints."""
    ends = [
        end for end in ("a", "b") if planned.studs[getattr(cable, end)].place not in ("device", "battery")
    ]
    last = [end for end in ends if getattr(cable, end) in planned.block_studs and not planned.is_link(cable)]
    return [end for end in ends if end not in last], last


def _lug_cautions(planned: WiringAnalysis, cable: Cable, tasks: list[Work]) -> list[str]:
    found = []
    if planned.studs[cable.a].pole == "minus" and any(task.kind == "move" for task in tasks):
        found.append(cautions.LIFTED)
    if planned.is_link(cable) and cable.a.pole == cable.b.pole:
        found.append(cautions.ALIKE)
    if any(planned.is_ground(stud) for task in tasks for stud in task.studs):
        found.append(cautions.BONDED)
    return found


def _audit(planned: WiringAnalysis) -> list[Step]:
    """The count of conductors before the link is made."""
    shunt = planned.wiring.shunt
    if shunt is None:
        return []
    rig = planned.by_stud.get(planned.rig_stud, [])
    return [
        Step(
            "one_conductor",
            "rig",
            "Count: every minus cable is on the rig side now",
            (
                "On the rig side of the shunt: "
                f"{', '.join(planned.cable_name(cable) for cable in rig) or 'nothing yet'}.",
                "On the battery side nothing but the link, thin sensor rings excepted.",
            ),
            must=True,
            facts=",".join(sorted(cable.id for cable in rig)),
            why="A second conductor on the battery side carries current that is never counted.",
        )
    ]


def _beside_lead(planned: WiringAnalysis, lead: Cable, stud: StudRef) -> list[str]:
    """Names of the feeds that share the supply lead's stud, the bank's own heavy ones apart."""
    if planned.studs[stud].place != "block":
        return []
    feeds = (cable for cable in planned.by_stud[stud] if planned.owner_of(cable) is not None)
    return [planned.cable_name(cable) for cable in feeds if cable.id != lead.id]


def _thin(planned: WiringAnalysis, cable: Cable, tasks: list[Work]) -> Step:
    name = planned.cable_name(cable)
    lead, far = (cable.a, cable.b) if cable.a.of_monitor else (cable.b, cable.a)
    lines = [task.sentence for task in tasks]
    if lead.pole == "sense":
        lines.append("Into the socket meant for battery volts; press, insert, tug.")
        lines.append(f"It lands on the {planned.studs[far].name}; its fuse stays out.")
        beside = _beside_lead(planned, cable, far)
        if beside:
            lines.append(
                f"On this stud too: {', '.join(beside)}. Whoever takes that off later restarts the monitor: "
                "label it."
            )
        lines.append("Shortened or lengthened, it keeps its fuse, at the plus end.")
    else:
        use = AUXILIARY_USES.get(planned.wiring.auxiliary, "second input")
        lines.append(f"The second input serves the {use}: set the monitor to it later.")
    fuse = (cautions.THIN,) if cable.fuse or planned.studs[far].pole == "plus" else ()
    return Step(
        f"thin:{cable.id}",
        "link",
        name[0].upper() + name[1:],
        tuple(lines),
        fuse,
        facts="; ".join(lines),
        about=cable.id,
        brief=f"to the {planned.studs[far].name}, its fuse out",
    )
