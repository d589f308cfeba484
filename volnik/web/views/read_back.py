"""What was read of typed lines, in parts that lead to where each is turned, and what a kind may else be."""

from __future__ import annotations

from dataclasses import dataclass

from volnik.core.rig.devices import ResolvedDevice
from volnik.core.shelf.presets import Preset
from volnik.core.survey.kinds import other_kinds
from volnik.services.path.board import BoardView
from volnik.web.forms.devices import figure_text, figures_for

MOST_SHOWN = 30  # devices read at once


@dataclass(frozen=True, slots=True)
class Turn:
    """Another kind it may be: its key, and the words on the button."""

    key: str
    words: str


@dataclass(frozen=True, slots=True)
class ReadBack:
    """One device as it was read.

    Attributes:
        id, name: of the device.
        kind: what it was taken for.
        parts: figures and landing, each (words, field of its slip).
        asks: what is not sure of its kind, "" where it is.
        turns: kinds it may be instead.
    """

    id: str
    name: str
    kind: str
    parts: list[tuple[str, str]]
    asks: str
    turns: list[Turn]


def read_back(view: BoardView, added: str) -> list[ReadBack]:
    """The devices just typed, in the order of the list.

    Args:
        view: the board of what was found.
        added: their ids, with commas between.
    """
    ids = set(added.split(","))
    rows = [device for device in view.analysis.devices if device.id in ids]
    return [_row(view, device) for device in rows[:MOST_SHOWN]]


def _row(view: BoardView, device: ResolvedDevice) -> ReadBack:
    by_key = view.path.catalogue.by_key()
    others = [by_key[key] for key in other_kinds(device.device.name, device.device.kind, by_key)]
    asks = ""
    if others:
        word = "takes from" if device.takes else "charges"
        asks = f"Read as what {word} the battery."
    return ReadBack(
        device.id,
        device.device.name,
        device.preset.name.lower(),
        [*_figures(device), *_landing(view, device)],
        asks,
        [Turn(preset.key, _turn_words(preset)) for preset in others],
    )


def _turn_words(preset: Preset) -> str:
    way = "it charges" if preset.is_source else "it takes"
    return f"{way}: {preset.name.lower()}"


def _figures(device: ResolvedDevice) -> list[tuple[str, str]]:
    """The figures that were typed, as words and the fields they stand in."""
    found = []
    for name, word, unit in figures_for(device):
        text = figure_text(device.device, name)
        if text:
            said = word.lower().removeprefix("or ")
            told = "" if said in ("current", "power") else f"{said} "
            found.append((f"{told}{text} {unit}".strip(), f"f-{name}"))
    return found


def _landing(view: BoardView, device: ResolvedDevice) -> list[tuple[str, str]]:
    """Where its minus lands and what fuses it, as far as it was said."""
    minus = view.analysis.negative_of(device.id)
    cables = [cable for cable in view.analysis.wiring.cables if device.id in (cable.a.owner, cable.b.owner)]
    fuses = [cable.fuse.amps for cable in cables if cable.fuse is not None]
    words = [
        "" if minus is None else f"minus on {view.analysis.studs[minus.b].name}",
        *(f"fuse {amps:g} A" for amps in fuses[:1] if amps),
        next((cable.size for cable in cables if cable.size), ""),
    ]
    return [(said, "") for said in words if said]
