"""Cables and joints: ampacity, volts lost, lugs against studs, lugs a stud, torque; current in a hull."""

from __future__ import annotations

from collections.abc import Container

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis, possessive
from volnik.core.path.cases import device_drops
from volnik.core.path.edits import MOST_LUGS
from volnik.core.path.findings.mends import drop_remedy, sized_op
from volnik.core.path.network import without_joints
from volnik.core.path.sizing import choose_cable
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.studs import Stud
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import HOLE_CLASS, LBF_FT_PER_NM, hole_fits, torque

MOST_DROP = 0.03  # of nominal volts, out and back, for a device; source: trade practice
UNKNOWN_A = 15.0  # a cable of unknown size that carries more is asked about by name; source: estimate
# share in the hull above which it counts as working current; source: the rule is zero, this is arithmetic
# noise
HULL_A = 0.01  # working current in a hull eats metal; anything above a meter's noise counts


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P18, P19, P30, P48, P34 to P36, P38, P45.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    unread = _unread(analysis)
    return [
        *_ampacity(analysis),
        *_unsized(analysis, unread),
        *_drops(analysis, unread),
        *_hull(analysis),
        *_lugs(analysis),
        *_stacks(analysis),
        *_torque(analysis),
        *([] if unread else _assumed(analysis)),
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


def _titled(analysis: WiringAnalysis, cable: Cable) -> str:
    name = analysis.cable_name(cable)
    return name[0].upper() + name[1:]


def _unread(analysis: WiringAnalysis) -> dict[str, list[Cable]]:
    """The heavy cables nobody read the size of, those of one device together, by its id or the cable's."""
    unread: dict[str, list[Cable]] = {}
    for cable in analysis.wiring.cables:
        if analysis.carries_a(cable) is not None or analysis.is_link(cable):
            continue
        device = analysis.owner_of(cable)
        by_maker = device is not None and device.preset.is_starter_battery  # sized for the starter motor
        if analysis.heating_a(cable) > UNKNOWN_A and not by_maker:
            unread.setdefault(cable.id if device is None else device.id, []).append(cable)
    return unread


def _ampacity(analysis: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in analysis.wiring.cables:
        carries, worst = analysis.carries_a(cable), analysis.heating_a(cable)
        if carries is not None and worst > carries * 1.0001 and not analysis.is_thin(cable):
            found.append(_overloaded(analysis, cable, worst, carries))
    return found


def _overloaded(analysis: WiringAnalysis, cable: Cable, worst: float, carries: float) -> Finding:
    remedy = sized_op(analysis, cable, 0.0, load_a=worst)
    ops = remedy.get("ops")
    size = ops[0]["size"] if isinstance(ops, list) else ""
    hot = " in an engine space" if cable.engine_space else ""
    return Finding(
        "path.P18",
        "stop",
        f"{_titled(analysis, cable)}: {worst:.0f} A on {cable.size}, which carries {carries:.0f} A{hot}.",
        "An overloaded cable heats its insulation and its joints until one of them gives.",
        f"Take {size} or thicker." if size else "Use two cables in parallel, or share the load.",
        f"path.{cable.id}",
        remedy,
        (cable.id,),
    )


def _unsized(analysis: WiringAnalysis, unread: dict[str, list[Cable]]) -> list[Finding]:
    """One finding for all heavy cables nobody read: they are read in one go, from their jackets."""
    if not unread:
        return []
    groups = sorted(
        unread.values(),
        key=lambda cables: (_rests_on_presets(analysis, cables[0]), -_most_a(analysis, cables)),
    )
    rests = all(_rests_on_presets(analysis, cables[0]) for cables in groups)
    named = [_unread_words(analysis, cables) for cables in groups]
    message = f"Cable sizes to read: {', '.join(named)}."
    return [
        Finding(
            "path.P48",
            "advise" if rests else "fix",
            message,
            f"Whether they carry that, and what they lose, is not known.{_stand_in(analysis)}",
            _size_advice(analysis, groups),
            f"path.{groups[0][0].id}",
            about=tuple(cable.id for cables in groups for cable in cables),
        )
    ]


def _most_a(analysis: WiringAnalysis, cables: list[Cable]) -> float:
    return max(analysis.worst_a(cable) for cable in cables)


def _unread_words(analysis: WiringAnalysis, cables: list[Cable]) -> str:
    """What a circuit is called, and what it carries."""
    device = analysis.owner_of(cables[0])
    several = device is not None and len(cables) > 1
    name = f"{possessive(device.name)} cables" if device and several else analysis.cable_name(cables[0])
    return f"{name} ({_most_a(analysis, cables):.0f} A)"


def _size_advice(analysis: WiringAnalysis, groups: list[list[Cable]]) -> str:
    """What to do, with the size the heaviest would need."""
    heaviest = max(groups, key=lambda cables: _most_a(analysis, cables))
    fuses = [fuse.amps for cable in heaviest for fuse in cable.fuses]
    most_v = 0.01 * analysis.nominal_v
    need = max([_most_a(analysis, heaviest), *fuses])
    part = choose_cable(need, heaviest[0].length_m or 1.0, most_v, analysis.catalogue)
    if part is None:
        return "Read the size from the jacket."
    which = "" if len(groups) == 1 else " for the heaviest"
    return f"Read the size from the jacket, or take {part.size}{which}."


def _rests_on_presets(analysis: WiringAnalysis, cable: Cable) -> bool:
    """Whether what a device's own cable carries is only what its kind usually draws or gives."""
    device = analysis.owner_of(cable)
    return device is not None and not any(device.states(name) for name in ("current_a", "power_w", "most_a"))


def _drops(analysis: WiringAnalysis, unread: Container[str]) -> list[Finding]:
    """Devices that see too few volts, or chargers that stop short, at their running amps.

    What heavy cables of unknown size lose nobody can say; that they are unread is said already.
    """
    amps_of = {
        device.id: device.running_a if device.takes else device.gives_a
        for device in analysis.devices
        if analysis.is_on_bank(device) and device.figures["together"] is not False
        if device.id not in unread
    }
    drops = device_drops(analysis.closed, analysis.bank, amps_of, analysis.devices)
    most_v = MOST_DROP * analysis.nominal_v
    much = {device_id: amps_of[device_id] for device_id, lost_v in drops.items() if lost_v > most_v}
    if not much:
        return []
    # what only assumed joints lose is no reason to take out a cable
    copper = device_drops(without_joints(analysis.closed), analysis.bank, much, analysis.devices)
    return [
        _drop(
            analysis,
            device,
            copper[device.id] if copper[device.id] > most_v else drops[device.id],
            much[device.id],
            by_joints=copper[device.id] <= most_v,
        )
        for device in analysis.devices
        if device.id in much
    ]


def _drop(
    analysis: WiringAnalysis, device: ResolvedDevice, lost_v: float, amps: float, *, by_joints: bool
) -> Finding:
    measured = all(
        cable.length_m is not None and cable.mm2 is not None
        for pole in ("minus", "plus")
        for cable in analysis.by_stud.get(f"{device.id}.{pole}", [])
    )
    assumed = "" if measured else ", with lengths or sizes only assumed"
    if measured and by_joints:
        assumed = ", its joints taken at 0.1 mΩ each; measure before you change a cable"
    must = measured and not by_joints
    remedy = drop_remedy(analysis, device, lost_v, MOST_DROP * analysis.nominal_v) if must else {}
    ops = remedy.get("ops")
    size = ops[0]["size"] if isinstance(ops, list) else ""
    return Finding(
        "path.P19",
        "fix" if must else "advise",
        f"{device.name}: {lost_v:.2f} V ({100 * lost_v / analysis.nominal_v:.1f} %) are lost out and back "
        f"at {amps:.3g} A{assumed}.",
        "A charger then stops short of the battery's full volts."
        if device.gives
        else "It sees a flatter battery than there is, and cuts out early.",
        f"Take {size} for both its leads, or shorter cable." if size else "Take thicker or shorter cable.",
        f"path.{device.id}",
        remedy,
        (device.id,),
    )


def _hull(analysis: WiringAnalysis) -> list[Finding]:
    """Working current in a hull, told at the device that puts it in, else at the bond."""
    hulls = {bar.id for bar in analysis.wiring.bars if bar.kind == "hull"}
    cables = [cable for cable in analysis.wiring.cables if {cable.a, cable.b} & hulls]
    whole = max((device.running_a for device in analysis.devices), default=0.0)
    most_a = HULL_A * max(1.0, whole * 0.01)
    owned = [cable for cable in cables if analysis.owner_of(cable) is not None]
    found = []
    for cable in owned or cables:
        amps = _most_carried(analysis, cable)
        if amps > most_a:
            found.append(_current_in_hull(analysis, cable, amps, hulls, bonds=len(cables)))
    return found


def _most_carried(analysis: WiringAnalysis, cable: Cable) -> float:
    """Amps of a cable in whichever case loads it more [A]."""
    return max(abs(case.flow.amps[cable.id]) for case in (analysis.together, analysis.chargers))


def _current_in_hull(
    analysis: WiringAnalysis, cable: Cable, amps: float, hulls: set[str], *, bonds: int
) -> Finding:
    remedy: dict[str, object] = {}
    if analysis.owner_of(cable) is not None:
        end = "a" if cable.a in hulls else "b"
        remedy = {"ops": [{"op": "move_end", "cable": cable.id, "end": end, "to": analysis.rig_landing()}]}
    elif bonds == 2:
        remedy = {"ops": [{"op": "remove_cable", "cable": cable.id}]}
    return Finding(
        "path.P30",
        "stop",
        f"{amps:.3g} A of working current flow in the hull, by the {analysis.cable_name(cable)}.",
        "Current in a hull eats metal, even where it is fully counted.",
        "One bond only, to the rig side, sized by the code; every device has its own return. Never lift a "
        "bond while shore power is connected.",
        f"path.{cable.id}",
        remedy,
    )


def _lugs(analysis: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in analysis.wiring.cables:
        for end, lug in (("lug_a", cable.lug_a), ("lug_b", cable.lug_b)):
            stud = analysis.studs[cable.a if end == "lug_a" else cable.b]
            how = hole_fits(lug, stud.thread) if lug and stud.thread else ""
            if how:
                found.append(_wrong_lug(analysis, cable, end, stud, how))
    return found


def _wrong_lug(analysis: WiringAnalysis, cable: Cable, end: str, stud: Stud, how: str) -> Finding:
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
        "advise" if stud.is_assumed else "fix",
        f"{_titled(analysis, cable)}: a lug of {lug} {'does not go over' if small else 'is too wide for'} "
        f"the {stud.thread} stud, {stud.name}{', which nobody read' if stud.is_assumed else ''}.",
        "A lug is never drilled up: it loses the ring that carries the current."
        if small
        else "A hole too wide leaves a rim of contact; the joint heats.",
        f"Crimp a lug with a hole for {stud.thread}.",
        f"path.{cable.id}",
        _set_cable(cable, **lugs),
    )


def _stacks(analysis: WiringAnalysis) -> list[Finding]:
    found = []
    for stud_id, cables in analysis.by_stud.items():
        stud = analysis.studs[stud_id]
        if stud.place == "ground" or (
            stud.place == "bar" and analysis.bars[stud_id].kind in ("busbar", "fuse_block")
        ):
            continue
        if len(cables) > MOST_LUGS:
            found.append(_crowded(analysis, stud, cables))
        found += _out_of_order(analysis, stud, cables)
    return found


def _crowded(analysis: WiringAnalysis, stud: Stud, cables: list[Cable]) -> Finding:
    rank = sorted(cables, key=analysis.worst_a, reverse=True)
    loose = [cable for cable in rank if analysis.owner_of(cable) is not None and not analysis.is_link(cable)]
    movable = stud.pole == "plus" or stud.id == analysis.rig_stud
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


def _out_of_order(analysis: WiringAnalysis, stud: Stud, cables: list[Cable]) -> list[Finding]:
    facts = analysis.wiring.studs.get(stud.id)
    here = {cable.id for cable in cables}
    looked = [name for name in (facts.stack if facts else ()) if name in here]
    if len(looked) < 2:
        return []
    right = right_stack(analysis, cables)
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


def right_stack(analysis: WiringAnalysis, cables: list[Cable]) -> list[str]:
    """Cable ids of a stud from its face up: largest current first, leads that carry none last.

    Args:
        analysis: the drawing, solved and judged as one.
        cables: that end on the stud.
    """
    return [
        other.id
        for other in sorted(
            cables,
            key=lambda cable: (
                analysis.is_thin(cable),
                -round(analysis.worst_a(cable), 3),
                -(cable.mm2 or 0.0),
                cable.id,
            ),
        )
    ]


def stud_torque(analysis: WiringAnalysis, stud_id: str) -> float | None:
    """Torque of a stud [N·m]: as stated, the shunt maker's, or the table's; None where none is known.

    Args:
        analysis: the drawing, solved and judged as one.
        stud_id: of the stud.
    """
    facts = analysis.wiring.studs.get(stud_id)
    if facts is not None and facts.torque_nm is not None:
        return facts.torque_nm
    stud = analysis.studs[stud_id]
    shunt = analysis.wiring.shunt
    if stud.place == "shunt" and shunt is not None and shunt.torque_nm is not None:
        return shunt.torque_nm
    return torque(stud.thread)


def torque_words(analysis: WiringAnalysis, stud_id: str) -> str:
    """Torque of a stud in words, "" where none is known; ≈ and a word where its thread is only the usual one.

    Args:
        analysis: the drawing, solved and judged as one.
        stud_id: of the stud.
    """
    turn = stud_torque(analysis, stud_id)
    if turn is None:
        return ""
    facts, stud = analysis.wiring.studs.get(stud_id), analysis.studs[stud_id]
    said = f"{turn:g} N·m ({turn * LBF_FT_PER_NM:.0f} lbf·ft)"
    stated = facts is not None and facts.torque_nm is not None
    return said if stated or not stud.is_assumed else f"≈ {said}, if it is {stud.thread}: read the stud"


def _torque(analysis: WiringAnalysis) -> list[Finding]:
    lacking = [
        stud
        for stud_id, stud in analysis.studs.items()
        if analysis.by_stud[stud_id]
        and stud.place in ("block", "shunt", "bar", "isolator")
        and stud_torque(analysis, stud_id) is None
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


def _stand_in(analysis: WiringAnalysis) -> str:
    """How many cables are drawn with usual figures only, as a sentence with a space before it, or ""."""
    unknown = [
        cable
        for cable in analysis.wiring.cables
        if (cable.length_m is None or cable.mm2 is None) and not analysis.is_thin(cable)
    ]
    if not unknown:
        return ""
    return (
        f" {len(unknown)} of {len(analysis.wiring.cables)} cables have no measured length or size; "
        "usual ones are used."
    )


def _assumed(analysis: WiringAnalysis) -> list[Finding]:
    message = _stand_in(analysis).strip()
    if not message:
        return []
    return [
        Finding(
            "path.P45",
            "advise",
            message,
            "Drops, ampacity and partial shares rest on them.",
            "Press a cable and type what is printed on it.",
            "path.cables",
        )
    ]
