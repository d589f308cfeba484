"""What can hurt: an alternator on lithium, no pre-charge, a safety load that an isolator would cut off."""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.network import connected
from volnik.core.rig.studs import lower

LARGE_INVERTER_W = 1000.0  # inverters from here on have capacitors worth a pre-charge; source: trade practice


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P28, P32, P33."""
    return [*_alternators(seen), *_precharge(seen), *_behind(seen)]


def _alternators(seen: WiringAnalysis) -> list[Finding]:
    if seen.chemistry.is_lead:
        return []
    pairs = [
        (cable.a, cable.b)
        for cable in seen.wiring.cables
        if seen.studs[cable.a].pole == seen.studs[cable.b].pole == "plus"
    ]
    pairs += [
        (f"{isolator.id}.a", f"{isolator.id}.b")
        for isolator in seen.wiring.isolators
        if isolator.pole == "plus"
    ]
    pairs += [
        (f"{device.id}.plus", f"{device.id}.far") for device in seen.devices if device.preset.joins_positives
    ]
    parts = connected(seen.studs, pairs)
    home = {parts[post] for post in seen.top_posts}
    found = []
    for device in seen.devices:
        if "engine" in device.preset.traits and parts[f"{device.id}.plus"] in home:
            found.append(
                Finding(
                    "path.P28",
                    "stop",
                    f"{device.device.name}: it feeds the lithium bank straight.",
                    "When the battery's own cut-off opens on charge the alternator's load is dumped "
                    "into the rig; before that it overheats.",
                    "Put a DC-DC charger between, or the maker's protection, and let the alternator "
                    "feed the starter battery.",
                    f"path.{device.id}",
                )
            )
    return found


def _precharge(seen: WiringAnalysis) -> list[Finding]:
    found = []
    ohm = 10 if seen.nominal_v < 18 else 25 if seen.nominal_v < 36 else 50
    for device in seen.devices:
        power = device.figures["power_w"]
        if (
            device.preset.is_inverter
            and isinstance(power, int | float)
            and power >= LARGE_INVERTER_W
            and device.id not in seen.wiring.precharge
        ):
            found.append(
                Finding(
                    "path.P32",
                    "fix",
                    f"{device.device.name}, {power:g} W: nothing charges its capacitors before the fuse "
                    "or isolator is closed.",
                    "They take thousands of amps for a moment: an arc at the contact, a blown fuse, "
                    "and a peak through the shunt.",
                    f"Charge them first across the open main fuse or isolator: {ohm} Ω, 25 W "
                    "wire-wound, until under 1 V is left across it.",
                    f"path.{device.id}",
                    {"ops": [{"op": "set_precharge", "device": device.id, "fitted": True}]},
                )
            )
    return found


def _behind(seen: WiringAnalysis) -> list[Finding]:
    found = []
    for isolator in seen.wiring.isolators:
        pole = isolator.pole
        ends = [f"{isolator.id}.a", f"{isolator.id}.b"]
        home = (
            seen.top_posts
            if pole == "plus"
            else [*seen.posts, *(["shunt.rig", "shunt.bank"] if seen.wiring.shunt else [])]
        )
        pairs = [
            (cable.a, cable.b)
            for cable in seen.wiring.cables
            if seen.studs[cable.a].pole == seen.studs[cable.b].pole == pole
        ]
        pairs += [
            (f"{item.id}.a", f"{item.id}.b")
            for item in seen.wiring.isolators
            if item.id != isolator.id and item.pole == pole
        ]
        parts = connected(seen.studs, pairs)
        homes = {parts[stud] for stud in home}
        ahead = next((end for end in ends if parts[end] in homes), None)
        for device in seen.devices:
            stud = f"{device.id}.{pole}"
            if not device.safety or stud not in parts or parts[stud] in homes or ahead is None:
                continue
            if not seen.by_stud[stud]:
                continue
            cable = seen.by_stud[stud][0]
            joined = {cable.a, cable.b} - {stud}
            target = next((other.b if other.a == ahead else other.a for other in seen.by_stud[ahead]), ahead)
            found.append(
                Finding(
                    "path.P33",
                    "fix",
                    f"{device.device.name} goes dead when the {lower(isolator.name)} is opened.",
                    "It must not: whoever isolates the rig loses the pump, the alarm or the vaccine with it.",
                    "Feed it from before the isolator, with its own fuse; its negative stays on the "
                    "rig side.",
                    f"path.{device.id}",
                    {
                        "ops": [
                            {
                                "op": "move_end",
                                "cable": cable.id,
                                "end": "b" if cable.b in joined else "a",
                                "to": target,
                            }
                        ]
                    },
                )
            )
    return found
