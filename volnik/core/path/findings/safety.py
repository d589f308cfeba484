"""What can hurt: an alternator on lithium, no pre-charge, a safety load that an isolator would cut off."""

from __future__ import annotations

from volnik.core.findings import Finding, Level
from volnik.core.path.analysis import SHUNT_STUDS, WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.sides import STARTER_V
from volnik.core.path.work import precharge_ohm
from volnik.core.rig.bank import nominal_class
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import Cable, Isolator, other_end

LARGE_INVERTER_W = 2000.0  # from here on capacitors are worth a pre-charge; at 48 V always; trade practice
HIGH_V = 40.0  # nominal volts from which even small capacitors draw an arc


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P28, P32, P33, P63, P64.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    return [
        *_alternators(analysis),
        *_unlike_volts(analysis),
        *_sparks(analysis),
        *_precharge(analysis),
        *_behind(analysis),
    ]


def _sparks(analysis: WiringAnalysis) -> list[Finding]:
    """Fuses and isolators that may spark where petrol or gas may gather."""
    if not analysis.wiring.gases:
        return []
    parts = _that_spark(analysis)
    wrong = [(name, key) for name, key, proof in parts if proof is False]
    unread = [(name, key) for name, key, proof in parts if proof is None]
    found = []
    if wrong:
        found.append(_may_spark(wrong, "is not ignition-proof", "stop"))
    if unread:
        found.append(_may_spark(unread, "is not known to be ignition-proof", "fix"))
    return found


def _that_spark(analysis: WiringAnalysis) -> list[tuple[str, str, bool | None]]:
    """Isolators and fuses: name, id, whether ignition-proof."""
    found: list[tuple[str, str, bool | None]] = [
        (isolator.name, isolator.id, isolator.ignition_proof) for isolator in analysis.wiring.isolators
    ]
    for cable in analysis.wiring.cables:
        name = f"fuse of the {analysis.cable_name(cable)}"
        found += [(name, cable.id, fuse.ignition_proof) for fuse in cable.fuses]
    return found


def _may_spark(named: list[tuple[str, str]], what: str, level: Level) -> Finding:
    more = f" and {len(named) - 1} more" if len(named) > 1 else ""
    return Finding(
        "path.P64",
        level,
        f"Petrol or gas may gather here, and the {named[0][0]}{more} {what}.",
        "A fuse that opens or a switch that is turned sparks.",
        "Use only ignition-proof ones there, or put them outside; read the marking and type it.",
        "path.gases",
        about=tuple(name for _, name in named),
    )


def _unlike_volts(analysis: WiringAnalysis) -> list[Finding]:
    """Batteries of unlike volts whose positives are joined, by a relay or by copper."""
    parts = _joined_positives(analysis)
    home = {parts[post] for post in analysis.top_posts}
    bank_class = nominal_class(analysis.nominal_v)
    return [
        Finding(
            "path.P63",
            "stop",
            f"{device.name}, {_own_v(analysis, device):g} V, is joined to the battery of {bank_class} V.",
            "Hundreds of amps flow from one into the other, and the smaller boils.",
            "Part them: between unlike volts only a DC-DC charger belongs. Or correct the volts typed.",
            f"path.{device.id}",
            about=(device.id,),
        )
        for device in analysis.devices
        if device.preset.is_battery
        and parts[f"{device.id}.plus"] in home
        and nominal_class(_own_v(analysis, device)) != bank_class
    ]


def _own_v(analysis: WiringAnalysis, battery: ResolvedDevice) -> float:
    """Nominal volts of another battery: as stated; a starter battery's 12, a second bank's as the first's."""
    if battery.device.nominal_v is not None:
        return battery.device.nominal_v
    return STARTER_V if battery.preset.is_starter_battery else analysis.nominal_v


def _alternators(analysis: WiringAnalysis) -> list[Finding]:
    if analysis.chemistry.is_lead:
        return []
    parts = _joined_positives(analysis)
    home = {parts[post] for post in analysis.top_posts}
    # a battery that stays on the alternator takes its load when the lithium's protection opens
    starters = [device for device in analysis.devices if device.preset.is_starter_battery]
    beside = {parts[f"{device.id}.plus"] for device in starters}
    return [
        _straight(device, dumps=not home & beside)
        for device in analysis.devices
        if "engine" in device.preset.traits
        and parts[f"{device.id}.plus"] in home
        and not (device.device.external_regulator and analysis.bank.commands_charging)
    ]


def _joined_positives(analysis: WiringAnalysis) -> dict[str, int]:
    """The part of each stud over positive cables, switches and whatever joins two batteries."""
    pairs = analysis.joined_by_cables("plus")
    pairs += [
        (StudRef.of(device.id, "plus"), StudRef.of(device.id, "far"))
        for device in analysis.devices
        if device.preset.joins_positives
    ]
    return connected(analysis.studs, pairs)


def _straight(device: ResolvedDevice, *, dumps: bool) -> Finding:
    why = (
        "When the battery's own cut-off opens on charge the alternator's load is dumped into the rig; before "
        "that it overheats."
        if dumps
        else "Lithium takes all an alternator gives for hours: it overheats, and so do the cables between. "
        "When its cut-off opens, the starter battery takes the load."
    )
    return Finding(
        "path.P28",
        "stop" if dumps else "fix",
        f"{device.name}: it feeds the lithium battery straight.",
        why,
        "Put a DC-DC charger between; or state that its regulator senses temperature and that the battery's "
        "protection can signal it to stop.",
        f"path.{device.id}",
        about=(device.id,),
    )


def _precharge(analysis: WiringAnalysis) -> list[Finding]:
    high = analysis.nominal_v >= HIGH_V
    return [
        _uncharged(analysis, device, gently=nominal_class(analysis.nominal_v) <= 12)
        for device in analysis.devices
        if device.preset.is_inverter
        and (high or device.number("power_w") >= LARGE_INVERTER_W)
        and device.id not in analysis.wiring.precharge
    ]


def _uncharged(analysis: WiringAnalysis, device: ResolvedDevice, *, gently: bool) -> Finding:
    return Finding(
        "path.P32",
        "advise" if gently else "fix",
        f"{device.name}, {device.number('power_w'):g} W: nothing charges its capacitors before the fuse "
        "or isolator is closed.",
        "They take thousands of amps for a moment: an arc at the contact, a blown fuse, "
        "and a peak through the shunt.",
        "Charge them first across the open main fuse or isolator: "
        f"{precharge_ohm(analysis.nominal_v)} Ω, 25 W wire-wound, until under a tenth of the battery's volts "
        "is left across it.",
        f"path.{device.id}",
        {"ops": [{"op": "set_precharge", "device": device.id, "fitted": True}]},
        (device.id,),
    )


def _behind(analysis: WiringAnalysis) -> list[Finding]:
    return [finding for isolator in analysis.wiring.isolators for finding in _behind_one(analysis, isolator)]


def _behind_one(analysis: WiringAnalysis, isolator: Isolator) -> list[Finding]:
    """What must not go dead and does when one isolator is opened."""
    pole = isolator.pole
    parts = connected(analysis.studs, analysis.joined_by_cables(pole, opened=isolator.id))
    homes = {parts[stud] for stud in _home_studs(analysis, pole)}
    ends = [StudRef.of(isolator.id, end) for end in ("a", "b")]
    # Neither end at home: another isolator is open before it, which is told by itself.
    ahead = next((end for end in ends if parts[end] in homes), None)
    if ahead is None:
        return []
    target = next((other_end(cable, ahead) for cable in analysis.by_stud[ahead]), ahead)
    found = []
    for device in (device for device in analysis.devices if device.safety):
        stud = StudRef.of(device.id, pole)
        cut_off = stud in parts and parts[stud] not in homes
        if cut_off and analysis.by_stud[stud]:
            found.append(_goes_dead(device, isolator, analysis.by_stud[stud][0], stud, target))
    return found


def _home_studs(analysis: WiringAnalysis, pole: str) -> list[StudRef]:
    """Where a pole comes from: the top posts, or the lowest ones with the shunt."""
    if pole == "plus":
        return list(analysis.top_posts)
    return [*analysis.posts, *([] if analysis.wiring.shunt is None else SHUNT_STUDS)]


def _goes_dead(
    device: ResolvedDevice, isolator: Isolator, cable: Cable, stud: StudRef, target: StudRef
) -> Finding:
    end = "a" if cable.b == stud else "b"
    return Finding(
        "path.P33",
        "fix",
        f"{device.name} goes dead when the {lower(isolator.name)} is opened.",
        "It must not: whoever isolates the rig loses the pump, the alarm or the vaccine with it.",
        "Feed it from before the isolator, with its own fuse; its negative stays on the rig side.",
        f"path.{device.id}",
        {"ops": [{"op": "move_end", "cable": cable.id, "end": end, "to": target}]},
    )
