"""What can flow before something opens, told: positives, negatives, bars, switches, the shunt, bonds."""

from __future__ import annotations

from collections.abc import Iterator

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.findings.mends import guard_remedy, sized_op
from volnik.core.path.protection.circuit import Circuit, Conductor
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import End, Judged, Protection, level_of, milder, protection_of
from volnik.core.path.sizing import SHUNT_OVER, link_cable
from volnik.core.rig.wiring import Bar, Cable
from volnik.core.shelf.fuses import next_size

NEAR_MM = 200.0  # of a fuse to where it is fed; source: trade practice, the local code comes first
SHEATHED_POST_MM, SHEATHED_MM = 1800.0, 1000.0  # the same in a sheath, at a battery and elsewhere
BOND_ADVISE, BOND_FIX = 0.5, 0.25  # of the thickest positive's mm²; source: trade practice


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P20, P22, P23, P27, P43, P49 to P53.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    protection = protection_of(analysis)
    return [
        *_positives(protection),
        *_far_fuses(protection),
        *_negatives(protection),
        *_bonds(analysis),
        *_bars(protection),
        *_switches(protection),
        *_shunt(protection),
    ]


def amps_words(amps: float) -> str:
    """A flow in words: its amps, or that nothing bounds it.

    Args:
        amps: that can flow [A].
    """
    return "whatever the batteries give" if amps >= ENDLESS else f"{amps:.0f} A"


def _about(judged: Judged) -> tuple[str, ...]:
    return tuple(cable.id for cable in judged.conductor.cables) or (judged.conductor.id,)


def name_of(analysis: WiringAnalysis, conductor: Conductor) -> str:
    """What to call a conductor at the beginning of a sentence.

    Args:
        analysis: the drawing.
        conductor: of it.
    """
    device = analysis.owner_of(conductor.cables[0])
    name = analysis.cable_name(conductor.cables[0])
    if device is not None and not device.preset.is_battery:
        return name[0].upper() + name[1:]
    return f"The {name}"


def _positives(protection: Protection) -> Iterator[Finding]:
    analysis = protection.circuit.analysis
    causes = protection.causes
    told = {judged.conductor.id for judged in causes}
    others = [j for j in protection.positives if j.level is not None and j.conductor.id not in told]
    for judged in causes:
        # what else is at fault goes with the gravest: put right, it puts the others right
        follows = tuple(_short(analysis, other) for other in others) if judged is causes[0] else ()
        yield (_unguarded if judged.is_open_ended else _overfused)(protection, judged, follows)


def _short(analysis: WiringAnalysis, judged: Judged) -> str:
    carries = judged.conductor.carries_a
    limit = "" if carries is None else f", which carries {carries:.0f} A"
    name, flows = name_of(analysis, judged.conductor), amps_words(judged.worst.from_batteries_a)
    return f"{name}{limit}: {flows} can flow in."


def _unguarded(protection: Protection, judged: Judged, follows: tuple[str, ...]) -> Finding:
    analysis, conductor = protection.circuit.analysis, judged.conductor
    cable = conductor.cables[0]
    name = name_of(analysis, conductor)
    own = analysis.owner_of(cable)
    main = own is None and judged.worst.stud in protection.circuit.string_posts
    where = analysis.studs[_fed_from(analysis, judged)].name
    return Finding(
        "path.P22" if main else "path.P27",
        judged.level or "stop",
        f"No main fuse: {name[0].lower()}{name[1:]} leaves the {where} unfused."
        if main
        else f"{name} has no fuse between it and the {where}.",
        "A chafe anywhere along it is a short across the whole battery."
        if main
        else "A chafed lead is then fed by the whole battery.",
        "Fit the main fuse within 200 mm of the post."
        if main
        else "Fuse it where it leaves the battery or busbar.",
        f"path.{cable.id}",
        guard_remedy(analysis, cable, protection.proper_fuse(conductor), main=main),
        _about(judged),
        follows,
    )


def _fed_from(analysis: WiringAnalysis, judged: Judged) -> str:
    """Where a conductor without any fuse is fed: at a battery where it ends on one."""
    open_ended = [end.stud for end in judged.ends if end.from_batteries_a >= ENDLESS]
    at_battery = (stud for stud in open_ended if analysis.studs[stud].place in ("block", "battery"))
    return next(at_battery, judged.worst.stud)


def _overfused(protection: Protection, judged: Judged, follows: tuple[str, ...]) -> Finding:
    analysis, conductor, end = protection.circuit.analysis, judged.conductor, judged.worst
    cable = conductor.cables[0]
    alone = end.from_batteries_a > (conductor.carries_a or 0.0)
    amps = end.from_batteries_a if alone else max(e.from_all_a for e in judged.ends)
    size = cable.size or "its usual size, which nobody read,"
    with_chargers = "" if alone else " with all chargers at their most"
    where = analysis.studs[end.stud].name
    return Finding(
        "path.P20",
        judged.level or "fix",
        f"{name_of(analysis, conductor)}: {size} carries {conductor.carries_a:.0f} A, and {amps:.0f} A can "
        f"flow into it from the {where} before a fuse opens{with_chargers}.",
        "The fuse must blow before the cable burns.",
        "Fit a smaller fuse where it is fed, or thicker cable.",
        f"path.{cable.id}",
        guard_remedy(analysis, cable, protection.proper_fuse(conductor)),
        _about(judged),
        follows,
    )


def _far_fuses(protection: Protection) -> Iterator[Finding]:
    """Fuses that stand too far along the cable they guard."""
    for judged in protection.positives:
        if judged.conductor.custom or judged.conductor.carries_a is None:
            continue
        for end, letter in zip(judged.ends, "ab", strict=True):
            level = level_of(end.batteries_a, end.all_a, judged.conductor.carries_a)
            if level is not None and end.fuse_a < ENDLESS:
                yield from _too_far(protection.circuit, judged, end, letter, advise=level == "advise")


def _too_far(circuit: Circuit, judged: Judged, end: End, letter: str, *, advise: bool) -> Iterator[Finding]:
    analysis = circuit.analysis
    for cable in judged.conductor.cables:
        side = letter if circuit.root[cable.a] == judged.conductor.a else "ba"["ab".index(letter)]
        fuse = circuit.fuse_at(cable, side)
        stud = analysis.studs[getattr(cable, side)]
        sheathed = SHEATHED_POST_MM if stud.place in ("block", "battery") else SHEATHED_MM
        if fuse is None or fuse.from_post_mm is None:
            continue
        if fuse.from_post_mm > (sheathed if fuse.sheathed else NEAR_MM):
            name = name_of(analysis, judged.conductor)
            yield Finding(
                "path.P23",
                "advise" if advise else "fix",
                f"{name}: its fuse sits {fuse.from_post_mm:.0f} mm from the {stud.name}.",
                "The cable before it is guarded by nothing.",
                "Bring it within 200 mm (cranking leads excepted where the local code allows; further in a "
                "sheath, where it allows that).",
                f"path.{cable.id}",
                about=(cable.id,),
            )


def _negatives(protection: Protection) -> Iterator[Finding]:
    analysis = protection.circuit.analysis
    for judged in protection.negatives:
        if judged.level is not None and not _is_bond(analysis, judged.conductor.cables[0]):
            yield _thin_negative(analysis, judged)


def _thin_negative(analysis: WiringAnalysis, judged: Judged) -> Finding:
    conductor = judged.conductor
    cable = conductor.cables[0]
    link = link_cable(analysis)
    is_link = link is not None and cable.id == link.id
    amps = max(judged.worst.from_batteries_a, judged.flow_a if judged.level == "advise" else 0.0)
    carries = conductor.carries_a or 0.0
    size = cable.size or "of a size nobody read"
    return Finding(
        "path.P43" if is_link else "path.P49",
        judged.level or "fix",
        f"{name_of(analysis, conductor)}, {size}, carries {carries:.0f} A; {amps_words(amps)} can come "
        "back over it before a fuse opens.",
        "All return current crosses this one cable; it must carry what the fuses let through."
        if is_link
        else "A short in what it serves returns this way: a fuse guards both conductors of a circuit.",
        "Take a thicker one, or a smaller fuse in the positive.",
        f"path.{cable.id}",
        {"size_link": True} if is_link else sized_op(analysis, cable, amps),
        _about(judged),
    )


def _is_bond(analysis: WiringAnalysis, cable: Cable) -> bool:
    return any(analysis.is_ground(stud) for stud in (cable.a, cable.b)) and analysis.owner_of(cable) is None


def _copper(cable: Cable) -> float:
    """Cross-section of a cable, of all that lie side by side as it [mm²]."""
    return (cable.mm2 or 0.0) * cable.parallel


def _bonds(analysis: WiringAnalysis) -> Iterator[Finding]:
    """A bond against the thickest positive: it must open that one's fuse when the chassis goes live."""
    most = _thickest_positive(analysis)
    if most is None:
        return
    for cable in analysis.wiring.cables:
        if cable.mm2 is not None and _is_bond(analysis, cable) and cable.mm2 < BOND_ADVISE * _copper(most):
            yield Finding(
                "path.P50",
                "fix" if cable.mm2 < BOND_FIX * _copper(most) else "advise",
                f"The {analysis.cable_name(cable)} is {cable.size}; the thickest positive is {most.size}.",
                "A positive that touches the metal must open its fuse through the bond, not melt it.",
                "Take at least half the thickest positive's cross-section, or what the local code asks.",
                f"path.{cable.id}",
                about=(cable.id,),
            )


def _thickest_positive(analysis: WiringAnalysis) -> Cable | None:
    """The positive of most copper, links between blocks apart."""
    positives = [
        cable
        for conductor in protection_of(analysis).circuit.of_pole("plus")
        for cable in conductor.cables
        if cable.mm2 is not None and not analysis.is_link(cable)
    ]
    return max(positives, key=_copper, default=None)


def _bars(protection: Protection) -> Iterator[Finding]:
    for bar in protection.circuit.analysis.wiring.bars:
        if bar.carries_a is None or bar.is_ground:
            continue
        end = protection.over_bar(bar.id, bar.pole)
        if end.batteries_a >= ENDLESS:
            continue  # a fuse is missing, which is told by itself
        level = level_of(end.batteries_a, end.all_a, bar.carries_a)
        if level == "stop":
            level = "fix"
        elif level == "fix":
            level = "advise"  # up to the next fuse above its rating
        if level is not None:
            yield _weak_bar(bar, end, level == "fix")


def _weak_bar(bar: Bar, end: End, fix: bool) -> Finding:
    return Finding(
        "path.P51",
        "fix" if fix else "advise",
        f"{bar.name}, rated {bar.carries_a:g} A: {amps_words(max(end.batteries_a, end.all_a))} can flow "
        "through it before a fuse opens.",
        "A bar heats at its joints before any fuse notices.",
        "Take a bar of a higher rating, or a smaller fuse before it.",
        f"path.{bar.id}",
        about=(bar.id,),
    )


def _switches(protection: Protection) -> Iterator[Finding]:
    analysis = protection.circuit.analysis
    names = {isolator.id: isolator.name for isolator in analysis.wiring.isolators}
    names |= {device.id: device.name for device in analysis.devices}
    for judged in [*protection.positives, *protection.negatives]:
        conductor = judged.conductor
        if not conductor.switch or conductor.carries_a is None:
            continue
        batteries, every = protection.through(judged)
        if batteries >= ENDLESS:
            continue  # a fuse is missing, which is told by itself
        level = milder(level_of(batteries, every, conductor.carries_a), "fix")
        if level == "fix" and batteries <= next_size(conductor.carries_a):
            level = "advise"
        if level is not None:
            yield Finding(
                "path.P52",
                level,
                f"{names[conductor.switch]}, rated {conductor.carries_a:g} A: "
                f"{amps_words(max(batteries, every))} can flow through it before a fuse opens.",
                "Its contacts weld or burn before any fuse notices.",
                "Take one of a higher rating, or a smaller fuse beside it.",
                f"path.{conductor.switch}",
                about=(conductor.switch,),
            )


def _shunt(protection: Protection) -> Iterator[Finding]:
    shunt = protection.circuit.analysis.wiring.shunt
    judged = next((one for one in protection.negatives if one.conductor.id == "shunt"), None)
    if shunt is None or judged is None:
        return
    amps = judged.worst.from_batteries_a
    if amps <= shunt.carries_a or amps >= ENDLESS:
        return
    over = amps > SHUNT_OVER * shunt.amps
    yield Finding(
        "path.P53",
        "fix" if over else "advise",
        f"{amps:.0f} A can flow through the shunt before a fuse opens; it carries {shunt.carries_a:.0f} A "
        "for good" + (f" and is named {shunt.amps:g} A." if over else "."),
        "The fuses do not guard it: an overload that lasts heats it, and it drifts.",
        "Take a larger shunt or smaller fuses; a stated overload alarm below it is the least.",
        "path.shunt",
        {"size_shunt": True} if over else {},
        ("shunt",),
    )
