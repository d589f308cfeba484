"""Cables and joints: ampacity, volts lost, lugs against studs, lugs a stud, torque; current in a hull."""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import device_drops
from volnik.core.path.edits import MOST_LUGS
from volnik.core.path.sizing import choose_cable
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import Stud
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import ENGINE_SPACE, HOLE_CLASS, hole_fits, torque

MOST_DROP = 0.03  # of nominal volts, out and back, for a device; source: trade practice
UNKNOWN_A = 15.0  # a cable of unknown size that carries more is asked about by name; source: estimate
# share in the hull above which it counts as working current; source: the rule is zero, this is arithmetic
# noise
HULL_A = 0.01


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P18, P19, P30, P48, P34 to P36, P38, P45.

    Args:
        seen: the drawing, solved and judged as one.
    """
    return [
        *_ampacity(seen),
        *_drops(seen),
        *_hull(seen),
        *_lugs(seen),
        *_stacks(seen),
        *_torque(seen),
        *_assumed(seen),
    ]


def _set_cable(cable: Cable, **changes: object) -> dict[str, object]:
    """The change that restates a cable with some of its figures anew; lugs are forgotten unless given."""
    op: dict[str, object] = {
        "op": "set_cable",
        "cable": cable.id,
        "length_m": cable.length_m,
        "size": cable.size,
        "lug_a": "",
        "lug_b": "",
        "engine_space": cable.engine_space,
    }
    return {"ops": [{**op, **changes}]}


def _titled(seen: WiringAnalysis, cable: Cable) -> str:
    name = seen.cable_name(cable)
    return name[0].upper() + name[1:]


def _ampacity(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.wiring.cables:
        carries, worst = seen.carries_a(cable), seen.worst_a(cable)
        if carries is None:
            if worst > UNKNOWN_A and not seen.is_link(cable):
                found.append(_unsized(seen, cable, worst))
        elif worst > carries * 1.0001 and not seen.is_thin(cable):
            found.append(_overloaded(seen, cable, worst, carries))
    return found


def _overloaded(seen: WiringAnalysis, cable: Cable, worst: float, carries: float) -> Finding:
    need = worst / (ENGINE_SPACE if cable.engine_space else 1.0)
    awg = cable.size.endswith("AWG")
    part = choose_cable(need, cable.length_m or 1.0, 99.0, seen.catalogue, awg=awg)
    hot = " in an engine space" if cable.engine_space else ""
    return Finding(
        "path.P18",
        "stop",
        f"{_titled(seen, cable)}: {worst:.0f} A on {cable.size}, which carries {carries:.0f} A{hot}.",
        "An overloaded cable heats its insulation and its joints until one of them gives.",
        f"Take {part.size} or thicker." if part else "Use two cables side by side, or share the load.",
        f"path.{cable.id}",
        _set_cable(cable, size=part.size) if part else {},
    )


def _unsized(seen: WiringAnalysis, cable: Cable, worst: float) -> Finding:
    fuse = cable.fuse.amps if cable.fuse else 0.0
    part = choose_cable(max(worst, fuse), cable.length_m or 1.0, 0.01 * seen.nominal_v, seen.catalogue)
    return Finding(
        "path.P48",
        "fix",
        f"{_titled(seen, cable)} carries {worst:.0f} A and its size is not known.",
        "Nobody can say whether it stands that, or what it loses.",
        f"Read the size from its jacket, or take {part.size}." if part else "Read the size from its jacket.",
        f"path.{cable.id}",
        _set_cable(cable, size=part.size) if part else {},
    )


def _drops(seen: WiringAnalysis) -> list[Finding]:
    """Devices that see too few volts, or chargers that stop short, at their running amps."""
    amps_of = {
        device.id: device.running_a if device.takes else device.gives_a
        for device in seen.devices
        if seen.is_on_bank(device) and device.figures["together"] is not False
    }
    drops = device_drops(seen.network, seen.bank, amps_of, seen.devices)
    return [
        _drop(seen, device, drops[device.id], amps_of[device.id])
        for device in seen.devices
        if drops.get(device.id, 0.0) > MOST_DROP * seen.nominal_v
    ]


def _drop(seen: WiringAnalysis, device: ResolvedDevice, lost_v: float, amps: float) -> Finding:
    measured = all(
        cable.length_m is not None and cable.mm2 is not None
        for pole in ("minus", "plus")
        for cable in seen.by_stud.get(f"{device.id}.{pole}", [])
    )
    assumed = "" if measured else ", with lengths or sizes only assumed"
    return Finding(
        "path.P19",
        "fix" if measured else "advise",
        f"{device.name}: {lost_v:.2f} V ({100 * lost_v / seen.nominal_v:.1f} %) are lost out and back "
        f"at {amps:.3g} A{assumed}.",
        "A charger then stops short of the bank's full volts."
        if device.gives
        else "It sees a flatter bank than there is, and cuts out early.",
        "Take thicker or shorter cable.",
        f"path.{device.id}",
    )


def _hull(seen: WiringAnalysis) -> list[Finding]:
    """Working current in a hull, told at the device that puts it in, else at the bond."""
    hulls = {bar.id for bar in seen.wiring.bars if bar.kind == "hull"}
    cables = [cable for cable in seen.wiring.cables if {cable.a, cable.b} & hulls]
    whole = max((device.running_a for device in seen.devices), default=0.0)
    most_a = HULL_A * max(1.0, whole * 0.01)
    owned = [cable for cable in cables if seen.owner_of(cable) is not None]
    found = []
    for cable in owned or cables:
        amps = _most_carried(seen, cable)
        if amps > most_a:
            found.append(_current_in_hull(seen, cable, amps, hulls, bonds=len(cables)))
    return found


def _most_carried(seen: WiringAnalysis, cable: Cable) -> float:
    """Amps of a cable in whichever case loads it more [A]."""
    return max(abs(case.flow.amps[cable.id]) for case in (seen.together, seen.chargers))


def _current_in_hull(
    seen: WiringAnalysis, cable: Cable, amps: float, hulls: set[str], *, bonds: int
) -> Finding:
    remedy: dict[str, object] = {}
    if seen.owner_of(cable) is not None:
        end = "a" if cable.a in hulls else "b"
        remedy = {"ops": [{"op": "move_end", "cable": cable.id, "end": end, "to": seen.rig_landing()}]}
    elif bonds == 2:
        remedy = {"ops": [{"op": "remove_cable", "cable": cable.id}]}
    return Finding(
        "path.P30",
        "stop",
        f"{amps:.3g} A of working current flow in the hull, by the {seen.cable_name(cable)}.",
        "Current in a hull eats metal, even where it is fully counted.",
        "One bond only, to the rig side, sized by the code; every device has its own return. Never lift a "
        "bond while shore power is connected.",
        f"path.{cable.id}",
        remedy,
    )


def _lugs(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.wiring.cables:
        for end, lug in (("lug_a", cable.lug_a), ("lug_b", cable.lug_b)):
            stud = seen.studs[cable.a if end == "lug_a" else cable.b]
            how = hole_fits(lug, stud.thread) if lug and stud.thread else ""
            if how:
                found.append(_wrong_lug(seen, cable, end, stud, how))
    return found


def _wrong_lug(seen: WiringAnalysis, cable: Cable, end: str, stud: Stud, how: str) -> Finding:
    lug = getattr(cable, end)
    metric = not lug.endswith("in")
    right = next(
        (
            hole
            for hole, kind in HOLE_CLASS.items()
            if kind == HOLE_CLASS[stud.thread] and hole.startswith("M") == metric
        ),
        stud.thread,
    )
    lugs = {"lug_a": cable.lug_a, "lug_b": cable.lug_b, end: right}
    small = how == "small"
    return Finding(
        "path.P34",
        "fix",
        f"{_titled(seen, cable)}: a lug of {lug} {'does not go over' if small else 'is too wide for'} the "
        f"{stud.thread} stud, {stud.name}.",
        "A lug is never drilled up: it loses the ring that carries the current."
        if small
        else "A hole too wide leaves a rim of contact; the joint heats.",
        f"Crimp a lug with a hole for {stud.thread}.",
        f"path.{cable.id}",
        _set_cable(cable, **lugs),
    )


def _stacks(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for stud_id, cables in seen.by_stud.items():
        stud = seen.studs[stud_id]
        if stud.place == "ground" or (stud.place == "bar" and seen.bars[stud_id].kind == "busbar"):
            continue
        if len(cables) > MOST_LUGS:
            found.append(_crowded(seen, stud, cables))
        found += _out_of_order(seen, stud, cables)
    return found


def _crowded(seen: WiringAnalysis, stud: Stud, cables: list[Cable]) -> Finding:
    rank = sorted(cables, key=seen.worst_a, reverse=True)
    loose = [cable for cable in rank if seen.owner_of(cable) is not None and not seen.is_link(cable)]
    movable = stud.pole == "plus" or stud.id == seen.rig_stud
    moving = loose[-(len(cables) - MOST_LUGS + 1) :] if movable else []
    op = {
        "op": "add_bar",
        "kind": "busbar",
        "pole": stud.pole,
        "feed": stud.id,
        "take": [cable.id for cable in moving],
    }
    return Finding(
        "path.P35",
        "fix",
        f"{len(cables)} lugs on the {stud.name}.",
        "Beyond four the stack clamps poorly: the outer ones work loose and heat.",
        "Lead one cable to a busbar or junction stud and the others there.",
        f"path.{stud.id}",
        {"ops": [op]} if moving else {},
    )


def _out_of_order(seen: WiringAnalysis, stud: Stud, cables: list[Cable]) -> list[Finding]:
    facts = seen.wiring.studs.get(stud.id)
    here = {cable.id for cable in cables}
    looked = [name for name in (facts.stack if facts else ()) if name in here]
    if len(looked) < 2:
        return []
    right = right_stack(seen, cables)
    if [name for name in right if name in looked] == looked:
        return []
    return [
        Finding(
            "path.P36",
            "fix",
            f"The lugs on the {stud.name} are stacked out of order.",
            "The largest current belongs nearest the stud's face; through thin tabs it heats them.",
            "From the face: largest current first, sensor and sense rings on top.",
            f"path.{stud.id}",
            {"ops": [{"op": "set_stud", "stud": stud.id, "stack": right}]},
        )
    ]


def right_stack(seen: WiringAnalysis, cables: list[Cable]) -> list[str]:
    """Cable ids of a stud from its face up: largest current first, leads that carry none last.

    Args:
        seen: the drawing, solved and judged as one.
        cables: that end on the stud.
    """
    return [
        other.id
        for other in sorted(
            cables,
            key=lambda cable: (
                seen.is_thin(cable),
                -round(seen.worst_a(cable), 3),
                -(cable.mm2 or 0.0),
                cable.id,
            ),
        )
    ]


def stud_torque(seen: WiringAnalysis, stud_id: str) -> float | None:
    """Torque of a stud [N·m]: as stated, the shunt maker's, or the table's; None where none is known.

    Args:
        seen: the drawing, solved and judged as one.
        stud_id: of the stud.
    """
    facts = seen.wiring.studs.get(stud_id)
    if facts is not None and facts.torque_nm is not None:
        return facts.torque_nm
    stud = seen.studs[stud_id]
    shunt = seen.wiring.shunt
    if stud.place == "shunt" and shunt is not None and shunt.torque_nm is not None:
        return shunt.torque_nm
    return torque(stud.thread)


def _torque(seen: WiringAnalysis) -> list[Finding]:
    lacking = [
        stud
        for stud_id, stud in seen.studs.items()
        if seen.by_stud[stud_id]
        and stud.place in ("block", "shunt", "bar", "isolator")
        and stud_torque(seen, stud_id) is None
    ]
    if not lacking:
        return []
    names = ", ".join(stud.name for stud in lacking[:3]) + (
        f" and {len(lacking) - 3} more" if len(lacking) > 3 else ""
    )
    return [
        Finding(
            "path.P38",
            "advise",
            f"No torque is known for {len(lacking)} stud{'' if len(lacking) == 1 else 's'}: {names}.",
            "A loose stud is the commonest later fault, and one over-torqued shears.",
            "Take it from the maker's sheet and type it at the stud.",
            f"path.{lacking[0].id}",
        )
    ]


def _assumed(seen: WiringAnalysis) -> list[Finding]:
    unknown = [
        cable
        for cable in seen.wiring.cables
        if (cable.length_m is None or cable.mm2 is None) and not seen.is_thin(cable)
    ]
    if not unknown:
        return []
    return [
        Finding(
            "path.P45",
            "advise",
            f"{len(unknown)} of {len(seen.wiring.cables)} cables have no measured length or size; "
            "usual ones stand in.",
            "Drops, ampacity and partial shares rest on them.",
            "Press a cable and type what is printed on it.",
            "path.cables",
        )
    ]
