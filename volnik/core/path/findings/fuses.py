"""Fuses: against load, volts and the short they must break; against each other; strings of lithium."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from volnik.core.findings import Finding, Level
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import loop_ohms
from volnik.core.path.findings.mends import fitting_fuse, fuse_op, guard_remedy
from volnik.core.path.network import connected
from volnik.core.path.protection.circuit import Circuit
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import Protection, protection_of
from volnik.core.path.protection.short import Short, Shorts
from volnik.core.path.shares import lacking
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.wiring import Cable, Fuse
from volnik.core.shelf.fuses import MARGIN, SIZES_A, VEHICLE_V

MOTOR_LEAST = 0.6  # of its running amps a motor's fuse may be; source: trade practice
COMMON_KA = 2.0  # what the weakest bolt-down fuses interrupt; source: trade practice
STRING_FUSES_A = (200.0, 150.0, 125.0, 100.0)  # sizes sold with high interrupting ratings, large first
LOAD_DUMP = 1.5  # times its rating an alternator's own fuse should be; source: trade practice
LEAST_FAULT = 3.0  # times a fuse a short at the far end should drive; source: trade practice
MANY_STRINGS = 3  # from here on unfused lithium strings are a stop; source: trade practice


@dataclass(frozen=True, slots=True)
class Placed:
    """A fuse where it stands.

    Attributes:
        cable, fuse: which.
        end: "a" or "b" of the cable.
        before_a: what can flow to it from batteries [A]; ENDLESS where nothing bounds it.
    """

    cable: Cable
    fuse: Fuse
    end: str
    before_a: float


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P21, P24 to P26, P47, P54 to P56.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    protection = protection_of(analysis)
    placed = _placed(protection)
    return [
        *_small(analysis, placed),
        *_volts(protection.circuit, placed),
        *_breaking(protection.circuit, placed),
        *_selective(analysis, placed),
        *_least_fault(analysis, placed),
        *_load_dump(analysis, placed),
        *_strings(analysis),
    ]


def charge_top_v(analysis: WiringAnalysis) -> float:
    """Highest volts the chargers bring the bank to [V].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    post = analysis.top_posts[0]
    return protection_of(analysis).circuit.volts[post].top_v


def _placed(protection: Protection) -> list[Placed]:
    """The fuses of positives, thin leads apart."""
    circuit = protection.circuit
    found = []
    for judged in protection.positives:
        for cable in judged.conductor.cables:
            for fuse in cable.fuses:
                end = circuit.end_of(cable, fuse)
                stud = circuit.root[getattr(cable, end)]
                before = next(one for one in judged.ends if one.stud == stud)
                found.append(Placed(cable, fuse, end, before.batteries_a))
    return found


def _small(analysis: WiringAnalysis, placed: list[Placed]) -> Iterator[Finding]:
    """Fuses that the load itself wears out."""
    for one in placed:
        device = analysis.owner_of(one.cable)
        if device is not None and "bursts" in device.preset.traits:
            if one.fuse.amps < MOTOR_LEAST * device.running_a:
                yield _motor_fuse(device, one)
        elif device is None or not device.preset.is_battery:
            yield from _worn(analysis, one, device)


def _worn(analysis: WiringAnalysis, one: Placed, device: ResolvedDevice | None) -> Iterator[Finding]:
    load, heaviest = _load_of(analysis, one.cable)
    if device is not None and (device.preset.is_link or device.preset.is_alternator):
        load /= MARGIN  # what an engine gives falls off by itself before a fuse ages
    if one.fuse.amps < MARGIN * load * 0.9999 or one.fuse.amps < heaviest * 0.9999:
        yield _too_small(analysis, one, load, heaviest)


def _load_of(analysis: WiringAnalysis, cable: Cable) -> tuple[float, float]:
    """What a cable carries for good, and with the heaviest occasional load [A]."""
    row = analysis.row_of(cable.id)
    steady = [abs(case.flow.amps[cable.id]) for case in (analysis.together, *analysis.charging)]
    device = analysis.owner_of(cable)
    if device is not None and not device.preset.is_link:
        steady += [device.running_a if device.takes else 0.0, device.gives_a if device.gives else 0.0]
    runs = [abs(float(run.alone[row] + run.beside[row])) for run in analysis.runs]
    return max(steady), max(runs, default=0.0)


def _motor_fuse(device: ResolvedDevice, one: Placed) -> Finding:
    return Finding(
        "path.P21",
        "fix",
        f"{device.name}: a fuse of {one.fuse.amps:g} A for {device.running_a:.0f} A while it runs.",
        "A motor's fuse may lie below its running amps, for it runs for minutes; this one opens before them.",
        "Fit the one its maker names.",
        f"path.{one.cable.id}",
        about=(one.cable.id,),
    )


def _too_small(analysis: WiringAnalysis, one: Placed, load: float, heaviest: float) -> Finding:
    device = analysis.owner_of(one.cable)
    name = device.name if device is not None else f"The {analysis.cable_name(one.cable)}"
    rare = one.fuse.amps >= MARGIN * load * 0.9999
    what = (
        f"{heaviest:.0f} A while the heaviest occasional load runs beside what is always on"
        if rare
        else f"{load:.0f} A continuously; 1.25 × the load is {MARGIN * load:.0f} A"
    )
    remedy: dict[str, object] = {}
    carries = analysis.may_carry(one.cable).amps
    wanted = fitting_fuse(max(load, heaviest / MARGIN), carries)
    if one.fuse is one.cable.fuse and wanted is not None:
        remedy = {"ops": [fuse_op(one.cable, wanted)]}
    elif one.fuse is one.cable.fuse:
        remedy = guard_remedy(analysis, one.cable, one.fuse.amps)
    return Finding(
        "path.P21",
        "fix",
        f"{name}: a fuse of {one.fuse.amps:g} A for {what}.",
        "It ages and opens in the middle of the work, and takes the supply with it.",
        "Fit one of at least 1.25 × the continuous load that the cable can carry.",
        f"path.{one.cable.id}",
        remedy,
        (one.cable.id,),
    )


def _volts(circuit: Circuit, placed: list[Placed]) -> list[Finding]:
    """Fuses held against the highest volts of their own battery."""
    found, unknown, top = [], [], 0.0
    for one in [*placed, *_thin(circuit.analysis)]:
        volts = circuit.volts.get(getattr(one.cable, one.end))
        if volts is None:
            continue
        if one.fuse.volts is None:
            if volts.top_v > VEHICLE_V:
                unknown.append(one.cable.id)
                top = max(top, volts.top_v)
        elif one.fuse.volts < volts.top_v:
            found.append(_too_few_volts(circuit.analysis, one, volts.top_v))
    return found + _unread_volts(unknown, top)


def _thin(analysis: WiringAnalysis) -> list[Placed]:
    """The fuses of the monitor's thin leads, at their sources."""
    return [
        Placed(cable, cable.fuse, "a" if cable.b.of_monitor else "b", ENDLESS)
        for cable in analysis.wiring.cables
        if analysis.is_thin(cable) and cable.fuse is not None
    ]


def _too_few_volts(analysis: WiringAnalysis, one: Placed, top_v: float) -> Finding:
    return Finding(
        "path.P24",
        "stop",
        f"The {one.fuse.amps:g} A fuse of the {analysis.cable_name(one.cable)} breaks {one.fuse.volts:g} V "
        f"DC; its battery is charged to {top_v:.1f} V.",
        "Above its volts a fuse draws an arc that it cannot put out.",
        "Fit one of enough DC volts; 32 V vehicle fuses are never fit for 48 V.",
        f"path.{one.cable.id}",
        about=(one.cable.id,),
    )


def _unread_volts(unknown: list[str], top_v: float) -> list[Finding]:
    if not unknown:
        return []
    return [
        Finding(
            "path.P24",
            "fix",
            f"{len(unknown)} fuse{'' if len(unknown) == 1 else 's'} of unknown volts on a battery charged to "
            f"{top_v:.1f} V.",
            "Common vehicle fuses break 32 V; above that they arc.",
            "Read the DC volts from each fuse and type them at its cable.",
            "path.fuses",
            about=tuple(unknown),
        )
    ]


def _breaking(circuit: Circuit, placed: list[Placed]) -> list[Finding]:
    """Fuses held against the short that each must break at its own place."""
    analysis = circuit.analysis
    shorts = Shorts(analysis, circuit.volts)
    found, unread, most_ka = [], [], 0.0
    for one in placed:
        short = shorts.through(one.cable.id, one.end, one.fuse.amps)
        if short is None:
            continue
        if one.fuse.breaks_ka is not None:
            level = _breaks(one.fuse.breaks_ka, short)
            if level is not None:
                found.append(_breaks_too_little(analysis, one, short, level))
        elif short.low_ka > COMMON_KA:
            unread.append(one)
            most_ka = max(most_ka, short.high_ka)
    return found + _unread_ratings(analysis, unread, most_ka)


def _breaks(rating_ka: float, short: Short) -> Level | None:
    """How grave a rating is against a short that is known, or known to a range."""
    if rating_ka < short.low_ka:
        return "fix" if short.is_assumed else "stop"
    if rating_ka < short.ka or rating_ka < short.bare_ka and short.bare_ka > short.ka:
        return "advise"
    return None


def _ka(short: Short) -> str:
    return f"{short.low_ka:.1f} to {short.high_ka:.1f} kA" if short.is_assumed else f"{short.ka:.1f} kA"


def _breaks_too_little(analysis: WiringAnalysis, one: Placed, short: Short, level: Level) -> Finding:
    return Finding(
        "path.P25",
        level,
        f"The {one.fuse.amps:g} A fuse of the {analysis.cable_name(one.cable)} interrupts "
        f"{one.fuse.breaks_ka:g} kA; a short there drives {_ka(short)}.",
        "It bursts, or welds itself shut.",
        "Fit a fuse that breaks more at this place"
        + (", or measure the battery's resistance." if short.is_assumed else "."),
        f"path.{one.cable.id}",
        about=(one.cable.id,),
    )


def _unread_ratings(analysis: WiringAnalysis, unread: list[Placed], most_ka: float) -> list[Finding]:
    if not unread:
        return []
    several = len(unread) > 1
    which = (
        f"these {len(unread)} fuses near the battery"
        if several
        else f"the fuse of the {analysis.cable_name(unread[0].cable)}"
    )
    return [
        Finding(
            "path.P47",
            "advise",
            f"Can {which} break a short of {most_ka:.1f} kA? Check.",
            "Common bolt-down fuses break only 2 to 6 kA.",
            "Read it from the fuse and type it at the cable.",
            "path.fuses",
            about=tuple(one.cable.id for one in unread),
        )
    ]


def _selective(analysis: WiringAnalysis, placed: list[Placed]) -> Iterator[Finding]:
    """Branch fuses that are not below what stands before them."""
    for one in placed:
        device = analysis.owner_of(one.cable)
        if one.before_a >= ENDLESS or one.fuse.amps < one.before_a or one.before_a <= 0.0:
            continue
        if device is None or device.gives or device.preset.is_battery or device.preset.is_link:
            continue  # what feeds may well be fused like what it feeds
        yield Finding(
            "path.P54",
            "fix" if device.safety else "advise",
            f"{device.name}: its fuse of {one.fuse.amps:g} A is not below the {one.before_a:g} A before it.",
            "A short in this branch may open the fuse before it, and everything else goes dark with it.",
            "Fit a smaller fuse here, or a larger one before it where the cable allows.",
            f"path.{one.cable.id}",
            about=(one.cable.id,),
        )


def _least_fault(analysis: WiringAnalysis, placed: list[Placed]) -> Iterator[Finding]:
    """Fuses that a short at the end of their lead does not open in time."""
    own = {one.cable.a.owner: one for one in placed if analysis.owner_of(one.cable) is not None}
    devices = [
        device
        for device in analysis.devices
        if device.id in own and device.preset.is_plain_load and not lacking(analysis.network, device)
    ]
    ohms = loop_ohms(analysis.network, devices)
    for device in devices:
        volts = protection_of(analysis).circuit.volts.get(f"{device.id}.plus")
        fault_a = (volts.nominal_v if volts else analysis.nominal_v) / max(ohms[device.id], 1e-9)
        if fault_a < LEAST_FAULT * own[device.id].fuse.amps:
            yield _slow_fuse(device, own[device.id], fault_a)


def _slow_fuse(device: ResolvedDevice, one: Placed, fault_a: float) -> Finding:
    return Finding(
        "path.P55",
        "fix",
        f"{device.name}: a short at its end drives about {fault_a:.0f} A, "
        f"{fault_a / one.fuse.amps:.1f} × its fuse of {one.fuse.amps:g} A.",
        "The lead would burn for minutes before the fuse opens.",
        "Take thicker or shorter cable, or a smaller fuse.",
        f"path.{one.cable.id}",
        about=(one.cable.id,),
    )


def _load_dump(analysis: WiringAnalysis, placed: list[Placed]) -> Iterator[Finding]:
    """An alternator's own fuse that its own amps may open."""
    for one in placed:
        device = analysis.owner_of(one.cable)
        if device is None or not device.preset.is_alternator or one.fuse.amps >= LOAD_DUMP * device.gives_a:
            continue
        yield Finding(
            "path.P56",
            "advise",
            f"{device.name}: a fuse of {one.fuse.amps:g} A in the lead of {device.gives_a:.0f} A.",
            "When it opens on charge the alternator's load is dumped, and its volts jump.",
            f"Fit at least {LOAD_DUMP:g} × its rating, or guard the lead by the fuses at the batteries.",
            f"path.{one.cable.id}",
            about=(one.cable.id,),
        )


def _strings(analysis: WiringAnalysis) -> list[Finding]:
    """Lithium strings that stand side by side with nothing between them."""
    if analysis.chemistry.is_lead or analysis.bank.parallel < 2:
        return []
    positive = [
        cable
        for cable in analysis.wiring.cables
        if not cable.fuses and not analysis.is_thin(cable) and _is_positive(analysis, cable)
    ]
    parts = connected(analysis.studs, [(cable.a, cable.b) for cable in positive])
    # Two posts in one part are joined by bare cables: a string can feed its neighbour through no fuse.
    homes = [parts[post] for post in analysis.top_posts]
    if len(set(homes)) == len(homes):
        return []
    return [_unfused_strings(analysis, positive, len(homes))]


def _unfused_strings(analysis: WiringAnalysis, bare: list[Cable], strings: int) -> Finding:
    links = [cable for cable in bare if {cable.a, cable.b} <= set(analysis.top_posts)]
    amps = _string_fuse_a(analysis, links)
    ops = [{"op": "set_fuse", "cable": cable.id, "fuse": {"amps": amps}} for cable in links]
    return Finding(
        "path.P26",
        "stop" if strings >= MANY_STRINGS else "fix",
        f"{strings} lithium strings are in parallel without a fuse each.",
        "A string that fails is fed by all the others, with nothing to stop it.",
        "Give each string its own fuse before they join.",
        "path.bank",
        {"ops": ops} if ops else {},
        tuple(str(post) for post in analysis.top_posts),
    )


def _is_positive(analysis: WiringAnalysis, cable: Cable) -> bool:
    return analysis.studs[cable.a].pole == analysis.studs[cable.b].pole == "plus"


def _string_fuse_a(analysis: WiringAnalysis, links: list[Cable]) -> float:
    """The largest usual fuse of a string that the thinnest link can stand [A]."""
    carried = [value for cable in links if (value := analysis.carries_a(cable)) is not None]
    least = min(carried, default=max(SIZES_A))
    return next((size for size in STRING_FUSES_A if size <= least), STRING_FUSES_A[-1])
