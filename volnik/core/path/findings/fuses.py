"""Fuses: main fuse, each positive, size against cable and load, volts and interrupting rating, lithium
strings.
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.sizing import FUSE_MARGIN, choose_cable, link_cable, main_fuse
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.wiring import Cable, Fuse, other_end
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
COMMON_KA = 2.0  # what the weakest bolt-down fuses interrupt; source: trade practice
STRING_FUSES_A = (200.0, 150.0, 125.0, 100.0)  # sizes sold with high interrupting ratings, large first
VEHICLE_V = 32.0  # DC volts of common vehicle fuses


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P20 to P27, P43, P47.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    return [*_main(analysis), *_each(analysis), *_breaking(analysis), *_strings(analysis), *_link(analysis)]


def charge_top_v(analysis: WiringAnalysis) -> float:
    """Highest volts the chargers bring the bank to [V].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    given = [device.number("absorption_v") for device in analysis.devices if device.gives]
    return max([*given, analysis.bank.cells * analysis.chemistry.absorption_high_v])


def short_circuit_ka(analysis: WiringAnalysis) -> float:
    """Short-circuit current of the bank [kA].

    The maker's, 20 kA for lithium, else the sum of V / R over the strings.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if analysis.short_ka is not None:
        return analysis.short_ka * analysis.bank.parallel
    if not analysis.chemistry.is_lead:
        return LITHIUM_KA
    ohms = [
        sum(analysis.network.batteries[f"{chr(65 + p)}{s + 1}"][2] for s in range(analysis.bank.series))
        for p in range(analysis.bank.parallel)
    ]
    return sum(analysis.nominal_v / ohm for ohm in ohms) / 1000.0


def fuse_before(analysis: WiringAnalysis) -> dict[StudRef, float]:
    """The smallest fuse between the bank and each stud of its positive side [A]; inf where there is none.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    smallest = dict.fromkeys(analysis.top_posts, math.inf)
    waiting = deque(analysis.top_posts)
    while waiting:
        stud = waiting.popleft()
        for following, amps in _onward(analysis, stud):
            value = min(smallest[stud], amps)
            # the weaker way counts: what reaches a stud unfused by any way is unfused
            if following not in smallest or value > smallest[following]:
                smallest[following] = value
                waiting.append(following)
    return smallest


def _onward(analysis: WiringAnalysis, stud: StudRef) -> list[tuple[StudRef, float]]:
    """Positive studs next to one, each with the fuse on the way [A].

    A string is not entered from its middle.
    """
    steps = [
        (other_end(cable, stud), cable.fuse.amps if cable.fuse else math.inf)
        for cable in analysis.by_stud[stud]
        if not analysis.is_thin(cable)
    ]
    if analysis.studs[stud].place == "isolator":
        steps.append((stud.across, math.inf))
    return [
        (end, amps)
        for end, amps in steps
        if analysis.studs[end].pole == "plus" and not _inside(analysis, end)
    ]


def _inside(analysis: WiringAnalysis, stud: StudRef) -> bool:
    return analysis.studs[stud].place == "block" and stud not in analysis.top_posts


def _fuse_op(cable: Cable, amps: float) -> dict[str, object]:
    known = (
        cable.fuse.model_dump() if cable.fuse else {"volts": None, "breaks_ka": None, "from_post_mm": None}
    )
    return {"ops": [{"op": "set_fuse", "cable": cable.id, "fuse": {**known, "amps": amps}}]}


def fitting_fuse(load_a: float, carries_a: float | None) -> float | None:
    """The smallest usual fuse of at least 1.25 x the load that the cable can stand [A], or None.

    Args:
        load_a: what it must carry [A].
        carries_a: what the cable can stand, None where its size is not known [A].
    """
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


def _leaving(analysis: WiringAnalysis) -> list[Cable]:
    top = set(analysis.top_posts)
    return [
        cable
        for cable in analysis.wiring.cables
        if {cable.a, cable.b} & top and not analysis.is_link(cable) and not analysis.is_thin(cable)
    ]


def _main(analysis: WiringAnalysis) -> list[Finding]:
    """Of each positive that leaves the bank and is no device's own: that it is fused, and near the post."""
    found = []
    for cable in _leaving(analysis):
        if analysis.owner_of(cable) is not None:
            continue  # told by _each as that device's own
        if cable.fuse is None:
            found.append(_no_main_fuse(analysis, cable))
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


def _no_main_fuse(analysis: WiringAnalysis, cable: Cable) -> Finding:
    amps = fitting_fuse(analysis.worst_a(cable), analysis.carries_a(cable))
    op = {"op": "set_fuse", "cable": cable.id, "fuse": {"amps": amps, "from_post_mm": 150}}
    return Finding(
        "path.P22",
        "stop",
        f"No main fuse: the {analysis.cable_name(cable)} leaves the bank's plus unfused.",
        "A chafe anywhere along it is a short across the whole bank.",
        "Fit the main fuse within 200 mm of the post.",
        f"path.{cable.id}",
        {"ops": [op]} if amps else {},
    )


@dataclass(frozen=True, slots=True)
class _Guarded:
    """A positive of the bank with what guards it.

    Attributes:
        cable, device: the cable, and the device whose own it is, or None.
        name: what to call it.
        load_a: what it carries at the worst [A].
        carries_a: what it may carry [A], None while its size is not known.
        guard_a: the largest current that opens no fuse before or in it [A], inf without one.
    """

    cable: Cable
    device: ResolvedDevice | None
    name: str
    load_a: float
    carries_a: float | None
    guard_a: float

    @property
    def bursts(self) -> bool:
        """Whether its device draws heavy amps for seconds."""
        return self.device is not None and "bursts" in self.device.preset.traits


def _guarded(analysis: WiringAnalysis) -> Iterator[_Guarded]:
    """The positives that the bank feeds, links between blocks and thin leads excepted."""
    before = fuse_before(analysis)
    for cable in analysis.wiring.cables:
        if analysis.is_thin(cable) or analysis.is_link(cable):
            continue
        feed = cable.b if cable.b in before else cable.a
        if feed not in before or "plus" not in (analysis.studs[cable.a].pole, analysis.studs[cable.b].pole):
            continue  # on another battery, or no positive
        device = analysis.owner_of(cable)
        name = device.name if device is not None else f"The {analysis.cable_name(cable)}"
        guard = min(before[feed], cable.fuse.amps if cable.fuse else math.inf)
        yield _Guarded(cable, device, name, analysis.worst_a(cable), analysis.carries_a(cable), guard)


def _each(analysis: WiringAnalysis) -> list[Finding]:
    found = []
    for guarded in _guarded(analysis):
        if guarded.guard_a == math.inf:
            found += _unfused(analysis, guarded)
        elif guarded.carries_a is not None and guarded.guard_a > guarded.carries_a * 1.0001:
            found.append(_fuse_too_large(analysis, guarded, guarded.carries_a))
        found += _fuse_too_small(analysis, guarded)
    return found


def _unfused(analysis: WiringAnalysis, guarded: _Guarded) -> list[Finding]:
    device, cable = guarded.device, guarded.cable
    if device is None or guarded.bursts or device.preset.is_battery:
        return []
    load = guarded.load_a
    amps = fitting_fuse(load, guarded.carries_a) or fitting_fuse(load, None) or device.preset.fuse_a
    return [
        Finding(
            "path.P27",
            "stop",
            f"{guarded.name}: its positive has no fuse between it and the bank.",
            "A chafed lead is then fed by the whole bank.",
            "Fuse it where it leaves the bank or busbar.",
            f"path.{cable.id}",
            _fuse_op(cable, amps) if amps else {},
        )
    ]


def _fuse_remedy(analysis: WiringAnalysis, guarded: _Guarded) -> dict[str, object]:
    """A fuse that suits load and cable, or else a thicker cable with the fuse its load needs."""
    amps = fitting_fuse(guarded.load_a, guarded.carries_a)
    return (
        _fuse_op(guarded.cable, amps) if amps else _thicker(guarded.cable, guarded.load_a, analysis.catalogue)
    )


def _fuse_too_large(analysis: WiringAnalysis, guarded: _Guarded, carries_a: float) -> Finding:
    return Finding(
        "path.P20",
        "stop",
        f"{guarded.name}: {guarded.cable.size} carries {carries_a:.0f} A, and the fuse before it lets "
        f"{guarded.guard_a:g} A pass.",
        "The fuse must blow before the cable burns.",
        "Fit a smaller fuse at the feeding end, or thicker cable.",
        f"path.{guarded.cable.id}",
        _fuse_remedy(analysis, guarded),
    )


def _fuse_too_small(analysis: WiringAnalysis, guarded: _Guarded) -> list[Finding]:
    fuse, load = guarded.cable.fuse, guarded.load_a
    if fuse is None or guarded.bursts or fuse.amps >= FUSE_MARGIN * load * 0.9999:
        return []
    return [
        Finding(
            "path.P21",
            "fix",
            f"{guarded.name}: a fuse of {fuse.amps:g} A for {load:.0f} A continuously; 1.25 × "
            f"the load is {FUSE_MARGIN * load:.0f} A.",
            "It ages and opens in the middle of the work, and takes the supply with it.",
            "Fit one of at least 1.25 × the continuous load that the cable can stand.",
            f"path.{guarded.cable.id}",
            _fuse_remedy(analysis, guarded),
        )
    ]


def _breaking(analysis: WiringAnalysis) -> list[Finding]:
    """Fuses held against the volts they must break and the current a short drives."""
    top_v, short_ka = charge_top_v(analysis), short_circuit_ka(analysis)
    # Only what leaves the bank meets all of its short: what lies behind is guarded by that first fuse.
    near = {cable.id for cable in _leaving(analysis)}
    found, unread, unknown = [], [], 0
    for cable, fuse in _fused(analysis):
        if fuse.volts is not None and fuse.volts < top_v:
            found.append(_too_few_volts(analysis, cable, fuse, top_v))
        elif fuse.volts is None and top_v > VEHICLE_V:
            unknown += 1
        if cable.id not in near:
            continue
        if fuse.breaks_ka is not None and fuse.breaks_ka < short_ka:
            found.append(_breaks_too_little(analysis, cable, fuse, short_ka))
        elif fuse.breaks_ka is None and (not analysis.chemistry.is_lead or short_ka > COMMON_KA):
            unread.append(analysis.cable_name(cable))
    return found + _unread_ratings(unread, short_ka) + _unread_volts(unknown, top_v)


def _fused(analysis: WiringAnalysis) -> list[tuple[Cable, Fuse]]:
    """The cables that carry a load and have a fuse, with it."""
    return [
        (cable, cable.fuse)
        for cable in analysis.wiring.cables
        if cable.fuse is not None and not analysis.is_thin(cable)
    ]


def _too_few_volts(analysis: WiringAnalysis, cable: Cable, fuse: Fuse, top_v: float) -> Finding:
    return Finding(
        "path.P24",
        "stop",
        f"The {fuse.amps:g} A fuse of the {analysis.cable_name(cable)} breaks {fuse.volts:g} V DC; "
        f"the bank is charged to {top_v:.1f} V.",
        "Above its volts a fuse draws an arc that it cannot put out.",
        "Fit one of enough DC volts; 32 V vehicle fuses never stand on 48 V.",
        f"path.{cable.id}",
    )


def _breaks_too_little(analysis: WiringAnalysis, cable: Cable, fuse: Fuse, short_ka: float) -> Finding:
    return Finding(
        "path.P25",
        "stop",
        f"The {fuse.amps:g} A fuse of the {analysis.cable_name(cable)} interrupts {fuse.breaks_ka:g} kA; the "
        f"bank can drive {short_ka:.1f} kA into a short.",
        "It bursts, or welds itself shut.",
        "Fit a fuse of a higher interrupting class at the post.",
        f"path.{cable.id}",
    )


def _unread_ratings(unread: list[str], short_ka: float) -> list[Finding]:
    if not unread:
        return []
    several = len(unread) > 1
    what = (
        f"The interrupting ratings of the fuses of {len(unread)} cables at the post are not known"
        if several
        else f"The interrupting rating of the fuse of the {unread[0]} is not known"
    )
    return [
        Finding(
            "path.P47",
            "advise",
            f"{what}; a short here reaches {short_ka:.1f} kA.",
            "Common bolt-down fuses break only 2 to 6 kA.",
            "Read it from the fuse and type it at the cable.",
            "path.fuses",
        )
    ]


def _unread_volts(count: int, top_v: float) -> list[Finding]:
    if not count:
        return []
    return [
        Finding(
            "path.P24",
            "fix",
            f"{count} fuse{'' if count == 1 else 's'} of unknown volts on a bank charged to {top_v:.1f} V.",
            "Common vehicle fuses break 32 V; above that they arc.",
            "Read the DC volts from each fuse and type them at its cable.",
            "path.fuses",
        )
    ]


def _is_positive(analysis: WiringAnalysis, cable: Cable) -> bool:
    return analysis.studs[cable.a].pole == analysis.studs[cable.b].pole == "plus"


def _strings(analysis: WiringAnalysis) -> list[Finding]:
    """Lithium strings that stand side by side with nothing between them."""
    if analysis.chemistry.is_lead or analysis.bank.parallel < 2:
        return []
    unfused = [
        cable for cable in analysis.wiring.cables if cable.fuse is None and not analysis.is_thin(cable)
    ]
    positive = [cable for cable in unfused if _is_positive(analysis, cable)]
    parts = connected(analysis.studs, [(cable.a, cable.b) for cable in positive])
    # Two posts in one part are joined by bare cables: a string can feed its neighbour through no fuse.
    homes = [parts[post] for post in analysis.top_posts]
    if len(set(homes)) == len(homes):
        return []
    links = [cable for cable in unfused if {cable.a, cable.b} <= set(analysis.top_posts)]
    amps = _string_fuse_a(analysis, links)
    ops = [{"op": "set_fuse", "cable": cable.id, "fuse": {"amps": amps}} for cable in links]
    return [
        Finding(
            "path.P26",
            "stop",
            f"{len(homes)} lithium strings stand side by side without a fuse each.",
            "A string that fails is fed by all the others, with nothing to stop it.",
            "Give each string its own fuse before they join.",
            "path.bank",
            {"ops": ops} if ops else {},
        )
    ]


def _string_fuse_a(analysis: WiringAnalysis, links: list[Cable]) -> float:
    """The largest usual fuse of a string that the thinnest link can stand [A]."""
    least = min(
        (value for cable in links if (value := analysis.carries_a(cable)) is not None), default=math.inf
    )
    return next((size for size in STRING_FUSES_A if size <= least), STRING_FUSES_A[-1])


def _link(analysis: WiringAnalysis) -> list[Finding]:
    cable, fuse = link_cable(analysis), main_fuse(analysis)
    if cable is None or fuse is None:
        return []
    carries = analysis.carries_a(cable)
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
