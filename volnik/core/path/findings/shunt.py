"""The shunt itself: its ratings both ways, its resolution, its screws, and what the monitor was told
of it.
"""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sizing import worst_charge, worst_discharge


def look(seen: WiringAnalysis) -> list[Finding]:
    """Findings P15 to P17, P31, P37, P42."""
    shunt = seen.wiring.shunt
    if shunt is None:
        return []
    return [*_ratings(seen), *_resolution(seen), *_mounting(seen), *_told(seen)]


def _ratings(seen: WiringAnalysis) -> list[Finding]:
    shunt = seen.wiring.shunt
    assert shunt is not None
    found = []
    rated = f"{shunt.carries_a:.0f} A" + (
        "" if shunt.continuous_a is not None else " (two thirds of its name; no maker's figure)"
    )
    for way, amps in (
        ("discharge", worst_discharge(seen).careful_a),
        ("charge", worst_charge(seen).careful_a),
    ):
        if amps > shunt.carries_a:
            found.append(
                Finding(
                    "path.P15",
                    "stop",
                    f"The worst {way} is {amps:.0f} A; the shunt carries {rated} continuously.",
                    "An overloaded shunt heats, drifts and can loosen its own joints.",
                    "Choose a larger shunt, or decide what may run together.",
                    "path.shunt",
                    {"size_shunt": True},
                )
            )
    peaks = (
        [
            device
            for device in seen.devices
            if device.takes and not seen.shares[device.id].lacks and abs(seen.shares[device.id].value) > 0.02
        ]
        if seen.shares
        else []
    )
    for device in peaks:
        peak = abs(seen.shares[device.id].value) * device.surge_a
        most = shunt.peak_a if shunt.peak_a is not None else shunt.amps
        if peak > most:
            crank = device.preset.is_link or "bursts" in device.preset.traits
            found.append(
                Finding(
                    "path.P31" if crank else "path.P16",
                    "fix",
                    f"{device.device.name}: {peak:.0f} A for seconds, beyond the shunt's peak of "
                    f"{most:.0f} "
                    f"A{'' if shunt.peak_a is not None else ' (its name; no maker figure)'}.",
                    "Readings clip there, and the link takes the blow.",
                    "Choose a shunt of larger peak, or start the engine from its own battery."
                    if crank
                    else "Choose a shunt of larger peak.",
                    "path.shunt",
                    {"size_shunt": True},
                )
            )
    return found


def _resolution(seen: WiringAnalysis) -> list[Finding]:
    shunt = seen.wiring.shunt
    assert shunt is not None
    step = seen.monitor.step_a or shunt.step_a
    stated = [device for device in seen.devices if not {"current_a", "power_w"} & device.assumed]
    draws = [
        device.running_a
        for device in stated
        if device.takes and device.running_a > 0.0 and device.preset.is_plain_load
    ]
    draws += [
        device.number("standby_a")
        for device in seen.devices
        if device.number("standby_a") and "standby_a" not in device.assumed
    ]
    smallest = seen.monitor.smallest_a or min(draws, default=0.0)
    if step is None or not smallest or step <= smallest / 2.0:
        return []
    return [
        Finding(
            "path.P17",
            "advise",
            f"One count of the monitor is {step:g} A; the smallest draw is {smallest:.2g} A.",
            f"It vanishes between two counts: {24.0 * smallest:.1f} Ah a day that nobody sees. "
            "Larger shunts resolve less.",
            "Choose the smallest shunt that carries the load, or read the small draw with a clamp meter.",
            "path.shunt",
        )
    ]


def _mounting(seen: WiringAnalysis) -> list[Finding]:
    mount = seen.wiring.mount
    if mount.screw_mm is None or mount.behind_mm is None:
        return []
    reach = mount.screw_mm - (mount.base_mm or 0.0) - (mount.panel_mm or 0.0)
    if reach < mount.behind_mm:
        return []
    return [
        Finding(
            "path.P37",
            "stop",
            f"The screws reach {reach:.0f} mm behind the panel, and {mount.behind_mm:.0f} mm are free there.",
            "A screw through the skin, a tank or the hull cannot be taken back.",
            "Take shorter screws, or a backing block.",
            "path.shunt",
        )
    ]


def _told(seen: WiringAnalysis) -> list[Finding]:
    shunt, monitor = seen.wiring.shunt, seen.monitor
    assert shunt is not None
    if monitor.shunt_a is None or monitor.shunt_mv is None:
        return []
    factor = (monitor.shunt_a / monitor.shunt_mv) / (shunt.amps / shunt.mv)
    if abs(factor - 1.0) < 0.001:
        return []
    return [
        Finding(
            "path.P42",
            "stop",
            f"The monitor is told {monitor.shunt_a:g} A / {monitor.shunt_mv:g} mV, the shunt is "
            f"{shunt.amps:g} A / {shunt.mv:g} mV: every reading is × {factor:.3g}.",
            "Amps, Ah and runtime are all off by that one factor.",
            "Enter the shunt's own rating in the monitor.",
            "path.shunt",
        )
    ]
