"""Sizing: shunt, link, lugs and fuse, chosen from the Shelf with the sums shown.

The spare input's best use.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.cases import charging_mixes
from volnik.core.path.protection.flow import ENDLESS
from volnik.core.path.protection.rule import protection_of
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import SAG, ResolvedDevice
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import HOLE_CLASS, copper_ohm, read_size
from volnik.core.shelf.parts import CablePart, Catalogue, LugPart, ShuntPart
from volnik.core.shelf.shunts import Shunt

SHUNT_OVER = 1.05  # of a shunt's name that may flow before it is told; source: trade practice
LINK_LENGTH_M = 0.3  # of a link nobody measured; source: estimate
FROST_C = 3.0  # a bank that gets colder may be charged below freezing; source: estimate
LINK_DROP = 0.005  # of nominal volts over the link; source: estimate


@dataclass(frozen=True, slots=True)
class Worst:
    """The worst current one way: careful and quick [A], the sums that lead there, and the short-lived peak
    [A].
    """

    careful_a: float
    quick_a: float
    sums: tuple[str, ...]
    peak_a: float = 0.0


@dataclass(frozen=True, slots=True)
class Choice:
    """A proposal: what for, the part by name, the sums, and what is drawn now.

    `fits` says whether that will do.

    Attributes: overruled holds the reason on record, "" when none.
    """

    what: str
    title: str
    proposal: str
    key: str
    sums: tuple[str, ...]
    drawn: str
    fits: bool
    overruled: str = ""


def _on_bank(analysis: WiringAnalysis, device: ResolvedDevice) -> bool:
    share = analysis.shares.get(device.id)
    return share is None or share.expected == 1.0


def worst_discharge(analysis: WiringAnalysis) -> Worst:
    """Worst continuous discharge: what may run together, from the sagging bank.

    Sum P / (V_low x eta) + sum I [A].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    drawing = [device for device in analysis.devices if device.takes and _on_bank(analysis, device)]
    loads = [device for device in drawing if not device.preset.is_link]
    together, singly = _by_company(loads)
    alone = max((device.running_a for device in singly), default=0.0)
    careful = sum(device.running_a for device in together)
    quick = sum(device.quick_a for device in together)
    sums = [line for device in together if (line := _draw_line(device, analysis.nominal_v))]
    # A load that never runs with others counts alone, where it is more than all the others.
    if alone > careful:
        sums.append(f"more than these: one that runs alone, {alone:.0f} A")
    surge = max((device.surge_a for device in drawing), default=0.0)
    return Worst(max(careful, alone), max(quick, alone), tuple(sums), surge)


def _by_company(loads: list[ResolvedDevice]) -> tuple[list[ResolvedDevice], list[ResolvedDevice]]:
    """The loads that may run with others, and those that never do."""
    singly = [device for device in loads if device.figures["together"] is False]
    return [device for device in loads if device not in singly], singly


def _draw_line(device: ResolvedDevice, nominal_v: float) -> str:
    """How a load's amps come about, "" for one that draws none."""
    power = device.number("power_w")
    if power <= 0.0:
        return f"{device.name}: {device.running_a:.3g} A" if device.running_a else ""
    eta = device.number("efficiency") or 1.0
    return (
        f"{device.name}: {power:g} W ÷ ({SAG * nominal_v:.1f} V × {eta:g}) = {device.running_a:.0f} A "
        f"(quick: {power:g} ÷ {nominal_class(nominal_v)} V = {device.quick_a:.0f} A)"
    )


def worst_charge(analysis: WiringAnalysis) -> Worst:
    """Worst charge: the most amps of the chargers that can run at once, added [A].

    Args:
        analysis: the drawing, solved and judged as one.
    """
    on_bank = [device for device in analysis.devices if _on_bank(analysis, device)]
    given = charging_mixes(on_bank)[0]
    total = sum(device.gives_a for device in given)
    return Worst(total, total, tuple(f"{device.device.name}: {device.gives_a:.3g} A" for device in given))


def choose_shunt(analysis: WiringAnalysis, catalogue: Catalogue) -> ShuntPart | None:
    """The smallest shunt on the Shelf that carries the larger current for good and the peak for seconds.

    Its name may lie little below what the fuses let come back over it. None if none does.

    Args:
        analysis: the drawing, solved and judged as one.
        catalogue: the Shelf proposals are taken from.
    """
    need = max(worst_discharge(analysis).careful_a, worst_charge(analysis).careful_a)
    peak = worst_discharge(analysis).peak_a
    back = comes_back_a(analysis, None) or 0.0
    for part in sorted(catalogue.shunts, key=lambda shunt: (shunt.amps, shunt.key)):
        most = part.peak_a if part.peak_a is not None else part.amps
        guarded = back <= SHUNT_OVER * part.amps
        if guarded and part.fitted().carries_a >= need and most >= peak:
            return part
    return None


def choose_cable(
    amps: float,
    length_m: float,
    most_v: float,
    catalogue: Catalogue,
    *,
    awg: bool = False,
    one_way: bool = True,
) -> CablePart | None:
    """The thinnest cable on the Shelf that carries `amps` and loses at most `most_v` over its length (out and
    back unless one way).

    Args:
        amps: it must carry [A].
        length_m: of the cable [m].
        most_v: it may lose [V].
        catalogue: the Shelf proposals are taken from.
        awg: whether by American sizes.
        one_way: whether the length is one way and not there and back.
    """
    parts = [part for part in catalogue.cables if part.size.endswith("AWG") == awg] or list(catalogue.cables)
    for part in sorted(parts, key=lambda cable: (cable.mm2, cable.key)):
        lost = amps * copper_ohm(length_m * (1.0 if one_way else 2.0), part.mm2)
        if part.amps >= amps and lost <= most_v:
            return part
    return None


def comes_back_a(analysis: WiringAnalysis, link: Cable | None) -> float | None:
    """What can come back over the shunt's link before a fuse opens [A]; None where nothing opens, or none is.

    Args:
        analysis: the drawing, solved and judged as one.
        link: the cable.
    """
    negatives = protection_of(analysis).negatives
    ids = {"shunt"} if link is None else {link.id}
    judged = next((one for one in negatives if one.conductor.id in ids), None)
    if judged is None or judged.worst.from_batteries_a >= ENDLESS:
        return None
    return judged.worst.from_batteries_a


def link_cable(analysis: WiringAnalysis) -> Cable | None:
    """The cable that ends on the shunt's bank stud, coming from the bank.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    if len(analysis.bank_way) < 2:
        return None
    pair = {analysis.bank_way[-2], analysis.bank_way[-1]}
    return next((cable for cable in analysis.wiring.cables if {cable.a, cable.b} == pair), None)


def choices(analysis: WiringAnalysis, catalogue: Catalogue, *, awg: bool = False) -> list[Choice]:
    """Proposals for shunt, link, its lugs and the sense fuse, each with its sums and what is drawn now.

    Args:
        analysis: the drawing, solved and judged as one.
        catalogue: the Shelf proposals are taken from.
        awg: whether by American sizes.
    """
    out, into = worst_discharge(analysis), worst_charge(analysis)
    kept: dict[str, str] = {overruling.what: overruling.reason for overruling in analysis.wiring.overrulings}
    need = max(out.careful_a, into.careful_a)
    proposals = [
        _shunt_choice(analysis, catalogue, out, into),
        _link_choice(analysis, catalogue, need, awg=awg),
        _lug_choice(analysis, catalogue),
        _sense_choice(analysis),
    ]
    return [replace(choice, overruled=kept.get(choice.what, "")) for choice in proposals]


def _shunt_choice(analysis: WiringAnalysis, catalogue: Catalogue, out: Worst, into: Worst) -> Choice:
    need = max(out.careful_a, into.careful_a)
    part, shunt = choose_shunt(analysis, catalogue), analysis.wiring.shunt
    sums = [
        *out.sums,
        f"out: {out.careful_a:.0f} A careful, {out.quick_a:.0f} A quick; peak {out.peak_a:.0f} A",
        *into.sums,
        f"in: {into.careful_a:.0f} A",
    ]
    if part is not None:
        fitted = part.fitted()
        sums += [
            f"{part.name} carries {fitted.carries_a:.0f} A of its {part.amps:g} A continuously: "
            f"{fitted.carries_a:.0f} ≥ {need:.0f} A",
            f"at {need:.0f} A it drops {1000 * need * fitted.ohm:.1f} mV and heats by "
            f"{need**2 * fitted.ohm:.1f} W",
        ]
    return Choice(
        "shunt",
        "Shunt",
        part.name if part else "none on the Shelf is large enough",
        part.key if part else "",
        tuple(sums),
        _drawn_shunt(shunt),
        shunt is not None and shunt.carries_a >= need and (shunt.peak_a or shunt.amps) >= out.peak_a,
    )


def _drawn_shunt(shunt: Shunt | None) -> str:
    if shunt is None:
        return "none"
    step = f", one count {shunt.step_a:g} A" if shunt.step_a else ""
    return f"{shunt.product or 'shunt'} {shunt.amps:g} A / {shunt.mv:g} mV{step}"


def _sense_choice(analysis: WiringAnalysis) -> Choice:
    lead = analysis.supply_lead
    amps = None if lead is None or lead.fuse is None else lead.fuse.amps
    return Choice(
        "sense_fuse",
        "Sense fuse",
        "1 A slow, at the post",
        "1",
        ("a supply lead draws tens of mA; its fuse guards the wire: 1 A or less",),
        "none" if amps is None else f"{amps:g} A",
        amps is not None and amps <= 1.0,
    )


def _link_choice(analysis: WiringAnalysis, catalogue: Catalogue, need: float, *, awg: bool) -> Choice:
    link = link_cable(analysis)
    back = comes_back_a(analysis, link)
    amps = max(need, back or 0.0)
    length = _length_m(link)
    most_v = LINK_DROP * analysis.nominal_v
    part = choose_cable(amps, length, most_v, catalogue, awg=awg)
    sums = [
        f"it carries the sum: {need:.0f} A"
        + (f", and {back:.0f} A can come back over it before a fuse opens" if back else "")
    ]
    if part is not None:
        ohm = copper_ohm(length, part.mm2)
        sums += [
            f"{part.size}: {part.amps:.0f} A in air; 0.0175 × {length:g} m ÷ {part.mm2:.4g} mm² = "
            f"{1000 * ohm:.3f} mΩ, one way",
            f"{need:.0f} A lose {1000 * need * ohm:.0f} mV of the {1000 * most_v:.0f} mV allowed, "
            f"{need**2 * ohm:.1f} W",
        ]
    return Choice(
        "link",
        "Link to the post",
        part.size if part else "none on the Shelf is thick enough",
        part.size if part else "",
        tuple(sums),
        "none" if link is None else link.size or "size not known",
        link is not None and _link_does(analysis, link, amps, need, most_v),
    )


def _link_does(analysis: WiringAnalysis, link: Cable, amps: float, need: float, most_v: float) -> bool:
    """Whether a link carries what the fuses let pass and loses no more than allowed at the need."""
    carries = analysis.carries_a(link)
    if carries is None or link.mm2 is None or carries < amps:
        return False
    return need * copper_ohm(_length_m(link), link.mm2) <= most_v


def _length_m(link: Cable | None) -> float:
    """The length of the link as stated, or a usual one [m]."""
    return LINK_LENGTH_M if link is None or link.length_m is None else link.length_m


def _lug_words(part: LugPart | None, size: str, thread: str) -> tuple[str, str]:
    """The hole of a lug, and what fits, in words."""
    if part is None:
        return thread or "?", f"no lug {size} for it on the Shelf"
    return part.hole, f"{part.name}, {part.die}"


def _lug_choice(analysis: WiringAnalysis, catalogue: Catalogue) -> Choice:
    link = link_cable(analysis)
    if link is None or not link.size:
        return Choice("lugs", "Lugs of the link", "choose the link first", "", (), "none", False)
    sums, names, drawn, good = [], [], [], True
    for end, lug in ((link.a, link.lug_a), (link.b, link.lug_b)):
        thread = analysis.studs[end].thread
        name, fit = _lug_words(_lug_for(catalogue, link.size, thread), link.size, thread)
        names.append(name)
        sums.append(f"{analysis.studs[end].name}: stud {thread or 'not known'}, {fit}")
        drawn.append(lug or "not known")
        good &= bool(lug) and HOLE_CLASS.get(lug) == HOLE_CLASS.get(thread, "")
    return Choice(
        "lugs",
        "Lugs of the link",
        f"{link.size}: {names[0]} and {names[1]}",
        " ".join(name.replace(" ", "_") for name in names),
        tuple(sums),
        " and ".join(drawn),
        good,
    )


def _lug_for(catalogue: Catalogue, size: str, thread: str) -> LugPart | None:
    """The first lug on the Shelf for a cable and a stud."""
    fitting = (lug for lug in catalogue.lugs if HOLE_CLASS[lug.hole] == HOLE_CLASS.get(thread, ""))
    return next((lug for lug in fitting if same_size(lug.size, size)), None)


def same_size(name: str, other: str) -> bool:
    """Whether two designations are one size.

    Args:
        name: a cable's size as written.
        other: the size it is compared with.
    """
    first, second = read_size(name), read_size(other)
    return first is not None and second is not None and first[1] == second[1]


@dataclass(frozen=True, slots=True)
class AuxiliaryUse:
    """One use of the spare input: whether this rig can have it, how much speaks for it, and why."""

    use: str
    title: str
    possible: bool
    weight: float
    reason: str
    lost: str


def auxiliary_uses(analysis: WiringAnalysis, coldest_c: float | None = None) -> list[AuxiliaryUse]:
    """The three uses of the one spare input, the best first, with reasons and what is lost without each.

    Args:
        analysis: the drawing.
        coldest_c: coldest the bank gets [°C], or None where nobody knows.
    """
    uses = [_temperature_use(analysis, coldest_c), _starter_use(analysis), _midpoint_use(analysis)]
    return sorted(uses, key=lambda use: -use.weight)


def _temperature_use(analysis: WiringAnalysis, coldest_c: float | None) -> AuxiliaryUse:
    frost = coldest_c is None or coldest_c < FROST_C
    slope = any(device.gives and device.number("slope_mv_c") < 0.0 for device in analysis.devices)
    if not analysis.chemistry.is_lead:
        weight = 3.0 if frost else 1.0
        reason = "Lithium must not be charged below freezing; the monitor can warn and the relay can stop it."
        lost = "cold charging is not noticed"
    else:
        weight = 1.8 if slope else 1.0
        reason = (
            "Chargers that follow temperature want the battery's own, not the bay's."
            if slope
            else "Nothing here is steered by temperature."
        )
        lost = "charging volts are judged at the wrong temperature"
    return AuxiliaryUse("temperature", "temperature", True, weight, reason, lost)


def _starter_use(analysis: WiringAnalysis) -> AuxiliaryUse:
    starter = any(device.preset.is_starter_battery for device in analysis.devices)
    reason = (
        "There is a starter battery: a flat one strands the owner."
        if starter
        else "There is no starter battery."
    )
    weight = 2.0 if starter else 0.0
    lost = "a starter running flat is not noticed"
    return AuxiliaryUse("starter", "starter battery volts", starter, weight, reason, lost)


def _midpoint_use(analysis: WiringAnalysis) -> AuxiliaryUse:
    series = analysis.bank.series > 1
    lost = "a weak battery stays hidden until the string fails"
    if not series:
        reason = "One battery has no midpoint."
        return AuxiliaryUse("midpoint", "midpoint of the string", False, 0.0, reason, lost)
    reason = (
        f"{analysis.bank.series} batteries in a string: the midpoint shows one falling behind years "
        "before the whole does."
    )
    return AuxiliaryUse("midpoint", "midpoint of the string", True, 2.5, reason, lost)
