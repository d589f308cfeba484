"""The path board: the bank as it sits, the shunt, rails, a row a device, and every cable routed at right angles by rule.

Lanes from left to right: bank | (isolators before the shunt) | shunt | (isolators after it) | negative rails | devices |
positive isolators | positive rails. Between two lanes lies a gap in which cables run upright, each on a track of its own.
A cable that must pass a closed lane goes round it: negatives below everything, positives above.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass, field

from volnik.core.path.cases import LoadCase
from volnik.core.path.change import block_places
from volnik.core.path.seen import Seen
from volnik.core.rig.wiring import Cable
from volnik.web.drawings.path_words import device_words, share_words
from volnik.web.drawings.scale import Word

BLOCK_W, BLOCK_H, BLOCK_STEP = 78.0, 54.0, 96.0
TRACK, MARGIN = 6.0, 8.0
RAIL_STEP, RAIL_W = 34.0, 11.0
DEVICE_W, SHUNT_W, SHUNT_H, ISO_W, ISO_H = 286.0, 104.0, 46.0, 62.0, 34.0
LETTER, NAME_LETTER = 6.6, 7.3  # width of a letter, roughly
BARRED = ("counted", "uncounted", "partly", "reversed")  # words with a bar behind them
SPREAD = 11.0  # between cables on one stud
NAMES = 30.0  # above the rails, for their names
LEAST_FLOW = 0.005  # of the picked device's current; less is not drawn as part of its loop


@dataclass(frozen=True, slots=True)
class Wire:
    """A cable: its way, how thick, of which kind (minus, plus, thin), counted or not, and whether it is in the picked loop."""

    id: str
    path: str
    width: float
    kind: str
    state: str
    heavy: bool
    title: str


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
    told: str = ""
    blocks: list[BlockBox] = field(default_factory=list)
    boxes: list[Box] = field(default_factory=list)
    rails: list[RailBar] = field(default_factory=list)
    rows: list[DeviceRow] = field(default_factory=list)
    wires: list[Wire] = field(default_factory=list)
    ends: list[End] = field(default_factory=list)
    targets: list[Target] = field(default_factory=list)
    arrows: list[Arrow] = field(default_factory=list)
    posts: list[tuple[float, float, str, str]] = field(default_factory=list)


def wire_width(mm2: float | None) -> float:
    """How thick a cable is drawn: by the diameter of its copper; a size not known as a thin one."""
    return 2.4 if mm2 is None else round(min(11.0, 1.2 + 0.82 * math.sqrt(mm2)), 2)


@dataclass(slots=True)
class _Place:
    """Where a stud is and how its cables leave it: sideways into a gap, or up into the corridor of its row of blocks."""

    x: float
    y: float
    gap: int
    rail: bool = False
    corridor: float | None = None


class _Router:
    """Gives every cable its tracks, passages and corridors, so that no two lie on each other."""

    def __init__(self, gaps: dict[int, tuple[float, float]], open_lanes: set[int], top: float, bottom: float) -> None:
        self.gaps, self.open_lanes = gaps, open_lanes
        self.used: dict[int, int] = defaultdict(int)
        self.top, self.bottom = top, bottom
        self.above = self.below = 0
        self.corridors: dict[float, int] = defaultdict(int)

    def track(self, gap: int) -> float:
        """The next free upright track of a gap, from its middle outwards."""
        low, high = self.gaps[gap]
        index = self.used[gap]
        self.used[gap] += 1
        middle = (low + high) / 2
        offset = (index + 1) // 2 * TRACK * (1 if index % 2 else -1)
        return round(min(high - 3, max(low + 3, middle + offset)), 1)

    def corridor(self, row_y: float) -> float:
        """The next free level above a row of blocks."""
        index = self.corridors[row_y]
        self.corridors[row_y] += 1
        return row_y - 10 - TRACK * (index % 5)

    def passage(self, pole: str) -> float:
        """The next free level round the closed lanes: negatives below, positives above."""
        if pole == "minus":
            self.below += 1
            return self.bottom + TRACK * self.below
        self.above += 1
        return self.top - TRACK * self.above

    def way(self, a: _Place, b: _Place, pole: str) -> list[tuple[float, float]]:
        """Corner points from one stud to the other."""
        start, end = self._leave(a), self._leave(b)
        (ax, ay), (bx, by) = start[-1], end[-1]
        if a.corridor is not None and b.corridor == a.corridor:
            return [(a.x, a.y), (a.x, ay), (b.x, ay), (b.x, b.y)]
        if a.corridor is not None and b.corridor is not None and a.gap != b.gap:  # along a string, one row to another
            x = min(a.x, b.x) - 22.0
            return [(a.x, a.y), (a.x, ay), (x, ay), (x, by), (b.x, by), (b.x, b.y)]
        if a.rail and b.rail:
            return [*start, (ax, ay), (bx, ay), *((bx, by),)]
        if a.rail or b.rail:
            rail, other, leave = (a, b, end) if a.rail else (b, a, start)
            points = self._to_rail(rail, other, leave, pole)
            return points if b.rail else points[::-1]
        if a.gap == b.gap:
            x = self.track(a.gap)
            middle = [(x, ay), (x, by)]
        elif self._open(a.gap, b.gap):
            x = self.track(min(a.gap, b.gap) if pole == "minus" else max(a.gap, b.gap))
            middle = [(x, ay), (x, by)]
        else:
            xa, xb, level = self.track(a.gap), self.track(b.gap), self.passage(pole)
            middle = [(xa, ay), (xa, level), (xb, level), (xb, by)]
        return [*start, *middle, *end[::-1]]

    def _leave(self, place: _Place) -> list[tuple[float, float]]:
        if place.corridor is None:
            return [(place.x, place.y)]
        return [(place.x, place.y), (place.x, self.corridor(place.corridor))]

    def _open(self, one: int, other: int) -> bool:
        low, high = sorted((one, other))
        return all(lane in self.open_lanes for lane in range(low + 1, high + 1))

    def _to_rail(
        self, rail: _Place, other: _Place, leave: list[tuple[float, float]], pole: str
    ) -> list[tuple[float, float]]:
        """From another stud onto a rail at the level it comes in on."""
        _, y = leave[-1]
        if self._open(other.gap, rail.gap) or self._open(other.gap, rail.gap - 1):
            return [*leave, (rail.x, y)]
        x, level = self.track(other.gap), self.passage(pole)
        return [*leave, (x, y), (x, level), (rail.x, level)]


def draw_board(
    seen: Seen, *, pick: str | None = None, loop: LoadCase | None = None, positives: bool = True
) -> PathBoard:
    """Lay the drawing out (module docstring).

    Args:
        pick: the device whose loop is drawn heavy. loop: that device alone, solved.
        positives: whether the positive side is drawn.
    """
    board = PathBoard()
    layout = _Layout(seen, positives)
    layout.lay(board)
    _wires(seen, board, layout, pick, loop, positives)
    _rows(seen, board, layout, pick)
    below = 26.0 if positives and any(bar.pole == "plus" for bar in seen.wiring.bars) else 0.0
    board.height = layout.bottom + max(below, TRACK * (layout.router.below + 1)) + MARGIN
    lifted = layout.top - NAMES - TRACK * layout.router.above
    board.top = min(0.0, lifted - MARGIN)
    board.height -= board.top
    board.told = _told(seen)
    return board


def _told(seen: Seen) -> str:
    counted = sum(share.word == "counted" for share in seen.shares.values())
    return f"Path board: {seen.bank.blocks} block{'s' if seen.bank.blocks > 1 else ''}, {len(seen.shares)} devices, {counted} of them counted; {len(seen.strays)} cables on the bank's side beside the link."


class _Layout:
    """Where everything stands."""

    def __init__(self, seen: Seen, positives: bool) -> None:
        self.seen = seen
        wiring = seen.wiring
        minus_bars = [bar for bar in wiring.bars if bar.pole == "minus"]
        minus_bars.sort(key=lambda bar: bar.is_ground)
        plus_bars = [bar for bar in wiring.bars if bar.pole == "plus"]
        before = [one for one in wiring.isolators if one.pole == "minus" and f"{one.id}.a" in seen.bank_side]
        after = [one for one in wiring.isolators if one.pole == "minus" and one not in before]
        plus_isos = [one for one in wiring.isolators if one.pole == "plus"]
        crowd = defaultdict(int)
        round_top = sum(
            1 for cable in wiring.cables
            if (positives or seen.is_thin(cable)) and {seen.studs[cable.a].pole, seen.studs[cable.b].pole} != {"minus"}
            and {seen.studs[cable.a].place, seen.studs[cable.b].place} & {"block", "monitor"} and not seen.is_link(cable)
        )  # fmt: skip
        for cable in wiring.cables:
            ends = {seen.studs[cable.a].place, seen.studs[cable.b].place}
            if seen.studs[cable.a].pole == "minus" == seen.studs[cable.b].pole:
                crowd["bank"] += "block" in ends
                crowd["shunt"] += "block" in ends or "shunt" in ends
        self.top = 44.0 + TRACK * (round_top + 1)
        places = block_places(seen.bank, wiring)
        columns, rows = 1 + max(c for c, _ in places.values()), 1 + max(r for _, r in places.values())
        beside = 46.0 if seen.bank.parallel > 1 else 0.0  # for the amps of the links between strings
        left_gap = 20.0 + max(beside, TRACK * min(8, round_top))
        self.block_x = {c: left_gap + c * (BLOCK_W + 14.0) for c in range(columns)}
        self.block_y = {r: self.top + 42.0 + r * BLOCK_STEP for r in range(rows)}
        self.places = places
        bank_end = left_gap + columns * (BLOCK_W + 14.0) - 14.0
        gap1 = 26.0 + TRACK * min(10, crowd["bank"])
        x = bank_end + gap1
        self.gaps: dict[int, tuple[float, float]] = {0: (2.0, left_gap - 4), 1: (bank_end + 4, x - 4)}
        self.before_x = x
        x += (ISO_W + 22.0) if before else 0.0
        self.gaps[2] = (x - 18, x - 4) if before else (x - 4, x)
        self.shunt_x = x
        x += SHUNT_W if wiring.shunt is not None else 0.0
        wide = 22.0 + TRACK * min(10, crowd["shunt"])
        self.gaps[3] = (x + 4, x + wide - 4)
        x += wide
        self.after_x = x
        x += (ISO_W + 22.0) if after else 0.0
        self.gaps[4] = (x - 18, x - 4) if after else (x - 4, x)
        self.rail_x = {bar.id: x + RAIL_STEP * (at + 0.5) for at, bar in enumerate(minus_bars)}
        x += RAIL_STEP * len(minus_bars)
        tied = sum(
            1
            for cable in wiring.cables
            if {seen.studs[cable.a].place, seen.studs[cable.b].place} <= {"device", "battery"}
        )
        self.gaps[5] = (x + 3, x + 24.0 + TRACK * tied)
        x = self.gaps[5][1] + 4
        self.device_x = x
        x += DEVICE_W
        direct = sum(
            1
            for cable in wiring.cables
            if positives and seen.studs[cable.a].pole == "plus" and {"device", "block"} & {seen.studs[cable.b].place}
        )
        self.gaps[6] = (x + 4, x + 22.0 + TRACK * min(14, direct + tied))
        x = self.gaps[6][1] + 2
        self.plus_iso_x = x
        x += (ISO_W + 20.0) if plus_isos and positives else 0.0
        self.gaps[7] = (x - 16, x - 2) if plus_isos and positives else (x - 2, x)
        if positives:
            self.rail_x |= {bar.id: x + RAIL_STEP * (at + 0.5) for at, bar in enumerate(plus_bars)}
            x += RAIL_STEP * len(plus_bars)
        self.gaps[8] = (x, x + 10.0)
        self.width = x + 12.0
        count = max(1, len(wiring.rows))
        self.step = 40.0 if count <= 11 else 30.0 if count <= 18 else 23.0
        rows_top = self.top + 10.0
        self.row_y = {device: rows_top + self.step * (at + 0.5) for at, device in enumerate(wiring.rows)}
        loose = [
            cable for cable in wiring.cables
            if {seen.studs[cable.a].place, seen.studs[cable.b].place} <= {"bar", "ground"} or (seen.studs[cable.a].place in ("bar", "ground") and seen.studs[cable.b].place == "block")
            or (seen.studs[cable.b].place in ("bar", "ground") and seen.studs[cable.a].place == "block")
        ]  # fmt: skip
        self.slots = {cable.id: rows_top + self.step * count + 12.0 + 13.0 * at for at, cable in enumerate(loose)}
        self.bottom = max(
            rows_top + self.step * count + 14.0 + 13.0 * len(loose),
            self.block_y[rows - 1] + BLOCK_H + 16.0,
            self.top + 250.0,
        )
        self.middle_y = (self.top + self.bottom) / 2
        self.shunt_y = min(self.middle_y, self.top + 150.0) - SHUNT_H / 2
        self.isos_before, self.isos_after, self.isos_plus = before, after, plus_isos
        open_lanes = (
            {5}
            | ({4} if not after else set())
            | ({2} if not before else set())
            | ({7} if not (plus_isos and positives) else set())
            | {8}
        )
        if wiring.shunt is None:
            open_lanes.add(3)
        self.router = _Router(self.gaps, open_lanes, self.top - NAMES, self.bottom)
        self.stud: dict[str, _Place] = {}
        self.taken: dict[str, int] = defaultdict(int)

    def lay(self, board: PathBoard) -> None:
        """Put blocks, shunt, isolators, monitor and rails down, and note where each stud is."""
        seen, wiring = self.seen, self.seen.wiring
        board.width = self.width
        shares = _string_words(seen)
        block_ah = seen.bank.block_reading(seen.chemistry).capacity_ah
        columns = max(c for c, _ in self.places.values())
        for name, (column, row) in self.places.items():
            x, y = self.block_x[column], self.block_y[row]
            ah = seen.bank.string_ah[ord(name[0]) - 65] if seen.bank.string_ah else block_ah
            words = (
                Word(x + BLOCK_W / 2, y + 27, name, "middle", "name"),
                Word(x + BLOCK_W / 2, y + 44, f"{ah:.4g} Ah", "middle", "small"),
            )
            board.blocks.append(BlockBox(name, x, y, words, shares.get(name, "")))
            for pole, at in (("plus", x + 15), ("minus", x + BLOCK_W - 15)):
                gap = (0 if column < columns or pole == "plus" else 1) if pole == "plus" or columns else 1
                gap = 1 if pole == "minus" else 0
                self.stud[f"{name}.{pole}"] = _Place(at, y + 3, gap, corridor=y)
                board.posts.append((at, y + 3, pole, f"{name}.{pole}"))
        if wiring.shunt is not None:
            x, y = self.shunt_x, self.shunt_y
            shunt = wiring.shunt
            marks = (
                Word(x + SHUNT_W / 2, y - 20, f"{shunt.amps:g} A / {shunt.mv:g} mV", "middle", "small"), Word(x + SHUNT_W / 2, y - 6, "shunt", "middle", "name"),
                Word(x + 4, y + SHUNT_H + 13, "bank side", "start", "small"), Word(x + SHUNT_W - 4, y + SHUNT_H + 27, "rig side", "end", "small"),
            )  # fmt: skip
            board.boxes.append(Box("shunt", "shunt", x, y, SHUNT_W, SHUNT_H, marks))
            self.stud["shunt.bank"] = _Place(x + 14, y + SHUNT_H / 2, 2)
            self.stud["shunt.rig"] = _Place(x + SHUNT_W - 14, y + SHUNT_H / 2, 3)
            my = y + SHUNT_H + 46
            board.boxes.append(
                Box(
                    "monitor",
                    "monitor",
                    x + 18,
                    my,
                    SHUNT_W - 36,
                    30,
                    (Word(x + SHUNT_W / 2, my + 19, "monitor", "middle", "small"),),
                )
            )
            self.stud["monitor.sense"] = _Place(x + 18, my + 9, 2)
            self.stud["monitor.aux"] = _Place(x + 18, my + 21, 2)
        for column_x, isos, left, right in (
            (self.before_x, self.isos_before, 1, 2),
            (self.after_x, self.isos_after, 3, 4),
            (self.plus_iso_x, self.isos_plus, 7, 6),
        ):
            for at, iso in enumerate(isos):
                if (
                    iso.pole == "plus"
                    and self.rail_x.keys().isdisjoint({bar.id for bar in wiring.bars if bar.pole == "plus"})
                    and column_x == self.gaps[6][1] + 2
                    and self.gaps[7][1] <= column_x
                ):
                    continue
                y = self.shunt_y + SHUNT_H / 2 - ISO_H / 2 + at * 62
                board.boxes.append(
                    Box(
                        iso.id,
                        "isolator",
                        column_x,
                        y,
                        ISO_W,
                        ISO_H,
                        (Word(column_x + ISO_W / 2, y - 5, iso.name[:14], "middle", "small"),),
                    )
                )
                near, far = ("a", "b") if iso.pole == "minus" else ("b", "a")
                self.stud[f"{iso.id}.{near}"] = _Place(column_x + 9, y + ISO_H / 2, left if iso.pole == "minus" else 6)
                self.stud[f"{iso.id}.{far}"] = _Place(
                    column_x + ISO_W - 9, y + ISO_H / 2, right if iso.pole == "minus" else 7
                )
        for bar in wiring.bars:
            if bar.id not in self.rail_x:
                continue
            x = self.rail_x[bar.id]
            order = list(self.rail_x).index(bar.id)
            name_y = self.top - 3 - 13 * (order % 2) if bar.pole == "minus" else self.bottom + 10 + 12 * (order % 2)
            top = self.top + 4 if bar.pole == "minus" else self.top - TRACK * 4
            if bar.pole == "plus":
                top = 8.0
            board.rails.append(
                RailBar(bar.id, bar.kind, bar.pole, x - RAIL_W / 2, top, self.bottom - top - 4, bar.name, name_y)
            )
            self.stud[bar.id] = _Place(x, self.middle_y, 5 if bar.pole == "minus" else 8, rail=True)
            board.targets.append(Target(bar.id, bar.pole, bar.name, x - 13, top, 26, self.bottom - top))
        for device, y in self.row_y.items():
            self.stud[f"{device}.minus"] = _Place(self.device_x, y, 5)
            self.stud[f"{device}.plus"] = _Place(
                self.device_x + DEVICE_W, y - (5 if f"{device}.far" in seen.studs else 0), 6
            )
            self.stud[f"{device}.far"] = _Place(self.device_x + DEVICE_W, y + 7, 6)
        for stud_id, place in self.stud.items():
            if (
                stud_id in seen.studs
                and not place.rail
                and seen.studs[stud_id].place in ("block", "shunt", "isolator", "device", "battery")
            ):
                board.targets.append(
                    Target(
                        stud_id, seen.studs[stud_id].pole, seen.studs[stud_id].name, place.x - 13, place.y - 13, 26, 26
                    )
                )


def _string_words(seen: Seen) -> dict[str, str]:
    from volnik.core.path.cases import string_shares

    shares = string_shares(seen.bank, seen.together.flow)
    return {f"{chr(65 + p)}1": f"{100 * share:.0f} %" for p, share in enumerate(shares)}


def _wires(
    seen: Seen, board: PathBoard, layout: _Layout, pick: str | None, loop: LoadCase | None, positives: bool
) -> None:
    strays = {cable.id for cable in seen.strays}
    picked = seen.device(pick) if pick else None
    whole = 0.0 if loop is None or picked is None else loop.amps.get(picked.id, 0.0)
    order = sorted(
        seen.wiring.cables,
        key=lambda cable: (
            seen.is_link(cable),
            abs(layout.stud[cable.b].y - layout.stud[cable.a].y)
            if cable.a in layout.stud and cable.b in layout.stud
            else 0.0,
        ),
    )
    for cable in order:
        if cable.a not in layout.stud or cable.b not in layout.stud:
            continue
        pole = (
            "minus"
            if seen.studs[cable.a].pole == seen.studs[cable.b].pole == "minus"
            else "thin"
            if seen.is_thin(cable)
            else "link"
            if seen.studs[cable.a].pole != seen.studs[cable.b].pole
            else "plus"
        )
        if not positives and pole == "plus" and not seen.is_link(cable):
            continue
        points = _points(cable, layout, pole)
        amps = 0.0 if loop is None else loop.flow.amps.get(cable.id, 0.0)
        heavy = whole > 0.0 and abs(amps) > LEAST_FLOW * whole
        state = _state(seen, cable, strays)
        name = seen.cable_name(cable)
        size = cable.size or "size not known"
        length = f"{cable.length_m:g} m" if cable.length_m else "length not known"
        title = (
            f"{name[0].upper()}{name[1:]}: {seen.studs[cable.a].name} to {seen.studs[cable.b].name}, {size}, {length}"
        )
        width = wire_width(cable.mm2) if pole != "thin" else 1.4
        board.wires.append(Wire(cable.id, _path(points), width, pole, state, heavy, title))
        for end, (x, y) in (("a", points[0]), ("b", points[-1])):
            stud = seen.studs[getattr(cable, end)]
            own = end == "a" and stud.place in ("device", "battery", "monitor")
            if not own:
                kind = "thin" if pole == "thin" else stud.pole
                board.ends.append(
                    End(cable.id, end, stud.id, kind, x, y, f"{name[0].upper()}{name[1:]}, on the {stud.name}")
                )
        if heavy:
            board.arrows += _arrows(points, amps, min(layout.block_x.values()))
    return


def _points(cable: Cable, layout: _Layout, pole: str) -> list[tuple[float, float]]:
    a, b = _spread(cable, "a", layout), _spread(cable, "b", layout)
    if cable.id in layout.slots:
        level = layout.slots[cable.id]
        a = _Place(a.x, level, a.gap, a.rail, a.corridor) if a.rail else a
        b = _Place(b.x, level, b.gap, b.rail, b.corridor) if b.rail else b
        if a.rail and b.rail:
            return [(a.x, level), (b.x, level)]
        rail, other = (a, b) if a.rail else (b, a)
        leave = layout.router._leave(other)
        if pole == "minus":
            x = layout.router.track(1)
            way = [*leave, (x, leave[-1][1]), (x, level), (rail.x, level)] if layout.router._open(1, 5) else [
                *leave, (x, leave[-1][1]), (x, passage := layout.router.passage("minus")), (y := layout.router.track(3), passage), (y, level), (rail.x, level)
            ]  # fmt: skip
        else:
            x, passage = layout.router.track(0), layout.router.passage("plus")
            way = [*leave, (x, leave[-1][1]), (x, passage), (rail.x, passage)]
        return way if b.rail else way[::-1]
    return _tidy(layout.router.way(a, b, "minus" if pole == "minus" else "plus"))


def _spread(cable: Cable, end: str, layout: _Layout) -> _Place:
    """Where one end lies on its stud: beside those already there, so that each can be taken hold of alone."""
    stud = getattr(cable, end)
    place = layout.stud[stud]
    if (
        place.rail
        or stud.startswith("monitor.")
        or (end == "a" and not stud.startswith("shunt.") and place.corridor is None)
    ):
        return place
    index = layout.taken[stud]
    layout.taken[stud] += 1
    shift = (index + 1) // 2 * SPREAD * (1 if index % 2 else -1)
    if place.corridor is None:
        return _Place(place.x, place.y + max(-20.0, min(20.0, shift)), place.gap)
    return _Place(place.x + max(-22.0, min(22.0, shift)), place.y, place.gap, corridor=place.corridor)


def _tidy(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    kept: list[tuple[float, float]] = []
    for point in points:
        if kept and kept[-1] == point:
            continue
        kept.append(point)
    return kept if len(kept) > 1 else [*kept, *kept]


def _path(points: list[tuple[float, float]]) -> str:
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in points)


def _state(seen: Seen, cable: Cable, strays: set[str]) -> str:
    if seen.wiring.shunt is None or seen.studs[cable.a].pole != "minus":
        return "plain"
    if cable.id in strays:
        return "uncounted"
    share = seen.shares.get(cable.a.split(".")[0]) if cable.a.endswith(".minus") else None
    if share is None:
        return "plain"
    return {"counted": "counted", "uncounted": "uncounted", "partly": "partly", "reversed": "uncounted"}.get(
        share.word, "plain"
    )


def _arrows(points: list[tuple[float, float]], amps: float, bank_x: float) -> list[Arrow]:
    """Arrowheads by both joints of a cable, the way the current goes, and its amps on the longest stretch between them."""
    way = points if amps > 0 else points[::-1]
    legs = [(one, other) for one, other in zip(way, way[1:], strict=False) if math.dist(one, other) > 1.0]
    if not legs:
        return []
    # words lie best along a level stretch
    longest = max(legs, key=lambda leg: (abs(leg[0][1] - leg[1][1]) < 1.0 and math.dist(*leg) >= 34.0, math.dist(*leg)))
    whole = sum(math.dist(*leg) for leg in legs)
    found = []
    for leg, from_end in ((legs[0], False), (legs[-1], True)):
        length = math.dist(*leg)
        if length < 14.0 or (from_end and whole < 60.0):
            continue
        share = 0.5 if whole < 60.0 else max(0.5, 1.0 - 22.0 / length) if from_end else min(0.5, 22.0 / length)
        found.append(_arrow(leg, share, "", bank_x))
    if math.dist(*longest) >= 34.0:
        found.append(_arrow(longest, 0.5 if whole > 60.0 else 0.45, f"{abs(amps):.3g} A", bank_x))
    return found


def _arrow(leg: tuple[tuple[float, float], tuple[float, float]], share: float, text: str, bank_x: float) -> Arrow:
    (x0, y0), (x1, y1) = leg
    x, y = x0 + share * (x1 - x0), y0 + share * (y1 - y0)
    upright = abs(x1 - x0) < 1.0
    turn = math.degrees(math.atan2(y1 - y0, x1 - x0))
    before = upright and x < bank_x  # left of the blocks the words stand left of the cable
    text_x = x - 8 if before else x + 9 if upright else x
    anchor = "end" if before else "start" if upright else "middle"
    return Arrow(
        round(x, 1), round(y, 1), round(turn, 1), text, round(text_x, 1), round(y + (4 if upright else -9), 1), anchor
    )


def _rows(seen: Seen, board: PathBoard, layout: _Layout, pick: str | None) -> None:
    for device_id, y in layout.row_y.items():
        one = seen.device(device_id)
        if one is None:
            continue
        share = seen.shares.get(device_id)
        word, told = share_words(share, seen.wiring.shunt is not None)
        bar = 0.0 if share is None or math.isnan(share.value) else max(0.0, min(1.0, abs(share.value)))
        height = min(32.0, layout.step - 6)
        told_x = layout.device_x + DEVICE_W - (52.0 if word in BARRED else 14.0)
        amps_x = told_x - (len(told) * LETTER + 12.0 if told else 0.0)
        detail = device_words(one)
        room = int((amps_x - len(detail) * LETTER - 18.0 - layout.device_x) / NAME_LETTER)
        name = one.device.name if len(one.device.name) <= room else one.device.name[: max(3, room - 1)] + "…"
        board.rows.append(
            DeviceRow(
                device_id, layout.device_x, y - height / 2, DEVICE_W, height, name, detail, word, told, bar, device_id == pick,
                one.preset.role == "battery", 13.0 if layout.step > 25 else 11.5, round(told_x, 1), round(amps_x, 1), one.device.name,
            )
        )  # fmt: skip
