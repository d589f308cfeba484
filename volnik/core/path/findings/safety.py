"""What can hurt: an alternator on lithium, no pre-charge, a safety load that an isolator would cut off."""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import SHUNT_STUDS, WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.path.work import precharge_ohm
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.rig.stud_ref import StudRef
from volnik.core.rig.studs import lower
from volnik.core.rig.wiring import Cable, Isolator, other_end

LARGE_INVERTER_W = 1000.0  # inverters from here on have capacitors worth a pre-charge; source: trade practice


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P28, P32, P33.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    return [*_alternators(analysis), *_precharge(analysis), *_behind(analysis)]


def _alternators(analysis: WiringAnalysis) -> list[Finding]:
    if analysis.chemistry.is_lead:
        return []
    pairs = analysis.joined_by_cables("plus")
    pairs += [
        (StudRef.of(device.id, "plus"), StudRef.of(device.id, "far"))
        for device in analysis.devices
        if device.preset.joins_positives
    ]
    parts = connected(analysis.studs, pairs)
    home = {parts[post] for post in analysis.top_posts}
    return [
        Finding(
            "path.P28",
            "stop",
            f"{device.name}: it feeds the lithium bank straight.",
            "When the battery's own cut-off opens on charge the alternator's load is dumped "
            "into the rig; before that it overheats.",
            "Put a DC-DC charger between, or the maker's protection, and let the alternator "
            "feed the starter battery.",
            f"path.{device.id}",
        )
        for device in analysis.devices
        if "engine" in device.preset.traits and parts[f"{device.id}.plus"] in home
    ]


def _precharge(analysis: WiringAnalysis) -> list[Finding]:
    return [
        Finding(
            "path.P32",
            "fix",
            f"{device.name}, {device.number('power_w'):g} W: nothing charges its capacitors before the fuse "
            "or isolator is closed.",
            "They take thousands of amps for a moment: an arc at the contact, a blown fuse, "
            "and a peak through the shunt.",
            "Charge them first across the open main fuse or isolator: "
            f"{precharge_ohm(analysis.nominal_v)} Ω, 25 W "
            "wire-wound, until under 1 V is left across it.",
            f"path.{device.id}",
            {"ops": [{"op": "set_precharge", "device": device.id, "fitted": True}]},
        )
        for device in analysis.devices
        if device.preset.is_inverter
        and device.number("power_w") >= LARGE_INVERTER_W
        and device.id not in analysis.wiring.precharge
    ]


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
