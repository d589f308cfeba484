"""Pins on the customer's own photos, and the steps that need each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from volnik.core.errors import InvalidInput
from volnik.core.wireup.steps import Step

WHAT = {
    "lug": "this lug",
    "shunt": "shunt here",
    "nothing": "nothing else on this post",
    "words": "",
}
"""What a pin says, by key; of `words` what was typed."""
MOST_WORDS, MOST_PINS = 60, 40  # letters of a pin; pins of a rig
_STEPS = {
    "shunt": ("fit:shunt",),
    "nothing": ("one_conductor", "joint:negative"),
    "lug": (),
    "words": ("photos",),
}


@dataclass(frozen=True, slots=True)
class Pin:
    """One pin.

    Attributes:
        id: of it.
        photo: number of the photo.
        x, y: from its left and top, 0 to 1 of its width and height.
        what: key of what it says.
        about: id of the device whose lug it is, "" for none.
        words: what it says.
    """

    id: int
    photo: int
    x: float
    y: float
    what: str
    about: str
    words: str


def pin_body(given: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    """A pin as it is kept.

    Args:
        given: photo, x, y, what, about, words as typed.
        names: of the rig's devices by id.

    Raises:
        InvalidInput: naming what is missing.
    """
    what, about, words = str(given["what"]), str(given["about"]), str(given["words"]).strip()
    x, y = given["x"], given["y"]
    if x is None or y is None or not (0 <= x <= 1 and 0 <= y <= 1):
        raise InvalidInput({"x": "Press the photo where the pin belongs."})
    if what not in WHAT or (what == "lug" and about not in names):
        raise InvalidInput({"what": "Choose what the pin says."})
    if what == "words" and not words:
        raise InvalidInput({"words": "Type what the pin says."})
    said = {"lug": f"this lug: {names.get(about, '')}", "words": words[:MOST_WORDS]}.get(what, WHAT[what])
    about = about if what == "lug" else ""
    return {
        "photo": int(given["photo"]),
        "x": round(x, 4),
        "y": round(y, 4),
        "what": what,
        "about": about,
        "words": said,
    }


def photos_by_step(pins: Iterable[Pin], steps: Iterable[Step]) -> dict[str, list[int]]:
    """Numbers of the photos whose pins a step needs, by its key.

    Args:
        pins: of the rig.
        steps: of its job.
    """
    pins, found = list(pins), dict[str, list[int]]()
    for step in steps:
        photos = dict.fromkeys(pin.photo for pin in pins if _is_needed(pin, step))
        if photos:
            found[step.key] = list(photos)
    return found


def _is_needed(pin: Pin, step: Step) -> bool:
    if pin.what == "lug":
        return step.key.startswith("lug:") and step.about.rpartition("_")[0] == pin.about
    return step.key in _STEPS[pin.what]
