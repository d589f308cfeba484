"""What a name may be instead of what it was taken for, where the sign of its amps hangs on it.

A kind is told by the last word of the trade in a name. Some words stand for a thing that takes from the
battery and for one that charges it; and a name without any such word is counted as a load.
"""

from __future__ import annotations

import re

from volnik.core.shelf.presets import Preset

EITHER: dict[str, tuple[str, ...]] = {
    "outboard": ("propulsion", "alternator"),
    "engine": ("alternator", "cranking"),
    "motor": ("propulsion", "load"),
    "hydro": ("generator", "load"),
    "regulator": ("solar", "wind", "load"),
    "converter": ("load", "dcdc"),
    "power supply": ("mains", "load"),
    "trailer": ("load", "dcdc"),
    "isolator": ("load", "split_relay"),
    "coupler": ("split_relay", "load"),
}
"""Words that two kinds are called by; source: trade practice."""
UNKNOWN = ("mains", "inverter")  # what a name may be that no word of the trade tells


def other_kinds(name: str, kind: str, presets: dict[str, Preset]) -> list[str]:
    """Kinds a device may be instead; none where its name leaves no doubt.

    Args:
        name: as typed.
        kind: that it was taken for.
        presets: kinds of devices by key.
    """
    text = f" {_plain(name)} "
    for word, keys in EITHER.items():
        if text.endswith(f" {word} ") and not _says_more(text, word, presets.get(kind)):
            return [key for key in keys if key != kind and key in presets]
    if kind != "load" or _is_known(text, presets):
        return []
    return [key for key in UNKNOWN if key in presets]


def _is_known(text: str, presets: dict[str, Preset]) -> bool:
    """Whether a word of the trade stands in a name."""
    words = (word for preset in presets.values() for word in (*preset.words, preset.name))
    return any(f" {_plain(word)} " in text for word in words)


def _says_more(text: str, word: str, own: Preset | None) -> bool:
    """Whether a name leaves no doubt after all, for its kind is called by more than the doubtful word."""
    called = () if own is None else (*own.words, own.name)
    longer = [plain for plain in map(_plain, called) if plain.endswith(word) and plain != word]
    return any(f" {plain} " in text for plain in longer)


def turned(figures: dict[str, object], old: Preset, new: Preset) -> dict[str, object]:
    """Figures of a device whose kind is turned: what it drew it gives, or the other way.

    Args:
        figures: of the device, by field.
        old, new: its kinds.
    """
    found = dict(figures)
    if old.is_source == new.is_source:
        return found
    here, there = ("most_a", "current_a") if old.is_source else ("current_a", "most_a")
    if found.get(there) is None:
        found[there], found[here] = found.get(here), None
    watts, panel = ("panel_w", "power_w") if old.is_source else ("power_w", "panel_w")
    if found.get(watts) is not None and (new.panel_w is not None or not new.is_source):
        found[panel], found[watts] = found[watts], None
    return found


def _plain(words: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", words.lower()).strip()
