"""The parts of the path board, and its sizes."""

from __future__ import annotations

from dataclasses import dataclass, field

from volnik.drawings.scale import Word

BLOCK_W, BLOCK_H, BLOCK_STEP = 78.0, 54.0, 96.0
TRACK, MARGIN = 6.0, 8.0
RAIL_STEP, RAIL_W = 34.0, 11.0
BAY_PAD, BAY_ABOVE = 20.0, 34.0  # round what lies in the bay; above the shunt, where its name is written
DEVICE_W, SHUNT_W, SHUNT_H, ISO_W, ISO_H = 286.0, 104.0, 46.0, 62.0, 34.0
LETTER, NAME_LETTER = 6.6, 7.3  # width of a letter, roughly
BARRED = ("counted", "uncounted", "partly", "reversed")  # words with a bar behind them
SPREAD = 11.0  # between cables on one stud
NAMES = 30.0  # above the rails, for their names
LEAST_FLOW = 0.005  # of the picked device's current; less is not drawn as part of its loop


@dataclass(frozen=True, slots=True)
class Wire:
    """A cable: its way, how thick, of which kind (minus, plus, thin), counted or not, and whether it is in
    the picked loop.
    """

    id: str
    path: str
    width: float
    kind: str
    state: str
    heavy: bool
    title: str

    @property
    def drawn_width(self) -> float:
        """How thick it is drawn: one of the picked loop stands out."""
        return self.width + (4 if self.heavy else 0)

    @property
    def hatch_width(self) -> float:
        """How thick the hatching over it is."""
        return self.drawn_width + 1


@dataclass(frozen=True, slots=True)
class End:
    """An end of a cable that can be moved."""

    cable: str
    end: str
    stud: str
    pole: str
    x: float
    y: float
    title: str


@dataclass(frozen=True, slots=True)
class Target:
    """A stud a cable can be put on: a place, or a stretch of a rail."""

    stud: str
    pole: str
    name: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class BlockBox:
    """A block with its posts on top, plus on the left."""

    id: str
    x: float
    y: float
    words: tuple[Word, ...]
    share: str


@dataclass(frozen=True, slots=True)
class RailBar:
    """A busbar, junction stud, chassis or hull."""

    id: str
    kind: str
    pole: str
    x: float
    y: float
    height: float
    name: str
    name_y: float

    @property
    def foot(self) -> float:
        """Where it ends."""
        return self.y + self.height


@dataclass(frozen=True, slots=True)
class DeviceRow:
    """A device: its row, its words, and what of its current is counted."""

    id: str
    x: float
    y: float
    width: float
    height: float
    name: str
    detail: str
    word: str
    share: str
    bar: float
    picked: bool
    battery: bool
    font: float
    told_x: float
    amps_x: float
    title: str

    @property
    def middle(self) -> float:
        """The middle of its height."""
        return self.y + self.height / 2

    @property
    def bar_x(self) -> float:
        """Where the bar of what is counted begins."""
        return self.x + self.width - 46

    @property
    def bar_w(self) -> float:
        """How long its filled part is."""
        return 32 * self.bar


@dataclass(frozen=True, slots=True)
class Arrow:
    """An arrowhead on the picked loop with its amps."""

    x: float
    y: float
    turn: float
    text: str
    text_x: float
    text_y: float
    anchor: str


@dataclass(frozen=True, slots=True)
class Box:
    """A shunt, isolator or the monitor: where it is and what is written on it."""

    id: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    words: tuple[Word, ...]


@dataclass(slots=True)
class PathBoard:
    """The board as boxes and ways."""

    width: float = 0.0
    height: float = 0.0
    top: float = 0.0
    message: str = ""
    blocks: list[BlockBox] = field(default_factory=list)
    boxes: list[Box] = field(default_factory=list)
    rails: list[RailBar] = field(default_factory=list)
    rows: list[DeviceRow] = field(default_factory=list)
    wires: list[Wire] = field(default_factory=list)
    ends: list[End] = field(default_factory=list)
    targets: list[Target] = field(default_factory=list)
    arrows: list[Arrow] = field(default_factory=list)
    posts: list[tuple[float, float, str, str]] = field(default_factory=list)

    @property
    def bay(self) -> tuple[float, float, float, float] | None:
        """The bay round batteries, shunt and monitor: x, y, width, height; None where nothing lies in it."""
        corners = [(block.x, block.y, block.x + BLOCK_W, block.y + BLOCK_H) for block in self.blocks]
        corners += [
            (box.x, box.y - BAY_ABOVE, box.x + box.width, box.y + box.height)
            for box in self.boxes
            if box.kind in ("shunt", "monitor")
        ]
        if not corners:
            return None
        left, top = min(each[0] for each in corners) - BAY_PAD, min(each[1] for each in corners) - BAY_PAD
        right, foot = max(each[2] for each in corners) + BAY_PAD, max(each[3] for each in corners) + BAY_PAD
        return left, top, right - left, foot - top

    @property
    def tall(self) -> bool:
        """Whether it is too high to fill the width of a page."""
        return self.height > 0.85 * self.width
