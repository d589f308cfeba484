"""Cables and joints: ampacity, volts lost, lugs against studs, lugs a stud, torque; current in a hull."""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import device_drops
from volnik.core.path.edits import MOST_LUGS
from volnik.core.path.sizing import choose_cable
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import HOLE_CLASS, hole_fits, torque

MOST_DROP = 0.03  # of nominal volts, out and back, for a device; source: trade practice
UNKNOWN_A = 15.0  # a cable of unknown size that carries more is asked about by name; source: estimate
# share in the hull above which it counts as working current; source: the rule is zero, this is arithmetic
# noise
HULL_A = 0.01


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P18, P19, P30, P48, P34 to P36, P38, P45."""
    return [
        *_ampacity(seen),
        *_drops(seen),
        *_hull(seen),
        *_lugs(seen),
        *_stacks(seen),
        *_torque(seen),
        *_assumed(seen),
    ]


def _resize(cable: Cable, size: str) -> dict[str, object]:
    return {
        "ops": [
            {
                "op": "set_cable",
                "cable": cable.id,
                "length_m": cable.length_m,
                "size": size,
                "lug_a": "",
                "lug_b": "",
                "engine_space": cable.engine_space,
            }
        ]
    }


def _ampacity(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.wiring.cables:
        carries, worst = seen.carries_a(cable), seen.worst_a(cable)
        if carries is None and worst > UNKNOWN_A and not seen.is_link(cable):
            found.append(_unsized(seen, cable, worst))
        if carries is None or worst <= carries * 1.0001 or seen.is_thin(cable):
            continue
        awg = cable.size.endswith("AWG")
        part = choose_cable(
            worst / (0.85 if cable.engine_space else 1.0),
            cable.length_m or 1.0,
            99.0,
            seen.catalogue,
            awg=awg,
        )
        name = seen.cable_name(cable)
        found.append(
            Finding(
                "path.P18",
                "stop",
                f"{name[0].upper()}{name[1:]}: {worst:.0f} A on {cable.size}, which carries "
                f"{carries:.0f} A{' in an engine space' if cable.engine_space else ''}.",
                "An overloaded cable heats its insulation and its joints until one of them gives.",
                f"Take {part.size} or thicker."
                if part
                else "Use two cables side by side, or share the load.",
                f"path.{cable.id}",
                _resize(cable, part.size) if part else {},
            )
        )
    return found


def _unsized(seen: WiringAnalysis, cable: Cable, worst: float) -> Finding:
    fuse = cable.fuse.amps if cable.fuse else 0.0
    part = choose_cable(max(worst, fuse), cable.length_m or 1.0, 0.01 * seen.nominal_v, seen.catalogue)
    name = seen.cable_name(cable)
    return Finding(
        "path.P48",
        "fix",
        f"{name[0].upper()}{name[1:]} carries {worst:.0f} A and its size is not known.",
        "Nobody can say whether it stands that, or what it loses.",
        f"Read the size from its jacket, or take {part.size}." if part else "Read the size from its jacket.",
        f"path.{cable.id}",
        _resize(cable, part.size) if part else {},
    )


def _drops(seen: WiringAnalysis) -> list[Finding]:
    found = []
    amps_of = {
        device.id: device.running_a if device.takes else device.gives_a
        for device in seen.devices
        if device.id in seen.shares
        and seen.shares[device.id].expected == 1.0
        and device.figures["together"] is not False
    }
    drops = device_drops(seen.network, seen.bank, amps_of, seen.devices)
    for device in seen.devices:
        lost, amps = drops.get(device.id, 0.0), amps_of.get(device.id, 0.0)
        if lost > MOST_DROP * seen.nominal_v:
            measured = all(
                cable.length_m is not None and cable.mm2 is not None
                for end in ("minus", "plus")
                for cable in seen.by_stud.get(f"{device.id}.{end}", [])
            )
            found.append(
                Finding(
                    "path.P19",
                    "fix" if measured else "advise",
                    f"{device.device.name}: {lost:.2f} V ({100 * lost / seen.nominal_v:.1f} %) are lost "
                    f"out and back at {amps:.3g} "
                    f"A{'' if measured else ', with lengths or sizes only assumed'}.",
                    "A charger then stops short of the bank's full volts."
                    if device.gives
                    else "It sees a flatter bank than there is, and cuts out early.",
                    "Take thicker or shorter cable.",
                    f"path.{device.id}",
                )
            )
    return found


def _hull(seen: WiringAnalysis) -> list[Finding]:
    hulls = {bar.id: bar for bar in seen.wiring.bars if bar.kind == "hull"}
    if not hulls:
        return []
    found = []
    cables = [cable for cable in seen.wiring.cables if {cable.a, cable.b} & set(hulls)]
    currents = {
        cable.id: max(abs(seen.together.flow.amps[cable.id]), abs(seen.chargers.flow.amps[cable.id]))
        for cable in cables
    }
    whole = max((device.running_a for device in seen.devices), default=0.0)
    for cable in cables:
        if currents[cable.id] > HULL_A * max(1.0, whole * 0.01):
            end = "a" if cable.a in hulls else "b"
            device = seen.device(cable.a.split(".")[0])
            others = [other for other in cables if other.id != cable.id]
            mend: dict[str, object] = {}
            if device is not None:
                mend = {"ops": [{"op": "move_end", "cable": cable.id, "end": end, "to": seen.rig_landing()}]}
            elif len(others) == 1 and seen.device(others[0].a.split(".")[0]) is None:
                mend = {"ops": [{"op": "remove_cable", "cable": cable.id}]}
            if device is None and any(seen.device(cable.a.split(".")[0]) is not None for cable in others):
                continue  # the bond carries what a device put in: told at the device
            found.append(
                Finding(
                    "path.P30",
                    "stop",
                    f"{currents[cable.id]:.3g} A of working current flow in the hull, by the "
                    f"{seen.cable_name(cable)}.",
                    "Current in a hull eats metal, even where it is fully counted.",
                    "One bond only, to the rig side, sized by the code; every device has its own "
                    "return. Never lift a bond while shore power is connected.",
                    f"path.{cable.id}",
                    mend,
                )
            )
    return found


def _lugs(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in seen.wiring.cables:
        for end, lug in (("a", cable.lug_a), ("b", cable.lug_b)):
            stud = seen.studs[getattr(cable, end)]
            if not lug or not stud.thread:
                continue
            how = hole_fits(lug, stud.thread)
            if not how:
                continue
            name = seen.cable_name(cable)
            metric = not lug.endswith("in")
            right = next(
                (
                    hole
                    for hole, kind in HOLE_CLASS.items()
                    if kind == HOLE_CLASS[stud.thread] and hole.startswith("M") == metric
                ),
                stud.thread,
            )
            found.append(
                Finding(
                    "path.P34",
                    "fix",
                    f"{name[0].upper()}{name[1:]}: a lug of {lug} "
                    f"{'does not go over' if how == 'small' else 'is too wide for'} the "
                    f"{stud.thread} stud, {stud.name}.",
                    "A lug is never drilled up: it loses the ring that carries the current."
                    if how == "small"
                    else "A hole too wide leaves a rim of contact; the joint heats.",
                    f"Crimp a lug with a hole for {stud.thread}.",
                    f"path.{cable.id}",
                    {
                        "ops": [
                            {
                                "op": "set_cable",
                                "cable": cable.id,
                                "length_m": cable.length_m,
                                "size": cable.size,
                                "engine_space": cable.engine_space,
                                "lug_a": right if end == "a" else cable.lug_a,
                                "lug_b": right if end == "b" else cable.lug_b,
                            }
                        ]
                    },
                )
            )
    return found


def _stacks(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for stud_id, cables in seen.by_stud.items():
        stud = seen.studs[stud_id]
        if stud.place == "ground" or (stud.place == "bar" and seen.bars[stud_id].kind == "busbar"):
            continue
        if len(cables) > MOST_LUGS:
            rank = sorted(cables, key=seen.worst_a, reverse=True)
            loose = [
                cable
                for cable in rank
                if not seen.is_link(cable)
                and not seen.is_thin(cable)
                and seen.device(cable.a.split(".")[0]) is not None
            ]
            keep = MOST_LUGS - 1
            moving = (
                loose[-max(0, len(cables) - keep) :]
                if stud.pole == "plus" or stud_id == seen.rig_stud
                else []
            )
            mend: dict[str, object] = {}
            if moving:
                mend = {
                    "ops": [
                        {
                            "op": "add_bar",
                            "kind": "busbar",
                            "pole": stud.pole,
                            "feed": stud_id,
                            "take": [cable.id for cable in moving],
                        }
                    ]
                }
            found.append(
                Finding(
                    "path.P35",
                    "fix",
                    f"{len(cables)} lugs on the {stud.name}.",
                    "Beyond four the stack clamps poorly: the outer ones work loose and heat.",
                    "Lead one cable to a busbar or junction stud and the others there.",
                    f"path.{stud_id}",
                    mend,
                )
            )
        facts = seen.wiring.studs.get(stud_id)
        looked = [
            name for name in (facts.stack if facts else ()) if any(cable.id == name for cable in cables)
        ]
        right = right_stack(seen, cables) if len(looked) > 1 else []
        if [name for name in right if name in looked] != looked and len(looked) > 1:
            found.append(
                Finding(
                    "path.P36",
                    "fix",
                    f"The lugs on the {stud.name} are stacked out of order.",
                    "The largest current belongs nearest the stud's face; through thin tabs it heats them.",
                    "From the face: largest current first, sensor and sense rings on top.",
                    f"path.{stud_id}",
                    {"ops": [{"op": "set_stud", "stud": stud_id, "stack": right}]},
                )
            )
    return found


def right_stack(seen: WiringAnalysis, cables: list[Cable]) -> list[str]:
    """Cable ids of a stud from its face up: largest current first, leads that carry none last."""
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
    """Torque of a stud [N·m]: as stated, the shunt maker's, or the table's; None where none is known."""
    facts = seen.wiring.studs.get(stud_id)
    if facts is not None and facts.torque_nm is not None:
        return facts.torque_nm
    if (
        stud_id.startswith("shunt.")
        and seen.wiring.shunt is not None
        and seen.wiring.shunt.torque_nm is not None
    ):
        return seen.wiring.shunt.torque_nm
    return torque(seen.studs[stud_id].thread)


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
