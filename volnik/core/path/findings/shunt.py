"""The shunt itself: its ratings both ways, its resolution, its screws, and what the monitor was told
of it.
"""

from __future__ import annotations

from volnik.core.findings import Finding
from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.sizing import worst_charge, worst_discharge
from volnik.core.rig.devices import ResolvedDevice
from volnik.core.shelf.shunts import Shunt

SEEN_SHARE = 0.02  # share from which the shunt is struck by a surge; source: estimate
SAME_RATING = 0.001  # factor of two ratings that are one; source: arithmetic noise


def check(analysis: WiringAnalysis) -> list[Finding]:
    """Findings P15 to P17, P31, P37, P42.

    Args:
        analysis: the drawing, solved and judged as one.
    """
    shunt = analysis.wiring.shunt
    if shunt is None:
        return []
    return [
        *_ratings(analysis, shunt),
        *_peaks(analysis, shunt),
        *_resolution(analysis, shunt),
        *_mounting(analysis),
        *_stated(analysis, shunt),
    ]


def _ratings(analysis: WiringAnalysis, shunt: Shunt) -> list[Finding]:
    """Continuous currents both ways against what the shunt carries."""
    maker = "" if shunt.continuous_a is not None else " (two thirds of its name; no maker's figure)"
    ways = (("discharge", worst_discharge(analysis)), ("charge", worst_charge(analysis)))
    return [
        Finding(
            "path.P15",
            "stop",
            f"The worst {way} is {worst.careful_a:.0f} A; the shunt carries {shunt.carries_a:.0f} A{maker} "
            "continuously.",
            "An overloaded shunt heats, drifts and can loosen its own joints.",
            "Choose a larger shunt, or decide what may run together.",
            "path.shunt",
            {"size_shunt": True},
        )
        for way, worst in ways
        if worst.careful_a > shunt.carries_a
    ]


def _seen_peak(analysis: WiringAnalysis, device: ResolvedDevice) -> float:
    """A device's surge as far as the shunt sees it [A]."""
    share = analysis.shares.get(device.id)
    if share is None or share.missing_reason or not device.takes or abs(share.value) <= SEEN_SHARE:
        return 0.0
    return abs(share.value) * device.surge_a


def _peaks(analysis: WiringAnalysis, shunt: Shunt) -> list[Finding]:
    """Surges, each as far as the shunt sees it, against the shunt's peak."""
    most = shunt.peak_a if shunt.peak_a is not None else shunt.amps
    maker = "" if shunt.peak_a is not None else " (its name; no maker figure)"
    found = []
    for device in analysis.devices:
        peak = _seen_peak(analysis, device)
        if peak <= most:
            continue
        cranks = device.preset.is_link or "bursts" in device.preset.traits
        found.append(
            Finding(
                "path.P31" if cranks else "path.P16",
                "fix",
                f"{device.name}: {peak:.0f} A for seconds, beyond the shunt's peak of {most:.0f} A{maker}.",
                "Readings clip there, and the link takes the blow.",
                "Choose a shunt of larger peak, or start the engine from its own battery."
                if cranks
                else "Choose a shunt of larger peak.",
                "path.shunt",
                {"size_shunt": True},
            )
        )
    return found


def _resolution(analysis: WiringAnalysis, shunt: Shunt) -> list[Finding]:
    """One count of the monitor against the smallest draw that is known."""
    step = analysis.monitor.step_a or shunt.step_a
    smallest = analysis.monitor.smallest_a or min(_known_draws(analysis), default=0.0)
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


def _known_draws(analysis: WiringAnalysis) -> list[float]:
    """Running and idle draws that were stated, not taken from a preset [A]."""
    running = [
        device.running_a
        for device in analysis.devices
        if device.preset.is_plain_load and not {"current_a", "power_w"} & device.assumed
    ]
    idle = [device.number("standby_a") for device in analysis.devices if "standby_a" not in device.assumed]
    return [amps for amps in (*running, *idle) if amps > 0.0]


def _mounting(analysis: WiringAnalysis) -> list[Finding]:
    mount = analysis.wiring.mount
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
            "Take shorter screws, or a backing battery.",
            "path.shunt",
        )
    ]


def _stated(analysis: WiringAnalysis, shunt: Shunt) -> list[Finding]:
    """The rating entered in the monitor against the shunt's own."""
    monitor = analysis.monitor
    if monitor.shunt_a is None or monitor.shunt_mv is None:
        return []
    factor = (monitor.shunt_a / monitor.shunt_mv) / (shunt.amps / shunt.mv)
    if abs(factor - 1.0) < SAME_RATING:
        return []
    return [
        Finding(
            "path.P42",
            "stop",
            f"The monitor is set for {monitor.shunt_a:g} A / {monitor.shunt_mv:g} mV, the shunt is "
            f"{shunt.amps:g} A / {shunt.mv:g} mV: every reading is × {factor:.3g}.",
            "Amps, Ah and hours to go are all off by that one factor.",
            "Enter the shunt's own rating in the monitor.",
            "path.shunt",
        )
    ]
