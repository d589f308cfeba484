"""Sizing: shunt, link, lugs and fuse, chosen from the Shelf with the sums shown.

The spare input's best use.
"""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.wiring import Cable
from volnik.core.shelf.conductors import HOLE_CLASS, copper_ohm, read_size
from volnik.core.shelf.parts import CablePart, Catalogue, ShuntPart

MARGIN = 1.0  # the continuous rating already is the margin; source: docs/domain/path.md
LINK_DROP = 0.005  # of nominal volts over the link; source: estimate
FUSE_MARGIN = 1.25  # fuse against continuous load; source: trade practice


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


def _on_bank(seen: WiringAnalysis, device: ResolvedDevice) -> bool:
    share = seen.shares.get(device.id)
    return share is None or share.expected == 1.0


def worst_discharge(seen: WiringAnalysis) -> Worst:
    """Worst continuous discharge: what may run together, from the sagging bank.

    Sum P / (V_low x eta) + sum I [A].
    """
    sums, careful, quick, peak = [], 0.0, 0.0, 0.0
    low_v = 0.9 * seen.nominal_v
    for device in seen.devices:
        if not device.takes or device.preset.is_link or not _on_bank(seen, device):
            continue
        if device.figures["together"] is False:
            peak = max(peak, device.running_a)
            continue
        careful += device.running_a
        quick += device.quick_a
        power = device.figures["power_w"]
        if isinstance(power, int | float) and power > 0.0:
            eta = device.number("efficiency") or 1.0
            sums.append(
                f"{device.device.name}: {power:g} W ÷ ({low_v:.1f} V × {eta:g}) = {device.running_a:.0f} A "
                f"(quick: {power:g} ÷ {nominal_class(seen.nominal_v)} V = {device.quick_a:.0f} A)"
            )
        elif device.running_a:
            sums.append(f"{device.device.name}: {device.running_a:.3g} A")
    # A load that never runs with others counts alone, where it is more than all the others.
    if peak > careful:
        sums.append(f"more than these: one that runs alone, {peak:.0f} A")
    return Worst(
        max(careful, peak),
        max(quick, peak),
        tuple(sums),
        max(
            (device.surge_a for device in seen.devices if device.takes and _on_bank(seen, device)),
            default=0.0,
        ),
    )


def worst_charge(seen: WiringAnalysis) -> Worst:
    """Worst charge: the chargers' most amps, added [A]."""
    given = [device for device in seen.devices if device.gives and _on_bank(seen, device)]
    total = sum(device.gives_a for device in given)
    return Worst(total, total, tuple(f"{device.device.name}: {device.gives_a:.3g} A" for device in given))


def choose_shunt(seen: WiringAnalysis, catalogue: Catalogue) -> ShuntPart | None:
    """The smallest shunt on the Shelf that carries the larger current continuously and the peak for seconds.

    None if none does.
    """
    need = max(worst_discharge(seen).careful_a, worst_charge(seen).careful_a)
    peak = worst_discharge(seen).peak_a
    for part in sorted(catalogue.shunts, key=lambda shunt: (shunt.amps, shunt.key)):
        most = part.peak_a if part.peak_a is not None else part.amps
        if part.fitted().carries_a >= need * MARGIN and most >= peak:
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
    """
    parts = [part for part in catalogue.cables if part.size.endswith("AWG") == awg] or list(catalogue.cables)
    for part in sorted(parts, key=lambda cable: (cable.mm2, cable.key)):
        lost = amps * copper_ohm(length_m * (1.0 if one_way else 2.0), part.mm2)
        if part.amps >= amps and lost <= most_v:
            return part
    return None


def main_fuse(seen: WiringAnalysis) -> float | None:
    """The largest fuse on a cable that leaves a top post of the bank [A], or None."""
    top = set(seen.top_posts)
    fuses = [
        cable.fuse.amps
        for cable in seen.wiring.cables
        if cable.fuse and {cable.a, cable.b} & top and not seen.is_thin(cable) and not seen.is_link(cable)
    ]
    return max(fuses, default=None)


def link_cable(seen: WiringAnalysis) -> Cable | None:
    """The cable that ends on the shunt's bank stud, coming from the bank."""
    if len(seen.bank_way) < 2:
        return None
    pair = {seen.bank_way[-2], seen.bank_way[-1]}
    return next((cable for cable in seen.wiring.cables if {cable.a, cable.b} == pair), None)


def choices(seen: WiringAnalysis, catalogue: Catalogue, *, awg: bool = False) -> list[Choice]:
    """Proposals for shunt, link, its lugs and the sense fuse, each with its sums and what is drawn now."""
    out, into = worst_discharge(seen), worst_charge(seen)
    need = max(out.careful_a, into.careful_a)
    kept: dict[str, str] = {overruling.what: overruling.reason for overruling in seen.wiring.overrulings}
    part = choose_shunt(seen, catalogue)
    shunt = seen.wiring.shunt
    rows = []
    sums = [
        *out.sums,
        f"out: {out.careful_a:.0f} A careful, {out.quick_a:.0f} A quick; peak {out.peak_a:.0f} A",
        *into.sums,
        f"in: {into.careful_a:.0f} A",
    ]
    if part is not None:
        sums.append(
            f"{part.name} carries {part.fitted().carries_a:.0f} A of its {part.amps:g} A "
            f"continuously: {part.fitted().carries_a:.0f} ≥ {need:.0f} A"
        )
        heat = need**2 * part.fitted().ohm
        sums.append(
            f"at {need:.0f} A it drops {1000 * need * part.fitted().ohm:.1f} mV and heats by {heat:.1f} W"
        )
    most_step = f"one count {shunt.step_a:g} A" if shunt is not None and shunt.step_a else ""
    drawn = (
        "none"
        if shunt is None
        else f"{shunt.product or 'shunt'} {shunt.amps:g} A / {shunt.mv:g} mV"
        + (f", {most_step}" if most_step else "")
    )
    fits = shunt is not None and shunt.carries_a >= need and (shunt.peak_a or shunt.amps) >= out.peak_a
    rows.append(
        Choice(
            "shunt",
            "Shunt",
            part.name if part else "none on the Shelf is large enough",
            part.key if part else "",
            tuple(sums),
            drawn,
            fits,
            kept.get("shunt", ""),
        )
    )
    rows.append(_link_choice(seen, catalogue, need, kept, awg=awg))
    rows.append(_lug_choice(seen, catalogue, kept))
    sense = next((cable for cable in seen.wiring.cables if cable.a == "monitor.sense"), None)
    amps = None if sense is None or sense.fuse is None else sense.fuse.amps
    rows.append(
        Choice(
            "sense_fuse",
            "Sense fuse",
            "1 A slow, at the post",
            "1",
            ("a supply lead draws tens of mA; its fuse guards the wire: 1 A or less",),
            "none" if amps is None else f"{amps:g} A",
            amps is not None and amps <= 1.0,
            kept.get("sense_fuse", ""),
        )
    )
    return rows


def _link_choice(
    seen: WiringAnalysis, catalogue: Catalogue, need: float, kept: dict[str, str], *, awg: bool
) -> Choice:
    link = link_cable(seen)
    fuse = main_fuse(seen)
    amps = max(need, fuse or 0.0)
    length = link.length_m if link is not None and link.length_m is not None else 0.3
    most_v = LINK_DROP * seen.nominal_v
    part = choose_cable(amps, length, most_v, catalogue, awg=awg)
    sums = [
        f"it carries the sum: {need:.0f} A" + (f", and the main fuse lets {fuse:g} A pass" if fuse else "")
    ]
    if part is not None:
        ohm = copper_ohm(length, part.mm2)
        sums.append(
            f"{part.size}: {part.amps:.0f} A in air; 0.0175 × {length:g} m ÷ {part.mm2:.4g} mm² = "
            f"{1000 * ohm:.3f} mΩ, one way"
        )
        sums.append(
            f"{need:.0f} A lose {1000 * need * ohm:.0f} mV of the {1000 * most_v:.0f} mV allowed, "
            f"{need**2 * ohm:.1f} W"
        )
    have = None if link is None else seen.carries_a(link)
    drawn = "none" if link is None else link.size or "size not known"
    good = (
        link is not None
        and have is not None
        and have >= amps
        and link.mm2 is not None
        and need * copper_ohm(length, link.mm2) <= most_v
    )
    return Choice(
        "link",
        "Link to the post",
        part.size if part else "none on the Shelf is thick enough",
        part.size if part else "",
        tuple(sums),
        drawn,
        good,
        kept.get("link", ""),
    )


def _lug_choice(seen: WiringAnalysis, catalogue: Catalogue, kept: dict[str, str]) -> Choice:
    link = link_cable(seen)
    if link is None or not link.size:
        return Choice(
            "lugs", "Lugs of the link", "choose the link first", "", (), "none", False, kept.get("lugs", "")
        )
    sums, names, drawn, good = [], [], [], True
    for end, lug in ((link.a, link.lug_a), (link.b, link.lug_b)):
        stud = seen.studs[end].thread
        part = next(
            (
                lug
                for lug in catalogue.lugs
                if same_size(lug.size, link.size) and HOLE_CLASS[lug.hole] == HOLE_CLASS.get(stud, "")
            ),
            None,
        )
        names.append(part.hole if part else stud or "?")
        sums.append(
            f"{seen.studs[end].name}: stud {stud or 'not known'}, "
            + (f"{part.name}, {part.die}" if part else f"no lug {link.size} for it on the Shelf")
        )
        drawn.append(lug or "not known")
        good &= bool(lug) and HOLE_CLASS.get(lug) == HOLE_CLASS.get(stud, "")
    return Choice(
        "lugs",
        "Lugs of the link",
        f"{link.size}: {names[0]} and {names[1]}",
        " ".join(name.replace(" ", "_") for name in names),
        tuple(sums),
        " and ".join(drawn),
        good,
        kept.get("lugs", ""),
    )


def same_size(name: str, other: str) -> bool:
    """Whether two designations are one size."""
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


def auxiliary_uses(seen: WiringAnalysis, coldest_c: float | None = None) -> list[AuxiliaryUse]:
    """The three uses of the one spare input, the best first, with reasons and what is lost by not choosing
    it.

    Args:
        coldest_c: coldest the bank gets [°C], or None where nobody knows.
    """
    lithium = not seen.chemistry.is_lead
    starter = any(device.preset.is_starter_battery for device in seen.devices)
    series = seen.bank.series > 1
    slope = any(device.gives and device.number("slope_mv_c") < 0.0 for device in seen.devices)
    frost = coldest_c is None or coldest_c < 3.0
    uses = [
        AuxiliaryUse(
            "temperature",
            "temperature",
            True,
            3.0 if lithium and frost else 1.8 if slope and not lithium else 1.0,
            "Lithium must not be charged below freezing; the monitor can warn and the relay can stop it."
            if lithium
            else "Chargers that follow temperature want the bank's own, not the bay's."
            if slope
            else "Nothing here is steered by temperature.",
            "cold charging is not noticed"
            if lithium
            else "charging volts are judged at the wrong temperature",
        ),
        AuxiliaryUse(
            "starter",
            "starter battery volts",
            starter,
            2.0 if starter else 0.0,
            "A starter battery stands in the rig: a flat one strands the owner."
            if starter
            else "No starter battery stands in the rig.",
            "a starter running flat is not noticed",
        ),
        AuxiliaryUse(
            "midpoint",
            "midpoint of the string",
            series,
            (2.5 if not lithium or seen.bank.blocks > 1 else 1.0) if series else 0.0,
            (
                f"{seen.bank.series} blocks in a string: the midpoint shows one falling behind years "
                "before the whole does."
            )
            if series
            else "One block has no midpoint.",
            "a weak block stays hidden until the string fails",
        ),
    ]
    return sorted(uses, key=lambda use: -use.weight)
