"""Words on the path board."""

from __future__ import annotations

from volnik.core.path.shares import Share
from volnik.core.rig.devices import ResolvedDevice

WORDS = {
    "counted": "counted",
    "uncounted": "not counted",
    "partly": "partly",
    "reversed": "reversed",
    "apart": "other battery",
    "floating": "no way round",
}


def share_words(share: Share | None, shunt: bool) -> tuple[str, str]:
    """A share as the word it is drawn by, and as text: ("partly", "62 % (54 to 74)")."""
    if share is None:
        return "apart", "other battery"
    if not shunt:
        return ("floating", "no way round") if share.missing_reason != "no shunt is fitted" else ("none", "")
    if share.word == "partly":
        spans = (
            f" ({100 * share.low:.0f} to {100 * share.high:.0f})" if share.high - share.low >= 0.01 else ""
        )
        return "partly", f"{100 * share.value:.0f} %{spans}"
    if share.word == "uncounted":
        return "uncounted", "0 % counted"
    return share.word, WORDS[share.word]


def device_words(device: ResolvedDevice) -> str:
    """A device's amps in short; a tilde where the figure is only the preset's."""
    if device.preset.is_battery:
        return ""
    given = []
    if device.takes and device.running_a:
        guess = "" if not {"current_a", "power_w"} & device.assumed else "≈ "
        given.append(f"{guess}{device.running_a:.3g} A")
    if device.gives and device.gives_a:
        given.append(f"{'≈ ' if 'most_a' in device.assumed else ''}+{device.gives_a:.3g} A")
    return " ".join(given)
