"""Fuses: main fuse, each positive, size against cable and load, volts and interrupting rating, lithium
strings.
"""

from __future__ import annotations

from collections import deque

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.sizing import FUSE_MARGIN, choose_cable, link_cable, main_fuse
from volnik.core.rig.wiring import Cable, other_end
from volnik.core.shelf.conductors import ENGINE_SPACE
from volnik.core.shelf.parts import Catalogue

NEAR_MM = 200.0  # main fuse within this of the post; source: trade practice, the local code comes first
LITHIUM_KA = 20.0  # short-circuit class of a lithium bank unless shown otherwise; source: trade practice
USUAL_A = (
    1,
    2,
    3,
    5,
    7.5,
    10,
    15,
    20,
    25,
    30,
    40,
    50,
    60,
    70,
    80,
    100,
    125,
    150,
    175,
    200,
    225,
    250,
    300,
    350,
    400,
    500,
    600,
)
VEHICLE_V = 32.0  # DC volts of common vehicle fuses


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P20 to P27, P43, P47."""
    return [*_main(seen), *_each(seen), *_breaking(seen), *_strings(seen), *_link(seen)]


def charge_top_v(seen: WiringAnalysis) -> float:
    """Highest volts the chargers bring the bank to [V]."""
    given = [device.number("absorption_v") for device in seen.devices if device.gives]
    return max([*given, seen.bank.cells * seen.chemistry.absorption_high_v])


def short_circuit_ka(seen: WiringAnalysis) -> float:
    """Short-circuit current of the bank [kA].

    The maker's, 20 kA for lithium, else the sum of V / R over the strings.
    """
    if seen.short_ka is not None:
        return seen.short_ka * seen.bank.parallel
    if not seen.chemistry.is_lead:
        return LITHIUM_KA
    ohms = [
        sum(seen.network.batteries[f"{chr(65 + p)}{s + 1}"][2] for s in range(seen.bank.series))
        for p in range(seen.bank.parallel)
    ]
    return sum(seen.nominal_v / ohm for ohm in ohms) / 1000.0


def fuse_before(seen: WiringAnalysis) -> dict[str, float]:
    """The smallest fuse between the bank and each stud of its positive side [A]; inf where there is none."""
    smallest = dict.fromkeys(seen.top_posts, float("inf"))
    waiting = deque(seen.top_posts)
    while waiting:
        stud = waiting.popleft()
        steps = [
            (other_end(cable, stud), cable.fuse.amps if cable.fuse else float("inf"))
            for cable in seen.by_stud[stud]
            if not seen.is_thin(cable)
        ]
        here = seen.studs[stud]
        if here.place == "isolator":
            steps.append((f"{here.owner}.{'b' if stud.endswith('.a') else 'a'}", float("inf")))
        for following, amps in steps:
            if seen.studs[following].pole != "plus" or (
                seen.studs[following].place == "block" and following not in seen.top_posts
            ):
                continue
            value = min(smallest[stud], amps)
            # the weaker way counts: what reaches a stud unfused by any way is unfused
            if following not in smallest or value > smallest[following]:
                smallest[following] = value
                waiting.append(following)
    return smallest


def _fuse_op(cable: Cable, amps: float, seen: WiringAnalysis) -> dict[str, object]:
    return {
        "ops": [
            {
                "op": "set_fuse",
                "cable": cable.id,
                "fuse": {
                    "amps": amps,
                    "volts": cable.fuse.volts if cable.fuse else None,
                    "breaks_ka": cable.fuse.breaks_ka if cable.fuse else None,
                    "from_post_mm": cable.fuse.from_post_mm if cable.fuse else None,
                },
            }
        ]
    }


def fitting_fuse(load_a: float, carries_a: float | None) -> float | None:
    """The smallest usual fuse of at least 1.25 x the load that the cable can stand [A], or None."""
    for amps in USUAL_A:
        if amps >= FUSE_MARGIN * load_a and (carries_a is None or amps <= carries_a):
            return float(amps)
    return None


def _thicker(cable: Cable, load_a: float, catalogue: Catalogue) -> dict[str, object]:
    """A cable that stands the fuse its load needs, and that fuse."""
    amps = fitting_fuse(load_a, None)
    if amps is None:
        return {}
    need = amps / (ENGINE_SPACE if cable.engine_space else 1.0)
    part = choose_cable(need, cable.length_m or 1.0, 99.0, catalogue, awg=cable.size.endswith("AWG"))
    if part is None:
        return {}
    sized = {
        "op": "set_cable",
        "cable": cable.id,
        "length_m": cable.length_m,
        "size": part.size,
        "lug_a": "",
        "lug_b": "",
        "engine_space": cable.engine_space,
    }
    fused = cable.fuse.changed(amps=amps).model_dump() if cable.fuse else {"amps": amps}
    return {"ops": [sized, {"op": "set_fuse", "cable": cable.id, "fuse": fused}]}


def _leaving(seen: WiringAnalysis) -> list[Cable]:
    top = set(seen.top_posts)
    return [
        cable
        for cable in seen.wiring.cables
        if {cable.a, cable.b} & top and not seen.is_link(cable) and not seen.is_thin(cable)
    ]


def _main(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for cable in _leaving(seen):
        device = seen.device(cable.a.split(".")[0])
        if device is not None and (
            "bursts" in device.preset.traits
            or device.preset.is_battery
            or not cable.a.endswith((".plus", ".far"))
        ):
            continue
        if device is not None:
            continue  # told by _each as that device's own
        if cable.fuse is None:
            load = seen.worst_a(cable)
            amps = fitting_fuse(load, seen.carries_a(cable))
            found.append(
                Finding(
                    "path.P22",
                    "stop",
                    f"No main fuse: the {seen.cable_name(cable)} leaves the bank's plus unfused.",
                    "A chafe anywhere along it is a short across the whole bank.",
                    "Fit the main fuse within 200 mm of the post.",
                    f"path.{cable.id}",
                    {
                        "ops": [
                            {"op": "set_fuse", "cable": cable.id, "fuse": {"amps": amps, "from_post_mm": 150}}
                        ]
                    }
                    if amps
                    else {},
                )
            )
        elif cable.fuse.from_post_mm is not None and cable.fuse.from_post_mm > NEAR_MM:
            found.append(
                Finding(
                    "path.P23",
                    "fix",
                    f"The main fuse sits {cable.fuse.from_post_mm:.0f} mm from the post.",
                    "The cable before it is guarded by nothing.",
                    "Bring it within 200 mm (cranking leads excepted where the local code allows).",
                    f"path.{cable.id}",
                )
            )
    return found


def _each(seen: WiringAnalysis) -> list[Finding]:
    found = []
    before = fuse_before(seen)
    for cable in seen.wiring.cables:
        if (
            seen.is_thin(cable)
            or seen.is_link(cable)
            or "plus" not in (seen.studs[cable.a].pole, seen.studs[cable.b].pole)
        ):
            continue
        feed = cable.b if cable.b in before else cable.a
        if feed not in before:
            continue  # on another battery
        device = seen.device(cable.a.split(".")[0])
        name = device.device.name if device is not None else f"The {seen.cable_name(cable)}"
        load, carries = seen.worst_a(cable), seen.carries_a(cable)
        guard = min(before[feed], cable.fuse.amps if cable.fuse else float("inf"))
        cranks = device is not None and "bursts" in device.preset.traits
        if guard == float("inf"):
            if device is None or cranks or device.preset.is_battery:
                continue
            amps = fitting_fuse(load, carries) or fitting_fuse(load, None) or device.preset.fuse_a
            found.append(
                Finding(
                    "path.P27",
                    "stop",
                    f"{name}: its positive has no fuse between it and the bank.",
                    "A chafed lead is then fed by the whole bank.",
                    "Fuse it where it leaves the bank or busbar.",
                    f"path.{cable.id}",
                    _fuse_op(cable, amps, seen) if amps else {},
                )
            )
        elif carries is not None and guard > carries * 1.0001:
            amps = fitting_fuse(load, carries)
            mend = _fuse_op(cable, amps, seen) if amps else _thicker(cable, load, seen.catalogue)
            found.append(
                Finding(
                    "path.P20",
                    "stop",
                    f"{name}: {cable.size} carries {carries:.0f} A, and the fuse before it lets "
                    f"{guard:g} A pass.",
                    "The fuse must blow before the cable burns.",
                    "Fit a smaller fuse at the feeding end, or thicker cable.",
                    f"path.{cable.id}",
                    mend,
                )
            )
        if cable.fuse is not None and cable.fuse.amps < FUSE_MARGIN * load * 0.9999 and not cranks:
            amps = fitting_fuse(load, carries)
            found.append(
                Finding(
                    "path.P21",
                    "fix",
                    f"{name}: a fuse of {cable.fuse.amps:g} A for {load:.0f} A continuously; 1.25 × "
                    f"the load is {FUSE_MARGIN * load:.0f} A.",
                    "It ages and opens in the middle of the work, and takes the supply with it.",
                    "Fit one of at least 1.25 × the continuous load that the cable can stand.",
                    f"path.{cable.id}",
                    _fuse_op(cable, amps, seen) if amps else _thicker(cable, load, seen.catalogue),
                )
            )
    return found


def _breaking(seen: WiringAnalysis) -> list[Finding]:
    found = []
    top_v, short = charge_top_v(seen), short_circuit_ka(seen)
    unknown, unread = 0, []
    near = {cable.id for cable in _leaving(seen)}
    for cable in seen.wiring.cables:
        fuse = cable.fuse
        if fuse is None or seen.is_thin(cable):
            continue
        name = seen.cable_name(cable)
        if fuse.volts is not None and fuse.volts < top_v:
            found.append(
                Finding(
                    "path.P24",
                    "stop",
                    f"The {fuse.amps:g} A fuse of the {name} breaks {fuse.volts:g} V DC; the bank is "
                    f"charged to {top_v:.1f} V.",
                    "Above its volts a fuse draws an arc that it cannot put out.",
                    "Fit one of enough DC volts; 32 V vehicle fuses never stand on 48 V.",
                    f"path.{cable.id}",
                )
            )
        elif fuse.volts is None and top_v > VEHICLE_V:
            unknown += 1
        if fuse.breaks_ka is not None and fuse.breaks_ka < short and cable.id in near:
            found.append(
                Finding(
                    "path.P25",
                    "stop",
                    f"The {fuse.amps:g} A fuse of the {name} interrupts {fuse.breaks_ka:g} kA; the "
                    f"bank can drive {short:.1f} kA into a short.",
                    "It bursts, or welds itself shut.",
                    "Fit a fuse of a higher interrupting class at the post.",
                    f"path.{cable.id}",
                )
            )
        elif fuse.breaks_ka is None and cable.id in near and (not seen.chemistry.is_lead or short > 2.0):
            unread.append(name)
    if unread:
        message = unread[0] if len(unread) == 1 else f"{len(unread)} cables at the post"
        found.append(
            Finding(
                "path.P47",
                "advise",
                (
                    f"The interrupting rating of the fuse of the {message} is not known; a short here "
                    f"reaches {short:.1f} kA."
                )
                if len(unread) == 1
                else (
                    f"The interrupting ratings of the fuses of {message} are not known; a short here "
                    f"reaches {short:.1f} kA."
                ),
                "Common bolt-down fuses break only 2 to 6 kA.",
                "Read it from the fuse and type it at the cable.",
                "path.fuses",
            )
        )
    if unknown:
        found.append(
            Finding(
                "path.P24",
                "fix",
                f"{unknown} fuse{'' if unknown == 1 else 's'} of unknown volts on a bank charged to "
                f"{top_v:.1f} V.",
                "Common vehicle fuses break 32 V; above that they arc.",
                "Read the DC volts from each fuse and type them at its cable.",
                "path.fuses",
            )
        )
    return found


def _strings(seen: WiringAnalysis) -> list[Finding]:
    if seen.chemistry.is_lead or seen.bank.parallel < 2:
        return []
    pairs = [
        (cable.a, cable.b)
        for cable in seen.wiring.cables
        if cable.fuse is None
        and not seen.is_thin(cable)
        and seen.studs[cable.a].pole == seen.studs[cable.b].pole == "plus"
    ]
    parts = connected(seen.studs, pairs)
    homes = [parts[post] for post in seen.top_posts]
    if len(set(homes)) == len(homes):
        return []
    links = [
        cable
        for cable in seen.wiring.cables
        if cable.fuse is None and {cable.a, cable.b} <= set(seen.top_posts)
    ]
    carries = [seen.carries_a(cable) for cable in links]
    amps = next((a for a in (200.0, 150.0, 125.0, 100.0) if all(c is None or a <= c for c in carries)), 100.0)
    return [
        Finding(
            "path.P26",
            "stop",
            f"{len(homes)} lithium strings stand side by side without a fuse each.",
            "A string that fails is fed by all the others, with nothing to stop it.",
            "Give each string its own fuse before they join.",
            "path.bank",
            {"ops": [{"op": "set_fuse", "cable": cable.id, "fuse": {"amps": amps}} for cable in links]}
            if links
            else {},
        )
    ]


def _link(seen: WiringAnalysis) -> list[Finding]:
    cable, fuse = link_cable(seen), main_fuse(seen)
    if cable is None or fuse is None:
        return []
    carries = seen.carries_a(cable)
    if carries is None or carries >= fuse:
        return []
    return [
        Finding(
            "path.P43",
            "fix",
            f"The shunt's link, {cable.size}, carries {carries:.0f} A; the main fuse lets {fuse:g} A pass.",
            "All return current crosses this one cable; it must stand what the fuse lets through.",
            "Take a thicker link, or a smaller main fuse.",
            f"path.{cable.id}",
            {"size_link": True},
        )
    ]
